"""A small screen: sentences keep their lines, fields their digits, the ledger is a press away."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from tests.conftest import driven_study


def settle():
    for _ in range(6):
        QApplication.processEvents()


@pytest.mark.parametrize("size", [(1000, 640), (800, 600)])
def test_the_verdict_sentence_keeps_its_lines_at_the_smallest_size(opened, size):
    """Of a label squeezed by its layout the lower lines are cut off."""
    opened.resize(*size)
    opened.go_to("verdict")
    settle()
    assert (opened.width(), opened.height()) == size
    stage = opened.stage("verdict")
    for made in (stage.say, stage.reason, stage.say_not):
        assert made.text() and made.height() >= made.heightForWidth(made.width()), made.text()


def test_in_a_narrow_window_the_ledger_takes_the_page_when_it_is_asked_for(opened, qtbot):
    opened.resize(800, 600)
    opened.go_to("verdict")
    settle()
    assert not opened.ledger_side.isVisible() and opened.ledger_button.isVisible()
    assert opened.ledger_button.text().startswith("Fairness ledger: ")
    qtbot.mouseClick(opened.ledger_button, Qt.MouseButton.LeftButton)
    settle()
    assert opened.ledger_side.isVisible() and not opened.pages.isVisible()
    assert opened.ledger_side.width() > 550
    opened.go_to("drive")
    settle()
    assert opened.pages.isVisible() and not opened.ledger_side.isVisible()
    opened.resize(1280, 800)
    settle()
    assert opened.ledger_side.isVisible() and opened.pages.isVisible() and not opened.ledger_button.isVisible()


def test_no_field_of_a_leg_loses_its_digits(opened):
    opened.resize(800, 600)
    opened.go_to("drive")
    settle()
    for name, field in opened.drive.cards["L01"].fields.items():
        text = field.edit.text()
        room = field.edit.width() - 14
        assert field.edit.fontMetrics().horizontalAdvance(text) <= room, (name, text, room)


def test_a_long_sheet_builds_what_is_seen_and_keeps_what_is_typed(window, qtbot):
    window.session.add_study(driven_study("ABBA" * 12))  # 96 legs
    window.go_to("drive")
    settle()
    rows = window.drive.cards
    assert len(rows) == 96 and len(rows.there) < 40
    first = rows["L01"].fields["note"].edit
    first.setText("being typed")
    first.setModified(True)
    bar = window.drive.area.verticalScrollBar()
    for part in range(1, 9):
        bar.setValue(bar.maximum() * part // 8)
        settle()
    assert "L96" in rows.there and "L20" not in rows.there and len(rows.there) < 70
    assert rows["L01"].fields["note"].edit.text() == "being typed"
    # a card far away is built when something asks for it, and shows what is stored
    assert rows["L48"].fields["distance_km"].edit.text() == "18.4"


def test_a_change_of_colours_keeps_what_is_typed_and_builds_pages_anew(opened):
    opened.go_to("question")
    field = opened.stage("question").fields["route_name"]
    field.edit.setText("half a na")
    field.edit.setModified(True)
    opened.go_to("correct")
    correct = opened.stage("correct")
    opened.go_to("verdict")
    opened.cycle_theme()
    assert opened.stage("question").fields["route_name"].edit.text() == "half a na"
    assert opened.stage("correct") is not correct
    opened.go_to("correct")
    assert opened.pages.currentWidget() is opened.stage("correct")
    for _ in range(2):
        opened.cycle_theme()
