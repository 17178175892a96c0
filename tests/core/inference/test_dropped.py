"""What a fit says without some drives, against another fit of the others."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import driven_study

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
    own, other = whole.without(frozenset(legs))["B"], fitted(study, frozenset(legs), whole).effects["B"]
    assert own.percent == pytest.approx(other.percent, abs=0.15)
    half, theirs = (np.ptp(x.interval_percent(0.95)) / 2 for x in (own, other))
    assert half == pytest.approx(theirs, rel=near)
    assert own.percent != whole.effects["B"].percent


def test_its_effect_moves_by_the_influence_of_the_leg():
    whole = fitted(simulate(3, DayPlan(order="ABBA")).study)
    effect = whole.effects["B"]
    for leg, shift in effect.influence.items():
        assert whole.without({leg})["B"].log_ratio - effect.log_ratio == pytest.approx(shift, abs=2e-3), leg


def test_of_a_reading_ten_times_too_large_only_another_fit_can_tell():
    study = driven_study("ABBA", values=[165, 1600, 158, 167, 160, 166, 164, 161])
    assert fitted(study).without({"L02"}) is None
    near = driven_study("ABBA", values=[165, 160, 158, 167, 160, 166, 164, 161])
    assert fitted(near).without({"L02"}) is not None


def test_nothing_is_left_without_any_leg():
    study = driven_study("ABBA", values=[165, 160, 158, 167, 160, 166, 164, 161])
    assert fitted(study).without({leg.leg for leg in study.legs}) is None


def test_a_study_tells_the_same_whichever_leg_is_asked_first():
    study = driven_study("ABBA", values=[165, 160, 158, 167, 160, 166, 164, 161])
    whole = fitted(study)
    first = whole.without({"L01"})["B"].percent
    whole.without({"L05"})
    assert whole.without({"L01"})["B"].percent == first
    assert replace(whole).without({"L01"})["B"].percent == first
