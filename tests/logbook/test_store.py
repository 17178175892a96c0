"""The logbook survives a killed process, keeps others out, and refuses what is not its own."""

import io
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import textwrap
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.study import Trace
from fairmargin.logbook import Logbook, LogbookFault, default_path, schema
from fairmargin.logbook.packing import pack_trace, unpack_trace

SAVED = Path(__file__).parent / "saved"


@pytest.fixture
def path(tmp_path):
    return tmp_path / "book.fairmargin"


def test_studies_and_traces_come_back(path, abba):
    trace = Trace(time_s=np.arange(9.0), speed_kmh=np.full(9, 80.0))
    with Logbook.open(path) as book:
        first = book.add(abba, {"L01": trace}, "fine")
        second = book.add(abba.with_(title="Other"))
        book.save(first, abba.with_(title="Renamed"), "better")
    with Logbook.open(path) as book:
        assert [(e.id, e.title, e.summary) for e in book.studies()] == [
            (first, "Renamed", "better"),
            (second, "Other", ""),
        ]
        study, traces = book.load(first)
        assert study == abba.with_(title="Renamed")
        assert traces["L01"].same_as(trace)


def test_removed_studies_can_be_put_back(path, abba):
    with Logbook.open(path) as book:
        key = book.add(abba)
        book.set_removed(key, True)
        assert book.studies() == []
        book.set_removed(key, False)
        assert len(book.studies()) == 1
        with pytest.raises(LogbookFault, match="study 99 is not in this logbook"):
            book.save(99, abba)
        with pytest.raises(LogbookFault, match="study 99 is not in this logbook"):
            book.load(99)


def test_a_killed_process_loses_nothing_it_saved(path):
    """A real process edits and tells each edit once it is saved; it is killed without warning."""
    script = textwrap.dedent(
        """
        import sys
        from fairmargin.logbook import Logbook
        from tests.conftest import driven_study
        book = Logbook.open(sys.argv[1])
        study = driven_study("ABBA")
        key = book.add(study)
        for i in range(100000):
            study = study.with_leg("L01", average_shown=100.0 + i * 0.01, note=f"edit {i}")
            book.save(key, study)
            print(i, flush=True)
        """
    )
    for kill_after in (1, 4, 17):
        command = [sys.executable, "-c", script, str(path)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
            told = -1
            while told < kill_after:
                told = int(process.stdout.readline())
            os.kill(process.pid, signal.SIGKILL)
            rest = process.stdout.read().split()
        told = int(rest[-1]) if rest and rest[-1].isdigit() else told
        with Logbook.open(path) as book:
            assert not book.read_only
            study, _ = book.load(book.studies()[-1].id)
        # the edit told last is there; at most the one under way is there as well
        assert int(study.leg("L01").note.split()[1]) in {told, told + 1}


def test_a_second_window_reads_only_and_says_so(path, abba):
    with Logbook.open(path) as first:
        first.add(abba)
        with Logbook.open(path) as second:
            assert second.read_only_because == "Another window has this logbook; here it is open for reading only."
            assert len(second.studies()) == 1
            with pytest.raises(LogbookFault, match="Another window"):
                second.add(abba)
        first.add(abba)  # closing the second did not let go of the first one's lock
        with Logbook.open(path) as third:
            assert third.read_only
    with Logbook.open(path) as again:
        assert not again.read_only


def test_foreign_and_damaged_files_are_refused_and_left_alone(tmp_path, path, abba):
    text = tmp_path / "letter.txt"
    text.write_text("Dear all")
    foreign = tmp_path / "other.db"
    connection = sqlite3.connect(foreign)
    connection.execute("create table t (x)")
    connection.commit()
    connection.close()
    with Logbook.open(path) as book:
        for _ in range(30):
            book.add(abba)
    data = bytearray(path.read_bytes())
    damaged = tmp_path / "damaged.fairmargin"
    damaged.write_bytes(bytes(data[:4096]) + os.urandom(len(data) // 2))
    newer = tmp_path / "newer.fairmargin"
    newer.write_bytes(bytes(data))
    connection = sqlite3.connect(newer)
    connection.execute("update alembic_version set version_num = '9999'")
    connection.commit()
    connection.close()
    for file, words in (
        (text, "is not a Fair Margin logbook"),
        (foreign, "is a database of another program"),
        (damaged, "is damaged"),
        (newer, "written by a newer Fair Margin"),
    ):
        before = file.read_bytes()
        with pytest.raises(LogbookFault, match=words):
            Logbook.open(file)
        assert file.read_bytes() == before
    with pytest.raises(LogbookFault, match="there is no such logbook"):
        Logbook.open(tmp_path / "absent.fairmargin", create=False)


def test_migrations_lead_to_the_schema_the_code_uses(path, tmp_path):
    """A file made anew and one that went through every migration have the same columns, by SQLite's own account."""

    def columns(file):
        with closing(sqlite3.connect(file)) as connection:
            (revision,) = connection.execute("SELECT version_num FROM alembic_version").fetchone()
            assert revision == schema.HEAD
            return {
                name: [tuple(c[1:]) for c in connection.execute(f"PRAGMA table_info({name})")]
                + [tuple(k[2:]) for k in connection.execute(f"PRAGMA foreign_key_list({name})")]
                for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            }

    Logbook.open(path).close()
    earlier = tmp_path / "earlier.fairmargin"
    shutil.copy(SAVED / "schema-0001.fairmargin", earlier)
    Logbook.open(earlier).close()
    new, upgraded = columns(path), columns(earlier)
    assert set(new["study"]) == set(upgraded["study"])
    assert {name: set(found) for name, found in new.items()} == {name: set(found) for name, found in upgraded.items()}
    assert {column[0] for column in new["study"]} == schema.STUDY
    assert any(column[0] == "study" and "CASCADE" in column for column in new["trace"])


def test_a_file_killed_while_it_was_made_is_finished(path):
    connection = sqlite3.connect(path)
    connection.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
    connection.execute("create table t (x)")
    connection.execute("drop table t")
    connection.commit()
    connection.close()
    with Logbook.open(path) as book:
        book.add(driven_study("AB"))


def test_default_place_follows_xdg(monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    assert default_path() == tmp_path / "data" / "fairmargin" / "logbook.fairmargin"


def test_the_garage_holds_the_newest_study_of_each_vehicle_and_road(tmp_path):
    with Logbook.open(tmp_path / "b.fairmargin") as book:
        other = driven_study("AB").vehicle.with_(name="Orrin 2")
        ids = [
            book.add(driven_study("AB", title=title, vehicle=vehicle, route_name=road))
            for title, vehicle, road in (
                ("One", other, "Dyke Road"),
                ("Two", driven_study("AB").vehicle, "Dyke Road"),
                ("Three", driven_study("AB").vehicle, ""),
            )
        ]
        assert [title for title, _ in book.vehicles()] == ["Three", "One"]
        assert [title for title, _ in book.vehicles(ids[2])] == ["Two", "One"]
        assert [title for title, _ in book.roads()] == ["Three", "Two"]
        book.set_removed(ids[2], True)
        assert [title for title, _ in book.vehicles()] == ["Two", "One"]
        assert [title for title, _ in book.roads()] == ["Two"]


def a_trace(power=15.0, n=50):
    t = np.arange(float(n))
    return Trace(time_s=t, speed_kmh=np.full(n, 90.0), power_kw=np.full(n, power), latitude=np.full(n, np.nan))


def test_traces_are_saved_changed_and_taken_away_with_the_study(tmp_path, abba):
    with Logbook.open(tmp_path / "b.fairmargin") as book:
        key = book.add(abba, {"L01": a_trace()})
        book.save(key, abba.with_(title="x"), traces={"L01": a_trace(14.0), "L02": a_trace()})
        study, traces = book.load(key)
        assert study.title == "x" and set(traces) == {"L01", "L02"}
        assert traces["L01"].same_as(a_trace(14.0))  # NaN columns too
        book.save(key, abba, traces={"L01": None})
        assert set(book.load(key)[1]) == {"L02"}
        with pytest.raises(LogbookFault, match="not in this logbook"):
            book.save(999, abba, traces={"L09": a_trace()})
        book.save(key, abba)  # without traces they stay
        assert set(book.load(key)[1]) == {"L02"}


def test_a_packed_trace_comes_back_bit_by_bit():
    rng = np.random.default_rng(2)
    t = np.cumsum(rng.uniform(0.01, 1.0, 3000))
    trace = Trace(time_s=t, speed_kmh=rng.uniform(0, 130, 3000), power_kw=rng.normal(15, 8, 3000))
    assert unpack_trace(pack_trace(trace)).same_as(trace)
    old = io.BytesIO()
    np.savez_compressed(old, **trace.columns())  # as earlier logbooks hold them
    assert unpack_trace(old.getvalue()).same_as(trace)


def test_a_closed_logbook_is_not_opened_again_by_work_beside_the_window(tmp_path, abba):
    book = Logbook.open(tmp_path / "b.fairmargin")
    book.add(abba)
    book.close()
    for work in (book.studies, book.memories, lambda: book.set_summary(1, "{}")):
        with pytest.raises(LogbookFault, match="was closed"):
            work()
    with Logbook.open(tmp_path / "b.fairmargin") as again:
        assert not again.read_only
        assert again.studies()[0].summary == ""
