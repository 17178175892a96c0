"""The list as it is looked at, and what is kept beside each study for the others."""

import json
from datetime import date, datetime

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.scatter import learned_scatter
from fairmargin.core.study import Configuration
from fairmargin.logbook import Logbook, StudyEntry
from fairmargin.logbook.about import About, about_of, read_about
from fairmargin.logbook.arrange import Arrangement, Heading, arrange, reach_of
from fairmargin.logbook.freshen import freshen, freshen_all, remember, stale
from fairmargin.logbook.lines import read_memories, study_memory, study_summary


def entry(number, title="", *, effect=None, state="settled", changed=1, archived=False, **about):
    known = {"words": "uses less", "state": state, "legs": 4}
    if effect is not None:
        known |= {"effect": effect, "low": effect - 1, "high": effect + 1}
    return StudyEntry(
        number, title or f"Study {number}", json.dumps(known), datetime(2026, 1, changed), "", About(**about), archived
    )


ENTRIES = [
    entry(1, "Wheel discs", effect=-3.0, changed=5, vehicle="Orrin 1", road="Dyke Road", kind="aero covers", tags=("covers",), last=date(2026, 5, 2)),
    entry(2, "Roof box", effect=9.0, changed=9, vehicle="Orrin 2", road="Dyke Road", kind="cargo", state="under way", notes="charged back", last=date(2026, 7, 4)),
    entry(3, "Tyres", effect=1.0, changed=2, vehicle="Orrin 1", kind="tyres", state="not settled", tags=("covers", "winter"), configurations=("Summer", "Winter")),
    entry(4, "Old thing", changed=1, vehicle="Orrin 1", archived=True),
]  # fmt: skip


def ids(**how):
    return [r.words if isinstance(r, Heading) else r.id for r in arrange(ENTRIES, Arrangement(**how))]


def test_searched_sorted_put_aside():
    assert ids() == [1, 2, 3]
    assert ids(aside=True) == [4]
    assert ids(words="DYKE") == [1, 2]
    assert ids(words="dyke orrin 2") == [2]
    assert ids(words="charged") == [2], "notes are searched"
    assert ids(words="summer") == [3], "configurations are searched"
    assert ids(words="not settled") == [3]
    assert ids(words="nothing like it") == []
    assert ids(sort="title") == [2, 3, 1]
    assert ids(sort="effect") == [1, 3, 2]
    assert ids(sort="changed last") == [2, 1, 3]
    assert ids(sort="driven last") == [2, 1, 3]


def test_grouped():
    assert ids(group="vehicle") == ["Orrin 1", 1, 3, "Orrin 2", 2]
    assert ids(group="state") == ["under way", 2, "not settled", 3, "settled", 1]
    assert ids(group="tag") == ["covers", 1, 3, "winter", 3, "no tag", 2], (
        "a study stands in the group of each of its tags"
    )
    assert ids(group="road") == ["Dyke Road", 1, 2, "no road named", 3]
    heading = arrange(ENTRIES, Arrangement(group="road"))[0]
    assert heading == Heading("Dyke Road", 2)


def test_the_scale_fits_what_is_shown():
    assert reach_of(ENTRIES[:3]) == (-4.0, 10.0)
    assert reach_of([ENTRIES[0]]) == (-4.0, 1.0)
    assert reach_of([]) == (-5.0, 5.0)
    low, high = reach_of([*ENTRIES, entry(9, effect=60.0)])
    assert high <= 30, "one far beyond is an arrow, and does not squash the others"
    assert low <= -4


def test_what_a_study_is_about():
    study = driven_study("AB", route_name="Dyke Road", tags=("covers", "spring"), notes="a note")
    about = read_about(about_of(study))
    assert (about.road, about.tags, about.legs, about.driven, about.first) == (
        "Dyke Road",
        ("covers", "spring"),
        4,
        4,
        date(2026, 5, 2),
    )
    assert about.configurations == ("Baseline", "Trial")
    for broken in ("", "{", "[]", '{"tags": 7, "legs": "x", "first": "yesterday"}'):
        assert read_about(broken) == About()


def summary(study, **more):
    return json.loads(study_summary(analyse(study), True, study)) | more


def test_each_line_says_its_state_and_next_step():
    driven = driven_study("ABBA", effect=0.9)
    assert summary(driven)["state"] == "settled"
    waiting = driven.with_leg("L07", average_shown=None, average_unit=None).with_leg(
        "L08", average_shown=None, average_unit=None
    )
    told = summary(waiting)
    assert (told["state"], told["next"]) == ("under way", "2 legs to drive: next L07, Baseline.")
    empty = driven.with_(legs=tuple(leg.with_(average_shown=None, average_unit=None) for leg in driven.legs))
    assert summary(empty)["state"] == "planned"
    close = summary(driven_study("AB", effect=0.995))
    assert close["state"] == "not settled"
    assert "more pair" in close["next"] or close["next"].endswith(".")
    alone = driven.with_(
        configurations=(Configuration(id="A", baseline=True),),
        legs=tuple(x for x in driven.legs if x.configuration == "A"),
    )
    told = summary(alone)
    assert told["state"] == "told"
    assert told["level"] == pytest.approx(170, rel=0.01)
    unfair = summary(driven_study("AB", method="side-by-side"))
    assert unfair["state"] == "not fair"
    assert unfair["next"]


@pytest.fixture
def book(tmp_path):
    with Logbook.open(tmp_path / "b.fairmargin") as made:
        for i, effect in enumerate((0.95, 0.96, 1.02)):
            values = [
                170 * (effect if x.configuration == "B" else 1) * (1 + 0.004 * (-1) ** (k * (i + 1)))
                for k, x in enumerate(driven_study("ABBA").legs)
            ]
            made.add(driven_study("ABBA", values=values, title=f"Study {i}", route_name="Dyke Road"))
        yield made


def test_the_lines_are_what_opening_each_study_would_show(book):
    assert stale(book) == [1, 2, 3]
    freshen_all(book)
    assert stale(book) == []
    for e in book.studies():
        study, traces = book.load(e.id)
        c = analyse(study, traces, scatter=learned_scatter(book.scatter_evidence(e.id))).comparisons[0]
        known = json.loads(e.summary)
        assert (known["effect"], known["low"]) == (round(c.effect_percent, 3), round(c.interval_percent[0], 3))
    # A study that teaches another hand moves the others.
    wild = [170 * (1 + 0.06 * (-1) ** (k // 2)) for k in range(8)]
    added = book.add(driven_study("ABBA", values=wild))
    freshen(book, added)
    assert set(stale(book)) == {1, 2, 3}


def test_memory_is_kept_and_read_only_whole(book):
    assert read_memories(book.memories()).missing == (1, 2, 3)
    freshen_all(book)
    known = read_memories(book.memories())
    assert [f.study for f in known.findings] == [1, 2, 3]
    assert len(known.taught) == 3
    assert known.missing == ()
    assert [f.title for f in known.facts] == ["Study 0", "Study 1", "Study 2"]
    # What is not as it was written is worked out again, never believed.
    whole = dict(book.memories()[1:2])
    book._set(2, memory=f"0123456789abcdef {next(iter(whole.values()))}")
    assert read_memories(book.memories()).missing == (2,)
    found, faults = remember(book)
    assert not faults
    assert [f.study for f in found.findings] == [1, 2, 3]
    assert read_memories(book.memories()).missing == (2,), "nothing is written by reading"
    # An edit makes it unknown until it is analysed.
    book.save(1, book.load(1)[0].with_(title="Renamed"))
    assert 1 in read_memories(book.memories()).missing
    # What another version of the method worked out is worked out again.
    (entry, kept), *_ = (m for m in book.memories() if m[0].id == 2 or m[0].id == 3)
    older = json.dumps(json.loads(kept or "{}") | {"version": 1})
    assert read_memories([(entry, older)]).missing == (entry.id,)
    # What is put aside still counts unless it is asked not to.
    book.set_archived(3, True)
    assert 3 in [f.study for f in read_memories(book.memories()).findings]
    assert 3 not in [f.study for f in read_memories(book.memories(), archived=False).findings]


def test_of_a_rehearsal_nothing_is_learned():
    study = driven_study("ABBA")
    value = json.loads(study_memory(study, analyse(study), own=False))
    assert (value["findings"], value["taught"], value["facts"]) == ([], [], [])
    assert json.loads(study_summary(analyse(study), False, study))["scatter"] == []


def test_a_rehearsal_that_was_never_analysed_teaches_nothing_either(book):
    found, _ = remember(book, lambda study: study.title == "Study 1")
    assert [f.study for f in found.findings] == [1, 3]


def test_a_line_is_not_written_over_a_study_that_was_edited_meanwhile(book, monkeypatch):
    """Judged beside the window while the person types: what was judged is no longer what is there."""
    from fairmargin.logbook import freshen as module

    real = module.analyse

    def slow(study, *args, **more):
        result = real(study, *args, **more)
        book.save(1, study.with_leg("L01", average_shown=99.0), "typed meanwhile")
        return result

    monkeypatch.setattr(module, "analyse", slow)
    freshen(book, 1)
    assert book.studies()[0].summary == "typed meanwhile"
    assert 1 in stale(book)
    monkeypatch.undo()
    freshen(book, 1)
    assert 1 not in read_memories(book.memories()).missing


def test_tags_and_aside_are_written_and_checked(book):
    book.set_tags(1, ("covers", "spring"))
    book.set_archived(2, True)
    entries = {e.id: e for e in book.studies()}
    assert entries[1].about.tags == ("covers", "spring")
    assert book.load(1)[0].tags == ("covers", "spring")
    assert entries[2].archived and not entries[1].archived
    assert not book.healed
    # A line that was damaged is made anew with what it is about.
    with book._write() as connection:
        connection.execute('UPDATE study SET about = \'{"vehicle": "Another"}\' WHERE id = 1')
    assert {e.id: e for e in book.studies()}[1].about.vehicle == driven_study("AB").vehicle.name
    assert book.healed


def test_practice_answers_are_kept_and_only_whole_ones_read(book):
    book.add_practice('{"case": "a"}')
    book.add_practice('{"case": "b"}')
    with book._write() as connection:
        connection.execute("UPDATE practice SET body = '{}' WHERE id = 1")
    assert book.practice() == ['{"case": "b"}']


def test_a_choice_of_the_logbook_is_kept_and_only_read_as_it_was_written(book):
    assert book.choice("terms") is None
    book.set_choice("terms", "a")
    book.set_choice("terms", "b")
    assert book.choice("terms") == "b" and book.choice("other") is None
    with book._write() as connection:
        connection.execute("UPDATE choice SET value = 'c' WHERE name = 'terms'")
    assert book.choice("terms") is None
