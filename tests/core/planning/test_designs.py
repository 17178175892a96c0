"""Before any driving: expected effect, split of the energy, designs compared by simulation."""

import numpy as np
import pytest
from benchmarks.designs import SHAPES, compared
from benchmarks.planned_days import laid
from statsmodels.stats.power import NormalIndPower
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.planning import (
    Design,
    compare_designs,
    expected_effect,
    order_of,
    pairs_for,
    recommend,
    shortest_leg_km,
    split,
    visible_from_kmh,
    with_power,
)
from fairmargin.core.study.plan import Forecast, Plan
from fairmargin.simulation import DayPlan, simulate


def study_with(mass=0.0, **plan):
    study = driven_study("ABBA").with_(plan=Plan(**plan))
    # Not driven yet: the plan's display counts, not that of readings.
    study = study.with_legs(leg.with_(average_shown=None, average_unit=None, average_step=None) for leg in study.legs)
    base, trial = study.configurations
    return study.with_(configurations=(base, trial.with_(mass_delta_kg=mass)))


def test_split_of_a_steady_drive_by_hand():
    # 0.5 · 1.2256 · 0.83 · 25² N = 318 N = 88 Wh/km of drag; 1710 · 9.81 · 0.0095 · 1.03 = 164 N = 46 Wh/km of tyres;
    # the driveline takes 12/88 of both on top; 300 W at 90 km/h are 3.3 Wh/km.
    share = split(driven_study("ABBA"), 90.0)
    assert share.air == pytest.approx(88.3, rel=0.02)
    assert share.tyres == pytest.approx(45.6, rel=0.02)
    assert share.climate == pytest.approx(3.33, rel=0.01)
    assert share.driveline == pytest.approx((88.3 + 45.6) * 12 / 88, rel=0.12)
    assert share.hills == pytest.approx(0, abs=0.1)
    assert split(driven_study("ABBA"), 130.0).air == pytest.approx(share.air * (130 / 90) ** 2, rel=0.01)
    assert split(driven_study("ABBA"), 90.0, wind_m_s=5).air > share.air  # out and back do not cancel
    assert split(driven_study("ABBA"), 90.0, climate_c=25).climate > share.climate + 5
    assert split(driven_study("ABBA"), 90.0, mass_kg=300).tyres == pytest.approx(share.tyres * 2010 / 1710, rel=0.01)


def test_two_kilos_of_wheel_cannot_be_measured():
    # Common practice: weight alone at steady speed costs little; +2.4 kg is nothing measurable.
    expected = expected_effect(study_with(mass=2.4))
    assert np.all(np.abs(expected.percent) < 0.1)
    assert visible_from_kmh(expected, 1.0) is None


def test_drag_shows_at_speed_and_hardly_in_town():
    expected = expected_effect(study_with(drag_area_percent=10), [30, 60, 90, 110])
    # At 110 km/h drag is 318 N · (110/90)² = 475 N beside 164 N of tyres and 300 W: 73 %, a tenth of it 7.3 %.
    assert expected.percent[3] == pytest.approx(7.3, abs=0.2)
    assert expected.percent[0] < 2
    assert np.all(np.diff(expected.percent) > 0)
    assert np.all((expected.low < expected.percent) & (expected.percent < expected.high))
    assert visible_from_kmh(expected, 3.0) == 60


def test_nothing_told_is_nothing_expected():
    assert not expected_effect(study_with()).given


@pytest.mark.parametrize(
    "pattern, runs, order",
    [
        ("ABBA", 4, "ABBA"),
        ("ABBA", 8, "ABBAABBA"),
        ("ABBA", 6, "ABBAAB"),
        ("BAAB", 4, "BAAB"),
        ("BAAB", 2, "BA"),
        ("AABB", 6, "AAABBB"),
        ("ABAB", 6, "ABABAB"),
    ],
)
def test_patterns_written_out(pattern, runs, order):
    assert order_of(pattern, runs) == order


def test_random_blocks_stay_balanced_and_odd_runs_are_refused():
    order = order_of("random", 8, np.random.default_rng(3))
    assert all(set(order[i : i + 2]) == {"A", "B"} for i in range(0, 8, 2))
    with pytest.raises(ValueError, match="even number"):
        order_of("ABBA", 3)
    with pytest.raises(ValueError, match="not a pattern"):
        order_of("AAAA", 4)


@pytest.mark.parametrize("wind, speed", [("calm", 1.2), ("mixed", 3.6)])
def test_the_predicted_margin_is_what_the_analysis_then_gives(wind, speed):
    # The virtual test day shares no code with the correction; its days are analysed in full.
    given = []
    for seed in range(12):
        made = simulate(600 + seed, DayPlan(wind=wind, order="ABBA"))
        given.append(analyse(made.study).comparisons[0].half_width_percent)
    study = made.study.with_(plan=Plan(forecast=Forecast(wind_speed_ms=speed, temperature_c=11)))
    (design,) = compare_designs(study, patterns=["ABBA"], runs=4)
    assert design.half_width_percent == pytest.approx(float(np.median(given)), rel=0.3)


def test_designs_are_priced_and_the_best_is_marked():
    study = study_with(drag_area_percent=-8, forecast=Forecast(wind_speed_ms=3))
    made = recommend(list(compare_designs(study, runs=4, days=50)))
    by_order = {d.order: d for d in made}
    assert set(by_order) == {"ABBA", "BAAB", "ABAB", "AABB", "random"}
    assert sum(d.recommended for d in made) == 1
    assert by_order["AABB"].drift_percent > by_order["ABAB"].drift_percent > by_order["ABBA"].drift_percent
    assert by_order["ABBA"].drift_percent < 0.5 < 1.0 < by_order["AABB"].drift_percent  # a charge breaks ABBA in two
    assert by_order["AABB"].half_width_percent > by_order["AABB"].without_drift_percent
    assert by_order["AABB"].swaps == 1 and by_order["ABAB"].swaps == 3
    assert by_order["AABB"].hours < by_order["ABAB"].hours
    assert not by_order["AABB"].recommended
    for d in made:
        assert 0 <= d.settles <= 1 and d.wrong <= 0.05 and d.half_width_percent > 0


def test_more_runs_and_finer_displays_see_more():
    study = study_with(drag_area_percent=-8)
    few, many = (next(compare_designs(study, patterns=["ABBA"], runs=n, days=40)) for n in (2, 8))
    assert many.half_width_percent < 0.75 * few.half_width_percent
    assert many.settles > few.settles
    coarse = study.with_(plan=study.plan.with_(display_step_kwh_per_100km=1.0))
    blunt = next(compare_designs(coarse, patterns=["ABBA"], runs=4, days=40))
    sharp = next(compare_designs(study, patterns=["ABBA"], runs=4, days=40))
    assert blunt.half_width_percent > 1.15 * sharp.half_width_percent


def test_cancelling_stops_between_weathers():
    asked = []

    def cancelled():
        asked.append(1)
        return len(asked) > 3

    assert list(compare_designs(study_with(), cancelled=cancelled)) == []
    assert len(asked) == 4


def test_pairs_are_power_arithmetic():
    # statsmodels: with a known spread σ of one pair's difference, 80 % power needs ((z + z_power) σ/δ)² pairs.
    study = study_with(drag_area_percent=-8, forecast=Forecast(wind_speed_ms=2))
    size = abs(float(expected_effect(study, [90]).percent[0]))
    design = Design("ABBA", "", 4, 9.0, 0.5, 0.0, 0.0, 5.0, 40.0, 2)
    sigma = 9.0 / 1.959964 * np.sqrt(2)
    needed = NormalIndPower(ddof=0).solve_power(effect_size=size / sigma, alpha=0.05, power=0.8, ratio=0)
    assert pairs_for(study, design) == int(np.ceil(needed - 1e-6))


@pytest.mark.parametrize("drag", [-4, -8])
def test_stated_power_is_that_of_other_days(drag):
    """Another draw of four hundred days settles it as often as is stated, within five points; one pair less does not."""
    study = study_with(drag_area_percent=drag)
    stated = with_power(study, next(compare_designs(study, patterns=["ABBA"])))
    assert stated.pairs is not None and stated.power >= 0.8
    again = [
        next(compare_designs(study, patterns=["ABBA"], runs=2 * pairs, days=400, seed=9)).settles
        for pairs in (stated.pairs, stated.pairs - 1)
    ]
    assert again[0] == pytest.approx(stated.power, abs=0.05)
    assert again[1] < 0.85
    assert pairs_for(study, stated) == stated.pairs


def test_what_no_number_settles_is_not_simulated():
    study = study_with(drag_area_percent=-0.2).with_(smallest_effect_percent=0.3)
    design = next(compare_designs(study, patterns=["ABBA"], days=40))
    assert with_power(study, design, days=40).pairs is None


def test_shortest_leg_for_a_display_of_whole_kilowatt_hours():
    # Rounding to 1 kWh is worth (1 − √0.05) / √n of a kWh: half of 2 % of 0.155 kWh/km · L with 4 legs each.
    study = study_with(display_step_kwh_per_100km=1.0).with_(smallest_effect_percent=2.0)
    per_km = split(study, 90).total / 1000
    assert shortest_leg_km(study, 4) == pytest.approx(100 * 0.7764 / 2 / per_km / 1.0, rel=0.01)


def test_an_unknown_vehicle_is_wide():
    wide = driven_study("ABBA", vehicle=VAN.with_(drag_area_m2=None, drag_area_sd_m2=None)).with_(
        plan=Plan(drag_area_percent=10)
    )
    known = study_with(drag_area_percent=10)
    spread = [float((e.high - e.low)[0]) for e in (expected_effect(s, [90]) for s in (wide, known))]
    assert spread[0] > spread[1]


def test_readings_already_made_tell_what_the_instrument_can():
    # Charge-backs of 3 kWh repeat to 3 % and more: a design with them is blunter than one with a fine display.
    study = study_with(drag_area_percent=-8)
    charged = study.with_leg("L01", charger_kwh=3.1).with_leg("L02", charger_kwh=3.0)
    fine, blunt = (next(compare_designs(s, patterns=["ABBA"], runs=4, days=40)) for s in (study, charged))
    assert blunt.half_width_percent > 1.3 * fine.half_width_percent


@pytest.mark.parametrize("shape", ["two sectors", "a change at two speeds"])
def test_sectors_and_speeds_tell_of_each_other_in_the_plan_as_they_do_afterwards(shape):
    # Driven and noted by vehicles and weather that share no law with the model.
    as_driven, as_planned = compared(SHAPES[shape], days=6)
    assert as_planned == pytest.approx(as_driven, rel=0.2)


def test_a_second_sector_narrows_what_is_planned_for_the_first():
    made, _, _ = laid(1, SHAPES["two sectors"])
    whole = next(compare_designs(made, patterns=["ABBA"], days=25)).half_width_percent
    alone = made.with_legs(leg for leg in made.legs if leg.sector == "lanes")
    one = next(compare_designs(alone, patterns=["ABBA"], days=25)).half_width_percent
    assert 0.6 * one < whole < 0.85 * one  # twice the drives: 0.71, and what sectors differ by on top
