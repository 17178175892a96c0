"""A study of three configurations, or of two vehicles in turn: its order is theirs wherever it is shown."""

from datetime import date

import pytest
from PySide6.QtCore import Qt
from tests.conftest import straight_route

from fairmargin.core.planning.planned_day import plan_day
from fairmargin.core.study import Configuration, NamedVehicle, new_study
from fairmargin.core.study.aims import relaid
from fairmargin.core.study.plan import Plan
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.dialogs.new_study import NewStudyDialog
from fairmargin.desktop.dialogs.sealing import SealDialog


def of_three():
    study = new_study(title="Covers", kind="aero covers", order="AB", baseline_name="Bare", trial_name="Discs")
    study = study.with_(
        configurations=(*study.configurations, Configuration(id="spats", name="Spats")),
        route=straight_route(),
        plan=Plan(day=date(2026, 5, 16), swap_min=10.0),
    )
    return relaid(study, "ABCCBA")


def of_two_vehicles():
    study = new_study(title="Vans", kind="other", order="A")
    fleet = (NamedVehicle(id="one", name="Orrin 1"), NamedVehicle(id="two", name="Orrin 2"))
    study = study.with_(
        change=study.change.with_(subject="vehicle"), vehicles=fleet, configurations=(study.baseline,), legs=()
    )
    return relaid(study, "ABBA")


def test_a_third_side_has_its_own_letter():
    study = of_three()
    assert study.order == "ABCCBA"
    assert study.lettered == {"A": "A", "B": "B", "C": "spats"}
    assert of_two_vehicles().order == "ABBA"
    assert of_two_vehicles().lettered == {"A": "one", "B": "two"}


def test_a_day_of_three_swaps_wherever_the_next_run_is_another():
    steps = plan_day(of_three(), "ABCCBA").steps
    assert [s.words for s in steps if s.kind == "run"] == [
        "Run R1, Bare", "Run R2, Discs", "Run R3, Spats", "Run R4, Spats", "Run R5, Discs", "Run R6, Bare",
    ]  # fmt: skip
    swaps = [(s.words, (s.end - s.start).total_seconds() / 60) for s in steps if s.kind == "swap"]
    assert swaps == [(f"Change to {x}", 10.0) for x in ("Discs", "Spats", "Discs", "Bare")]


def test_vehicles_take_turns_without_a_swap():
    steps = plan_day(of_two_vehicles(), "ABBA").steps
    assert [s.words.partition(", ")[2] for s in steps if s.kind == "run"] == [
        "Orrin 1",
        "Orrin 2",
        "Orrin 2",
        "Orrin 1",
    ]
    assert not [s for s in steps if s.kind == "swap"]


def test_the_plan_lays_out_all_three(qtbot, window):
    window.session.add_study(of_three())
    window.go_to("plan")
    stage = window.stage("plan")
    assert stage.subtitle.text() == "ABCCBA \u00b7 12 legs"
    assert "cancels in this order" in stage.order_words.text()
    assert [stage.order.itemData(i) for i in range(stage.order.count())][:2] == ["ABCCBA", "ABCCBABCAACB"]
    stage.order.setCurrentIndex(stage.order.findData("ABC"))
    qtbot.mouseClick(stage.lay, Qt.MouseButton.LeftButton)
    assert stage.subtitle.text() == "ABC \u00b7 6 legs"
    # By hand: the third run lies at the end of the day, the baseline at its beginning.
    assert "100% of a steady drift" in stage.order_words.text()
    stage.order.setCurrentIndex(stage.order.findData("ABACACABA"))
    qtbot.mouseClick(stage.block, Qt.MouseButton.LeftButton)
    assert window.session.study.order == "ABCABACACABA"
    dialog = SealDialog(window.session.study)
    qtbot.addWidget(dialog)
    assert dialog.pairs.edit.text() == "3"
    # Back to one trial: the usual orders are offered again.
    study = window.session.study
    kept = [leg for leg in study.legs if leg.configuration != "spats"]
    window.session.edit(study.with_legs(kept).with_(configurations=study.configurations[:2]), "one trial")
    assert stage.order.findData("ABBA") >= 0 and stage.order.findData("ABCCBA") < 0


@pytest.mark.parametrize("typed, order", [("", "ABCCBA"), ("ABACA", "ABACA")])
def test_a_new_study_of_three_lays_out_three(qtbot, qapp, typed, order):
    dialog = NewStudyDialog(UNIT_CHOICES["metric"], [], [])
    qtbot.addWidget(dialog)
    dialog.show()
    if typed:
        dialog.order.setEditText(typed)
    qtbot.keyClicks(dialog.baseline, "Bare")
    qtbot.keyClicks(dialog.trial, "Discs; Spats")
    dialog.make.click()
    study = dialog.study
    assert study.order == order
    assert [c.label for c in study.configurations] == ["Bare", "Discs", "Spats"]
    assert {study.configuration(leg.configuration).label for leg in study.legs} == {"Bare", "Discs", "Spats"}


def test_an_order_is_offered_again_when_a_name_goes(qtbot, qapp):
    dialog = NewStudyDialog(UNIT_CHOICES["metric"], [], [])
    qtbot.addWidget(dialog)
    dialog.show()
    before = dialog.order.currentText()
    qtbot.keyClicks(dialog.trial, "Discs; S")
    assert dialog.order.currentText().startswith("ABCCBA:")
    for _ in range(3):
        qtbot.keyClick(dialog.trial, Qt.Key.Key_Backspace)
    assert dialog.order.currentText() == before and before.startswith("ABBA:")
