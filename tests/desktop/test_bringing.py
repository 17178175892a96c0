"""Files brought in through the window: shown first, taken when agreed, undone as one step."""

import struct
import threading
from datetime import datetime, timedelta

import numpy as np
import openpyxl
import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication, QInputDialog, QLabel, QProgressDialog, QPushButton
from tests.conftest import VAN, driven_study, straight_route
from tests.exchange.logs.test_formats import BOX, MAGIC

from fairmargin.core.study import new_study
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.bringing.base import day_of
from fairmargin.desktop.bringing.log import LogDialog
from fairmargin.desktop.bringing.receipts import ReceiptsDialog
from fairmargin.desktop.bringing.weather_reports import WeatherDialog
from fairmargin.desktop.dialogs.pasting import PasteDialog
from fairmargin.desktop.state.background import waited
from fairmargin.exchange.logs.formats import with_format
from fairmargin.exchange.logs.loggers import load_profiles, profiles_path
from fairmargin.simulation.coasting import CoastPlan, simulate_coasts
from fairmargin.simulation.vehicle import TrueEffect, TrueVehicle

DAY = datetime(2026, 5, 2, 9, 0)


@pytest.fixture
def ready(window):
    study = new_study(title="Discs", kind="aero covers", order="AB").with_(route=straight_route(10_000))
    window.session.add_study(study)
    return window


@pytest.fixture
def logfile(tmp_path):
    """Two drives of 400 s with a stand of two minutes, in mph and W, semicolons and decimal commas."""
    path = tmp_path / "drive.csv"
    rows = ["Time;Speed (mph);Power (W);Lat;Lon;Fan"]
    place = 0.0
    for i in range(920):
        away = i < 400 or i >= 520
        speed = 25.0 if away else 0.0
        place += speed * (1 if i < 400 else -1)
        moment = DAY + timedelta(seconds=i)
        cells = (f"{moment:%Y-%m-%d %H:%M:%S}", f"{speed / 0.44704:.3f}", f"{15000 if away else 300}", f"{52.0 + place / 111_250:.6f}", "0.1", "on")  # fmt: skip
        rows.append(";".join(cells).replace(".", ","))
    path.write_text("\n".join(rows))
    return path


def answer(monkeypatch, cls, act):
    def execute(dialog):
        act(dialog)
        return dialog.result()

    monkeypatch.setattr(cls, "exec", execute)


def press(qtbot, button):
    QApplication.processEvents()
    assert button.isEnabled()
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def test_a_loggers_file_becomes_legs(qtbot, ready, logfile, monkeypatch):
    def act(dialog):
        roles = [role.currentData() for role, _ in dialog._combos]
        units = [unit.currentData() for _, unit in dialog._combos]
        assert roles == ["time", "speed", "power", "latitude", "longitude", ""]
        assert units[1:3] == ["mph", "W"]
        assert "semicolon" in dialog.separators.text() and "comma" in dialog.separators.text()
        assert "not used: Fan" in dialog.notices.text()
        assert not dialog.take_button.isEnabled()  # nothing is taken before it was read
        dialog.profile_name.setText("My logger")
        with qtbot.waitSignal(dialog.ready, timeout=10_000):
            press(qtbot, dialog.read_button)
        assert "920 of 920 rows taken" in dialog.words.text()
        assert dialog.how.currentData() == "gates" and dialog.list.rowCount() == 2
        assert [dialog.list.item(i, 3).text() for i in range(2)] == ["out", "back"]
        assert [dialog._leg_box(i).currentData() for i in range(2)] == ["L01", "L02"]
        press(qtbot, dialog.take_button)

    answer(monkeypatch, LogDialog, act)
    before = ready.session.study
    assert ready.intake.bring_from(logfile)
    assert set(ready.session.traces) == {"L01", "L02"}
    leg = ready.session.study.leg("L01")
    assert leg.started_at.hour == 9 and leg.duration_s == pytest.approx(396, abs=8)
    assert ready.session.traces["L01"].power_kw.max() == 15.0
    assert np.median(ready.session.traces["L02"].speed_kmh) == pytest.approx(90.0, abs=0.1)
    assert "My logger" in load_profiles(profiles_path())
    ready.session.undo.undo()
    assert ready.session.study == before and not ready.session.traces
    ready.session.undo.redo()
    assert set(ready.session.traces) == {"L01", "L02"}
    study, traces = ready.session.logbook.load(ready.session.study_id)
    assert set(traces) == {"L01", "L02"} and study == ready.session.study


def test_cuts_are_moved_and_legs_chosen_by_hand(qtbot, ready, logfile, monkeypatch):
    def act(dialog):
        with qtbot.waitSignal(dialog.ready, timeout=10_000):
            press(qtbot, dialog.read_button)
        dialog.how.setCurrentIndex(dialog.how.findData("whole"))
        dialog.recut()
        assert dialog.list.rowCount() == 1
        dialog._regions[0].setRegion((1.0, 3.0))  # dragged on the curve, in minutes
        assert dialog.pieces[0].start_s == pytest.approx(60) and dialog.pieces[0].end_s == pytest.approx(180)
        assert dialog._plot.accessibleName().endswith("its pieces: 1 from 1:00 to 3:00")
        press(qtbot, dialog.add_piece)
        assert dialog.list.rowCount() == 2
        for i in range(2):
            box = dialog._leg_box(i)
            box.setCurrentIndex(box.findData("L03"))
            box.activated.emit(box.currentIndex())
        assert "chosen for two pieces" in dialog.fault.text() and not dialog.take_button.isEnabled()
        box = dialog._leg_box(1)
        box.setCurrentIndex(0)
        box.activated.emit(0)
        assert "1 of 2 pieces have no leg" in dialog.fault.text()
        press(qtbot, dialog.take_button)

    answer(monkeypatch, LogDialog, act)
    assert ready.intake.bring_from(logfile)
    assert set(ready.session.traces) == {"L03"}
    assert ready.session.traces["L03"].time_s[-1] == pytest.approx(120.0)


def test_wrong_columns_are_said_and_reading_can_be_stopped(qtbot, ready, logfile, monkeypatch):
    def act(dialog):
        role, _ = dialog._combos[2]
        role.setCurrentIndex(role.findData("speed"))
        role.activated.emit(0)
        press(qtbot, dialog.read_button)
        assert "Two columns are taken for speed" in dialog.fault.text()
        role.setCurrentIndex(0)
        role.activated.emit(0)
        press(qtbot, dialog.read_button)
        press(qtbot, dialog.stop_button)
        assert "Stopped; nothing was taken" in dialog.words.text()
        qtbot.wait(200)  # what comes late is dropped
        assert dialog.log is None
        dialog.reject()

    answer(monkeypatch, LogDialog, act)
    assert not ready.intake.bring_from(logfile) and not ready.session.traces


def test_a_saved_profile_is_used_and_refused_where_it_does_not_fit(qtbot, ready, logfile, monkeypatch, tmp_path):
    other = tmp_path / "other.csv"
    other.write_text("t,v\n" + "\n".join(f"{i},90" for i in range(100)))

    def save(dialog):
        dialog.profile_name.setText("mph logger")
        role, _ = dialog._combos[2]
        role.setCurrentIndex(0)  # no power wanted
        with qtbot.waitSignal(dialog.ready, timeout=10_000):
            press(qtbot, dialog.read_button)
        dialog.reject()

    def use(dialog):
        dialog.profile.setCurrentIndex(dialog.profile.findData("mph logger"))
        dialog.profile.activated.emit(0)
        assert dialog._combos[2][0].currentData() == "" and dialog.fault.text() == ""
        dialog.reject()

    def refuse(dialog):
        dialog.profile.setCurrentIndex(dialog.profile.findData("mph logger"))
        dialog.profile.activated.emit(0)
        assert "has no column Time, Speed (mph)" in dialog.fault.text()
        dialog.reject()

    for path, act in ((logfile, save), (logfile, use), (other, refuse)):
        answer(monkeypatch, LogDialog, act)
        ready.intake.bring_from(path)


def test_weather_from_metar_texts(qtbot, opened, tmp_path, monkeypatch):
    path = tmp_path / "metar.txt"
    path.write_text("METAR ZZZZ 021050Z 24008KT 9999 15/09 Q1016\nMETAR ZZZZ 021120Z 25009KT 9999 16/09 Q1016\nfog\n")

    def act(dialog):
        assert dialog.list.rowCount() == 2 and dialog.list.item(0, 3).text() == "4.1"
        assert "2 new reports" in dialog.words.text() and "1 lines are no METAR" in dialog.words.text()
        dialog.text.setPlainText("nothing")
        assert not dialog.take_button.isEnabled() and "neither METAR" in dialog.fault.text()
        dialog.text.setPlainText(path.read_text())
        press(qtbot, dialog.take_button)

    answer(monkeypatch, WeatherDialog, act)
    assert opened.intake.bring_from(path)
    assert len(opened.session.study.weather) == 2
    assert opened.session.study.leg("L01").temperature_c == 15  # what was typed on a leg stays


def test_receipts_from_a_table_and_typed(qtbot, opened, tmp_path, monkeypatch):
    path = tmp_path / "charges.csv"
    path.write_text("Start,kWh,Place\n2026-05-02 11:02,2.5,Dyke Road\n")

    def act(dialog):
        assert dialog.list.item(0, 2).text() == "L02"
        dialog.text.appendPlainText("")
        press(qtbot, dialog.take_button)

    answer(monkeypatch, ReceiptsDialog, act)
    assert opened.intake.bring_from(path)
    assert opened.session.study.leg("L02").charger_kwh == 2.5


def test_a_spreadsheet_of_readings(qtbot, ready, tmp_path, monkeypatch):
    book = openpyxl.Workbook()
    book.active.title = "Notes"
    book.active.append(["nothing here"])
    sheet = book.create_sheet("Legs")
    sheet.append(["leg", "reading", "distance"])
    sheet.append(["L01", 15.4, 18.4])
    sheet.append(["L02", 15.9, 18.4])
    path = tmp_path / "b.xlsx"
    book.save(path)
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: ("Legs", True))
    answer(monkeypatch, PasteDialog, lambda dialog: press(qtbot, dialog.take))
    assert ready.intake.bring_from(path)
    assert ready.session.study.leg("L02").average_shown == 15.9


def test_a_spreadsheet_log(qtbot, ready, tmp_path, monkeypatch):
    book = openpyxl.Workbook()
    book.active.append(["time", "speed", "power"])
    for i in range(200):
        book.active.append([i, 90.0, 15.0])
    book.save(tmp_path / "l.xlsx")

    def act(dialog):
        with qtbot.waitSignal(dialog.ready, timeout=10_000):
            press(qtbot, dialog.read_button)
        press(qtbot, dialog.take_button)

    answer(monkeypatch, LogDialog, act)
    assert ready.intake.bring_from(tmp_path / "l.xlsx")
    assert ready.session.traces["L01"].time_s[-1] == 199.0


def test_what_cannot_be_brought_in_is_told(ready, tmp_path):
    path = tmp_path / "x.bin"
    path.write_bytes(b"\x00\x01\x02")
    assert not ready.intake.bring_from(path)
    assert "not text and no known kind" in ready.notice_text.text()
    ready.session.close_study()
    log = tmp_path / "l.csv"
    log.write_text("time,speed\n0,1\n1,1\n")
    assert not ready.intake.bring_from(log)
    assert "Open the study first" in ready.notice_text.text()


def test_a_second_log_is_not_offered_a_leg_that_has_one(qtbot, ready, logfile, monkeypatch):
    def act(dialog):
        with qtbot.waitSignal(dialog.ready, timeout=10_000):
            press(qtbot, dialog.read_button)
        dialog.legs = [dialog._leg_box(i).currentData() for i in range(dialog.list.rowCount())]
        seen.append((dialog.legs, dialog._leg_box(0).itemText(1)))
        press(qtbot, dialog.take_button)

    seen = []
    answer(monkeypatch, LogDialog, act)
    ready.intake.bring_from(logfile)
    ready.intake.bring_from(logfile)
    assert seen[0][0] == ["L01", "L02"] and seen[1][0] == ["L03", "L04"]
    assert "has a log, would be replaced" in seen[1][1]
    assert set(ready.session.traces) == {"L01", "L02", "L03", "L04"}


def test_the_studys_day_is_its_last_leg():
    assert day_of(driven_study("AB")).date() == datetime(2026, 5, 2).date()


def test_a_stations_table_of_months_is_read_in_the_background_and_only_the_day_is_taken(
    qtbot, opened, tmp_path, monkeypatch
):
    path = tmp_path / "station.csv"
    start = datetime(2026, 4, 1)
    rows = [f"{start + timedelta(minutes=5 * i):%Y-%m-%d %H:%M},12.5,3.0,200,1012" for i in range(12_000)]
    path.write_text("time,temp,wind_ms,wind_dir,pressure\n" + "\n".join(rows))

    def act(dialog):
        assert not dialog.text.isVisibleTo(dialog)
        assert "more than three hours from every leg and left" in dialog.words.text()
        press(qtbot, dialog.take_button)

    answer(monkeypatch, WeatherDialog, act)
    assert opened.intake.bring_from(path)
    times = [r.time for r in opened.session.study.weather]
    assert len(times) < 150 and all(t.date() == datetime(2026, 5, 2).date() for t in times)


def test_waiting_can_be_stopped_and_faults_come_through(qtbot, window, monkeypatch):
    gate = threading.Event()
    QTimer.singleShot(700, lambda: window.findChild(QProgressDialog).findChild(QPushButton).click())
    assert waited(window, "Waiting\u2026", lambda: gate.wait(10)) is None
    gate.set()
    assert waited(window, "Waiting\u2026", lambda: 42) == 42
    with pytest.raises(ValueError, match="broken"):
        waited(window, "Waiting\u2026", lambda: (_ for _ in ()).throw(ValueError("broken")))


@pytest.mark.parametrize(("order", "moment"), [(1, datetime(2027, 5, 2, 12, 40)), (2, datetime(2027, 2, 5, 12, 40))])
def test_a_date_that_may_be_two_is_asked_with_both_readings(qtbot, opened, order, moment):
    dialog = ReceiptsDialog(opened.session, "start,kWh\n02/05/2027 12:40,7.1")
    dialog.show()
    assert not dialog.take_button.isEnabled()
    box = dialog.dates.box
    assert [box.itemText(i) for i in range(3)] == ["which day?", "2 May 2027", "5 February 2027"]
    assert box.isVisible()
    box.setCurrentIndex(order)
    box.activated.emit(order)
    assert [one.receipt.moment for one in dialog.assigned] == [moment]
    assert dialog.fault.text() == ""
    dialog.deleteLater()


def test_a_date_near_the_studys_own_needs_no_question(qtbot, opened):
    dialog = ReceiptsDialog(opened.session, "start,kWh\n02/05/2026 12:40,7.1")  # driven on 2 May 2026
    assert [one.receipt.moment.month for one in dialog.assigned] == [5]
    assert "dates are read with the day first" in dialog.words.text()
    dialog.deleteLater()


def test_pasted_dates_that_may_be_two_are_asked_about(qtbot, opened):
    dialog = PasteDialog(
        "leg\tdate\tdistance\nL01\t02/05/2027\t18.9", opened.session.study, UNIT_CHOICES["metric"], None
    )
    dialog.show()
    assert dialog.dates.box.isVisible()
    dialog.dates.box.setCurrentIndex(1)
    dialog.dates.box.activated.emit(1)
    leg = dialog.result_study.leg("L01")
    assert (leg.started_at, leg.dated_only, leg.distance_km) == (datetime(2027, 5, 2), True, 18.9)
    dialog.deleteLater()


def test_a_binary_log_comes_in_as_a_track_does(qtbot, ready, tmp_path):
    path = tmp_path / "drive.box"
    path.write_bytes(MAGIC + b"".join(struct.pack("<3f", i, 25.0 if 5 < i < 400 else 0.0, 15.0) for i in range(420)))
    with with_format(BOX):
        dialog = LogDialog(ready.session, path, "track", ready)
        qtbot.addWidget(dialog)
        qtbot.waitUntil(lambda: dialog.log is not None, timeout=10_000)
        assert "420 of 420 rows taken, 7 min" in dialog.words.text()
        assert dialog.hours.value() == 0.0  # its clock is local


def test_a_log_of_coasting_runs_is_recognised_and_gives_a_verdict(qtbot, window, tmp_path, monkeypatch):
    """One session of a logger, accelerations and turns between eight runs: cut, laid into legs, compared; no reading is typed."""
    van = TrueVehicle()
    made = simulate_coasts(4, CoastPlan(order="ABBA", effect=TrueEffect(drag=0.85)), van, VAN)
    rows, at = ["Time [s];Speed [km/h]"], 0.0
    for trace in made.traces.values():
        for s in range(30):
            rows.append(f"{at + s:.1f};{35 + 70 * s / 30:.1f}".replace(".", ","))
        at += 30.0
        rows += [f"{at + t:.1f};{v:.2f}".replace(".", ",") for t, v in zip(trace.time_s, trace.speed_kmh, strict=True)]
        at += float(trace.time_s[-1]) + 1.0
    path = tmp_path / "session.csv"
    path.write_text("\n".join(rows))
    study = new_study(title="By coasting", kind="aero covers", order="ABBA", speed_kmh=90, vehicle=VAN)
    window.session.add_study(study)

    def act(dialog):
        with qtbot.waitSignal(dialog.ready, timeout=10_000):
            press(qtbot, dialog.read_button)
        assert dialog.how.currentText() == "into coasting runs" and "8 coasting runs are in it" in dialog.words.text()
        assert [p.backwards for p in dialog.pieces] == [False, True] * 4
        press(qtbot, dialog.take_button)

    answer(monkeypatch, LogDialog, act)
    assert window.intake.bring_from(path)
    assert len(window.session.traces) == 8
    qtbot.waitUntil(lambda: bool(window.session.analysis.comparisons), timeout=10_000)
    (c,) = window.session.analysis.comparisons
    assert (
        c.coasted
        and c.verdict == "uses less"
        and c.interval_percent[0] < made.truth["effect_percent"] < c.interval_percent[1]
    )
    window.go_to("verdict")
    page = window.stage("verdict")
    shown = " ".join(x.text() for x in page.findChildren(QLabel) if x.isVisibleTo(page))
    assert "By coasting runs on this road" in shown and "drag area" in shown
    assert not page.other_priors.isVisibleTo(page)
    window.go_to("use")
    assert "By coasting runs: nobody drove it" in window.stage("use").range.driven.title.text()


def test_a_power_that_nothing_tells_the_sign_of_is_asked(qtbot, ready, tmp_path, monkeypatch):
    path = tmp_path / "held.csv"
    path.write_text("\n".join(["time [s],speed [km/h],power [kW]", *(f"{i},90,-15" for i in range(700))]))

    def act(dialog):
        assert dialog.power.isVisibleTo(dialog) and dialog.power.currentData() == ""
        with qtbot.waitSignal(dialog.ready, timeout=10_000):
            press(qtbot, dialog.read_button)
        assert "nothing tells whether that is drawn or given back" in dialog.words.text()
        dialog.power.setCurrentIndex(dialog.power.findData("given"))
        with qtbot.waitSignal(dialog.ready, timeout=10_000):
            press(qtbot, dialog.read_button)
        assert dialog.log.trace.power_kw.mean() == 15.0 and "as chosen" in dialog.words.text()
        role, _ = dialog._combos[2]
        role.setCurrentIndex(0)
        role.activated.emit(0)
        assert not dialog.power.isVisibleTo(dialog)  # no power, nothing to ask

    answer(monkeypatch, LogDialog, act)
    ready.intake.bring_from(path)


def test_pieces_say_their_day_and_clock_and_a_leg_of_another_day_is_told(qtbot, ready, logfile, monkeypatch):
    study = ready.session.study.with_leg("L01", started_at=datetime(2026, 7, 4, 10, 0))
    ready.session.edit(study, "a start")

    def act(dialog):
        with qtbot.waitSignal(dialog.ready, timeout=10_000):
            press(qtbot, dialog.read_button)
        assert [dialog.list.item(i, 5).text()[:13] for i in range(2)] == ["2026-05-02 09", "2026-05-02 09"]
        # Neither the leg nor its day is cut off.
        dialog.show()
        QApplication.processEvents()
        box, header = dialog._leg_box(0), dialog.list.horizontalHeader()
        assert box.width() >= box.fontMetrics().horizontalAdvance(box.currentText()) + 30
        assert header.sectionSize(5) >= dialog.list.sizeHintForColumn(5)
        dialog._leg_box(0).setCurrentIndex(dialog._leg_box(0).findData("L01"))
        dialog._lay()
        assert "L01 was noted on 04 July 2026, its piece is of 02 May 2026." in dialog.fault.text()
        dialog.hours.setValue(2.0)
        assert dialog.list.item(0, 5).text().startswith("2026-05-02 11")
        dialog._leg_box(0).setCurrentIndex(dialog._leg_box(0).findData("L02"))
        dialog._lay()
        assert "was noted on" not in dialog.fault.text()

    answer(monkeypatch, LogDialog, act)
    ready.intake.bring_from(logfile)
