"""Legs slower than their like: what their readings speak for, and that a time never makes a result worse."""

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import prepare
from fairmargin.core.inference.slower_legs import of_legs, slower_legs

#: No change; ABBA, out and back.
VALUES = [170.0, 171.0, 170.5, 171.2, 169.8, 170.6, 170.2, 170.9]


def slower(reading, seconds=800, values=VALUES):
    """The third leg took so long where the others took 736 s, and showed this."""
    return driven_study("ABBA", [*values[:2], reading, *values[3:]]).with_leg("L03", duration_s=seconds)


def weighed(study):
    """Mean and standard deviation of the slower leg's speed, as its readings speak for it, and before."""
    found = gather(study, {})
    conditions = list(found.conditions.values())
    problem = prepare(study, conditions, found.observations, found.logs[""], FitOptions())
    speeds = slower_legs(problem, problem.linearise(problem.prior_mean), conditions, 0.02, 6.0)
    assert set(speeds) == {"L03"}
    after = of_legs(problem, conditions, speeds)
    (j,) = [j for j, u in enumerate(problem.unknowns) if u.name == "speed of leg"]
    others = np.arange(len(problem.prior_mean)) != j
    assert (after.prior_mean[others] == problem.prior_mean[others]).all()
    return (after.prior_mean[j], after.prior_var[j] ** 0.5), (problem.prior_mean[j], problem.prior_var[j] ** 0.5)


def test_a_reading_like_the_others_says_that_it_stood():
    (off, sd), (before, before_sd) = weighed(slower(171.5))
    assert off > before and off == pytest.approx(0.088, abs=0.01) and sd < before_sd


def test_a_reading_that_is_lower_says_that_it_was_driven_slower():
    # By hand: 8 % slower all the way takes some 10 % less at 90 km/h (two thirds of it air).
    (off, sd), (before, before_sd) = weighed(slower(153.0))
    assert off < 0.025 < before and sd < before_sd


def test_a_reading_between_leaves_it_open():
    (off, _), _ = weighed(slower(162.0))
    assert 0.025 < off < 0.07


def test_readings_that_tell_nothing_leave_the_shares_as_they_were(monkeypatch):
    monkeypatch.setattr("fairmargin.core.inference.slower_legs.Weighed.log_evidence", lambda *_: 0.0)
    (off, sd), (before, before_sd) = weighed(slower(162.0))
    assert (off, sd) == pytest.approx((before, before_sd), rel=1e-3)


def test_without_a_slower_leg_nothing_changes():
    study = driven_study("ABBA", VALUES)
    found = gather(study, {})
    conditions = list(found.conditions.values())
    problem = prepare(study, conditions, found.observations, found.logs[""], FitOptions())
    speeds = slower_legs(problem, problem.linearise(problem.prior_mean), conditions, 0.02, 6.0)
    assert speeds == {} and of_legs(problem, conditions, speeds) is problem
    assert of_legs(problem, conditions, {"L03": (0.1, 0.01)}).prior_mean == pytest.approx(problem.prior_mean)


@pytest.mark.parametrize("seconds", [760, 800, 900])
def test_an_unnoted_halt_moves_the_effect_by_little(seconds):
    """Identical drives; one of the trial's stood. The effect stays where it was without the time, and the page asks why."""
    reading = 170.5 + 67.0 / 18.4  # a stop from 90 km/h takes 67 Wh
    timed = analyse(slower(reading, seconds)).comparisons[0]
    untimed = analyse(slower(reading, 736)).comparisons[0]
    assert abs(timed.effect_percent) < abs(untimed.effect_percent) + 0.6
    assert timed.interval_percent[0] < 0.0 < timed.interval_percent[1]
    told = [c for c in timed.concerns if c.code == "slower-leg"]
    assert bool(told) and told[0].legs == ("L03",) and "held up, or driven slower?" in told[0].title
    assert not [c for c in untimed.concerns if c.code == "slower-leg"]


def test_the_ledger_takes_a_slower_leg_for_what_the_fit_takes_it_for():
    """Corrected pairs and the effect may not disagree: the line of the speed has what is believed of each leg."""
    study = slower(170.5 + 67.0 / 18.4)
    lines = {x.leg: x.corrections_wh_per_km["speed"] for x in analyse(study).legs}
    # It stood: a stop's 3.6 Wh/km are taken off, instead of the 16 that an 8 % slower drive would have saved put on.
    assert -8.0 < lines["L03"] < 1.0
    assert abs(lines["L04"]) < 1.0
    trial = driven_study("ABBA", VALUES)
    trial = trial.with_legs(leg.with_(duration_s=791) if leg.configuration == "B" else leg for leg in trial.legs)
    found = analyse(trial)
    took = {x: np.mean([leg.corrected_wh_per_km for leg in found.legs if leg.configuration == x]) for x in "AB"}
    assert found.comparisons[0].effect_percent == pytest.approx(100 * (took["B"] / took["A"] - 1), abs=0.8)
