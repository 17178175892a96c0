"""A small screen: sentences keep their lines, fields their digits, the ledger is a press away."""

from datetime import datetime

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QScrollArea, QWidget
from tests.conftest import driven_study

from fairmargin.core.study.trip import Trip, TripStretch
from fairmargin.desktop.widgets.flow import Flow


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


def within(field):
    """Whether a field lies, from left to right, within the page that scrolls it."""
    page = field.parentWidget()
    while page is not None and not isinstance(page, QScrollArea):
        page = page.parentWidget()
    if page is None:
        return True
    left = field.mapTo(page.viewport(), QPoint(0, 0)).x()
    return left >= 0 and left + field.width() <= page.viewport().width()


@pytest.mark.parametrize("size", [(1024, 768), (1100, 700), (1280, 800)])
def test_no_field_of_plan_or_trip_is_cut_at_its_right_side(window, size):
    window.resize(*size)
    study = driven_study("ABBA", kind="towing")
    trip = Trip(stretches=(TripStretch(km=320, speed_kmh=85),), depart_at=datetime(2026, 8, 28, 7, 30), unhitch_min=12)
    window.session.add_study(study.with_(trip=trip))
    window.go_to("plan")
    plan = window.stage("plan")
    for name in ("load", "day", "weather", "route"):
        plan.show_page(name)
        settle()
        page = plan.pages[name]
        assert [key for key, made in page.fields.items() if made.isVisible() and not within(made)] == [], name
    plan.show_page("load")
    settle()
    assert within(plan.pages["load"].items.add)
    window.go_to("use")
    use = window.stage("use")
    use.show_page("trip")
    use.trip.more.setChecked(True)
    settle()
    fields = use.trip.fields
    assert [key for key, made in fields.items() if made.isVisible() and not within(made)] == []
    leave = fields["depart_at"].edit
    assert leave.text() == "2026-08-28 07:30"
    assert leave.fontMetrics().horizontalAdvance(leave.text()) <= leave.width() - 14
    assert within(use.trip.file) and within(use.trip.who)


def test_things_in_a_row_wrap_and_share_out_what_is_left(qtbot):
    box = QWidget()
    qtbot.addWidget(box)
    flow = Flow(box, gap=10, below=4)
    made = [QWidget() for _ in range(3)]
    for one in made:
        one.setMinimumSize(100, 20)
        flow.addWidget(one)
    box.show()
    box.resize(340, 60)
    settle()
    # Three of a hundred and two gaps of ten leave twenty: six to each.
    assert [(w.x(), w.y(), w.width()) for w in made] == [(0, 0, 106), (116, 0, 106), (232, 0, 106)]
    box.resize(230, 60)
    settle()
    assert [(w.x(), w.y(), w.width()) for w in made] == [(0, 0, 110), (120, 0, 110), (0, 24, 230)]
    assert flow.heightForWidth(230) == 44 and flow.minimumSize().width() == 100
    made[1].hide()
    settle()
    assert flow.heightForWidth(230) == 20 and flow.count() == 3
    assert flow.takeAt(7) is None and flow.itemAt(1).widget() is made[1]


@pytest.mark.parametrize("height", [700, 720, 800])
def test_no_page_moves_while_an_analysis_runs_beside_it(qtbot, opened, session, height):
    """A line at the bottom that came and went made the road's type smaller and larger again with every analysis."""
    opened.resize(1280, height)
    opened.go_to("drive")
    opened.drive.live_button.click()
    QApplication.processEvents()
    before = opened.pages.geometry(), opened.menuBar().geometry(), opened.drive.view.property("type")
    session.busyChanged.emit(True)
    QApplication.processEvents()
    assert opened.busy_words.text() == "Analysing\u2026" and opened.busy_words.isVisible()
    assert opened.busy_words.width() >= opened.busy_words.sizeHint().width(), "the words have their room"
    assert (opened.pages.geometry(), opened.menuBar().geometry(), opened.drive.view.property("type")) == before
    session.busyChanged.emit(False)
    QApplication.processEvents()
    assert opened.busy_words.text() == ""
    assert opened.pages.geometry() == before[0]
