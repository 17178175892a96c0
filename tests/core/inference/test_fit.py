"""The one fit: what is corrected away, and what may never widen a margin."""

import math
from datetime import timedelta

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.simulation import DayPlan, simulate


def only(study, **kwargs):
    return analyse(study, **kwargs).comparisons[0]


def test_pure_head_wind_out_and_tail_wind_back_are_taken_off():
    # A flat road north, a wind of 5 m/s from the north at car height (mast at 1 m): by hand the aerodynamic force
    # out is (25 + 5)²/25² of the calm one. Readings made by that arithmetic must come back calm.
    force_roll = 1710 * 9.80665 * 0.0095 * math.exp(-0.006 * (15 - 20))
    rho = 1.2250 * 0.9971  # 15 °C, 1013.25 hPa, 60 % humidity: vapour takes 0.3 %

    def shown(wind, drag):
        # turbulence allowance of the model: σ = 0.9 · 0.18 · |wind| (0.3 at least), on both axes
        sigma = 0.9 * max(0.3, 0.18 * abs(wind))
        psi = math.degrees(math.atan2(0.8 * sigma, 25 + wind))
        aero = 0.5 * rho * drag * (1 + 0.012 * psi) * ((25 + wind) ** 2 + sigma**2)
        return ((aero + force_roll) / 0.88 + 300 / 25) / 3.6

    values = []
    for letter in "ABBA":
        drag = 0.83 * (1.0 if letter == "A" else 0.9)
        values += [shown(5.0, drag), shown(-5.0, drag)]
    study = driven_study("ABBA", values, wind={"measured_at_m": 1.0, "terrain": "open"})
    study = study.with_legs(leg.with_(wind_speed_ms=5.0, wind_from_deg=0) for leg in study.legs)
    study = study.with_leg("L01", driven_before_s=3600)
    result = analyse(study)
    calm = shown(0.0, 0.83)
    for leg in result.legs:
        wanted = calm if leg.configuration == "A" else shown(0.0, 0.747)
        assert leg.corrected_wh_per_km == pytest.approx(wanted, rel=0.006), leg.leg
    assert result.comparisons[0].effect_percent == pytest.approx((shown(0, 0.747) / calm - 1) * 100, abs=0.3)
    assert result.legs[0].corrections_wh_per_km["wind"] < -25 < 25 < result.legs[1].corrections_wh_per_km["wind"] + 10


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(st.floats(-0.03, 0.03), min_size=8, max_size=8), st.floats(0.85, 1.2))
def test_invariants(noise, effect):
    base = driven_study("ABBA", effect=effect)
    values = [leg.average_shown * (1 + e) for leg, e in zip(base.legs, noise, strict=True)]
    study = driven_study("ABBA", values)
    c = only(study)
    low, high = c.interval_percent
    assert low < c.effect_percent < high
    # the order of the rows in the file does not matter
    backwards = study.with_legs(reversed(study.legs))
    assert only(backwards).effect_percent == pytest.approx(c.effect_percent, abs=1e-6)
    # nor the unit in which readings were typed
    converted = study.with_legs(
        leg.with_(average_shown=leg.average_shown * 1.609344, average_unit="Wh/mi", average_step=0.1609344)
        for leg in study.legs
    )
    assert only(converted).effect_percent == pytest.approx(c.effect_percent, abs=1e-6)
    # swapping baseline and trial turns the ratio over
    a, b = study.configurations
    swapped = study.with_(configurations=(a.with_(baseline=False), b.with_(baseline=True)))
    s = only(swapped)
    assert (1 + s.effect_percent / 100) * (1 + c.effect_percent / 100) == pytest.approx(1, abs=0.004)


def test_more_of_the_same_never_widens_the_margin():
    one, two = only(driven_study("ABBA")), only(driven_study("ABBAABBA"))
    assert two.half_width_percent < one.half_width_percent
    assert two.pairs == 4


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.lists(st.floats(-0.02, 0.02), min_size=8, max_size=8), st.floats(0.9, 1.1), st.floats(0, 7), st.integers(0, 35)
)
def test_a_perfect_duplicate_block_never_widens_the_margin(noise, effect, wind, tens):
    base = driven_study("ABBA", effect=effect)
    values = [leg.average_shown * (1 + e) for leg, e in zip(base.legs, noise, strict=True)]
    once = driven_study("ABBA", values)
    once = once.with_legs(leg.with_(wind_speed_ms=wind, wind_from_deg=10.0 * tens) for leg in once.legs)
    again = [
        leg.with_(leg=f"D{leg.leg}", run=f"D{leg.run}", block="2", started_at=leg.started_at + timedelta(hours=3))
        for leg in once.legs
    ]
    twice = once.with_legs([*once.legs, *again])
    assert only(twice).half_width_percent <= only(once).half_width_percent * 1.001


def test_what_falls_with_pairs_and_what_does_not():
    """One pair: a cold first leg, a drift and the wind are no reason why no number of pairs would do; other days are."""
    one = analyse(driven_study("AB", effect=0.975)).comparisons[0]
    assert one.verdict == "not settled" and one.pairs_needed is not None and one.pairs_needed <= 12
    study = driven_study("AABB", effect=0.975)
    later = [x.with_(started_at=x.started_at + timedelta(days=9)) if x.configuration == "B" else x for x in study.legs]
    apart = analyse(study.with_legs(later)).comparisons[0]
    assert apart.verdict == "not settled" and apart.pairs_needed is None


def test_parts_of_a_margin_fall_as_declared():
    """Field-like days, in turn: variance of one part over that of twice as many pairs; 2 to the power that is declared."""
    sizes = {}
    for order in ("ABBA", "ABBABAAB"):
        budgets = [
            dict(analyse(s.study, s.traces).comparisons[0].margin_budget)
            for s in (simulate(80 + i, DayPlan(kind="aero covers", order=order, wind="mixed")) for i in range(6))
        ]
        sizes[order] = {
            k: float(np.mean([b.get(k, 0.0) ** 2 for b in budgets])) for k in ("scatter", "wind", "warm-up")
        }
    few, many = sizes["ABBA"], sizes["ABBABAAB"]
    assert few["scatter"] / many["scatter"] == pytest.approx(2.0, abs=0.7)
    assert few["wind"] / many["wind"] == pytest.approx(2.0, abs=0.8)
    assert few["warm-up"] / many["warm-up"] > 3.0
