"""Coasting runs of a simulated van: its load, the change's effect, what leaves it open, what is said of it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from fairmargin.core.analysis import analyse
from fairmargin.core.result.as_json import as_json
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.words.results import beside, may_say
from fairmargin.simulation.coasting import CoastPlan, simulate_coasts
from fairmargin.simulation.vehicle import TrueEffect, TrueVehicle, true_van, van_as_known

VAN = TrueVehicle()
KNOWN = van_as_known(VAN, np.random.default_rng(5))


def session(plan: CoastPlan, seed: int = 1):
    made = simulate_coasts(seed, plan, VAN, KNOWN)
    return made, analyse(made.study, made.traces)


def test_the_load_of_the_van_and_what_covers_do():
    made, found = session(CoastPlan(order="ABBAABBA"))
    base, trial = found.coast_downs
    # The owner's mass is some per cent off, and the load with it; the ratio of loads is not.
    assert abs(base.drag_area_m2 - 0.83) < 0.83 * 0.04 and abs(base.rolling - 0.0092) < 0.0092 * 0.1
    assert trial.drag_area_m2 / base.drag_area_m2 == pytest.approx(0.92, abs=0.03)
    assert trial.rolling / base.rolling == pytest.approx(1.0, abs=0.04)
    (c,) = found.comparisons
    assert c.verdict == "uses less" and c.coasted
    low, high = c.interval_percent
    assert low < made.truth["effect_percent"] < high and high - low < 6
    # By mean times of opposite runs: the force at 90 km/h, by hand with the van's true constants.
    force = 0.5 * 1.22 * 0.83 * 25**2 + 1710 * 9.81 * 0.0092 * (1 + 0.0226) * (1 + 0.006 * 6)
    assert float(base.load.force_n(25.0)) * 1710 / KNOWN.mass_kg == pytest.approx(force, rel=0.05)
    assert base.pairs == 4 and 0 < base.precision < 0.08


def test_it_is_told_as_coasted_and_nothing_as_driven():
    made, found = session(CoastPlan(order="ABBAABBA"))
    (c,) = found.comparisons
    units = UNIT_CHOICES["metric"]
    said = may_say(made.study, c, units)
    assert said.startswith("By coasting runs on") and "would use" in said and "used" not in said
    assert any("pairs of coasting runs: drag area" in line for line in beside(made.study, found, c, units))
    assert all(r.as_driven_wh_per_km is None and r.range_km is None and r.wh_per_km > 100 for r in found.results)
    assert {x.instrument for x in found.legs} == {"coasting"}
    # Its wind was told by opposite runs: it is no guess of what is usual.
    assert {s.kind for s in c.steps if s.source == "wind"} == {"noted"} and "nobody noted" not in said
    written = as_json(found)["coast_downs"]
    assert [x["configuration"] for x in written] == ["A", "B"] and written[0]["load"]["f2_n_s2_m2"] > 0.3


def test_wind_and_slope_are_taken_out_by_opposite_runs():
    """A head wind of 3 m/s one way and a rise: each way alone is far off, together they are not."""
    windy = CoastPlan(order="ABBA", effect=TrueEffect(), wind_m_s=3.0, slope=0.004)
    _, found = session(windy, 3)
    out = [x.measured_wh_per_km for x in found.legs if x.direction == "out"]
    back = [x.measured_wh_per_km for x in found.legs if x.direction == "back"]
    assert abs(math.log(np.mean(out) / np.mean(back))) > 0.08
    still = [x.corrected_wh_per_km for x in found.legs]
    assert np.std(still) / np.mean(still) < 0.025
    (c,) = found.comparisons
    assert c.interval_percent[0] < 0 < c.interval_percent[1]


@pytest.mark.parametrize(
    "plan, code, covered",
    [
        (CoastPlan(order="ABBA", both_ways=False), "coast-one-way", True),
        (CoastPlan(order="AB"), "one-pair-only", True),
        (CoastPlan(order="ABBA", scatter=0.03), "coast-precision", True),
    ],
)
def test_what_a_referee_would_say(plan, code, covered):
    _, found = session(plan)
    (c,) = found.comparisons
    (concern,) = [x for x in c.concerns if x.code == code]
    assert concern.covered is covered and concern.bias_percent > 0.5
    assert (c.standing.word == "fair") is (code == "coast-precision")


def test_wind_beyond_the_procedures_is_an_open_doubt():
    made = simulate_coasts(1, CoastPlan(), VAN, KNOWN)
    windy = made.study.with_legs([x.with_(wind_speed_ms=7.0, wind_from_deg=90.0) for x in made.study.legs])
    (c,) = analyse(windy, made.traces).comparisons
    assert "coast-wind" in {x.code for x in c.concerns} and c.standing.word == "with reservations"


def test_one_way_only_is_much_wider():
    both, one = (session(CoastPlan(order="ABBA", both_ways=ways))[1].comparisons[0] for ways in (True, False))
    assert one.half_width_percent > 2 * both.half_width_percent


def test_intervals_hold_the_truth_and_nulls_are_not_said():
    """Forty sessions, half of them without any effect: what the benchmark asks of more."""
    holds = false = 0
    for seed in range(40):
        rng = np.random.default_rng(seed)
        van = true_van(rng)
        effect = TrueEffect(drag=0.93) if seed % 2 else TrueEffect()
        made = simulate_coasts(seed, CoastPlan(effect=effect), van, van_as_known(van, rng))
        (c,) = analyse(made.study, made.traces).comparisons
        low, high = c.interval_percent
        holds += low <= made.truth["effect_percent"] <= high
        false += seed % 2 == 0 and c.verdict in {"uses more", "uses less"}
    assert holds >= 37 and false <= 2


def test_coasting_beside_drives_leaves_the_drives_alone():
    from tests.conftest import driven_study

    drives = driven_study("ABBA")
    made = simulate_coasts(1, CoastPlan(order="AB"), VAN, KNOWN)
    extra = [x.with_(leg=f"C{x.leg}", run=f"C{x.run}") for x in made.study.legs]
    both = drives.with_legs([*drives.legs, *extra])
    found = analyse(both, {f"C{k}": v for k, v in made.traces.items()})
    alone = analyse(drives)
    assert len(found.comparisons) == 1 and not found.comparisons[0].coasted
    assert found.comparisons[0].effect_percent == pytest.approx(alone.comparisons[0].effect_percent, abs=0.05)
    assert [x.configuration for x in found.coast_downs] == ["A", "B"]


def test_other_tyres_roll_harder():
    plan = CoastPlan(order="ABBAABBA", effect=TrueEffect(rolling=1.10), kind="tyres")
    made, found = session(plan)
    (c,) = found.comparisons
    assert c.interval_percent[0] < made.truth["effect_percent"] < c.interval_percent[1]
    base, trial = found.coast_downs
    assert trial.rolling / base.rolling == pytest.approx(1.10, abs=0.05)
    assert replace(base, pairs=0).pairs == 0


def test_a_rise_is_taken_off_one_way_and_added_the_other():
    """0.6 % of 1.7 t are 100 N: at 90 km/h, through the driveline, 100 / 3.6 / 0.88 = 32 Wh/km off out and on back."""
    _, found = session(CoastPlan(order="ABBA", effect=TrueEffect(), slope=0.006, wind_m_s=0.0), 2)
    for way, sign in (("out", -1), ("back", 1)):
        line = np.mean([x.corrections_wh_per_km["elevation"] for x in found.legs if x.direction == way])
        assert sign * line == pytest.approx(1710 * 9.81 * 0.006 / 3.6 / 0.88, rel=0.25)
