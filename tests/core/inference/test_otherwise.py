"""What a fit says had its drives gone otherwise, against another fit."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.conditions.causes import Cause
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.inference.fit import fit_study
from fairmargin.core.inference.options import FitOptions
from fairmargin.simulation import DayPlan, simulate, straight_road


def fitted(study, dropped=frozenset(), start=None):
    found = gather(study, {})
    kept = [o for o in found.observations if not set(o.legs) & dropped]
    own = [found.conditions[name] for o in kept for name in o.legs]
    return fit_study(study, own, kept, found.logs[""], FitOptions(drop_legs=dropped), start=start)


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize(("legs", "near"), [(("L02",), 0.05), (("L03", "L04"), 0.3)])
def test_it_agrees_with_another_fit_of_the_others(seed, legs, near):
    """Equal but for what the model bends on the way, and what another set of legs makes of reports and of the day's course."""
    road = straight_road(np.random.default_rng(seed), 25_000.0)
    whole = fitted(simulate(seed, DayPlan(order="ABBAABBA"), road).study)
    study = simulate(seed, DayPlan(order="ABBAABBA"), road).study
    own, other = whole.otherwise.without(frozenset(legs))["B"], fitted(study, frozenset(legs), whole).effects["B"]
    assert own.percent == pytest.approx(other.percent, abs=0.15)
    half, theirs = (np.ptp(x.interval_percent(0.95)) / 2 for x in (own, other))
    assert half == pytest.approx(theirs, rel=near)
    assert own.percent != whole.effects["B"].percent


def test_its_effect_moves_by_the_influence_of_the_leg():
    whole = fitted(simulate(3, DayPlan(order="ABBA")).study)
    effect = whole.effects["B"]
    for leg, shift in effect.influence.items():
        assert whole.otherwise.without({leg})["B"].log_ratio - effect.log_ratio == pytest.approx(shift, abs=2e-3), leg


def test_of_a_reading_ten_times_too_large_only_another_fit_can_tell():
    study = driven_study("ABBA", values=[165, 1600, 158, 167, 160, 166, 164, 161])
    assert fitted(study).otherwise.without({"L02"}) is None
    near = driven_study("ABBA", values=[165, 160, 158, 167, 160, 166, 164, 161])
    assert fitted(near).otherwise.without({"L02"}) is not None


def test_nothing_is_left_without_any_leg():
    study = driven_study("ABBA", values=[165, 160, 158, 167, 160, 166, 164, 161])
    assert fitted(study).otherwise.without({leg.leg for leg in study.legs}) is None


def test_a_study_tells_the_same_whichever_leg_is_asked_first():
    study = driven_study("ABBA", values=[165, 160, 158, 167, 160, 166, 164, 161])
    whole = fitted(study)
    first = whole.otherwise.without({"L01"})["B"].percent
    whole.otherwise.without({"L05"})
    assert whole.otherwise.without({"L01"})["B"].percent == first
    assert replace(whole).otherwise.without({"L01"})["B"].percent == first


def held_up(seed, kind="aero covers", effect=-4.0):
    """A day on which traffic held somebody up, its fit, and the legs as free as the others."""
    for k in range(40):
        study = simulate(100 * seed + k, DayPlan(order="ABBA", kind=kind, effect_percent=effect, traffic=0.3)).study
        if study.events:
            break
    found = gather(study, {})
    whole = fitted(study)
    middle = float(np.median([c.speed_m_s for c in whole.conditions]))
    slow = {e.leg for e in study.events}
    free = [replace(c, speed_m_s=middle) for c in whole.conditions if c.leg in slow]
    now = {c.leg: c for c in free}
    own = [now.get(c.leg, c) for c in whole.conditions]
    options = FitOptions(ignore=frozenset({Cause.EVENTS}))
    return whole, free, lambda: fit_study(study, own, found.observations, found.logs[""], options, start=whole)


@pytest.mark.parametrize("seed", range(8))
def test_held_up_by_nothing_it_agrees_with_another_fit_of_the_same_readings(seed):
    whole, free, again = held_up(seed)
    effects = whole.otherwise.held_up_by_nothing(free)
    assert effects is not None
    other = again().effects["B"].percent
    assert effects["B"].percent == pytest.approx(other, abs=0.03)
    # It is the same way from what the fit says, and of the same size.
    assert effects["B"].percent - whole.effects["B"].percent == pytest.approx(
        other - whole.effects["B"].percent, abs=0.03
    )
    assert abs(other - whole.effects["B"].percent) > 0.03 or len(free) > 1


def test_of_an_effect_that_bends_only_another_fit_can_tell():
    """A trailer's half as much again: what is air and what is tyres moves far for one leg's energy."""
    told = [held_up(seed, "towing", 45.0) for seed in range(8)]
    answers = [(whole.otherwise.held_up_by_nothing(free), again) for whole, free, again in told]
    assert any(effects is None for effects, _ in answers)
    for effects, again in answers:
        if effects is not None:
            assert effects["B"].percent == pytest.approx(again().effects["B"].percent, abs=0.08)


def test_where_nothing_went_otherwise_nothing_is_said():
    assert (
        fitted(driven_study("ABBA", values=[165, 160, 158, 167, 160, 166, 164, 161])).otherwise.held_up_by_nothing([])
        is None
    )
