"""A tester's day in the real window: type, click, read what is shown."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QDialogButtonBox, QInputDialog, QLabel
from tests.conftest import VAN, driven_study, straight_route
from tests.desktop.conftest import type_into

from fairmargin.core.study.entry import read_reading
from fairmargin.desktop.dialogs.forms import FindDialog, UnitsDialog
from fairmargin.desktop.dialogs.new_study import NewStudyDialog
from fairmargin.desktop.dialogs.pasting import PasteDialog
from fairmargin.desktop.widgets.marginbar import verdict_head
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package
from fairmargin.logbook import Logbook


def texts(widget):
    QApplication.processEvents()
    return " | ".join(x.text() for x in widget.findChildren(QLabel) if x.isVisibleTo(widget))


def answer(monkeypatch, cls, act):
    """Let a modal dialog be answered by `act` instead of a person."""

    def execute(dialog):
        act(dialog)
        return dialog.result()

    monkeypatch.setattr(cls, "exec", execute)


def test_from_nothing_to_a_verdict(qtbot, window, monkeypatch):
    """New study, sixteen readings typed leg by leg, the margin narrows, the verdict is said."""
    assert "Start your first study" in [b.text() for b in window.home.findChildren(type(window.home.new))]

    def fill(dialog):
        qtbot.keyClicks(dialog.title, "Wheel discs")
        dialog.kind.setCurrentText("aero covers")
        qtbot.keyClicks(dialog.baseline, "Discs off")
        qtbot.keyClicks(dialog.trial, "Discs on")
        dialog.order.setCurrentIndex(dialog.order.findData("ABBAABBA"))
        qtbot.mouseClick(dialog.make, Qt.MouseButton.LeftButton)

    answer(monkeypatch, NewStudyDialog, fill)
    qtbot.mouseClick(window.home.new, Qt.MouseButton.LeftButton)
    study = window.session.study
    assert study.title == "Wheel discs" and len(study.legs) == 16
    assert window.pages.currentWidget() is window.stage("question")
    window.session.edit(study.with_(route=straight_route(), vehicle=VAN), "route")

    window.go_to("drive")
    widths = []
    for i, leg in enumerate(window.session.study.legs):
        card = window.drive.cards[leg.leg]
        value = (15.7, 15.9)[i % 2] * (0.95 if leg.configuration == "B" else 1.0)
        for key, text in (
            ("reading", f"{value:.1f}"),
            ("distance_km", "18.4"),
            ("duration_s", "12:16"),
            ("started_at", f"{9 + (20 * i) // 60}:{(20 * i) % 60:02d}"),
            ("temperature_c", "14"),
            ("wind_speed_ms", "1"),
            ("wind_from_deg", "NE"),
            ("pressure_hpa", "1012"),
        ):
            type_into(qtbot, card.fields[key], text)
            assert card.fields[key].fault.isHidden(), (leg.leg, key, card.fields[key].fault.text())
        if window.bar.comparison is not None:
            widths.append(window.bar.comparison.half_width_percent)
    assert "16 of 16 legs driven" in window.drive.subtitle.text()
    assert widths[-1] < 0.5 * widths[0]
    c = window.bar.comparison
    assert c.verdict == "uses less" and c.interval_percent[0] < -5 < c.interval_percent[1]
    assert verdict_head(window.session.study, c).startswith("Discs on: ")
    assert window.bar.accessibleName().startswith("Discs on: ")
    window.go_to("verdict")
    assert "used" in window.stage("verdict").say.text() and "90 km/h" in window.stage("verdict").say.text()
    # everything is on the disk already
    with Logbook.open(window.session.logbook.path) as second:
        assert second.load(window.session.study_id)[0] == window.session.study


@pytest.mark.parametrize(
    "key, text, words",
    [
        ("reading", "abc", '"abc" is not a number'),
        ("reading", "1500", "Is the unit right"),
        ("distance_km", "-3", "expected 0.05 to 1000000 km"),
        ("temperature_c", "99", "99 is not possible"),
        ("wind_from_deg", "400", "expected 0 to 360"),
        ("duration_s", "12:99", "expected min:s"),
        ("started_at", "noonish", "expected 9:35"),
        ("pressure_hpa", "29", "at the place, not a gauge"),
    ],
)
def test_impossible_values_are_refused_at_the_field(qtbot, opened, key, text, words):
    opened.go_to("drive")
    before = opened.session.study
    field = opened.drive.cards["L01"].fields[key]
    type_into(qtbot, field, text)
    assert words in field.fault.text() and field.fault.isVisibleTo(opened)
    assert field.edit.text() == text  # what was typed is kept
    assert opened.session.study == before
    opened.session.edit(before.with_leg("L02", note="other"), "note")
    assert field.edit.text() == text  # an edit elsewhere does not wipe it
    type_into(qtbot, field, "")
    assert field.fault.isHidden()


@pytest.mark.parametrize(
    "text, expected",
    [
        ("15,4", {"average_shown": 15.4, "average_unit": "kWh/100km"}),
        ("3.4 mi/kWh", {"average_shown": 3.4, "average_unit": "mi/kWh"}),
        ("2.86 kWh", {"energy_kwh": 2.86, "energy_step_kwh": 0.01}),
        ("82-71 %", {"soc_start_percent": 82, "soc_end_percent": 71, "soc_step_percent": 1}),
        ("4.1 kWh charged", {"charger_kwh": 4.1}),
        ("1.9 L", {"fuel_l": 1.9}),
        ("", {"average_shown": None, "energy_kwh": None}),
    ],
)
def test_readings_are_taken_as_typed(text, expected):
    result = read_reading(text, "kWh/100km")
    assert {k: result[k] for k in expected} == pytest.approx(expected)


def test_a_charge_that_rises_is_refused():
    with pytest.raises(ValueError, match="is no discharge"):
        read_reading("71-82 %", "kWh/100km")


def test_other_units_can_be_typed_and_shown(qtbot, opened, monkeypatch):
    opened.go_to("drive")
    field = opened.drive.cards["L01"].fields["reading"]
    type_into(qtbot, field, "212 Wh/mi")
    assert opened.session.study.leg("L01").average_unit == "Wh/mi"
    assert field.edit.text() == "212 Wh/mi"

    def choose_us(dialog):
        dialog.preset.setCurrentIndex(dialog.preset.findData("us"))
        dialog.preset.activated.emit(dialog.preset.currentIndex())
        dialog.accept()

    answer(monkeypatch, UnitsDialog, choose_us)
    opened.choose_units()
    assert opened.drive.cards["L01"].fields["temperature_c"].edit.text() == "59"
    assert "mph" in opened.drive.cards["L01"].fields["wind_speed_ms"].caption.text()
    assert field.edit.text() == "212"  # now the person's own unit


def test_undo_and_redo_of_everything(qtbot, opened, monkeypatch):
    opened.go_to("drive")
    start = opened.session.study
    type_into(qtbot, opened.drive.cards["L01"].fields["reading"], "20")
    opened.drive.toggle_left_out("L04", "queue")
    opened.drive.add_run("B")
    after = opened.session.study
    assert len(after.legs) == 10 and not after.leg("L04").included
    for _ in range(3):
        opened.session.undo.undo()
    assert opened.session.study == start
    with Logbook.open(opened.session.logbook.path) as second:
        assert second.load(opened.session.study_id)[0] == start  # undo is saved too
    for _ in range(3):
        opened.session.undo.redo()
    assert opened.session.study == after
    opened.session.remove_study(opened.session.study_id, "x")
    assert opened.session.study is None and not opened.session.logbook.studies()
    opened.session.undo.undo()
    assert len(opened.session.logbook.studies()) == 1


def test_a_leg_is_left_out_only_with_a_reason(qtbot, opened, monkeypatch):
    opened.go_to("examine")
    examine = opened.stage("examine")
    examine.table.selectRow(2)
    assert examine.leave.text().startswith("Leave L03 out")
    replies = iter([("  ", True), ("stuck behind a tractor", True)])
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: next(replies))
    qtbot.mouseClick(examine.leave, Qt.MouseButton.LeftButton)
    assert opened.session.study.leg("L03").included
    assert "only with a reason" in opened.notice_text.text()
    qtbot.mouseClick(examine.leave, Qt.MouseButton.LeftButton)
    leg = opened.session.study.leg("L03")
    assert not leg.included and leg.reason == "stuck behind a tractor" and leg.left_out_after_result
    assert "left out: stuck behind a tractor" in examine.table.item(2, 3).text()
    assert "left out after the result was seen" in texts(opened.ledger)
    qtbot.mouseClick(examine.leave, Qt.MouseButton.LeftButton)
    assert opened.session.study.leg("L03").included


def test_paste_from_a_spreadsheet(qtbot, opened, monkeypatch):
    opened.go_to("drive")
    QApplication.clipboard().setText("Leg\tAverage\tTemp\nL02\t16,4\t12\nL03\tnonsense\t13\nL09\t1\t1\n")
    seen = {}

    def look(dialog):
        seen["words"] = dialog.words.text()
        dialog.buttons.button(QDialogButtonBox.StandardButton.Cancel)
        dialog.accept()

    answer(monkeypatch, PasteDialog, look)
    qtbot.mouseClick(opened.drive.paste_button, Qt.MouseButton.LeftButton)
    assert "2 legs would change" in seen["words"] and "2 cells cannot be used" in seen["words"]
    study = opened.session.study
    assert study.leg("L02").average_shown == pytest.approx(16.4) and study.leg("L03").temperature_c == 13
    assert study.leg("L03").average_shown == pytest.approx(161.5)  # what could not be read changed nothing
    opened.session.undo.undo()
    assert opened.session.study.leg("L02").temperature_c == 15


def test_paste_into_a_field_fills_downwards(qtbot, opened, monkeypatch):
    opened.go_to("drive")
    field = opened.drive.cards["L05"].fields["temperature_c"]
    field.edit.setFocus()
    QApplication.clipboard().setText("7\t3\t220\n8\t4\t230\n")
    answer(monkeypatch, PasteDialog, lambda dialog: dialog.accept())
    qtbot.keyClick(field.edit, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    leg = opened.session.study.leg("L06")
    assert (leg.temperature_c, leg.wind_speed_ms, leg.wind_from_deg) == (8, 4, 230)


def test_enter_goes_to_the_same_field_of_the_next_leg(qtbot, opened):
    opened.go_to("drive")
    field = opened.drive.cards["L01"].fields["temperature_c"]
    field.edit.setFocus()
    field.edit.selectAll()
    qtbot.keyClicks(field.edit, "11")
    qtbot.keyClick(field.edit, Qt.Key.Key_Return)
    assert opened.session.study.leg("L01").temperature_c == 11
    assert opened.focusWidget() is opened.drive.cards["L02"].fields["temperature_c"].edit
    qtbot.keyClick(opened.focusWidget(), Qt.Key.Key_Up)
    assert opened.focusWidget() is field.edit


def test_everything_is_reached_by_keyboard(qtbot, opened):
    for i, name in enumerate(("question", "plan", "drive", "examine", "correct", "verdict", "use"), start=1):
        qtbot.keyClick(opened, getattr(Qt.Key, f"Key_{i}"), Qt.KeyboardModifier.ControlModifier)
        assert opened.pages.currentWidget() is opened.stage(name)
    qtbot.keyClick(opened, Qt.Key.Key_0, Qt.KeyboardModifier.ControlModifier)
    assert opened.pages.currentWidget() is opened.home
    opened.home.list.setFocus()
    qtbot.keyClick(opened.home.list, Qt.Key.Key_Return)
    QApplication.processEvents()
    assert opened.pages.currentWidget() is opened.stage("verdict")
    opened.road.setFocus()
    qtbot.keyClick(opened.road, Qt.Key.Key_Up)
    assert opened.pages.currentWidget() is opened.stage("correct")
    centre = opened.road.stop_centre(2).toPoint()
    qtbot.mouseClick(opened.road, Qt.MouseButton.LeftButton, pos=centre)
    assert opened.pages.currentWidget() is opened.stage("drive")


def test_find_anything(qtbot, opened, monkeypatch):
    def find(dialog):
        qtbot.keyClicks(dialog.typed, "exam")
        qtbot.keyClick(dialog, Qt.Key.Key_Return)

    answer(monkeypatch, FindDialog, find)
    opened.find_anything()
    qtbot.waitUntil(lambda: opened.pages.currentWidget() is opened.stage("examine"))


def test_views_are_one_switch_apart(qtbot, opened):
    opened.go_to("correct")
    stage = opened.stage("correct")
    effect = opened.bar.comparison.effect_percent
    qtbot.mouseClick(stage.views["as-measured"], Qt.MouseButton.LeftButton)
    assert opened.bar.comparison.effect_percent == pytest.approx(opened.bar.comparison.as_measured_percent)
    assert "nothing corrected" in stage.subtitle.text()
    qtbot.mouseClick(stage.views["reference"], Qt.MouseButton.LeftButton)
    assert opened.bar.comparison.effect_percent == pytest.approx(effect)
    qtbot.mouseClick(stage.following, Qt.MouseButton.LeftButton)
    assert stage.fall_title.text() == "Leg L02"
    assert "as read" in stage.fall.accessibleName().lower()


def test_a_prediction_after_the_drive_is_called_so_beside_the_result(qtbot, opened):
    opened.go_to("question")
    stage = opened.stage("question")
    assert not stage.seal.isEnabled()
    type_into(qtbot, stage.fields["prediction"], "-4")
    opened.go_to("verdict")
    assert "You said \u22124 % (said afterwards)" in opened.stage("verdict").reason.text()


def test_other_priors_are_tried_when_asked_and_said_in_one_line(qtbot, opened):
    opened.go_to("verdict")
    stage = opened.stage("verdict")
    QApplication.processEvents()
    assert not stage.survival.isVisibleTo(stage)
    qtbot.mouseClick(stage.other_priors, Qt.MouseButton.LeftButton)
    assert stage.survival.isVisibleTo(stage) and "of what is believed beforehand" in stage.survival.text()
    assert "driven before the day, mean up: \u2212" in stage.survival.toolTip()
    opened.session.edit(opened.session.study.with_leg("L01", average_shown=171.0), "reading")
    qtbot.waitUntil(lambda: not stage.survival.isVisibleTo(stage))


def test_the_question_is_edited_in_place(qtbot, opened):
    opened.go_to("question")
    stage = opened.stage("question")
    for key, text in (
        ("title", "New name"),
        ("v_mass_kg", "1800"),
        ("v_drag_area_m2", ""),
        ("speed", "100"),
        ("confidence", "90"),
    ):
        type_into(qtbot, stage.fields[key], text)
        assert stage.fields[key].fault.isHidden(), stage.fields[key].fault.text()
    type_into(qtbot, stage.sides.field(1, "name"), "Covers")
    type_into(qtbot, stage.sides.field(1, "mass"), "2.4")
    study = opened.session.study
    assert study.trials[0].mass_delta_kg == 2.4
    assert (study.title, study.vehicle.mass_kg, study.vehicle.drag_area_m2, study.target_speed_kmh) == (
        "New name",
        1800,
        None,
        100,
    )
    assert study.trials[0].name == "Covers" and study.confidence == pytest.approx(0.9)
    assert "drag area" in stage.vehicle.assumed.text()
    stage.boxes["kind"].setCurrentText("tyres")
    stage.boxes["kind"].textActivated.emit("tyres")
    assert opened.session.study.change.mechanism == "rolling"
    type_into(qtbot, stage.fields["v_mass_kg"], "5")
    assert "expected 200 to 40000 kg" in stage.fields["v_mass_kg"].fault.text()


def test_plan_lays_out_runs_before_the_drive_and_adds_blocks_after(qtbot, window):
    bare = driven_study("AABB")
    bare = bare.with_legs(leg.with_(average_shown=None, average_unit=None, average_step=None) for leg in bare.legs)
    window.session.add_study(bare)
    window.go_to("plan")
    stage = window.stage("plan")
    assert "67%" in stage.order_words.text()
    stage.order.setCurrentIndex(stage.order.findData("ABBA"))
    qtbot.mouseClick(stage.lay, Qt.MouseButton.LeftButton)
    assert (
        "would cancel in this order, but the stops of this day" in stage.order_words.text()
    )  # it charges after three runs
    window.session.edit(driven_study("ABBA"), "drive")
    assert not stage.lay.isEnabled()
    qtbot.mouseClick(stage.block, Qt.MouseButton.LeftButton)
    assert len(window.session.study.runs()) == 8


def test_a_route_comes_from_a_file_or_another_study(qtbot, window, monkeypatch, tmp_path):
    bare = driven_study("ABBA").with_(route=(), route_name="Fen lane")
    window.session.add_study(bare.with_legs(leg.with_(wind_speed_ms=4, wind_from_deg=30) for leg in bare.legs))
    window.go_to("plan")
    stage = window.stage("plan")
    assert "weather-unlike" in {c.code for c in window.session.analysis.concerns}
    (tmp_path / "bad.csv").write_text("distance_m,latitude\n0,52\n0,53\n")
    stage.show_page("route")
    page = stage.pages["route"]
    assert not page.bring(str(tmp_path / "bad.csv"))
    assert "row 3, distance_m" in window.notice_text.text()
    (tmp_path / "r.csv").write_text("distance_m,latitude,longitude\n0,52,0.1\n18400,52.165,0.1\n")
    assert page.bring(str(tmp_path / "r.csv"))
    assert "weather-unlike" not in {c.code for c in window.session.analysis.concerns}
    answer(
        monkeypatch,
        NewStudyDialog,
        lambda d: (d.road.setCurrentIndex(1), d.speed.setText("fast"), d._accept(), d.speed.setText("80"), d._accept()),
    )
    window.new_study()
    study = window.session.study
    assert study.route_name == "Fen lane" and len(study.route) == 2 and study.vehicle.name == "Orrin 1"


def test_the_next_leg_is_marked(qtbot, opened):
    opened.go_to("drive")
    assert not any(card.property("next") for card in opened.drive.cards.values())
    opened.drive.clear_leg("L05")
    assert [n for n, card in opened.drive.cards.items() if card.property("next")] == ["L05"]
    assert "next: R3 out, Trial" in opened.drive.subtitle.text()


def test_use_shows_range_and_asks_for_the_capacity(qtbot, opened):
    opened.go_to("use")
    stage = opened.stage("use").range
    c = opened.bar.comparison
    assert len(stage.bars._bars) == 2
    assert stage.bars._bars[0][2] == pytest.approx(52_000 / c.baseline_wh_per_km, rel=2e-3)
    type_into(qtbot, stage.capacity, "")
    assert stage.bars._bars == () or len(stage.bars._bars) == 0
    type_into(qtbot, stage.reserve, "90")
    assert "10 to 20 % is usual" in stage.reserve.fault.text()


def test_export_import_and_report(qtbot, opened, tmp_path):
    study = opened.session.study
    assert opened.packages.export_to(tmp_path / "s.zip")
    assert read_package(tmp_path / "s.zip").study == study
    assert opened.packages.import_from(tmp_path / "s.zip")
    assert len(opened.session.logbook.studies()) == 2 and opened.session.study == study
    assert opened.packages.report_to(tmp_path / "r.html") and (tmp_path / "r.html").exists()
    (tmp_path / "bad.zip").write_text("no")
    assert not opened.packages.import_from(tmp_path / "bad.zip")
    assert "bad.zip was not imported. not a readable zip" in opened.notice_text.text()
    assert not opened.packages.report_to(tmp_path / "r.doc")


def test_read_only_logbook_says_why_and_refuses_edits(qtbot, window, abba, tmp_path):
    with Logbook.open(tmp_path / "other.fairmargin") as holder:
        holder.add(abba)
        window.session.open_logbook(tmp_path / "other.fairmargin")
        assert "Another window has this logbook" in window.notice_text.text()
        window.show_study(1)
        window.go_to("drive")
        assert window.drive.cards["L01"].fields["reading"].edit.isReadOnly()
        assert not window.session.edit(abba.with_(title="x"), "x")
        assert window.session.study == abba


def test_a_foreign_file_leaves_the_open_logbook(window, tmp_path):
    (tmp_path / "letter.fairmargin").write_text("Dear all")
    before = window.session.logbook.path
    assert not window.session.open_logbook(tmp_path / "letter.fairmargin")
    assert window.session.logbook.path == before
    assert "is not a Fair Margin logbook" in window.notice_text.text()


def test_samples_are_analysed_off_the_gui_thread(qtbot, window):
    from fairmargin.simulation import DayPlan, simulate

    made = simulate(3, DayPlan(samples=True, instrument="logger", order="AB"))
    write_package(window.session.logbook.path.parent / "p", made.study, made.traces)
    with qtbot.waitSignal(window.session.analysisChanged, timeout=10_000):
        assert window.packages.import_from(window.session.logbook.path.parent / "p")
    assert window.session.analysis.legs[0].instrument == "logger"


def test_another_comparison_is_shown_everywhere(qtbot, window):
    from fairmargin.core.study import Configuration

    study = driven_study("ABAB")
    study = study.with_(configurations=(*study.configurations, Configuration(id="C", name="Third")))
    study = study.with_legs(
        leg.with_(configuration="C" if leg.run == "R4" else leg.configuration) for leg in study.legs
    )
    window.session.add_study(study)
    window.go_to("verdict")
    assert window.choice.isVisible() and window.choice.count() == 2
    window.choice.setCurrentIndex(1)
    window.choice.activated.emit(1)
    assert window.bar.comparison.trial == "C"
    assert "Third" in window.stage("verdict").pairs_title.text()
    window.go_to("use")
    assert "Third" in window.stage("use").range.range_words.text()
