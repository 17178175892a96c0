"""A new study in a minute: how its runs were driven is asked and never assumed; names and examples of one's own trade."""

from dataclasses import replace

import pytest
from PySide6.QtWidgets import QApplication
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.planning.planned_runs import planned_runs
from fairmargin.core.units import ALSO, UNIT_CHOICES
from fairmargin.desktop.dialogs.forms import UnitsDialog
from fairmargin.desktop.dialogs.new_study import NewStudyDialog
from fairmargin.desktop.state.terms import TERMS, kept_units, of_logbook
from fairmargin.exchange.words.results import may_say


def dialog(qtbot, units="us"):
    made = NewStudyDialog(UNIT_CHOICES[units], [], [])
    qtbot.addWidget(made)
    made.show()
    return made


def test_how_the_runs_lie_to_each_other_is_asked_and_never_assumed(qtbot, qapp):
    made = dialog(qtbot)
    made._accept()
    assert made.study.circumstances.outing is None
    for words, value in (("one outing", "one"), ("different days", "days"), ("weeks apart", "weeks")):
        made = dialog(qtbot)
        made.outing.setCurrentIndex(next(i for i in range(made.outing.count()) if words in made.outing.itemText(i)))
        made._accept()
        assert made.study.circumstances.outing == value


def test_examples_are_those_of_the_kind_in_ones_own_unit(qtbot, qapp):
    made = dialog(qtbot)
    made.kind.setCurrentText("payload")
    assert (made.baseline.placeholderText(), made.trial.placeholderText()) == ("Empty", "375 lb aboard")
    made.kind.setCurrentText("towing")
    assert made.trial.placeholderText() == "Trailer on"
    metric = dialog(qtbot, "metric")
    metric.kind.setCurrentText("payload")
    assert metric.trial.placeholderText() == "170 kg aboard"


def test_two_vehicles_are_named_where_they_are_compared(qtbot, qapp):
    made = dialog(qtbot)
    made.aim.setCurrentIndex(next(i for i in range(made.aim.count()) if made.aim.itemData(i) == "vehicles"))
    assert made.called.isVisible() and made.other_called.isVisible()
    made.called.setText("Blue")
    made.other_called.setText("Red")
    made._accept()
    assert [v.name for v in made.study.vehicles] == ["Blue", "Red"]


def test_a_study_that_is_driven_opens_on_its_first_reading(qtbot, window, session, monkeypatch):
    def run(self):
        self.outing.setCurrentIndex(1)
        self._accept()
        return True

    monkeypatch.setattr(NewStudyDialog, "exec", run)
    window.new_study()
    QApplication.processEvents()
    assert window._stage == "drive"
    focused = QApplication.focusWidget()
    assert focused is not None and focused.property("key") == "reading"
    window.drive.show_sheet(True)
    window.drive.begin_typing()
    assert window.drive.table.view.hasFocus()


def test_results_are_said_in_the_terms_that_were_chosen(qtbot, session):
    units = UnitsDialog(session.own_units)
    qtbot.addWidget(units)
    assert {k for k, box in units.also.items() if box.isChecked()} == {"per distance per energy", "difference", "range"}
    for box in units.also.values():
        box.setChecked(False)
    units.also["year"].setChecked(True)
    units.year.setText("12000 mi")
    units._take()
    session.set_units(units.choice())
    study = driven_study("ABBAABBA", effect=0.9)
    said = may_say(study, analyse(study).comparisons[0], session.units)
    assert "less over a year of 19312 km" in said and "on a full charge" not in said and "Wh" in said
    assert of_logbook(kept_units(session.settings), session.logbook) == session.own_units  # kept
    units.year.setText("much")
    units._take()
    assert units.fault.isVisibleTo(units)
    assert set(ALSO) == set(units.also)


def test_terms_are_chosen_for_each_logbook(session, tmp_path):
    """Another logbook keeps its own; what is kept of units is the person's."""
    first = session.logbook.path
    session.set_units(replace(UNIT_CHOICES["us"], also=("year",), year_km=20_000.0))
    session.open_logbook(tmp_path / "other.fairmargin")
    assert session.own_units == UNIT_CHOICES["us"]
    session.set_units(replace(session.own_units, also=("range",)))
    session.open_logbook(first)
    assert (session.own_units.also, session.own_units.year_km) == (("year",), 20_000.0)
    session.open_logbook(tmp_path / "other.fairmargin")
    assert session.own_units.also == ("range",)
    # a choice that is not as it was written is none
    session.logbook.set_choice(TERMS, '{"also": 3}')
    assert of_logbook(kept_units(session.settings), session.logbook) == UNIT_CHOICES["us"]


def test_the_checklist_folds_to_a_line(qtbot, window, session):
    study = driven_study("ABBA")
    window.show_study(
        session.add_study(study.with_legs([leg.with_(average_shown=None, average_unit=None) for leg in study.legs]))
    )
    window.go_to("drive")
    drive = window.drive
    assert drive.ahead_list.isVisible()
    drive.fold.click()
    assert not drive.ahead_list.isVisible() and drive.fold.text() == "Checklist"
    assert session.settings.value("checklist") == "folded"


def test_what_takes_one_configuration_asks_what_the_battery_holds(qtbot, qapp):
    """At once, and nothing is assumed where it stays empty; a unit typed is converted."""
    made = dialog(qtbot)
    assert made.capacity.isHidden()
    made.aim.setCurrentIndex(made.aim.findData("climb"))
    assert made.capacity.isVisible()
    made.capacity.setText("31")
    made._accept()
    assert made.study.vehicle.usable_capacity_kwh == 31.0
    made.capacity.setText("111,6 MJ")
    made._accept()
    assert made.study.vehicle.usable_capacity_kwh == pytest.approx(31.0)
    made.capacity.setText("31 L")
    made._accept()
    assert "Usable battery" in made.fault.text()
    made.capacity.clear()
    made._accept()
    assert made.study.vehicle.usable_capacity_kwh is None


def test_three_speeds_are_three_sides(qtbot, qapp):
    dialog = NewStudyDialog(UNIT_CHOICES["us"], [], [])
    qtbot.addWidget(dialog)
    dialog.show()
    dialog.aim.setCurrentIndex(dialog.aim.findData("speed"))
    qtbot.keyClicks(dialog.baseline, "45")
    qtbot.keyClicks(dialog.trial, "55; 65")
    assert dialog.order.itemData(0) == "ABCCBA"
    dialog.order.setCurrentIndex(0)
    dialog.make.click()
    study = dialog.study
    assert study.order == "ABCCBA"
    assert [c.label for c in study.configurations] == ["45 mph", "55 mph", "65 mph"]
    assert [round(c.speed_kmh / 1.609344) for c in study.configurations] == [45, 55, 65]
    minutes = [run.minutes for run in planned_runs(study, "ABCCBA")[0]]
    # There and back over 20 km, the length that is taken where no road is known, with a turn of three minutes.
    assert minutes[0] == pytest.approx(60 * 40 / (45 * 1.609344) + 3, abs=0.1) and minutes[2] < minutes[1] < minutes[0]


def test_speeds_that_are_alike_are_refused(qtbot, qapp):
    dialog = NewStudyDialog(UNIT_CHOICES["metric"], [], [])
    qtbot.addWidget(dialog)
    dialog.show()
    dialog.aim.setCurrentIndex(dialog.aim.findData("speed"))
    qtbot.keyClicks(dialog.baseline, "80")
    qtbot.keyClicks(dialog.trial, "95; 80")
    dialog.make.click()
    assert dialog.study is None and "must differ" in dialog.fault.text()


@pytest.mark.parametrize(
    "aim, orders", [("side", ["AB", "AABB", "ABBA"]), ("one", ["A", "AA", "AAA", "AAAA"]), ("climb", ["A", "AA"])]
)
def test_orders_that_are_offered_fit_the_aim(qtbot, qapp, aim, orders):
    dialog = NewStudyDialog(UNIT_CHOICES["metric"], [], [])
    qtbot.addWidget(dialog)
    dialog.show()
    dialog.aim.setCurrentIndex(dialog.aim.findData(aim))
    assert [dialog.order.itemData(i) for i in range(dialog.order.count())][: len(orders)] == orders
