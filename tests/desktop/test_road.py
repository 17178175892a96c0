"""A day on the road in the real window: stand-ins, keys, a spoilt leg, a killed recording, a verdict with the truth."""

import os
import signal
import subprocess
import sys
import threading
from datetime import date, datetime, timedelta

import pytest
from PySide6.QtCore import QEvent, QSettings, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QInputDialog, QMessageBox
from tests.conftest import VAN, straight_route
from tests.desktop.conftest import type_into
from tests.desktop.on_the_road import RATE, Life, drive_leg, plan, press, rehearsing, texts, until

from fairmargin.core.study.aims import AIMS, laid_out, relaid
from fairmargin.core.study.entry import read_card
from fairmargin.core.units import UNIT_CHOICES, in_units
from fairmargin.desktop.stages.driving.instruments import InstrumentsDialog, RehearsalDialog
from fairmargin.desktop.stages.driving.settings import KEY, InstrumentSettings, load_settings, mapping_of, save_settings
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.window import MainWindow
from fairmargin.exchange.logs.dbc import load_dbc
from fairmargin.instruments.feed import Feed
from fairmargin.instruments.recording import Recorder, read_recording
from fairmargin.instruments.samples import Clock, Sample
from fairmargin.instruments.vehicle import own_dbc
from fairmargin.simulation.drive import cumulated
from fairmargin.simulation.rehearsal import prepared, rehearse


@pytest.fixture
def road(window):
    """The companion on a planned study."""
    window.session.add_study(plan())
    assert window.drive_now()
    yield window
    window.drive.release()


def test_a_whole_abba_day_rehearsed_ends_in_a_verdict_that_holds_the_truth(qtbot, road, monkeypatch):
    """GPS over TCP, the van on a virtual bus, the station over HTTP; eight legs by keyboard; then the truth."""
    original = road.session.study_id
    controller, view = road.drive.controller, road.drive.view
    life = rehearsing(controller, monkeypatch, 21)
    assert road.session.study_id != original and "(rehearsal)" in road.session.study.title
    driven = [drive_leg(qtbot, road, life.until, life.set_off) for _ in range(8)]
    assert driven == [f"L{i:02d}" for i in range(1, 9)]
    until(lambda: road.session.comparison is not None and not road.session._jobs)
    study = road.session.study
    for leg in study.legs:
        trace = road.session.traces[leg.leg]
        assert trace.power_kw is not None and trace.latitude is not None
        # Two seconds are 50 m, at the reset and at the read-off.
        assert leg.gps_distance_km == pytest.approx(5.7, abs=0.12)
        assert leg.distance_km == pytest.approx(leg.gps_distance_km, abs=0.12)
        assert leg.average_shown == pytest.approx(15.5, abs=6) and leg.soc_end_percent < leg.soc_start_percent
        assert leg.started_at is not None and leg.duration_s > 200
    assert study.weather and study.weather[0].wind_speed_ms is not None
    comparison = road.session.comparison
    truth = controller.truth_percent()
    low, high = comparison.interval_percent
    assert low <= truth <= high
    assert high - low < 12
    # the truth is shown only when asked for, beside the interval
    assert "truth was" not in texts(view)
    qtbot.mouseClick(view.nothing.reveal, Qt.MouseButton.LeftButton)
    assert f"{abs(truth):.1f} %" in view.nothing.truth_words.text() and "holds it" in view.nothing.truth_words.text()
    # a virtual driver's scatter is not the tester's
    assert road.session.logbook.scatter_evidence() == []
    # the study that was rehearsed is untouched
    untouched, traces = road.session.logbook.load(original)
    assert not traces and all(leg.state == "planned" for leg in untouched.legs)
    qtbot.mouseClick(view.nothing.to_verdict, Qt.MouseButton.LeftButton)
    assert road.pages.currentWidget() is road.stage("verdict")


def test_events_by_key_are_noted_at_once_and_priced(qtbot, road):
    controller, view = road.drive.controller, road.drive.view
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_T)  # before the reset nothing is noted
    assert road.session.study.events == ()
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_Y)
    assert controller.drive.reset_state == "took"
    now[0] = 60.0
    press(qtbot, road, Qt.Key.Key_S)
    assert [e.kind for e in road.session.study.events] == ["stop"]  # kept although it still lasts
    assert "press at its end" in view.driving.event_buttons["stop"].text()
    now[0] = 120.0
    press(qtbot, road, Qt.Key.Key_S)
    event = road.session.study.events[0]
    assert (event.leg, event.at_s, event.duration_s) == ("L01", 60, 60)
    assert "Stopped for 60 s: worth about +" in controller.says[-1] and "drive it again?" in controller.says[-1]
    press(qtbot, road, Qt.Key.Key_G)
    press(qtbot, road, Qt.Key.Key_O)
    assert [e.kind for e in road.session.study.events] == ["stop", "gust", "overtaking"]
    assert "Noted: stop, gust, overtaking" in texts(view)
    road.session.undo.undo()
    assert [e.kind for e in road.session.study.events] == ["stop", "gust"]


def test_a_spoilt_leg_is_left_out_and_planned_again(qtbot, road, monkeypatch):
    controller, view = road.drive.controller, road.drive.view
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y, Qt.Key.Key_R):
        press(qtbot, road, key)
    now[0] = 300.0
    press(qtbot, road, Qt.Key.Key_R)
    press(qtbot, road, Qt.Key.Key_Space)
    assert (
        "Rain for 5 min: worth about +" in view.reading.leg_words.text()
        and view.reading.again.objectName() == "primary"
    )
    type_into(qtbot, view.reading.cards["average"], "15.4")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("heavy rain", True))
    qtbot.mouseClick(view.reading.again, Qt.MouseButton.LeftButton)
    study = road.session.study
    assert not study.leg("L01").included and study.leg("L01").reason == "heavy rain"
    assert study.leg("L01").average_shown == 15.4  # its reading stays
    assert controller.next_leg().leg == "L01.2" and "L01.2" in view.prepare.set_off.text()


def test_readings_are_typed_into_a_card_per_instrument_and_compared(qtbot, road):
    controller, view = road.drive.controller, road.drive.view
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y):
        press(qtbot, road, key)
    now[0] = 360.0
    assert "by the clock" in texts(view) or controller.to_gate_km() < 0.01, "before the window looks again, or after"
    press(qtbot, road, Qt.Key.Key_Space)
    for key, text in (("distance", "9.0"), ("average", "15.4"), ("energy", "1.4"), ("soc", "82-79")):
        type_into(qtbot, view.reading.cards[key], text)
        assert view.reading.cards[key].fault.isHidden(), view.reading.cards[key].fault.text()
    leg = road.session.study.leg("L01")
    assert (leg.average_shown, leg.energy_kwh, leg.energy_step_kwh, leg.soc_start_percent) == (15.4, 1.4, 0.1, 82)
    assert [b.instrument for b in view.reading.bands.bands] == ["trip energy", "trip average", "state of charge"]
    assert "agree within their steps" in view.reading.bands_words.text()
    type_into(qtbot, view.reading.cards["energy"], "2.4")
    assert "Do not agree with the trip energy: trip average" in view.reading.bands_words.text()
    type_into(qtbot, view.reading.cards["energy"], "")
    assert road.session.study.leg("L01").energy_kwh is None and road.session.study.leg("L01").average_shown == 15.4
    type_into(qtbot, view.reading.cards["soc"], "79-82")
    assert "no discharge" in view.reading.cards["soc"].fault.text()


@pytest.mark.parametrize(
    "key, text, expected",
    [
        ("average", "3.4 mi/kWh", {"average_shown": 3.4, "average_unit": "mi/kWh", "average_step": 0.1}),
        ("energy", "2,86", {"energy_kwh": 2.86, "energy_step_kwh": 0.01}),
        ("energy", "2860 Wh", None),
        ("soc", "82 - 71", {"soc_start_percent": 82, "soc_end_percent": 71, "soc_step_percent": 1}),
        ("charger", "4.1", {"charger_kwh": 4.1}),
        ("fuel", "1.9", {"fuel_l": 1.9}),
        ("charger", "", {"charger_kwh": None}),
    ],
)
def test_cards_take_only_their_own_instrument(key, text, expected):
    if expected is None:
        with pytest.raises(ValueError):
            read_card(key, text, UNIT_CHOICES["metric"])
    else:
        assert read_card(key, text, UNIT_CHOICES["metric"]) == pytest.approx(expected)


def test_another_instruments_reading_is_refused_in_words():
    with pytest.raises(ValueError, match="another instrument's reading"):
        read_card("average", "2.9 kWh", UNIT_CHOICES["metric"])


def test_a_reset_that_did_not_take_is_seen_by_what_is_typed(qtbot, road):
    controller, view = road.drive.controller, road.drive.view
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space):
        press(qtbot, road, key)
    assert "Did the reset take?" in view.driving.prompt.text()
    type_into(qtbot, view.driving.shown, "18.7")
    assert controller.drive.reset_state == "failed" and "did not take" in view.driving.prompt.text()
    first = controller.drive.reset_s
    press(qtbot, road, Qt.Key.Key_N)
    assert controller.drive.reset_s > first and controller.drive.reset_state == "unknown"
    type_into(qtbot, view.driving.shown, "0.0")
    assert controller.drive.reset_state == "took" and not view.driving.reset_row.isVisibleTo(view)


def test_a_reset_nobody_saw_is_noted(qtbot, road):
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space):
        press(qtbot, road, key)
    qtbot.mouseClick(road.drive.view.driving.doubtful, Qt.MouseButton.LeftButton)
    assert [e.kind for e in road.session.study.events] == ["reset-doubtful"]


def test_hidden_mishaps_are_told_when_the_day_is_driven(qtbot, road, monkeypatch):
    """A passenger who looks out notes the lorry and the rain and misses the rest; afterwards every one is told, with its cost."""
    road.session.add_study(plan(route_m=5000))
    assert road.drive_now()
    controller, view = road.drive.controller, road.drive.view
    life = rehearsing(controller, monkeypatch, 2, mishaps=True)  # a lorry on L07, rain on L08, a wrong turn on L06
    mishaps = {m.kind: m.leg for m in controller.sealed().mishaps}
    assert mishaps == {"lorry": "L07", "rain": "L08", "wrong turn": "L06"}
    assert "Out of the window: where you stopped" in texts(view)
    seen = {}

    def watched(condition):
        def look():
            words = view.window_words.text().removeprefix("Out of the window: ")
            drive = controller.drive
            if drive is not None and drive.phase == "driving":
                seen.setdefault(drive.leg, set()).add(words)
                for sight, key in (("a lorry close", Qt.Key.Key_F), ("rain on", Qt.Key.Key_R)):
                    kind = {Qt.Key.Key_F: "following-closely", Qt.Key.Key_R: "rain"}[key]
                    if (sight in words) != (kind in drive.open_marks):
                        press(qtbot, road, key)
            return condition()

        life.until(look)

    for _ in range(8):
        drive_leg(qtbot, road, watched, life.set_off)
    assert any("a lorry close" in w for w in seen["L07"]) and any("rain on" in w for w in seen["L08"])
    assert any("village that is not" in w for w in seen["L06"])
    study = road.session.study
    assert {(e.leg, e.kind) for e in study.events if e.kind in {"following-closely", "rain"}} == {
        ("L07", "following-closely"),
        ("L08", "rain"),
    }
    assert "noticed" not in texts(view), "nothing is told before it is asked for"
    qtbot.mouseClick(view.nothing.reveal, Qt.MouseButton.LeftButton)
    told = view.nothing.told_words.text()
    assert told.startswith("2 of 3 things that went wrong noticed.")
    lorry, turn = (next(x for x in told.splitlines() if x.startswith(f"{leg}:")) for leg in ("L07", "L06"))
    assert "a lorry was close ahead from " in lorry and "noted with its key. It put \u2212" in lorry
    assert "you were off your road from " in turn and "not noticed. It put +" in turn and "% of the mean of On" in turn
    # The trip meter has the way round in it: a kilometre and more that the other legs do not have.
    assert study.leg("L06").distance_km > study.leg("L02").distance_km + 0.9


def test_a_gps_that_freezes_is_told_by_the_program(qtbot, road, monkeypatch):
    """Its place stands still while its speed says ninety: the doubt is said on the road, kept with the leg, and told afterwards."""
    controller, view = road.drive.controller, road.drive.view
    life = rehearsing(controller, monkeypatch, 1, mishaps=True)  # frozen on L01
    assert ("frozen GPS", "L01") in {(m.kind, m.leg) for m in controller.sealed().mishaps}
    said = []

    def watched(condition):
        def look():
            said.extend(w for w in controller.says if w not in said)
            return condition()

        life.until(look)

    drive_leg(qtbot, road, watched, life.set_off)
    assert any("GPS" in w for w in said), said
    leg = road.session.study.leg("L01")
    assert "GPS" in leg.note
    assert leg.gps_distance_km == pytest.approx(5.7, abs=0.12), "its distance is by speed, which went on"
    controller.go_home(True)
    qtbot.mouseClick(view.nothing.reveal, Qt.MouseButton.LeftButton)
    assert "L01: the GPS froze" in view.nothing.told_words.text()
    assert "told by the program" in view.nothing.told_words.text()


def test_instruments_that_fail_mid_leg_are_told_and_the_leg_survives(qtbot, road):
    """The GPS vanishes for a while, then sends garbage, then the bus goes; the leg still ends with a trace."""
    controller, view = road.drive.controller, road.drive.view
    assert controller.start_rehearsal(22, 30.0)
    until(lambda: {f.state for f in controller.feeds.values()} == {"live"})
    press(qtbot, road, Qt.Key.Key_Space)
    until(lambda: (controller.to_gate_km() or 9.0) < 0.05)
    press(qtbot, road, Qt.Key.Key_Space)
    gps, bus = controller.rehearsal.gps, controller.rehearsal.vehicle
    gps.stop()
    until(lambda: controller.feeds["gps"].state == "lost")
    until(lambda: "GPS lost" in texts(view) and "GPS is silent" in texts(view))
    before = controller.drive.driven_km
    until(lambda: controller.drive.driven_km > before + 0.3)  # the bus counts on
    gps.start()
    until(lambda: controller.feeds["gps"].state == "live")
    bus.garbage = True
    until(lambda: controller.feeds["vehicle"].state == "lost")
    bus.garbage = False
    until(lambda: controller.feeds["vehicle"].state == "live")
    press(qtbot, road, Qt.Key.Key_Y)
    controller.read_off()
    trace = road.session.traces["L01"]
    assert trace.speed_kmh.min() > 40
    note = road.session.study.leg("L01").note
    assert "GPS is silent" in note and "the vehicle's own taken" in note
    path = next(controller._folder().glob("*.drive"))
    kinds = {t.kind for t in read_recording(path).troubles}
    assert {"lost", "back", "nonsense"} <= kinds


def test_a_recording_cut_short_is_offered_and_taken(qtbot, window):
    """What a killed process leaves: a recording without an end."""
    window.session.add_study(plan())
    book = window.session.logbook.path
    folder = book.with_suffix(".recordings") / str(window.session.study_id)
    recorder = Recorder(folder / "20260502-090000-L01.drive", "L01", datetime(2026, 5, 2, 9))
    recorder.mark(10.0, "reset")
    for i in range(200):
        recorder.put(Sample(float(i), "gps", {"speed_kmh": 90.0, "latitude": 52.0 + i * 2e-4, "longitude": 0.1}))
        recorder.put(Sample(float(i), "vehicle", {"power_kw": 15.0}))
    recorder.close()
    window.drive_now()
    view = window.drive.view
    assert "cut short" in texts(view)
    qtbot.mouseClick(view.prepare.take_cut, Qt.MouseButton.LeftButton)
    leg = window.session.study.leg("L01")
    assert leg.duration_s == 189 and "cut short at 09:03:19" in leg.note
    # Its readings are asked for at once.
    assert window.drive.controller.drive.phase == "reading" and view.reading.isVisible()
    assert leg.started_at == datetime(2026, 5, 2, 9, 0, 10)
    assert len(window.session.traces["L01"].time_s) == 190
    assert "cut short" not in texts(view)
    window.session.undo.undo()
    assert "L01" not in window.session.traces and window.session.study.leg("L01").duration_s is None
    window.drive.release()


def test_a_second_reset_begins_the_leg_anew(qtbot, road):
    controller = road.drive.controller
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_G, Qt.Key.Key_T):
        press(qtbot, road, key)
    now[0] = 30.0
    press(qtbot, road, Qt.Key.Key_N)
    assert road.session.study.events == () and not controller.drive.open_marks
    assert controller.since_reset_s() == 0.0 and road.session.study.leg("L01").started_at.second == 30


def test_legs_that_wait_for_a_receipt_are_not_driven_again(qtbot, road):
    """Charged back after the day: no leg has a reading when it ends, and each is driven once."""
    controller, view = road.drive.controller, road.drive.view
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    for i in range(8):
        assert controller.next_leg().leg == f"L{i + 1:02d}"
        for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y):
            press(qtbot, road, key)
        now[0] += 360.0
        press(qtbot, road, Qt.Key.Key_Space)
        press(qtbot, road, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
        now[0] += 120.0
    assert controller.next_leg() is None and controller.done_runs() == 4
    assert "Still without a reading: L01, L02" in texts(view)


def test_a_key_held_down_is_one_press(qtbot, road):
    view = road.drive.view
    held = QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Space, Qt.KeyboardModifier.NoModifier, " ", True)
    QApplication.sendEvent(view, held)
    assert road.drive.controller.drive is None


def test_a_wall_clock_that_is_set_is_told(qtbot, road):
    controller = road.drive.controller
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_Space)
    before = controller.since_reset_s()
    controller.clock.origin -= timedelta(hours=1)  # as if the laptop had been an hour behind and was put right
    controller.tick()
    assert "clock was set by +3600 s" in controller.says[-1]
    assert controller.since_reset_s() - before < 5.0
    assert abs((controller.clock.moment() - datetime.now()).total_seconds()) < 1.0


def test_a_leg_given_up_stays_planned(qtbot, road, monkeypatch):
    monkeypatch.setattr(QMessageBox, "question", lambda *a, **k: QMessageBox.StandardButton.Yes)
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y, Qt.Key.Key_G):
        press(qtbot, road, key)
    qtbot.mouseClick(road.drive.view.driving.give_up, Qt.MouseButton.LeftButton)
    assert road.drive.controller.next_leg().leg == "L01"
    assert road.session.study.leg("L01").started_at is None and road.session.study.events == ()
    assert "cut short" not in texts(road.drive.view)


def test_running_late_and_a_pause_are_said(qtbot, road):
    study = road.session.study
    road.session.edit(study.with_(plan=study.plan.with_(day=datetime(2026, 5, 2).date())), "day")
    controller, view = road.drive.controller, road.drive.view
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 8, 0), 1.0, lambda: now[0])
    view.prepare._day_stamp = None
    controller.changed.emit()
    assert "on time" in view.prepare.timetable_words.text()
    now[0] = 3 * 3600.0
    view.prepare._day_stamp = None
    controller.changed.emit()
    assert "min late" in view.prepare.timetable_words.text()
    press(qtbot, road, Qt.Key.Key_P)
    assert "Paused for 0 min" in view.prepare.timetable_words.text() and "Go on" in view.prepare.pause_button.text()
    press(qtbot, road, Qt.Key.Key_P)
    assert "Paused" not in view.prepare.timetable_words.text()


def test_settings_are_carried_from_leg_to_leg(qtbot, road):
    view, controller = road.drive.view, road.drive.controller
    type_into(qtbot, view.prepare.settings_fields["climate"], "21")
    type_into(qtbot, view.prepare.settings_fields["tyre_pressure_kpa"], "2.6")
    type_into(qtbot, view.prepare.settings_fields["climate"], "99")
    assert "expected 10 to 35" in view.prepare.settings_fields["climate"].fault.text()
    assert road.session.study.leg("L01").climate == "21"
    assert road.session.study.leg("L01").tyre_pressure_kpa == pytest.approx(260)
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y, Qt.Key.Key_Space):
        press(qtbot, road, key)
    type_into(qtbot, view.reading.cards["average"], "15.4")
    controller.finish()
    press(qtbot, road, Qt.Key.Key_Space)
    assert road.session.study.leg("L02").climate == "21"


def test_full_screen_and_back(qtbot, road):
    view = road.drive.view
    press(qtbot, road, Qt.Key.Key_F11)
    assert view.isWindow() and view.isVisible()
    press(qtbot, road, Qt.Key.Key_Space)  # it works there too
    assert road.drive.controller.drive is not None
    press(qtbot, road, Qt.Key.Key_Escape)
    assert not view.isWindow() and view.isVisibleTo(road)


def test_the_instruments_dialog_connects_and_says_what_is_wrong(qtbot, road):
    controller = road.drive.controller
    dialog = InstrumentsDialog(controller, road)
    qtbot.addWidget(dialog)
    boxes = dialog._chosen
    assert boxes["speed_kmh"].currentData() == "Motion.VehicleSpeed"
    dialog.gps.setText("nonsense")
    qtbot.mouseClick(dialog.connect_button, Qt.MouseButton.LeftButton)
    assert "no GPS address" in dialog.fault.text() and not controller.feeds
    dialog.minutes.setText("often")
    qtbot.mouseClick(dialog.connect_button, Qt.MouseButton.LeftButton)
    assert "Minutes between reports" in dialog.fault.text() and "is not a number" in dialog.fault.text()
    dialog.minutes.setText("5")
    dialog.gps.setText("127.0.0.1:1")
    qtbot.mouseClick(dialog.connect_button, Qt.MouseButton.LeftButton)
    assert dialog.fault.text() == "" and set(controller.feeds) == {"gps"}
    until(lambda: "refused" in dialog.live.text().lower())
    assert load_settings(road.session.settings).gps == "127.0.0.1:1"
    qtbot.mouseClick(dialog.disconnect_button, Qt.MouseButton.LeftButton)
    assert not controller.feeds and "Not connected" in dialog.live.text()
    dialog.dbc.setText("/nowhere/x.dbc")
    dialog.fill_mapping()
    assert "cannot be read" in dialog.fault.text()


def test_the_rehearsal_dialog_begins_one(qtbot, road):
    dialog = RehearsalDialog(road.drive.controller, road)
    qtbot.addWidget(dialog)
    dialog.rate.setCurrentIndex(3)
    qtbot.mouseClick(dialog.start, Qt.MouseButton.LeftButton)
    controller = road.drive.controller
    assert controller.rehearsal is not None and controller.clock.rate == 100.0
    assert controller.sealed().looks_out, "mishaps are hidden in it unless the box is cleared"
    until(lambda: road.drive.view.dash.isVisibleTo(road) and "trip 0.0 km" in texts(road.drive.view))
    controller.stop_rehearsal()
    assert not controller.feeds and controller.clock.rate == 1.0


def test_settings_come_back_and_damage_counts_as_none(session):
    value = InstrumentSettings(gps="/dev/ttyACM0", signals={"speed_kmh": "Motion.VehicleSpeed"}, weather_minutes=10)
    save_settings(session.settings, value)
    assert load_settings(session.settings) == value
    database = load_dbc(own_dbc())
    assert set(mapping_of(value, database).signals) == {"speed_kmh"}
    with pytest.raises(ValueError, match="is not in the DBC"):
        mapping_of(InstrumentSettings(signals={"speed_kmh": "No.Such"}), database)
    session.settings.setValue("instruments", "{broken")
    assert load_settings(session.settings) == InstrumentSettings()


def test_a_rehearsal_is_gone_on_with_after_a_break(qtbot, road):
    """Ended after a leg and begun again: the same copy, the same truth, the next leg, later in the day."""
    controller = road.drive.controller
    assert controller.start_rehearsal(23, 100.0)
    truth, study_id = controller.truth_percent(), road.session.study_id
    drive_leg(qtbot, road)
    charge = controller.display().soc_percent
    controller.stop_rehearsal()
    assert controller.start_rehearsal(99, 100.0)
    assert abs(controller.display().soc_percent - charge) <= 1
    assert road.session.study_id == study_id and controller.truth_percent() == truth
    assert controller.next_leg().leg == "L02"
    assert controller.clock.moment() > road.session.study.leg("L01").started_at


def test_what_cannot_be_rehearsed_is_said(qtbot, window):
    window.session.add_study(plan().with_(method="everyday"))
    window.drive_now()
    assert not window.drive.controller.start_rehearsal(1, 100.0)
    assert "everyday studies cannot be rehearsed" in texts(window.drive.view)
    window.drive.release()


def test_kept_instruments_connect_by_themselves(window):
    save_settings(window.session.settings, InstrumentSettings(gps="127.0.0.1:1"))
    window.session.add_study(plan())
    window.drive_now()
    assert set(window.drive.controller.feeds) == {"gps"}
    window.drive.release()


def test_nothing_stands_beside_the_leg_that_is_driven(road):
    assert not road.ledger_side.isVisibleTo(road)
    road.drive.show_view(False)
    assert road.ledger_side.isVisibleTo(road)


KILLED = """
import sys
from pathlib import Path
from PySide6.QtCore import QSettings
from tests.conftest import VAN, straight_route
from fairmargin.core.study import new_study
from fairmargin.desktop.application import make_application
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.window import MainWindow

folder = Path(sys.argv[1])
application = make_application(["fairmargin"])
session = Session(QSettings(str(folder / "s.ini"), QSettings.Format.IniFormat))
session.open_logbook(folder / "book.fairmargin")
window = MainWindow(session)
window.show()
session.add_study(new_study(title="Discs", kind="aero covers", order="AB", speed_kmh=90, vehicle=VAN).with_(route=straight_route(9000)))
window.drive_now()
controller = window.drive.controller
controller.start_rehearsal(5, 40.0)
controller.begin("L01")
told = []

def watch():
    drive = controller.drive
    if drive.phase == "approach" and controller.clock.seconds() > 60:
        controller.reset()
        controller.reset_seen(None)
        controller.mark("gust")
    if not told and drive.phase == "driving" and controller.since_reset_s() > 60:
        told.append(1)
        print(session.study_id, controller.samples.last_at, flush=True)

controller.changed.connect(watch)
application.exec()
"""


def test_a_killed_application_loses_nothing_but_what_is_under_way(qtbot, tmp_path):
    """The whole window is killed with SIGKILL in the middle of a leg; another one takes it up."""
    child = subprocess.Popen(
        [sys.executable, "-c", KILLED, str(tmp_path)],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        env={**os.environ, "PYTHONPATH": os.getcwd()},
    )
    late = threading.Timer(90.0, child.kill)  # a child that hangs must not hang the rest
    late.start()
    said = child.stdout.readline().split()
    study_id, arrived = int(said[0]), float(said[1])
    late.cancel()
    os.kill(child.pid, signal.SIGKILL)
    child.wait()
    child.stdout.close()
    session = Session(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    assert session.open_logbook(tmp_path / "book.fairmargin") and not session.read_only
    window = MainWindow(session)
    qtbot.addWidget(window)
    window.show()
    session.open_study(study_id)
    leg = session.study.leg("L01")
    assert leg.started_at is not None  # the reset was on the disk
    assert [e.kind for e in session.study.events] == ["gust"]
    window.drive_now()
    path = window.drive.controller.cut_short()[0]
    kept = read_recording(path)
    last = max(s.at for s in kept.samples)
    # Every sample that the window had seen is on the disk; how far it lagged behind its minute is the machine's business.
    assert last >= arrived - 0.001 and arrived - kept.marked("reset") > 20
    qtbot.mouseClick(window.drive.view.prepare.take_cut, Qt.MouseButton.LeftButton)
    # from reset to the last sample with a speed: GPS and bus speak once a second and oftener
    assert (
        session.traces["L01"].time_s[-1] > arrived - kept.marked("reset") - 5
        and session.traces["L01"].power_kw is not None
    )
    window.close()


# ---------------------------------------------------------------- what the view says


def said_by(controller, **values):
    """Let the bus say something, as if a feed had taken it."""
    feed = controller.feeds.setdefault("vehicle", _Silent("vehicle", controller.clock, controller._arrived, 3.0))
    feed.state = "live"
    for name, value in values.items():
        feed.latest[name] = (value, controller.clock.seconds())
    return feed


class _Silent(Feed):
    """A feed that is only spoken for."""

    def _connect(self): ...
    def _read(self): ...
    def _disconnect(self): ...


def test_the_speed_shown_is_true_and_far_off_the_aim_it_is_marked(qtbot, road):
    """The speedometer over-reads by 4 %: 93.6 on the bus is a true 90 (common practice)."""
    study = road.session.study
    road.session.edit(study.with_(vehicle=study.vehicle.with_(speed_error_percent=4.0)), "calibration")
    controller, view = road.drive.controller, road.drive.view
    assert "speedometer must show 94" in texts(view)
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y):
        press(qtbot, road, key)
    said_by(controller, speed_kmh=93.6)
    controller.changed.emit()
    assert view.driving.speed_tile.number.text() == "90" and view.driving.speed_tile.number.property("state") == ""
    said_by(controller, speed_kmh=80.0)
    controller.changed.emit()
    assert (
        view.driving.speed_tile.number.text() == "77" and view.driving.speed_tile.number.property("state") == "caution"
    )
    controller.feeds.clear()
    controller.changed.emit()
    assert (
        "Speedometer must show" in view.driving.speed_tile.caption.text()
        and view.driving.speed_tile.number.text() == "94"
    )


def test_units_of_the_person_are_used_on_the_road(qtbot, road):
    road.session.set_units(UNIT_CHOICES["us"])
    view = road.drive.view
    assert view.prepare.aim.number.text() == "56 mph"
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space):
        press(qtbot, road, key)
    assert (
        view.driving.gate_tile.caption.text() == "To the read-off, mi" and view.driving.gate_tile.number.text() == "5.0"
    )
    type_into(qtbot, view.driving.shown, "9.9")  # miles
    assert "shows 9.9 mi after" in in_units(road.drive.controller.says[-1], UNIT_CHOICES["us"])
    press(qtbot, road, Qt.Key.Key_N)
    type_into(qtbot, view.driving.shown, "0.1")
    road.drive.controller.read_off()
    assert view.reading.cards["distance"].caption.text() == "Trip distance, mi"
    type_into(qtbot, view.reading.cards["distance"], "5.6")
    assert road.session.study.leg("L01").distance_km == pytest.approx(9.012, abs=0.001)


def test_a_combustion_vehicle_gets_a_card_for_fuel_and_none_for_charge(qtbot, window):
    window.session.add_study(plan().with_(vehicle=VAN.with_(energy="diesel", usable_capacity_kwh=None)))
    window.drive_now()
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y):
        press(qtbot, window, key)
    window.drive.controller.read_off()
    cards = window.drive.view.reading.cards
    assert cards["fuel"].isVisibleTo(window) and not cards["soc"].isVisibleTo(window)
    type_into(qtbot, cards["fuel"], "0.62")
    assert window.session.study.leg("L01").fuel_l == 0.62
    window.drive.release()


def test_the_next_sector_is_named_on_the_way(qtbot, window):
    study = plan()
    named = tuple(p.with_(sector="town" if p.distance_m < 3000 else "dyke") for p in study.route)
    window.session.add_study(study.with_(route=named))
    window.drive_now()
    controller = window.drive.controller
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y):
        press(qtbot, window, key)
    now[0] = 40.0  # 1 km at 90 km/h, by the clock
    controller.changed.emit()
    assert (
        "dyke in 2.0" in window.drive.view.driving.gate_tile.foot.text()
        and "by the clock" in window.drive.view.driving.gate_tile.foot.text()
    )
    window.drive.release()


def test_nothing_can_be_driven_in_a_logbook_that_is_read_only(qtbot, road, monkeypatch):
    monkeypatch.setattr(type(road.session), "read_only", property(lambda self: True))
    road.drive.view._follow()
    assert not road.drive.view.prepare.set_off.isEnabled()
    press(qtbot, road, Qt.Key.Key_Space)
    assert road.drive.controller.drive is None


def test_a_disk_that_takes_nothing_is_told_and_the_leg_goes_on(qtbot, road, monkeypatch):
    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("fairmargin.desktop.stages.driving.controller.Recorder", full)
    press(qtbot, road, Qt.Key.Key_Space)
    assert "cannot be recorded: No space left on device" in texts(road.drive.view)
    press(qtbot, road, Qt.Key.Key_Space)
    assert road.session.study.leg("L01").started_at is not None


def test_another_study_ends_the_leg_of_this_one(qtbot, road):
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y):
        press(qtbot, road, key)
    first = road.session.study_id
    road.session.add_study(plan("AB"))
    assert road.drive.controller.drive is None
    road.session.open_study(first)
    assert len(road.drive.controller.cut_short()) == 1  # what was under way is offered again


def test_settings_of_another_kind_than_they_should_be_count_as_none(qtbot, session):
    """A number where an address belongs, a list where settings belong: the road opens all the same."""
    session.settings.setValue(KEY, '{"gps": 5, "baud": 4800, "signals": ["x"], "weather_minutes": "often", "old": 1}')
    kept = load_settings(session.settings)
    assert (kept.gps, kept.baud, kept.signals, kept.weather_minutes) == ("", 4800, {}, 5.0)
    for odd in ("[1, 2]", "7", "not json", ""):
        session.settings.setValue(KEY, odd)
        assert load_settings(session.settings) == InstrumentSettings()


def test_one_press_too_many_ends_no_leg(qtbot, road):
    """Space begins a leg and ends it: within moments, or far from the line, the second press is asked about."""
    controller, view = road.drive.controller, road.drive.view
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_Space)
    now[0] = 0.2
    press(qtbot, road, Qt.Key.Key_Space)  # the key bounced
    assert controller.drive.phase == "driving" and "The leg began 0 s ago. Press again" in texts(view)
    now[0] = 0.5
    press(qtbot, road, Qt.Key.Key_Space)
    assert controller.drive.phase == "driving"
    now[0] = 100.0  # 2.5 of 8 km, by the clock
    press(qtbot, road, Qt.Key.Key_Space)
    assert controller.drive.phase == "driving" and "The line to read off at is 5.5 km ahead. Press again" in texts(view)
    now[0] = 120.0  # so long after, it is another first press
    press(qtbot, road, Qt.Key.Key_Space)
    assert controller.drive.phase == "driving"
    now[0] = 122.0
    press(qtbot, road, Qt.Key.Key_Space)
    assert controller.drive.phase == "reading"


def test_a_leg_read_off_by_mistake_goes_on_with_all_its_samples(qtbot, road):
    controller, view = road.drive.controller, road.drive.view
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])

    def drive_to(end):
        while now[0] < end:
            now[0] += 1.0
            controller._queue.put(Sample(now[0], "gps", {"speed_kmh": 90.0}))
        controller.tick()

    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y):
        press(qtbot, road, key)
    drive_to(60.0)
    before = road.session.study.leg("L01")
    controller.read_off()
    assert controller.drive.phase == "reading" and road.session.study.leg("L01").duration_s == 60.0
    type_into(qtbot, view.reading.cards["average"], "15.4")
    drive_to(100.0)
    assert view.reading.back.isVisibleTo(view)
    qtbot.mouseClick(view.reading.back, Qt.MouseButton.LeftButton)
    leg = road.session.study.leg("L01")
    # What the slip filled in is gone, what was typed stays; the way driven meanwhile counts.
    assert (leg.duration_s, leg.started_at, leg.average_shown) == (None, before.started_at, 15.4)
    assert "L01" not in road.session.traces
    assert controller.drive.phase == "driving" and controller.drive.driven_km == pytest.approx(99 / 40, abs=0.03)
    drive_to(320.0)
    press(qtbot, road, Qt.Key.Key_Space)  # 8 km: nothing is asked
    assert controller.drive.phase == "reading"
    assert road.session.study.leg("L01").duration_s == 320.0
    assert road.session.traces["L01"].time_s[-1] == pytest.approx(320.0, abs=2)


@pytest.mark.parametrize("full_screen", [False, True])
def test_taking_back_says_what_it_takes_and_never_a_start(qtbot, road, full_screen):
    controller, view = road.drive.controller, road.drive.view
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    if full_screen:
        press(qtbot, road, Qt.Key.Key_F11)
        assert view.isWindow()
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_Y):
        press(qtbot, road, key)
    started = road.session.study.leg("L01").started_at
    assert started is not None
    press(qtbot, road, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert road.session.study.leg("L01").started_at == started
    assert "Nothing of L01 to take back. Its start stays" in texts(view)
    now[0] = 30.0
    press(qtbot, road, Qt.Key.Key_G)
    assert [e.kind for e in road.session.study.events] == ["gust"]
    press(qtbot, road, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert road.session.study.events == () and "Taken back: gust on L01." in texts(view)
    press(qtbot, road, Qt.Key.Key_R)
    press(qtbot, road, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert controller.drive.open_marks == {} and road.session.study.events == ()
    press(qtbot, road, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert road.session.study.leg("L01").started_at == started
    # A read-off that is taken back is no leg without its time: the leg goes on, and is read off again later.
    now[0] = 320.0
    press(qtbot, road, Qt.Key.Key_Space)
    assert controller.drive.phase == "reading" and road.session.study.leg("L01").duration_s == 320.0
    press(qtbot, road, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert controller.drive.phase == "driving" and road.session.study.leg("L01").duration_s is None
    assert "Taken back: the read-off of L01. The leg goes on." in texts(view)
    now[0] = 330.0
    press(qtbot, road, Qt.Key.Key_Space)
    assert road.session.study.leg("L01").duration_s == 330.0


def test_a_typed_trip_that_is_far_over_what_was_driven_is_doubted(qtbot, road, monkeypatch):
    """Somebody said that the reset took, and types 9.9 km from the display after 5.7 by GPS: kept, with its doubt."""
    controller, view = road.drive.controller, road.drive.view
    life = rehearsing(controller, monkeypatch, 21)
    controller.begin("L01")
    life.until(lambda: (controller.to_gate_km() or 9.0) < 0.05)
    controller.reset()
    controller.reset_seen(None)
    life.until(lambda: controller.to_gate_km() <= 0.0)
    controller.read_off()
    type_into(qtbot, view.reading.cards["distance"], "9.9")
    controller.finish()
    leg = road.session.study.leg("L01")
    assert leg.distance_km == 9.9
    assert "the trip meter shows 9.9 km after 5.7 km driven: its reset may not have taken" in leg.note


def test_taking_back_on_the_road_never_takes_the_study(qtbot, road):
    study_id = road.session.study_id
    for _ in range(3):
        press(qtbot, road, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert road.session.study_id == study_id and road.session.study is not None
    assert "Nothing to take back here." in texts(road.drive.view)


def test_another_leg_can_be_driven_and_the_rest_given_up(qtbot, road):
    controller, view = road.drive.controller, road.drive.view
    page = view.prepare
    assert [page.which.itemData(i) for i in range(page.which.count())][:-2] == [f"L{i:02d}" for i in range(1, 9)]
    page.which.setCurrentIndex(page.which.findData("L05"))
    page.which.activated.emit(page.which.currentIndex())
    assert "L05" in page.set_off.text() and controller.next_leg().leg == "L05"
    press(qtbot, road, Qt.Key.Key_Space)
    assert controller.drive.leg == "L05"
    press(qtbot, road, Qt.Key.Key_Space)
    controller.read_off()
    type_into(qtbot, view.reading.cards["average"], "15.4")
    controller.finish()
    # Its run is under way now: the way back is next.
    assert controller.next_leg().leg == "L06" and page.which.findData("L05") < 0
    qtbot.mouseClick(page.home, Qt.MouseButton.LeftButton)
    assert "Going home" in texts(view) and "7 legs stay planned (L06, L01, L02, L03, L04, L07, L08)" in texts(view)
    press(qtbot, road, Qt.Key.Key_Space)
    assert controller.drive is None  # nobody sets off by a key that was meant for nothing
    qtbot.mouseClick(view.nothing.on_after_all, Qt.MouseButton.LeftButton)
    assert controller.next_leg().leg == "L06"
    # What is given up in one study is not in another.
    controller.go_home(True)
    road.session.add_study(plan("AB"))
    assert not controller.going_home and controller.next_leg() is not None


def test_a_run_before_its_turn_and_one_more_run(qtbot, road, monkeypatch):
    """R3 first: the plan says so from then on, and the timetable counts it. One more run with On comes next, also rehearsed."""
    controller, view = road.drive.controller, road.drive.view
    which = view.prepare.which
    assert [which.itemText(i) for i in range(which.count())][-2:] == ["One more run now: Off", "One more run now: On"]
    which.setCurrentIndex(which.findData("L05"))
    which.activated.emit(which.currentIndex())
    assert "Set off on L05" in view.prepare.set_off.text()
    press(qtbot, road, Qt.Key.Key_Space)
    assert [name for name, _ in road.session.study.runs()] == ["R3", "R1", "R2", "R4"]
    monkeypatch.setattr(QMessageBox, "question", lambda *a, **k: QMessageBox.StandardButton.Yes)
    view.driving.give_up.click()
    life = rehearsing(controller, monkeypatch, 4)
    first = drive_leg(qtbot, road, life.until, life.set_off)
    back = drive_leg(qtbot, road, life.until, life.set_off)
    assert controller.done_runs() == 1
    truth = controller.truth_percent()
    QApplication.processEvents()
    which.setCurrentIndex(which.count() - 1)
    which.activated.emit(which.currentIndex())
    QApplication.processEvents()
    study = road.session.study
    assert "Set off on L09" in view.prepare.set_off.text() and study.leg("L09").configuration == "B"
    assert [x.leg for x in study.legs][:4] == [first, back, "L09", "L10"]
    assert drive_leg(qtbot, road, life.until, life.set_off) == "L09"
    assert road.session.study.leg("L09").average_shown == pytest.approx(15.5, abs=6)
    assert controller.truth_percent() == truth
    assert controller.next_leg().leg == "L10"


@pytest.mark.parametrize("method, sectors, km", [("out-and-back", ("lanes", "trunk"), 4.0), ("loop", None, 8.0)])
def test_legs_that_end_on_the_open_road_are_rehearsed_to_their_line(qtbot, window, monkeypatch, method, sectors, km):
    window.session.add_study(relaid(plan("AB").with_(method=method), "AB", sectors=sectors))
    assert window.drive_now()
    controller = window.drive.controller
    life = rehearsing(controller, monkeypatch, 4)
    for _ in range(2):
        name = drive_leg(qtbot, window, life.until, life.set_off)
        leg = window.session.study.leg(name)
        # Nobody asked whether it was to be read off so early.
        assert leg.gps_distance_km == pytest.approx(km, abs=0.25)
        assert leg.distance_km == pytest.approx(leg.gps_distance_km, abs=0.2)  # two looks' worth of road at the line
    assert [x.sector for x in window.session.study.legs[:2]] == list(sectors or ("", ""))
    window.drive.release()


@pytest.mark.parametrize("aim, words", [("one", "kWh/100 km, at 15 °C in still air"), ("vehicles", "first vehicle's")])
def test_what_was_sealed_is_told_where_no_change_is_compared(qtbot, window, aim, words):
    fleet = [VAN, VAN.with_(name="Orrin 2")][: AIMS[aim].vehicles]
    study = laid_out(
        aim, title="A day", kind="other", order="AB"[: len(fleet)] * 2, method="out-and-back", names=["As it is"],
        speed_kmh=90.0, vehicles=fleet,
    )  # fmt: skip
    ready = prepared(study.with_(route=straight_route(8000)), 6, date(2026, 5, 2))
    made = rehearse(ready, 6)
    legs = [
        x.with_(average_shown=round(100 * kwh[-1] / km[-1], 1), average_unit="kWh/100km", duration_s=330.0, road="dry")
        for x in ready.legs
        for km, kwh in [cumulated(made.legs[x.leg])]
    ]
    window.session.add_study(ready.with_legs(legs))
    assert window.drive_now()
    until(lambda: window.session.analysis is not None and not window.session._jobs)
    nothing = window.drive.view.nothing
    qtbot.mouseClick(nothing.reveal, Qt.MouseButton.LeftButton)
    said = nothing.truth_words.text()
    assert words in said and ("holds it" in said or "does not hold it" in said)
    if aim == "one":
        assert f"was {made.truth_wh_per_km / 10:.1f} kWh/100 km" in said and said.count("kWh/100 km") == 2
    else:
        assert f"{abs(made.truth_percent):.1f} % of the first vehicle's consumption" in said
    window.drive.release()


def test_a_line_that_was_missed_is_told_and_distance_counts_on(qtbot, road):
    controller, view = road.drive.controller, road.drive.view
    now = [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_Y)
    now[0] = 320.0  # 8 km by the clock: at the line
    controller.changed.emit()
    assert "READ OFF NOW" in texts(view)
    now[0] = 350.0
    controller.changed.emit()
    said = texts(view)
    assert "0.8 km past the line: read off at once" in said and "The read-off is behind, km" in said
    assert "READ OFF NOW" not in said


def test_a_start_line_that_was_missed_is_behind(qtbot, road, monkeypatch):
    controller, view = road.drive.controller, road.drive.view
    press(qtbot, road, Qt.Key.Key_Space)
    monkeypatch.setattr(controller, "to_gate_km", lambda: -1.5)
    controller.changed.emit()
    said = texts(view)
    assert "The start line is 1.5 km behind" in said and "reset the trip meter NOW" not in said


def strike(qtbot, widget, key):
    """A key as the desktop sends it: to what has the focus."""
    assert QApplication.focusWidget() is widget
    qtbot.keyClick(widget, key)


def test_the_road_owns_its_keys_wherever_the_focus_is(qtbot, road):
    """A click on a button beside the page leaves the focus there: Space still goes on, T still notes."""
    controller, view = road.drive.controller, road.drive.view
    assert controller.start_rehearsal(5, RATE)
    button = road.drive.live_buttons[1]
    button.setFocus(Qt.FocusReason.MouseFocusReason)
    strike(qtbot, button, Qt.Key.Key_Space)
    assert controller.rehearsal is not None and controller.drive is not None and controller.drive.phase == "approach"
    button.setFocus(Qt.FocusReason.MouseFocusReason)
    strike(qtbot, button, Qt.Key.Key_Space)
    assert controller.drive.phase == "driving"
    button.setFocus(Qt.FocusReason.TabFocusReason)
    strike(qtbot, button, Qt.Key.Key_T)
    assert [e.kind for e in road.session.study.events if e.leg == "L01"] == ["slow-traffic"]
    strike(qtbot, button, Qt.Key.Key_T)
    qtbot.keyClick(button, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert controller.rehearsal is not None and view.isVisible()


def test_a_control_walked_to_keeps_its_own_key_while_standing(qtbot, road):
    """Tab to Pause and Space pauses; a typed field types its spaces, and Return gives the keys back."""
    controller, view = road.drive.controller, road.drive.view
    assert controller.start_rehearsal(5, RATE)
    view.setFocus()
    for _ in range(60):
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
        if QApplication.focusWidget() is view.prepare.pause_button:
            break
    strike(qtbot, view.prepare.pause_button, Qt.Key.Key_Space)
    assert controller.drive is None and controller.paused_at is not None
    controller.pause()
    field = next(f for f in view.prepare.settings_fields.values() if f.isVisible() and hasattr(f.edit, "setText"))
    field.edit.setFocus(Qt.FocusReason.MouseFocusReason)
    strike(qtbot, field.edit, Qt.Key.Key_Space)
    assert controller.drive is None
    strike(qtbot, field.edit, Qt.Key.Key_Return)
    qtbot.waitUntil(view.hasFocus)
    strike(qtbot, view, Qt.Key.Key_Space)
    assert controller.drive is not None


def cut_short_recording(window, ago_s, *marks):
    """Leave a recording of L01 whose last sample came so many seconds ago; 200 s at 90 km/h, reset at 10 s."""
    window.session.add_study(plan())
    folder = window.session.logbook.path.with_suffix(".recordings") / str(window.session.study_id)
    begun = (datetime.now() - timedelta(seconds=199 + ago_s)).replace(microsecond=0)
    recorder = Recorder(folder / f"{begun:%Y%m%d-%H%M%S}-L01.drive", "L01", begun)
    recorder.mark(10.0, "reset")
    for at, what, more in marks:
        recorder.mark(at, what, **more)
    for i in range(200):
        recorder.put(Sample(float(i), "gps", {"speed_kmh": 90.0}))
        recorder.put(Sample(float(i), "vehicle", {"power_kw": 15.0, "soc_percent": 80.0 - i / 100.0}))
    recorder.close()
    window.session.edit(window.session.study.with_leg("L01", started_at=begun + timedelta(seconds=10)), "reset of L01")
    window.drive_now()
    return begun


def test_a_leg_is_gone_on_with_after_a_kill(qtbot, window):
    """The vehicle drove on: the same leg, its reset, distance, charge at the start and open stretch; the gap is told."""
    begun = cut_short_recording(window, 60, (150.0, "event-begins", {"kind": "rain"}))
    controller, view = window.drive.controller, window.drive.view
    assert "L01 was cut short at" in texts(view)
    assert not view.prepare.set_off.isVisible()
    press(qtbot, window, Qt.Key.Key_Space)
    drive = controller.drive
    assert drive is not None and drive.leg == "L01" and drive.phase == "driving" and view.driving.isVisible()
    assert drive.driven_km == pytest.approx(189 / 3600 * 90, rel=0.01)
    assert drive.soc_at_reset == pytest.approx(79.9) and set(drive.open_marks) == {"rain"}
    assert controller.since_reset_s() == pytest.approx(249, abs=10)
    assert controller.cut_short() == []
    # What comes now counts on, on the same road and in one recording.
    now = controller.clock.seconds()
    controller._queue.put(Sample(now, "gps", {"speed_kmh": 90.0}))
    controller._queue.put(Sample(now, "vehicle", {"power_kw": 15.0, "soc_percent": 77.0}))
    controller.tick()
    assert drive.driven_km == pytest.approx(249 / 3600 * 90, rel=0.05)
    path = controller._recorder.path
    controller.read_off()
    leg = window.session.study.leg("L01")
    assert leg.duration_s == pytest.approx(249, abs=10) and leg.started_at == begun + timedelta(seconds=10)
    assert "nothing was recorded from" in leg.note and leg.gps_distance_km is None
    controller.finish()
    kept = read_recording(path)
    assert len([s for s in kept.samples if s.source == "gps"]) == 200
    assert abs(kept.moment(kept.marked("reset")) - begun - timedelta(seconds=10)) < timedelta(milliseconds=2)
    assert controller.next_leg().leg == "L02"
    window.drive.release()


def test_a_leg_cut_short_is_driven_again(qtbot, window):
    """As if it had not begun: it is the next leg, and nothing is asked twice; the recording stays."""
    cut_short_recording(window, 3600)
    controller, view = window.drive.controller, window.drive.view
    assert not view.prepare.go_on_cut.isVisible()  # an hour later nobody is on that leg any more
    path = controller.cut_short()[0]
    qtbot.mouseClick(view.prepare.drop_cut, Qt.MouseButton.LeftButton)
    assert path.exists() and controller.cut_short() == [] and "cut short" not in texts(view)
    leg = window.session.study.leg("L01")
    assert leg.started_at is None and leg.duration_s is None and controller.next_leg().leg == "L01"
    window.drive.release()


def test_a_leg_read_off_before_the_kill_asks_for_its_readings(qtbot, window):
    """It was over: not gone on with; read off where it was, at 100 s and not at the last sample."""
    cut_short_recording(window, 60, (110.0, "read-off", {}))
    controller, view = window.drive.controller, window.drive.view
    assert not view.prepare.go_on_cut.isVisible()
    qtbot.mouseClick(view.prepare.take_cut, Qt.MouseButton.LeftButton)
    assert controller.drive.phase == "reading" and window.session.study.leg("L01").duration_s == 100
    controller.finish()
    assert controller.next_leg().leg == "L02"
    window.drive.release()


@pytest.mark.parametrize(("stands_s", "kinds", "lasted"), [(0, [], None), (30, ["stop"], 30)])
def test_a_stop_is_as_long_as_the_vehicle_stood(qtbot, road, stands_s, kinds, lasted):
    """S pressed at 88 km/h and again a minute later is no stop of a minute at 0 km/h."""
    controller, now = road.drive.controller, [0.0]
    controller.clock = Clock(datetime(2026, 5, 2, 9, 0), 1.0, lambda: now[0])
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_Y)
    for second in range(121):
        now[0] = float(second)
        stands = 80 <= second < 80 + stands_s
        controller._queue.put(Sample(now[0], "gps", {"speed_kmh": 0.5 if stands else 88.0}))
        if second in {60, 120}:
            press(qtbot, road, Qt.Key.Key_S)
    assert [e.kind for e in road.session.study.events] == kinds
    assert [e.duration_s for e in road.session.study.events] == ([] if lasted is None else [lasted])
    said = in_units(controller.says[-1], UNIT_CHOICES["metric"])
    assert ("Not a stop: 88 km/h on average" if not kinds else "Stopped for 30 s") in said


def test_a_virtual_car_set_down_at_the_start_raises_no_alarm(qtbot, road):
    """Between two rehearsed legs it is put elsewhere; no instrument is told to say what cannot be."""
    controller = road.drive.controller
    assert controller.start_rehearsal(23, RATE)
    for _ in range(2):
        drive_leg(qtbot, road)
        assert not [words for words in controller.says if "cannot be" in words or "which is right" in words]


def test_a_leg_set_off_on_by_a_machine_that_sleeps_raises_no_alarm(qtbot, road, monkeypatch):
    """Ten seconds of the drive pass before anything is heard: where the car stood before is nobody's fault."""
    controller = road.drive.controller
    life = rehearsing(controller, monkeypatch, 23)
    drive_leg(qtbot, road, life.until, life.set_off)
    controller.begin(controller.next_leg().leg)
    controller.reset()  # at once
    life.until(lambda: controller.driven_km() > 1.0)
    assert not [words for words in controller.says if "cannot be" in words]


def test_what_was_said_of_one_leg_is_gone_on_the_next(qtbot, road):
    controller, view = road.drive.controller, road.drive.view
    controller._say("GPS: nothing heard for 12 s.")
    assert "nothing heard" in texts(view)
    press(qtbot, road, Qt.Key.Key_Space)
    assert controller.drive is not None and "nothing heard" not in texts(view)


@pytest.mark.parametrize("rehearsed", [False, True])
@pytest.mark.parametrize("size", [(1280, 800), (1100, 700), (1024, 640)])
def test_nothing_beneath_a_finger_moves_when_a_message_comes(qtbot, road, monkeypatch, size, rehearsed):
    controller, view = road.drive.controller, road.drive.view
    road.resize(*size)
    if rehearsed:
        life = Life()
        life.controller = controller
        monkeypatch.setattr("fairmargin.desktop.stages.driving.rehearsal_set.Patience", lambda: life)
        assert controller.start_rehearsal(2, RATE, mishaps=True)
        life.until_live()
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_Space)
    press(qtbot, road, Qt.Key.Key_Y)
    assert view.dash.isVisible() == rehearsed

    def places():
        QApplication.processEvents()
        buttons = [view.driving.main_action, *view.driving.event_buttons.values(), view.caution]
        return [b.mapTo(road, b.rect().topLeft()) for b in buttons], [b.size() for b in buttons]

    before = places()
    controller._say("GPS: nothing heard for 12 s.")
    controller._say(
        "The trip meter shows 9.9 km after 2.1 km driven: the reset did not take. Press it again; this leg then begins there."
    )
    assert "did not take" in texts(view) and places() == before
    # What stands in a tile keeps to itself, and the caution is whole.
    for tile in (view.driving.speed_tile, view.driving.gate_tile, view.driving.time_tile):
        assert tile.caption.geometry().bottom() < tile.number.geometry().top() + 4
        assert tile.number.geometry().bottom() < tile.foot.geometry().top() + 4
        assert tile.foot.geometry().bottom() <= tile.rect().bottom()
    assert view.caution.height() >= view.caution.heightForWidth(view.caution.width())
    for button in view.driving.event_buttons.values():
        assert button.height() >= button.fontMetrics().height() + 6, "the words of a key are whole"
    assert view.driving.give_up.geometry().bottom() <= view.driving.rect().bottom()
