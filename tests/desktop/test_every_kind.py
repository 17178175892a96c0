"""Every kind of change, and one that is added in one place, through every page of the window."""

import pytest
from PySide6.QtWidgets import QApplication, QLabel
from tests.conftest import driven_study
from tests.roof_tent import ROOF_TENT

from fairmargin.core.kinds import change_kind, change_kinds, with_kind
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.dialogs.new_study import NewStudyDialog
from fairmargin.desktop.stages.plan import PAGES

STAGES = ("question", "plan", "drive", "examine", "correct", "verdict", "use")


@pytest.mark.parametrize("name", [*change_kinds(), "roof tent"])
def test_a_kind_goes_through_every_page(qtbot, window, session, name):
    with with_kind(ROOF_TENT):
        window.show_study(session.add_study(driven_study("ABBA", kind=name)))
        for stage in STAGES:
            window.go_to(stage)
            QApplication.processEvents()
        plan = window.stage("plan")
        for page, *_ in PAGES:
            plan.show_page(page)
            QApplication.processEvents()
        kind = change_kind(name)
        words = " | ".join(x.text() for x in window.findChildren(QLabel))
        assert kind.forgotten in words and kind.caution in words
        assert f"What is easily forgotten with {name}: 0 of {len(kind.prompts)} answered" in words
        asked = window.stage("question").prompts.fields
        assert [p.words for p in kind.prompts] == [asked[p.key].caption.text() for p in kind.prompts]
        window.go_home()


def test_a_new_study_offers_it(qtbot, window):
    with with_kind(ROOF_TENT):
        dialog = NewStudyDialog(UNIT_CHOICES["metric"], [], [])
        qtbot.addWidget(dialog)
        assert dialog.kind.findText("roof tent") == dialog.kind.count() - 1
