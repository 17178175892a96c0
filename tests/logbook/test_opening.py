"""A logbook opens after a kill at the worst moment, on a full disk, in a folder that refuses, from every release."""

import os
import resource
import shutil
import sqlite3
import stat
import subprocess
import sys
import textwrap
from contextlib import closing
from pathlib import Path

import pytest
from tests.conftest import driven_study

from fairmargin.logbook import Logbook, LogbookFault, copies, files, opening, schema

SAVED = Path(__file__).parent / "saved"

#: A save whose journal is on the disk, and which is killed before it commits. A cache of one page makes SQLite write
#: the changed pages before the commit; without the journal the file would be in pieces.
CUT_SHORT = """
    import os, sqlite3, sys
    c = sqlite3.connect(sys.argv[1]); c.execute("PRAGMA cache_size = 1")
    c.execute("CREATE TABLE filler (x)"); c.executemany("INSERT INTO filler VALUES (?)", [("y" * 3000,)] * 60)
    c.execute("UPDATE study SET title = 'never committed', body = body || ' '")
    os.kill(os.getpid(), 9)
"""


@pytest.fixture
def path(tmp_path):
    return tmp_path / "book.fairmargin"


def cut_short(path):
    subprocess.run([sys.executable, "-c", textwrap.dedent(CUT_SHORT), str(path)], check=False)
    assert files.journal_of(path).stat().st_size > 0


def in_child(work):
    """Run in a forked process and return what it said ("" = as it should be)."""
    reader, writer = os.pipe()
    child = os.fork()
    if child == 0:
        words = "died"
        try:
            words = work() or ""
        except BaseException as error:
            words = f"{type(error).__name__}: {error}"
        finally:
            os.write(writer, words.encode())
            os._exit(0)
    os.close(writer)
    with os.fdopen(reader) as file:
        said = file.read()
    os.waitpid(child, 0)
    return said


def test_a_save_cut_short_between_journal_and_commit_is_taken_back(path, abba):
    with Logbook.open(path) as book:
        key = book.add(abba)
    cut_short(path)
    with Logbook.open(path) as book:
        assert not book.read_only and book.healed == []
        assert book.load(key)[0] == abba
        book.save(key, abba.with_(title="goes on"))
    assert not files.journal_of(path).exists()


def test_a_save_cut_short_is_shown_without_it_where_nothing_may_be_written(path, abba, monkeypatch):
    with Logbook.open(path) as book:
        key = book.add(abba)
    cut_short(path)
    before = path.read_bytes(), files.journal_of(path).read_bytes()
    monkeypatch.setattr(opening, "_locked", lambda _path: (None, opening.NO_WRITING))
    with Logbook.open(path) as book:
        assert book.read_only_because == opening.NO_WRITING
        assert book.load(key)[0] == abba
    assert (path.read_bytes(), files.journal_of(path).read_bytes()) == before


@pytest.mark.parametrize("done", ["nothing", "marked", "tables without marks", "no version"])
def test_a_logbook_killed_while_it_was_made_opens(path, done):
    """States that a kill left of a logbook made step by step, as earlier versions did."""
    connection = sqlite3.connect(path)
    if done == "marked":
        connection.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
        connection.execute("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL)")
        connection.execute("DROP TABLE alembic_version")
    elif done != "nothing":
        with closing(sqlite3.connect(SAVED / "schema-0001.fairmargin")) as saved:
            connection.executescript("".join(saved.iterdump()) if done == "tables without marks" else "")
    connection.commit()
    connection.close()
    if done == "no version":
        shutil.copy(SAVED / "schema-0001.fairmargin", path)
        connection = sqlite3.connect(path)
        connection.execute("DELETE FROM alembic_version")
        connection.commit()
        connection.close()
    with Logbook.open(path) as book:
        assert len(book.studies()) == (2 if done in {"tables without marks", "no version"} else 0)
        book.add(driven_study("AB"))
    with Logbook.open(path) as book:
        assert not book.healed


def test_creation_leaves_nothing_but_a_whole_private_file(path):
    left = path.with_name(f".{path.name}.99999999.new")  # of a process that was killed
    left.write_bytes(b"SQLite format 3\x00 half")
    Logbook.open(path).close()
    assert [p.name for p in path.parent.iterdir()] == [path.name]
    assert stat.S_IMODE(path.stat().st_mode) == 0o600
    inner = path.parent / "a" / "b" / "book.fairmargin"
    Logbook.open(inner).close()
    assert stat.S_IMODE(inner.parent.stat().st_mode) & 0o077 == 0


def test_every_edit_waits_for_the_disk(path):
    """Journal in a file of its own, synced before the pages, its removal synced too (SQLite, PRAGMA synchronous)."""
    with Logbook.open(path) as book, book._reading() as connection:
        assert connection.execute("PRAGMA synchronous").fetchone()[0] == 3
        assert connection.execute("PRAGMA journal_mode").fetchone()[0] == "delete"


def test_a_full_disk_is_told_at_the_first_start_and_at_a_save(path, abba):
    def first_start():
        resource.setrlimit(resource.RLIMIT_FSIZE, (5000, 5000))
        try:
            Logbook.open(path)
        except LogbookFault as fault:
            return str(fault)

    assert "cannot be made" in in_child(first_start)
    assert not path.exists()
    with Logbook.open(path) as book:
        key = book.add(abba)
    size = path.stat().st_size

    def a_save():
        with Logbook.open(path) as book:
            resource.setrlimit(resource.RLIMIT_FSIZE, (size + 5000, size + 5000))
            try:
                book.save(key, abba.with_(notes="long " * 20_000))
            except LogbookFault as fault:
                told = str(fault)
            book.save(key, abba.with_(title="short"))
            return told

    assert "could not be saved" in in_child(a_save)
    with Logbook.open(path) as book:
        assert book.load(key)[0].title == "short"


@pytest.mark.skipif(os.getuid() != 0, reason="only root can become another user")
def test_a_folder_that_refuses_opens_for_reading_only(abba):
    import tempfile

    folder = Path(tempfile.mkdtemp())
    try:
        with Logbook.open(folder / "book.fairmargin") as book:
            book.add(abba)
        (folder / "book.fairmargin").chmod(0o666)
        folder.chmod(0o755)

        def as_another():
            os.setuid(65534)
            with Logbook.open(folder / "book.fairmargin") as book:
                return f"{book.read_only_because} {len(book.studies())}"

        assert in_child(as_another) == f"{opening.NO_FOLDER} 1"
    finally:
        shutil.rmtree(folder)


@pytest.mark.parametrize("file", sorted(SAVED.glob("*.fairmargin")), ids=lambda p: p.stem)
def test_logbooks_of_every_release_open_and_keep_a_copy(path, file):
    shutil.copy(file, path)
    with Logbook.open(path) as book:
        entries = book.studies()
        assert [e.title for e in entries] == ["Wheel discs", "Flour"]
        assert entries[0].summary == '{"words": "not settled"}'
        study, traces = book.load(entries[0].id)
        assert study.leg("L03").average_shown == pytest.approx(161.5)  # 170 x 0.95
        assert traces["L01"].power_kw[-1] == 20.0
        assert book.healed == []
        # What the list groups by is told from the studies; what came with 0003 is there from then on.
        assert [e.about.legs for e in entries] == [len(book.load(e.id)[0].legs) for e in entries]
        later = file.stem >= "schema-0003"
        assert entries[0].about.tags == (("covers",) if later else ())
        assert [e.archived for e in entries] == [False, later]
        assert len(book.practice()) == later
        assert book.choice("terms") == ('{"also": ["year"]}' if file.stem >= "schema-0004" else None)
        book.add(driven_study("AB"))
    if file.stem != f"schema-{schema.HEAD}":
        kept = copies.kept(path)
        assert [c.why for c in kept] == [f"before {schema.HEAD}"]
        assert kept[0].path.read_bytes()[:16] == file.read_bytes()[:16]
        with closing(sqlite3.connect(kept[0].path)) as connection, connection:
            assert connection.execute("SELECT count(*) FROM study").fetchone() == (3,)
        with Logbook.open(kept[0].path) as old:  # upgraded for reading, itself left as it is
            assert [e.title for e in old.studies()] == ["Wheel discs", "Flour"]


def test_an_upgrade_that_fails_leaves_the_file_as_it_was(path, monkeypatch):
    shutil.copy(SAVED / "schema-0001.fairmargin", path)
    before = path.read_bytes()

    def no_room(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(opening, "into_place", no_room)
    with pytest.raises(LogbookFault, match="could not be upgraded from schema 0001"):
        Logbook.open(path)
    assert path.read_bytes() == before
    monkeypatch.undo()
    with Logbook.open(path) as book:
        assert len(book.studies()) == 2


def test_two_that_make_the_same_logbook_share_it(path, abba):
    """The second finds the first one's file and reads only; nothing is written into a file nobody sees."""
    path.touch()
    with Logbook.open(path) as first, Logbook.open(path) as second:
        assert not first.read_only and second.read_only
        first.add(abba)
        assert len(second.studies()) == 1
