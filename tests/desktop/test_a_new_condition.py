"""A condition that is added in one place, in the window: typed on the run sheet, seen in Correct and in the ledger."""

import re

import pytest
from PySide6.QtWidgets import QApplication, QLabel
from tests.coarse_surface import COARSE_SURFACE
from tests.conftest import driven_study
from tests.desktop.conftest import type_into

from fairmargin.core.conditions.registry import with_condition


def words_on(widget):
    return " | ".join(x.text() for x in widget.findChildren(QLabel))


@pytest.fixture
def coarse():
    with with_condition(COARSE_SURFACE):
        yield


def test_it_goes_from_the_sheet_to_the_ledger(coarse, qtbot, window, session):
    window.show_study(session.add_study(driven_study("ABBA")))
    window.go_to("drive")
    QApplication.processEvents()
    sheet = window.drive.cards
    for leg in session.study.legs:
        sheet[leg.leg].more_button.click()
        type_into(qtbot, sheet[leg.leg].fields["surface"], "coarse" if leg.configuration == "B" else "smooth")
    assert [leg.surface for leg in session.study.legs] == ["smooth"] * 2 + ["coarse"] * 4 + ["smooth"] * 2
    qtbot.waitUntil(lambda: session.analysis is not None and not session._jobs, timeout=10_000)
    window.go_to("correct")
    window.stage("correct").choose("L03")
    QApplication.processEvents()
    # 6 % of the rolling resistance, by the road load of the van a third of 161.5 Wh/km: 3.4; its 4 % at 1.96 make 2.7 % of consumption.
    fall = re.search(r"surface \u2212(\d\.\d)", window.stage("correct").fall.accessibleName())
    assert fall and 3.0 < float(fall[1]) < 3.8
    assert re.search(r"surface \u00b12\.[5-9]", window.stage("correct").budget.text())
    window.go_to("verdict")
    QApplication.processEvents()
    assert "Surfaces not alike" in words_on(window) and "a coarse surface rolls harder" in words_on(window)
