"""Slow traffic of which nobody noted how long or how slow: unknown where the leg was not timed, and never called corrected."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.study import Event


def held_up(timed, **what):
    study = driven_study("ABBA")
    if not timed:
        study = study.with_legs([leg.with_(duration_s=None) for leg in study.legs])
    return study.with_(events=(Event(leg="L03", kind="slow-traffic", **what),) if what is not None else ())


def told(study):
    c = analyse(study).comparisons[0]
    return c, [x for x in c.concerns if x.code == "slow-traffic"]


def test_an_untimed_leg_with_a_bare_note_is_open_and_wider():
    bare, (concern,) = told(held_up(False))
    assert (concern.severity, concern.covered, concern.bias_percent) == ("caution", False, None)
    assert "nothing of it is corrected" in concern.message and "Corrected" not in concern.next_step
    assert "how long and how slow" in concern.next_step
    without = analyse(held_up(False).with_(events=())).comparisons[0]
    assert 1.03 * without.half_width_percent < bare.half_width_percent < 1.4 * without.half_width_percent


def test_a_timed_leg_tells_by_its_time():
    c, (concern,) = told(held_up(True))
    assert concern.covered and concern.next_step.startswith("Corrected")
    assert c.half_width_percent < 1.05 * analyse(held_up(True).with_(events=())).comparisons[0].half_width_percent


def test_a_crawl_of_a_told_length_counts_on_an_untimed_leg_too():
    """By hand: two minutes of crawl at 90 km/h are 120 s of 736; an untold one is none that anybody could lay out."""
    conditions = leg_conditions(held_up(False, duration_s=120.0), {})
    assert conditions["L03"].jam_s == pytest.approx(120.0)
    assert leg_conditions(held_up(False), {})["L03"].jam_s == 0.0
    _, (concern,) = told(held_up(False, duration_s=120.0))
    assert concern.covered and concern.title == "Slow traffic"


def test_what_is_open_of_one_leg_and_corrected_of_another_is_told_apart():
    study = held_up(False)
    study = study.with_leg("L06", duration_s=760.0)
    study = study.with_(
        events=(*study.events, Event(leg="L06", kind="slow-traffic", duration_s=60.0, speed_kmh=50.0, at_km=4.0))
    )
    _, found = told(study)
    assert {x.title: x.legs for x in found} == {
        "Slow traffic, nobody knows how much": ("L03",), "Slow traffic": ("L06",),
    }  # fmt: skip
