"""Where a logbook lies: behind a link, moved away, a pipe, held by another; and what a rescue takes along."""

import os
import shutil
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from tests.conftest import driven_study

from fairmargin.logbook import Logbook, LogbookFault, copies
from fairmargin.logbook.files import beside
from fairmargin.logbook.rescue import rescue

SAVED = Path(__file__).parent / "saved"


@pytest.fixture
def linked(tmp_path):
    """A logbook on another disk, so to speak, behind a link of the home folder."""
    (tmp_path / "disk").mkdir()
    (tmp_path / "home").mkdir()
    real, link = tmp_path / "disk" / "book.fairmargin", tmp_path / "home" / "book.fairmargin"
    with Logbook.open(real) as book:
        book.add(driven_study("AB"))
    link.symlink_to(real)
    return real, link


def test_a_link_stays_a_link_when_a_copy_is_put_back(linked):
    real, link = linked
    copy = copies.keep(link, copies.DAILY)
    with Logbook.open(link) as book:
        book.add(driven_study("ABBA"))
    copies.put_back(link, copy.path)
    assert link.is_symlink()
    with Logbook.open(real) as book:
        assert len(book.studies()) == 1  # the state of the copy, in the file itself
    assert copies.folder_of(real).is_dir() and not copies.folder_of(link).exists()


def test_a_link_stays_a_link_when_its_logbook_is_upgraded(tmp_path):
    old = sorted(SAVED.glob("*.fairmargin"))[0]
    real, link = tmp_path / "real.fairmargin", tmp_path / "link.fairmargin"
    shutil.copyfile(old, real)
    before = real.read_bytes()
    link.symlink_to(real)
    with Logbook.open(link) as book:
        assert book.studies()
    assert link.is_symlink()
    assert real.read_bytes() != before


def test_a_pipe_is_no_logbook_and_stays(tmp_path):
    pipe = tmp_path / "pipe.fairmargin"
    os.mkfifo(pipe)
    with pytest.raises(LogbookFault, match="is not a file; expected a logbook"):
        Logbook.open(pipe)
    assert pipe.is_fifo()


def test_a_save_into_a_file_that_was_moved_away_is_refused_in_words(tmp_path):
    path = tmp_path / "book.fairmargin"
    with Logbook.open(path) as book:
        number = book.add(driven_study("AB"))
        path.rename(tmp_path / "elsewhere.fairmargin")
        with pytest.raises(LogbookFault, match="moved away or replaced while it was open; this was not saved"):
            book.save(number, driven_study("ABBA"))
        (tmp_path / "elsewhere.fairmargin").rename(path)
        book.save(number, driven_study("ABBA"))  # put back: it goes on
    with Logbook.open(path) as book:
        assert len(book.read(number).study.legs) == 8


def test_copies_of_the_future_do_not_drive_todays_out(tmp_path):
    path = tmp_path / "book.fairmargin"
    with Logbook.open(path) as book:
        book.add(driven_study("AB"))
    now = datetime(2026, 5, 2, 9, 0)
    for days in range(1, 9):  # a clock that stood in the future for a week
        copies.keep(path, copies.DAILY, now + timedelta(days=400 + days))
    made = copies.keep(path, copies.DAILY, now)
    assert made.path.exists()
    assert len(copies.kept(path)) == copies.MOST[copies.DAILY]


def test_what_a_killed_process_left_is_swept_at_the_next_opening(tmp_path):
    path = tmp_path / "book.fairmargin"
    with Logbook.open(path) as book:
        book.add(driven_study("AB"))
    left = tmp_path / ".book.fairmargin.999999.new"
    left.write_bytes(b"half")
    own = tmp_path / f".book.fairmargin.{os.getpid()}.new"
    own.write_bytes(b"being made by a process that lives")
    with Logbook.open(path):
        assert not left.exists()
        assert own.exists()
    with beside(path) as made:
        assert made.exists()


def test_a_rescue_takes_answers_and_what_was_put_aside(tmp_path):
    path, out = tmp_path / "book.fairmargin", tmp_path / "out.fairmargin"
    with Logbook.open(path) as book:
        kept, aside = book.add(driven_study("AB")), book.add(driven_study("ABBA").with_(title="Aside"))
        book.set_archived(aside, True)
        book.add_practice('{"case": 1}')
        book.add_practice('{"case": 2}')
        book.set_choice("terms", '{"also": ["year"]}')
    found = rescue(path, out)
    assert (found.studies, found.answers, found.lost) == (2, 2, ())
    assert "2 answers to practice cases" in found.words()
    with Logbook.open(out) as book:
        assert book.practice() == ['{"case": 1}', '{"case": 2}']
        assert book.choice("terms") == '{"also": ["year"]}'
        assert {e.title: e.archived for e in book.studies()} == {"A study": False, "Aside": True}
    assert kept != aside
