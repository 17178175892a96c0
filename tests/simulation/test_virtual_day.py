"""The virtual test day: honest, repeatable, and judged by an analysis that shares no code with it."""

import numpy as np
import pytest

from fairmargin.core.analysis import analyse
from fairmargin.simulation import DayPlan, simulate
from fairmargin.simulation.road import straight_road


def test_a_seed_gives_the_same_day():
    a, b = (simulate(5, DayPlan(samples=True)) for _ in range(2))
    assert a.study == b.study
    assert a.traces["L01"].same_as(b.traces["L01"])
    assert simulate(6, DayPlan()).study != a.study


@pytest.mark.parametrize("kind", ["aero covers", "tyres", "payload", "towing", "technique"])
def test_the_truth_is_the_effect_asked_for(kind):
    made = simulate(1, DayPlan(kind=kind, effect_percent=5.0))
    assert made.truth["effect_percent"] == pytest.approx(5.0, abs=0.01)


def test_the_display_rounds():
    made = simulate(2, DayPlan(step=0.5))
    assert all((leg.average_shown / 0.5) == pytest.approx(round(leg.average_shown / 0.5)) for leg in made.study.legs)


@pytest.mark.parametrize("instrument", ["average", "energy", "charge-back", "soc", "logger"])
@pytest.mark.parametrize("method", ["out-and-back", "loop"])
def test_every_instrument_leads_to_a_comparison(instrument, method):
    made = simulate(3, DayPlan(instrument=instrument, method=method, samples=instrument == "logger", effect_percent=-8))
    c = analyse(made.study, made.traces).comparisons[0]
    assert c.interval_percent[0] - 1 < made.truth["effect_percent"] < c.interval_percent[1] + 1


def test_level_ground_truth_of_the_traces():
    made = simulate(4, DayPlan(samples=True, traffic=0.0, ramps=False))
    trace = made.traces["L01"]
    assert np.mean(trace.speed_kmh) == pytest.approx(90, abs=2.5)
    assert made.study.legs[0].average_shown == pytest.approx(np.sum(trace.power_kw) / 3600 / 18.4 * 100, rel=0.03)


@pytest.mark.parametrize("regime", [{"wind": "calm"}, {"wind": "mixed"}, {"wind": "mixed", "days": 2, "order": "AABB"}])
def test_the_interval_holds_the_truth(regime):
    # 30 studies: at 95 % coverage fewer than 25 hits would be a one in 5000 accident.
    hits = 0
    for seed in range(30):
        made = simulate(700 + seed, DayPlan(**{"effect_percent": -4.0, **regime}))
        low, high = analyse(made.study).comparisons[0].interval_percent
        hits += low <= -4.0 <= high
    assert hits >= 25


def test_impossible_plans_are_refused():
    with pytest.raises(ValueError, match="expected the letters A and B"):
        simulate(1, DayPlan(order="AXB"))
    with pytest.raises(ValueError, match="expected one of calm, mixed, windy"):
        simulate(1, DayPlan(wind="storm"))


def test_roads_are_as_long_as_asked_and_loops_close():
    road = straight_road(np.random.default_rng(1), 6200.0, loop=True)
    assert road.length_m == pytest.approx(6200)
    assert road.height_m[0] == pytest.approx(road.height_m[-1])
