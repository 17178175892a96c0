"""The margin by source: the lines are the interval, each with legs, cause and the cheapest remedy."""

import math
from datetime import timedelta

import pytest
from tests.conftest import driven_study
from tests.unlike import calm, on_legs, unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.causes import Group, Regressor
from fairmargin.core.result.margin import margin_lines, told


def only(study, traces=None, **how):
    return analyse(study, traces or {}, **how).comparisons[0]


def source(c, name):
    return next(line for line in c.margin if line.source == name)


@pytest.mark.parametrize("name", sorted(unlike()))
@pytest.mark.parametrize("view", ["reference", "as-measured"])
def test_squares_of_the_lines_are_the_interval(name, view):
    study, traces = unlike()[name]
    for c in analyse(study, traces, view).comparisons:
        whole = math.sqrt(sum(line.half_width_percent**2 for line in c.margin))
        assert whole == pytest.approx(c.half_width_percent, rel=1e-6)
        assert all(line.half_width_percent > 0 and line.cause and line.remedy for line in c.margin)
        sizes = [line.half_width_percent for line in c.margin]
        assert sizes == sorted(sizes, reverse=True)


def test_every_source_has_its_words():
    hidden = {Group.WIND_OF_RUNS, Group.SPEED_ALIKE, Group.RUNS}  # told as another
    assert set(told()) == (set(Group) - hidden) | set(Regressor)


def test_by_hand():
    # ±3 % together: a day of 1 % and a display of half a per cent leave √(9 − 3.84 − 0.96) for scatter.
    lines = margin_lines(
        [(Group.DAY, 0.01**2), (Group.DISPLAY_STEP, 0.005**2), (Group.SCATTER, 0.008**2)],
        {Group.DAY: ("L03",)},
        0.0,
        (-3.0, 3.0),
        0.95,
        [],
    )
    found = {line.source: line.half_width_percent for line in lines}
    assert found["day"] == pytest.approx(1.96, abs=0.001)
    assert found["display step"] == pytest.approx(0.98, abs=0.001)
    assert found["scatter"] == pytest.approx(math.sqrt(9 - 1.96**2 - 0.98**2), abs=0.001)
    assert next(line for line in lines if line.source == "day").legs == ("L03",)


def test_what_was_not_noted_is_said_with_its_legs_and_its_remedy():
    study = driven_study("ABBA")
    c = only(on_legs(study, lambda i, leg: {"temperature_c": None} if i in {2, 3} else {}))
    line = source(c, "temperature")
    assert line.legs == ("L03", "L04") and line.cause == "temperature was not noted"
    assert "dash" in line.remedy
    assert "temperature was not noted" not in {line.cause for line in only(calm("ABBA")).margin}


def test_days_apart_are_told_with_their_remedy():
    study = calm("AABB")
    apart = on_legs(
        study, lambda i, leg: {"started_at": leg.started_at + timedelta(days=int(leg.configuration == "B"))}
    )
    # Common practice: what a day does to all its legs, 1.2 % each: 1.96 · 1.2 · √2.
    assert source(only(apart), "day").half_width_percent == pytest.approx(1.96 * 1.2 * 2**0.5 * 0.95, abs=0.1)
    assert "one day" in source(only(apart), "day").remedy
    assert all(line.source != "day" for line in only(study).margin)


def test_a_verdict_that_pairs_cannot_settle_names_the_remedy():
    study = calm("AABB", effect=0.985)
    apart = on_legs(
        study,
        lambda i, leg: {
            "started_at": leg.started_at + timedelta(days=14 * int(leg.configuration == "B")),
            "temperature_c": None,
            "wind_speed_ms": None,
            "wind_from_deg": None,
        },
    )
    c = only(apart)
    assert c.verdict == "not settled" and c.pairs_needed is None
    first = next(line for line in c.margin if line.source != "scatter")
    assert first.remedy in c.reason and first.cause in c.reason
