"""What a result owes to its priors: against fits with those priors, and in one line."""

import dataclasses

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions import change, warm_up, wind
from fairmargin.core.inference.sensitivity import SCATTER, family
from fairmargin.core.result.sensitivity import PriorMoved, survival_words


def rows(study):
    c = analyse(study).comparisons[0]
    return c, {(r.prior, r.change): r for r in c.sensitivity()}


@pytest.mark.parametrize(
    "room, prior, name",
    [
        (warm_up, "WARM_UP", "warm-up"),
        (wind, "HEIGHT_FACTOR", "height factor"),
        (wind, "YAW_SLOPE", "yaw slope"),
        (change, "FITTING", "run"),
    ],
)
@pytest.mark.parametrize(
    "words, factor, steps", [("halved", 0.5, 0), ("doubled", 2.0, 0), ("mean up", 1.0, 1), ("mean down", 1.0, -1)]
)
def test_a_prior_changed_is_as_a_fit_with_that_prior(monkeypatch, room, prior, name, words, factor, steps):
    study = driven_study("ABBA", effect=0.96)
    _, found = rows(study)
    old = getattr(room, prior)
    monkeypatch.setattr(room, prior, dataclasses.replace(old, sd=old.sd * factor, mean=old.mean + steps * old.sd))
    fitted = analyse(study).comparisons[0]
    row = found[name, words]
    # beside the point of the fit only what the model bends between the two is missed
    assert row.effect_percent == pytest.approx(fitted.effect_percent, abs=0.15)
    assert row.interval_percent == pytest.approx(fitted.interval_percent, abs=0.25)


def test_every_family_is_there_four_times_and_the_scatter_twice():
    c, found = rows(driven_study("ABBA", effect=0.95))
    names = {prior for prior, _ in found}
    assert len(names) >= 24 and len(found) == 4 * (len(names) - 1) + 2
    assert {change for prior, change in found if prior == SCATTER} == {"halved", "doubled"}
    narrow, wide = found[SCATTER, "halved"], found[SCATTER, "doubled"]
    halves = [(r.interval_percent[1] - r.interval_percent[0]) / 2 for r in (narrow, wide)]
    assert halves[0] < c.half_width_percent < halves[1]


def test_a_family_is_what_an_unknown_is_without_whose_it_is():
    assert family("wind of day 2") == "wind of day" and family("run R3") == "run"
    assert family("B: aerodynamic") == "the change: aerodynamic" and family("height factor") == "height factor"


def test_survival_in_one_line():
    stands = [PriorMoved("warm-up", change, -4.0, (-6.0, -2.0), "uses less") for change in ("halved", "doubled")]
    assert (
        survival_words("uses less", stands) == "“uses less” stands under all 2 changes of what is believed beforehand."
    )
    fallen = [*stands, PriorMoved("tyres per K", "mean up", -2.0, (-4.1, 0.1), "not settled")]
    words = survival_words("uses less", fallen)
    assert "falls with 1 of 3" in words and "tyres per K mean up (then: not settled)" in words
    clear, near = (rows(driven_study("ABBA", effect=e))[0] for e in (0.9, 0.98))
    assert "stands under all" in survival_words(clear.verdict, clear.sensitivity())
    assert "falls with" in survival_words(near.verdict, near.sensitivity())
