"""A value that changed by itself is told, what is derived is made anew, and one damaged study keeps no other shut."""

import sqlite3
from contextlib import closing

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.study import Trace
from fairmargin.logbook import Logbook, LogbookDamaged, LogbookFault, StudyDamaged, copies
from fairmargin.logbook.rescue import rescue
from fairmargin.logbook.rows import DAMAGED

TRACE = Trace(time_s=np.arange(500.0), speed_kmh=np.full(500, 80.0), power_kw=np.linspace(5, 20, 500))


@pytest.fixture
def path(tmp_path):
    path = tmp_path / "book.fairmargin"
    with Logbook.open(path) as book:
        for name in ("One", "Two", "Three"):
            book.add(driven_study("AB", title=name), {"L01": TRACE, "L02": TRACE}, '{"effect": 1.5}')
    return path


def change(path, sql, *values):
    connection = sqlite3.connect(path)
    connection.execute(sql, values)
    connection.commit()
    connection.close()


@pytest.mark.parametrize(
    ("column", "value"),
    [
        ("summary", "{"),
        ("summary", '{"effect": 9.5}'),
        ("title", "Twp"),
        ("title", b"T\xffo"),
        ("position", float("1e308")),
        ("position", b"x"),
        ("changed_at", "yesterday"),
        ("changed_at", 7),
        ("removed_at", "no date"),
        ("logged", ""),
        ("row_check", ""),
    ],
)
def test_a_damaged_line_of_the_list_is_made_anew_from_the_readings(path, column, value):
    change(path, f"UPDATE study SET {column} = ? WHERE id = 2", value)
    with Logbook.open(path) as book:
        entries = book.studies()
        assert sorted(e.title for e in entries) == ["One", "Three", "Two"]
        assert {e.id: e.summary for e in entries} == {1: '{"effect": 1.5}', 2: "", 3: '{"effect": 1.5}'}
        assert len(book.healed) == 1 and "\u201cTwo\u201d: its line in the list was damaged" in book.healed[0]
        assert book.read(2).damage == ()
        assert book.scatter_evidence() == []
    with Logbook.open(path) as book:
        assert len(book.studies()) == 3 and book.healed == []  # mended for good


@pytest.mark.parametrize("value", ['{"format": 1', "", b"\xff\xfe{", None])
def test_a_study_that_cannot_be_read_keeps_no_other_shut(path, value):
    if value is None:
        change(path, "UPDATE study SET body = replace(body, '161.5', '181.5') WHERE id = 2")
    else:
        change(path, "UPDATE study SET body = ? WHERE id = 2", value)
    with Logbook.open(path) as book:
        assert [e.title for e in book.studies()] == ["One", "Two", "Three"]
        with pytest.raises(StudyDamaged, match=r"Two.* is damaged: its readings are not what was written") as told:
            book.read(2)
        # a digit that changed by itself is offered as what it is: doubtful, never opened as a reading
        assert (told.value.study is not None) == (value is None)
        assert set(told.value.traces) == {"L01", "L02"}
        assert [e.damage for e in book.studies()] == ["", DAMAGED, ""]
        assert [t for t, _ in book.vehicles()] == ["Three"] and len(book.roads()) == 2
        assert book.read(3).study.title == "Three"
    change(path, "UPDATE study SET title = 'x' WHERE id = 2")
    with Logbook.open(path) as book:
        assert [e.damage for e in book.studies()] == ["", DAMAGED, ""]
        assert [e.damage for e in book.studies()] == ["", DAMAGED, ""]  # and goes on saying so
        assert "its readings are not what was written" in book.healed[0]
        book.save(2, driven_study("AB", title="Two again"))
        assert [e.damage for e in book.studies()] == ["", "", ""]


def test_a_damaged_log_is_left_out_and_named_and_stays_in_the_file(path):
    with closing(sqlite3.connect(path)) as connection:
        data = connection.execute("SELECT samples FROM trace WHERE study_id = 1").fetchone()[0]
    middle = len(data) // 2
    change(path, "UPDATE trace SET samples = ? WHERE study_id = 1 AND leg = 'L01'",
           data[:middle] + bytes([data[middle] ^ 4]) + data[middle + 1 :])  # fmt: skip
    change(path, "DELETE FROM trace WHERE study_id = 2 AND leg = 'L02'")
    with Logbook.open(path) as book:
        record = book.read(1)
        assert set(record.traces) == {"L02"}
        assert record.damage == ("The log of L01 is damaged (not what was written) and is left out.",)
        with pytest.raises(LogbookFault, match="The log of L01 is damaged"):
            book.load(1)
        assert book.read(2).damage == ("The log of L02 is missing from the file.",)
        book.save(1, record.study.with_(title="edited"))
        assert book.read(1).damage == record.damage
    with closing(sqlite3.connect(path)) as connection:
        assert connection.execute("SELECT count(*) FROM trace").fetchone() == (5,)


def test_a_study_that_vanished_is_noticed(path):
    change(path, "DELETE FROM study WHERE id = 2")
    with Logbook.open(path) as book:
        assert book.healed == ["1 of 3 studies are missing from this file; an earlier copy may hold them."]
    with Logbook.open(path) as book:
        assert book.healed == []


def broken(path):
    """Lose a page that holds the end of the last study's record; only a check of all pages notices."""
    data = bytearray(path.read_bytes())
    at = data.rindex(b'"leg":"L04"') // 4096 * 4096
    assert data[at] != 13  # not the list's own page
    data[at : at + 4096] = bytes(4096)
    path.write_bytes(data)
    return bytes(data)


def test_a_broken_file_is_left_alone_and_what_can_be_read_goes_into_a_copy(path, tmp_path):
    data = broken(path)
    with pytest.raises(LogbookDamaged, match=r"is damaged .* can be put into a copy"):
        Logbook.open(path)
    back = rescue(path, tmp_path / "back.fairmargin")
    assert path.read_bytes() == data
    with Logbook.open(back.path) as book:
        titles = [e.title for e in book.studies()]
        assert titles and set(titles) < {"One", "Two", "Three"}
        for entry in book.studies():
            study, traces = book.load(entry.id)
            assert study == driven_study("AB", title=study.title)
            assert all(t.same_as(TRACE) for t in traces.values())
    assert back.lost and f"{len(titles)} studies" in back.words()
    with pytest.raises(LogbookFault, match="exists; expected a new name"):
        rescue(path, back.path)


def test_a_file_that_was_cut_off_gives_what_is_left(path, tmp_path):
    path.write_bytes(path.read_bytes()[: 3 * path.stat().st_size // 4])
    with pytest.raises(LogbookDamaged):
        Logbook.open(path)
    assert rescue(path, tmp_path / "back.fairmargin").studies >= 1
    (tmp_path / "zeros.fairmargin").write_bytes(b"SQLite format 3\x00" + bytes(5000))
    with pytest.raises(LogbookFault, match="nothing of it can be read"):
        rescue(tmp_path / "zeros.fairmargin", tmp_path / "none.fairmargin")
    assert not (tmp_path / "none.fairmargin").exists()


def test_a_damaged_study_is_found_whole_in_an_earlier_copy(path):
    from datetime import datetime

    copies.keep(path, copies.DAILY, datetime(2026, 5, 1, 8, 0))
    change(path, "UPDATE study SET body = '{' WHERE id = 2")
    with Logbook.open(path) as book:
        copy, record = book.from_copies(2)
        assert copy.made_at == datetime(2026, 5, 1, 8, 0)
        assert record.study.title == "Two" and set(record.traces) == {"L01", "L02"}


def test_a_damaged_line_that_may_not_be_written_is_told_once(path):
    change(path, "UPDATE study SET title = 'Twp' WHERE id = 2")
    with Logbook.open(path) as holder, Logbook.open(path) as book:
        assert book.read_only
        change_of = [[e.title for e in book.studies()] for _ in range(3)]
        assert change_of == [["One", "Two", "Three"]] * 3 and len(book.healed) == 1
        assert [e.title for e in holder.studies()] == ["One", "Two", "Three"]
