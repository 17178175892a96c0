"""Earlier states are kept, pruned, and put back without ever leaving the place empty."""

import sqlite3
import stat
from contextlib import closing
from datetime import date, datetime, timedelta

import pytest
from tests.conftest import driven_study

from fairmargin.logbook import Logbook, LogbookFault, copies

DAY = datetime(2026, 5, 2, 9, 0)


@pytest.fixture
def path(tmp_path):
    path = tmp_path / "book.fairmargin"
    with Logbook.open(path) as book:
        book.add(driven_study("AB", title="First"))
    return path


def test_a_copy_is_a_logbook_of_its_own_also_while_the_window_saves(path):
    with Logbook.open(path) as book:
        made = copies.keep(path, copies.DAILY, DAY)
        book.add(driven_study("AB", title="Second"))
    assert made.path.name == "2026-05-02T090000 daily.fairmargin"
    assert stat.S_IMODE(made.path.stat().st_mode) == 0o600
    assert stat.S_IMODE(made.path.parent.stat().st_mode) == 0o700
    before = made.path.read_bytes()
    with Logbook.open(made.path) as old:
        assert [e.title for e in old.studies()] == ["First"]
        assert old.read_only_because.startswith("This is an earlier copy")
    assert made.path.read_bytes() == before
    assert not copies.due(path, date(2026, 5, 2)) and copies.due(path, date(2026, 5, 3))


def test_only_the_last_seven_days_are_kept_and_other_kinds_by_themselves(path):
    copies.keep(path, "before 0002", DAY - timedelta(days=400))
    for i in range(10):
        copies.keep(path, copies.DAILY, DAY + timedelta(days=i))
    days = [c.made_at.day for c in copies.kept(path) if c.why == copies.DAILY]
    assert days == [11, 10, 9, 8, 7, 6, 5]
    assert sum(c.why == "before 0002" for c in copies.kept(path)) == 1
    (copies.folder_of(path) / "letter.txt").write_text("not a copy")
    assert len(copies.kept(path)) == 8


@pytest.mark.parametrize("sql", ["UPDATE study SET body = body || ' '", "UPDATE study SET title = 'x'",
                                 "UPDATE book SET studies = 2"])  # fmt: skip
def test_a_file_that_is_not_whole_drives_no_good_copy_out(path, sql):
    copies.keep(path, copies.DAILY, DAY)
    with closing(sqlite3.connect(path)) as connection, connection:
        connection.execute(sql)
    assert copies.keep(path, copies.DAILY, DAY + timedelta(days=1)) is None
    assert [c.made_at for c in copies.kept(path)] == [DAY]


def test_putting_a_copy_back_keeps_what_was_there(path):
    first = copies.keep(path, copies.DAILY, DAY)
    with Logbook.open(path) as book:
        book.add(driven_study("AB", title="Second"))
    copies.put_back(path, first.path, DAY + timedelta(hours=1))
    with Logbook.open(path) as book:
        assert [e.title for e in book.studies()] == ["First"]
        assert not book.read_only
    aside = next(c for c in copies.kept(path) if c.why == copies.SET_ASIDE)
    with Logbook.open(aside.path) as book:
        assert [e.title for e in book.studies()] == ["First", "Second"]
    copies.put_back(path, aside.path)
    with Logbook.open(path) as book:
        assert len(book.studies()) == 2
    with pytest.raises(LogbookFault, match="could not be put back"):
        copies.put_back(path, path.with_name("absent.fairmargin"))
    with Logbook.open(path) as book:
        assert len(book.studies()) == 2


def test_a_journal_goes_with_the_file_it_belongs_to(path):
    """Beside another file it would be rolled back into that."""
    from tests.logbook.test_opening import cut_short

    copy = copies.keep(path, copies.DAILY, DAY)
    cut_short(path)
    copies.put_back(path, copy.path, DAY)
    assert not (path.parent / f"{path.name}-journal").exists()
    with Logbook.open(path) as book:
        assert [e.title for e in book.studies()] == ["First"]
    aside = next(c for c in copies.kept(path) if c.why == copies.SET_ASIDE)
    with Logbook.open(aside.path) as book:  # and is rolled back with it
        assert [e.title for e in book.studies()] == ["First"]
