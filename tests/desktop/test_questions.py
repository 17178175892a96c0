"""The question beside every stage: asked, answered by mouse and key, undone, not asked again."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QPushButton
from tests.core.result.test_questions import bare, noted

from fairmargin.core.study.circumstances import Circumstances
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.stages.leg_table import NAMES
from fairmargin.desktop.widgets.questions import QuestionStrip


def asked_of(qtbot, window, code):
    strip = window.questions
    qtbot.waitUntil(lambda: bool(strip.asked) and strip.asked[0].code == code, timeout=15000)
    return strip


def test_one_click_answers_for_the_whole_study(qtbot, window, session):
    window.show_study(session.add_study(bare()))
    window.go_to("verdict")
    strip = asked_of(qtbot, window, "outing")
    assert strip.isVisible() and "in one outing?" in strip.accessibleName()
    verdict = window.stage("verdict")
    qtbot.waitUntil(verdict.if_answered.isVisible, timeout=5000)
    assert "One outing: uses less" in verdict.if_answered.text() and "not settled" in verdict.say.text()
    before = session.comparison.half_width_percent
    qtbot.mouseClick(strip.buttons[0], Qt.MouseButton.LeftButton)
    assert session.study.circumstances.outing == "one"
    assert session.comparison.half_width_percent < before / 2 and "less" in verdict.say.text()
    assert not verdict.if_answered.isVisible()
    session.undo.undo()
    assert session.study.circumstances.outing is None
    asked_of(qtbot, window, "outing")


def test_digits_answer_and_not_known_is_not_asked_again(qtbot, window, session):
    window.show_study(session.add_study(bare()))
    window.go_to("drive")
    strip = asked_of(qtbot, window, "outing")
    window.ask()
    qtbot.waitUntil(strip.hasFocus, timeout=2000)
    qtbot.keyClick(strip, Qt.Key.Key_4)
    assert session.study.circumstances.not_known == ("outing",)
    asked_of(qtbot, window, "road")
    qtbot.keyClick(strip, Qt.Key.Key_1)
    assert session.study.circumstances.road == "dry"


def test_a_study_that_notes_everything_is_asked_nothing(qtbot, window, session):
    window.show_study(session.add_study(noted()))
    window.go_to("verdict")
    qtbot.wait(900)
    assert not window.questions.isVisible()


def test_what_nobody_noted_is_said_from_the_verdict(qtbot, window, session):
    window.show_study(session.add_study(bare()))
    window.go_to("verdict")
    menu = window.stage("verdict").say_how.menu()
    asked = {action.text(): action.menu() for action in menu.actions()}
    warm = asked["What was driven just before the first leg?"]
    next(a for a in warm.actions() if a.text() == "20 minutes or more").trigger()
    assert session.study.circumstances.warm_up_min == 20


def test_more_questions_are_folded(qtbot, qapp, window, session):
    window.show_study(session.add_study(bare()))
    window.go_to("verdict")
    strip = asked_of(qtbot, window, "outing")
    assert isinstance(strip, QuestionStrip) and len(strip.asked) > 1
    assert [x.text() for x in strip.findChildren(QLabel, "heading")] == ["Were all legs driven in one outing?"]
    more = next(b for b in strip.findChildren(QPushButton) if b.text().startswith("More questions"))
    qtbot.mouseClick(more, Qt.MouseButton.LeftButton)
    assert len(strip.findChildren(QLabel, "heading")) == len(strip.asked)


def test_how_warm_it_was_is_asked_and_kept_in_ones_own_unit(qtbot, window, session):
    study = bare("AABB").with_(
        circumstances=Circumstances(outing="days", road="dry", climate="off", wind="light", warm_up_min=20)
    )
    window.show_study(session.add_study(study))
    session.set_units(UNIT_CHOICES["us"])
    window.go_to("drive")
    window.drive.show_sheet(True)
    strip = asked_of(qtbot, window, "temperature_c")
    assert [b.text().split("  ")[1] for b in strip.buttons[:3]] == ["below 32 °F", "32 to 45 °F", "45 to 57 °F"]
    before = session.comparison.half_width_percent
    qtbot.mouseClick(strip.buttons[2], Qt.MouseButton.LeftButton)
    table = window.drive.table
    at = table.model.index(0, len(NAMES) + table.model.keys.index("temperature_c"))
    assert table.model.data(at) == "45 to 57 °F"
    qtbot.waitUntil(lambda: bool(strip.asked) and "Trial" in strip.asked[0].text, timeout=15000)
    qtbot.keyClick(strip, Qt.Key.Key_1)
    assert session.study.leg("L08").span("temperature_c").low == -10.0
    assert session.comparison.half_width_percent < 0.9 * before
    session.undo.undo()
    session.undo.undo()
    assert session.study.leg("L01").temperature_c is None
