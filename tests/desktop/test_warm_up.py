"""What was driven before an outing's first leg: asked once on the sheet, ticked on the road, undone like any edit."""

from datetime import datetime, timedelta

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from tests.conftest import driven_study
from tests.desktop.conftest import type_into
from tests.desktop.test_road import plan

from fairmargin.desktop.stages.driving.hub import Clock


@pytest.fixture
def sheet(window, session):
    session.add_study(driven_study("ABBA"))
    window.go_to("drive")
    QApplication.processEvents()
    return window.drive


@pytest.mark.parametrize(("text", "minutes"), [("20", 20.0), ("25:00", 25.0), ("0", 0.0), ("0,5 h", 30.0)])
def test_minutes_typed_reach_the_study(qtbot, sheet, session, text, minutes):
    type_into(qtbot, sheet.warm_up.field, text)
    assert session.study.circumstances.warm_up_min == pytest.approx(minutes)
    assert float(sheet.warm_up.field.edit.text()) == pytest.approx(minutes)


def test_what_cannot_be_is_refused_and_emptied_is_unknown_again(qtbot, sheet, session):
    type_into(qtbot, sheet.warm_up.field, "2000")
    assert sheet.warm_up.field.has_fault and session.study.circumstances.warm_up_min is None
    type_into(qtbot, sheet.warm_up.field, "15")
    type_into(qtbot, sheet.warm_up.field, "")
    assert session.study.circumstances.warm_up_min is None


def test_the_planned_drive_counts_once_it_is_said_to_be_driven(qtbot, sheet, session):
    half = session.analysis.comparisons[0].half_width_percent if session.analysis else None
    assert sheet.warm_up.as_planned.text() == "20 min, as planned"
    qtbot.mouseClick(sheet.warm_up.as_planned, Qt.MouseButton.LeftButton)
    assert session.study.circumstances.warm_up_min == 20.0
    assert not sheet.warm_up.as_planned.isVisibleTo(sheet)
    qtbot.waitUntil(lambda: session.analysis is not None and session.analysis.comparisons[0].half_width_percent != half)
    session.undo.undo()
    QApplication.processEvents()
    assert session.study.circumstances.warm_up_min is None
    assert sheet.warm_up.as_planned.isVisibleTo(sheet)


def test_everyday_drives_have_no_first_leg(window, session):
    session.add_study(driven_study("AB", method="everyday"))
    window.go_to("drive")
    QApplication.processEvents()
    assert not window.drive.warm_up.isVisibleTo(window.drive)


def test_on_the_road_a_tick_notes_the_planned_warm_up(qtbot, window):
    window.session.add_study(plan())
    assert window.drive_now()
    prepare, controller = window.drive.view.prepare, window.drive.controller
    controller.clock = Clock(datetime(2026, 5, 2, 8, 0), 1.0, lambda: 0.0)
    controller.changed.emit()
    assert prepare.warmed_up is not None and not prepare.warmed_up.isChecked()
    prepare.warmed_up.click()
    assert window.session.study.leg("L01").driven_before_s == 1200.0
    prepare.warmed_up.click()
    assert window.session.study.leg("L01").driven_before_s is None
    prepare.warmed_up.click()
    driven = {"average_shown": 170.0, "average_unit": "Wh/km", "distance_km": 8.0}
    study = window.session.study.with_leg("L01", started_at=datetime(2026, 5, 2, 8, 10), **driven)
    window.session.edit(study, "readings")
    controller.changed.emit()
    assert prepare.warmed_up is None  # the day's second leg is asked nothing
    controller.clock = Clock(datetime(2026, 5, 2, 8, 0) + timedelta(days=1), 1.0, lambda: 0.0)
    prepare._shape = None
    controller.changed.emit()
    assert prepare.warmed_up is not None
    window.drive.release()
