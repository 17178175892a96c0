"""A damaged logbook or study in the window: what can be read, and earlier copies, by a press of a button."""

import sqlite3
from contextlib import closing
from datetime import datetime

from PySide6.QtCore import Qt, QThreadPool, QTimer
from PySide6.QtWidgets import QApplication
from tests.conftest import driven_study

from fairmargin.desktop.dialogs.recovering import ChoiceDialog, CopiesDialog
from fairmargin.logbook import Logbook, copies


def press(kind, act):
    """Act on the next dialog of a kind, once it is shown."""

    def look():
        dialog = QApplication.activeModalWidget()
        if isinstance(dialog, kind):
            act(dialog)
        else:
            QTimer.singleShot(20, look)

    QTimer.singleShot(0, look)


def book_with(path, *titles):
    with Logbook.open(path) as book:
        for title in titles:
            book.add(driven_study("AB", title=title))


def damage(path):
    data = bytearray(path.read_bytes())
    at = data.index(b'"leg":"L04"') // 4096 * 4096
    data[at : at + 4096] = bytes(4096)
    path.write_bytes(data)


def test_what_can_be_read_of_a_damaged_logbook_opens_as_a_new_one(window, qtbot, tmp_path):
    path = tmp_path / "trip.fairmargin"
    book_with(path, "One", "Two", "Three")
    damage(path)
    press(ChoiceDialog, lambda d: d.buttons[0].click())
    window.session.open_logbook(path)
    qtbot.waitUntil(lambda: "what could be read" in window.session.logbook.path.name)
    assert "studies and 0 logs could be read as they were written" in window.notice_text.text()
    assert {e.title for e in window.session.logbook.studies()} < {"One", "Two", "Three"}


def test_the_newest_copy_takes_the_place_of_a_damaged_logbook(window, qtbot, tmp_path):
    path = tmp_path / "trip.fairmargin"
    book_with(path, "One", "Two", "Three")
    copies.keep(path, copies.DAILY, datetime(2026, 5, 2, 9, 0))
    damage(path)
    press(ChoiceDialog, lambda d: qtbot.mouseClick(d.buttons[1], Qt.MouseButton.LeftButton))
    window.session.open_logbook(path)
    qtbot.waitUntil(lambda: window.session.logbook.path == path)
    assert [e.title for e in window.session.logbook.studies()] == ["One", "Two", "Three"]
    assert window.notice_text.text().startswith("Put back: Sat 02 May 2026, 09:00")


def test_a_damaged_study_is_marked_in_the_list_and_comes_back_from_a_copy(window, qtbot, tmp_path):
    path = tmp_path / "trip.fairmargin"
    book_with(path, "One", "Two")
    copies.keep(path, copies.DAILY, datetime(2026, 5, 2, 9, 0))
    with closing(sqlite3.connect(path)) as connection, connection:
        connection.execute("UPDATE study SET body = replace(body, '161.5', '191.5'), title = 'x' WHERE id = 2")
    window.session.open_logbook(path)
    assert "its line in the list and its readings are not what was written" in window.notice_text.text()
    assert [e.damage[:7] for e in window.home.list.entries] == ["", "damaged"]
    offered = []
    press(ChoiceDialog, lambda d: (offered.extend(b.text() for b in d.buttons), d.buttons[0].click()))
    window.show_study(2)
    qtbot.waitUntil(lambda: window.session.study is not None)
    assert offered[0].startswith("As it was in the copy of Sat 02 May 2026")
    assert offered[1] == "What can be read, as a new study: every value in doubt"
    assert window.session.study.title == "Two"
    assert window.session.study.leg("L03").average_shown == 161.5


def test_earlier_copies_are_kept_shown_looked_at_and_put_back(window, qtbot, abba):
    path = window.session.logbook.path
    window.session.add_study(abba)
    window.session.open_logbook(path.with_name("other.fairmargin"))
    window.session.open_logbook(path)  # with studies in it: today's copy is kept, beside the work
    QThreadPool.globalInstance().waitForDone(5000)
    kept = copies.kept(path)
    assert [c.why for c in kept] == ["daily"]
    window.session.add_study(driven_study("AB", title="Later"))
    press(CopiesDialog, lambda d: qtbot.mouseClick(d.back, Qt.MouseButton.LeftButton))
    window.logbooks.show_copies()
    assert [e.title for e in window.session.logbook.studies()] == ["A study"]
    assert window.notice_text.text().startswith("Put back: ")
    press(CopiesDialog, lambda d: (d.list.setCurrentRow(0), qtbot.mouseClick(d.look, Qt.MouseButton.LeftButton)))
    window.logbooks.show_copies()  # newest: what was set aside
    assert [e.title for e in window.session.logbook.studies()] == ["A study", "Later"]
    assert window.session.read_only and "earlier copy" in window.notice_text.text()


def test_a_line_of_the_list_that_was_lost_comes_back_when_its_study_is_opened(window, qtbot, tmp_path):
    path = tmp_path / "trip.fairmargin"
    book_with(path, "One")
    with closing(sqlite3.connect(path)) as connection, connection:
        connection.execute("UPDATE study SET summary = '{\"effect\": 9.5}'")
    window.session.open_logbook(path)
    assert window.home.list.entries[0].summary == ""
    window.show_study(1)
    window.go_home()
    assert '"effect": -4.' in window.home.list.entries[0].summary.replace('": -5.0', '": -4.')


def test_a_logbook_that_another_window_held_can_be_written_once_it_is_free(qtbot, session, tmp_path):
    path = tmp_path / "held.fairmargin"
    holder = Logbook.open(path)
    holder.add(driven_study("AB"))
    assert session.open_logbook(path)
    assert session.read_only
    holder.close()
    assert session.open_logbook(path)
    assert not session.read_only
    assert len(session.logbook.studies()) == 1
