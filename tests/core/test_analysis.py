"""The whole analysis: the arithmetic of the trade, published paired data, hand cases, invariants."""

import math
from datetime import timedelta

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.weightstats import ttost_paired
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.posterior import mixture_quantile
from fairmargin.core.planning import display_noise_percent, drift_left
from fairmargin.core.result import verdict
from fairmargin.core.result.pairs import paired_interval
from fairmargin.core.study import Configuration, Trace, WeatherRow


def only(study, **kwargs):
    return analyse(study, **kwargs).comparisons[0]


# ------------------------------------------------------------ common practice: figures worked by hand


def test_as_measured_is_total_energy_over_total_distance():
    # 249 and 268 against 284 and 304 Wh/mi per direction: +7.04 % and +7.63 % are per cent of each baseline.
    study = driven_study("AB", [284, 249, 304, 268])
    study = study.with_legs(leg.with_(average_unit="Wh/mi", average_step=1.0) for leg in study.legs)
    result = analyse(study)
    pairs = {p.direction: p.measured_percent for p in result.comparisons[0].pair_list}
    assert pairs == pytest.approx({"out": 7.04, "back": 7.63}, abs=0.005)
    assert result.comparisons[0].as_measured_percent == pytest.approx((304 + 268) / (284 + 249) * 100 - 100)


def test_trip_energy_is_in_per_cent_of_the_baseline():
    # 12.949 and 13.698 kWh over 30 mi: +5.78 % of baseline (−5.47 % would be range).
    study = driven_study("AB", method="one-way")
    kwh = iter((12.949, 13.698))
    study = study.with_legs(
        leg.with_(
            average_shown=None,
            average_unit=None,
            average_step=None,
            energy_kwh=next(kwh),
            energy_step_kwh=0.001,
            distance_km=48.28,
        )
        for leg in study.legs
    )
    c = only(study)
    assert c.as_measured_percent == pytest.approx(5.78, abs=0.005)
    assert only(study, view="as-measured").range_change_percent == pytest.approx(-5.47, abs=0.005)


def test_whole_kwh_hide_what_the_average_shows():
    # Averages 228 and 233 Wh/mi over 108.5 mi are 24.74 and 25.28 kWh; a whole-kWh display says 25 both times.
    average = driven_study("AB", [228, 233], method="one-way")
    average = average.with_legs(
        leg.with_(average_unit="Wh/mi", average_step=1.0, distance_km=174.6) for leg in average.legs
    )
    assert only(average).as_measured_percent == pytest.approx(2.19, abs=0.005)
    whole = average.with_legs(
        leg.with_(
            average_shown=None, average_unit=None, average_step=None, energy_kwh=25, energy_step_kwh=1.0
        )
        for leg in average.legs
    )
    result = analyse(whole)
    assert result.comparisons[0].as_measured_percent == 0
    assert result.comparisons[0].verdict == "not settled"
    # one step of 1 in 25 kWh is 4 %: worth ±3.1 % at 95 % in a difference of two
    assert result.comparisons[0].step_percent == pytest.approx(4.0 * 0.776, rel=0.02)
    assert "display-too-coarse" in {c.code for c in result.concerns if c.severity == "caution"}


def test_rounding_alone():
    # 3.5 against 3.4 mi/kWh, step 0.1: worth about ±2.3 % at 95 % for one pair (triangular distribution).
    assert display_noise_percent(0.1 / 3.4, 1) == pytest.approx(2.28, abs=0.01)
    # By sampling: the difference of two uniform errors of one step.
    rng = np.random.default_rng(0)
    difference = np.abs(rng.uniform(-0.5, 0.5, 400_000) - rng.uniform(-0.5, 0.5, 400_000))
    assert np.quantile(difference, 0.95) == pytest.approx(display_noise_percent(0.01, 1), rel=0.01)


def test_laps_are_compared_by_their_means():
    # Laps of 10.0, 9.2 against 10.5, 9.9 kWh/100 km: 9.6 against 10.2, +6.3 %.
    study = driven_study("ABAB", [10.0, 10.5, 9.2, 9.9], method="laps", route=())
    study = study.with_legs(leg.with_(average_unit="kWh/100km", average_step=0.1) for leg in study.legs)
    assert only(study).as_measured_percent == pytest.approx(6.25, abs=0.05)


def test_an_odometer_that_over_reads_hides_consumption():
    # Trip meter over-reads by 2.6 %, shows 150 Wh/km: 153.9 Wh/km true.
    study = driven_study("AB", [150, 150, 150, 150], vehicle=VAN.with_(distance_error_percent=2.6))
    leg = analyse(study).legs[0]
    assert leg.measured_wh_per_km == pytest.approx(150)
    assert leg.measured_wh_per_km + leg.corrections_wh_per_km["distance"] == pytest.approx(153.9)


def test_other_wheels_change_what_the_car_shows():
    # Trial wheels roll 2 % further per turn: the car sees 2 % less road than there is.
    a, b = driven_study("ABBA").configurations
    study = driven_study("ABBA", effect=1.0, configurations=(a, b.with_(circumference_change_percent=2.0)))
    study = study.with_legs(
        leg.with_(distance_km=18.4 / 1.02) if leg.configuration == "B" else leg for leg in study.legs
    )
    assert only(study).effect_percent == pytest.approx(-1.96, abs=0.3)


def test_gauge_and_charger():
    study = driven_study("AB", method="one-way")
    bare = {"average_shown": None, "average_unit": None, "average_step": None}
    gauge = study.with_legs(
        leg.with_(
            **bare,
            soc_start_percent=80,
            soc_end_percent=72 if leg.configuration == "A" else 71,
            soc_step_percent=1,
        )
        for leg in study.legs
    )
    result = analyse(gauge)
    # Each per cent of 52 kWh is 0.52 kWh; 8 % over 18.4 km.
    assert result.legs[0].measured_wh_per_km == pytest.approx(0.08 * 52_000 / 18.4)
    assert result.comparisons[0].verdict == "not settled"
    assert "gauge-too-coarse" in {c.code for c in result.concerns}
    charged = study.with_legs(leg.with_(**bare, charger_kwh=4.0) for leg in study.legs)
    assert analyse(charged).legs[0].measured_wh_per_km == pytest.approx(4000 * 0.9 / 18.4)


def test_a_run_charged_back_as_a_whole_covers_its_legs():
    study = driven_study("ABBA")
    bare = {"average_shown": None, "average_unit": None, "average_step": None}
    study = study.with_legs(
        leg.with_(
            **bare,
            charger_kwh=(8.0 if leg.configuration == "A" else 7.6) if leg.direction == "back" else None,
        )
        for leg in study.legs
    )
    result = analyse(study)
    assert result.comparisons[0].as_measured_percent == pytest.approx(-5.0)
    assert result.comparisons[0].effect_percent == pytest.approx(-5.0, abs=0.8)  # the first run may be cold
    assert {leg.instrument for leg in result.legs} == {"charge back"}


def test_fuel_is_handled_in_energy():
    petrol = VAN.with_(energy="petrol", drive_efficiency=None)
    study = driven_study("AB", [6.0, 6.0, 6.3, 6.3], vehicle=petrol)
    study = study.with_legs(leg.with_(average_unit="L/100km", average_step=0.1) for leg in study.legs)
    result = analyse(study)
    assert result.legs[0].measured_wh_per_km == pytest.approx(534.0)
    assert result.comparisons[0].as_measured_percent == pytest.approx(5.0)


# ------------------------------------------------------------ published paired data


def test_paired_interval_of_students_sleep_data():
    # Student, Biometrika 6 (1908): extra sleep with two drugs; t = 4.06 on 9 degrees of freedom.
    first = [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0]
    second = [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4]
    difference = [b - a for a, b in zip(first, second, strict=True)]
    mean, low, high = paired_interval(difference, 0.95)
    assert mean == pytest.approx(1.58)
    reference = stats.ttest_rel(second, first)
    assert reference.statistic == pytest.approx(4.06, abs=0.005)
    assert (low, high) == pytest.approx(tuple(reference.confidence_interval(0.95)))
    assert paired_interval([1.0], 0.95) is None


@pytest.mark.parametrize("shift", [0.0, 0.3, 0.9])
def test_equivalence_is_tested_as_such(shift):
    # statsmodels ttost_paired: equivalence at 2.5 % each side is the 95 % interval inside ± the bound.
    x = np.random.default_rng(4).normal(shift, 0.5, 12)
    p_value = ttost_paired(x, np.zeros(12), -1.0, 1.0)[0]
    mean, low, high = paired_interval(x.tolist(), 0.95)
    said = verdict.word(mean, (low, high), 1.0, False, 0.0) == "no difference that matters"
    assert said == (p_value < 0.025)


def test_a_wide_interval_is_never_no_difference():
    assert verdict.word(0.0, (-3, 3), 1.0, False, 0.0) == "not settled"
    assert verdict.word(0.0, (-0.5, 0.5), 1.0, True, 0.0) == "not a fair comparison"
    assert verdict.word(4.0, (2, 6), 1.0, False, 3.0) == "not settled"
    assert verdict.word(4.0, (2, 6), 1.0, False, 5.0) == "not a fair comparison"


def test_pairs_needed_is_power_arithmetic():
    # statsmodels TTestPower with a known spread is the normal formula n = ((z + z_power) σ / δ)².
    from statsmodels.stats.power import NormalIndPower

    n = NormalIndPower(ddof=0).solve_power(effect_size=2.0 / 3.0, power=0.8, alpha=0.05, ratio=0)
    assert verdict.pairs_needed(1, 2.0, 0.0, 3.0, 1.0, 1.959964) == math.ceil(n)
    assert verdict.pairs_needed(4, 2.0, 1.5, 3.0, 1.0, 1.96) is None  # what limits it does not average out


def test_mixture_quantile_of_one_normal():
    one = np.array([1.0])
    assert mixture_quantile(one, np.array([2.0]), np.array([3.0]), 0.975) == pytest.approx(
        2 + 3 * 1.959964, abs=1e-5
    )


# ------------------------------------------------------------ the correction by hand


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
    result = analyse(study)
    calm = shown(0.0, 0.83)
    for leg in result.legs:
        wanted = calm if leg.configuration == "A" else shown(0.0, 0.747)
        assert leg.corrected_wh_per_km == pytest.approx(wanted, rel=0.006), leg.leg
    assert result.comparisons[0].effect_percent == pytest.approx((shown(0, 0.747) / calm - 1) * 100, abs=0.3)
    assert (
        result.legs[0].corrections_wh_per_km["wind"]
        < -25
        < 25
        < result.legs[1].corrections_wh_per_km["wind"] + 10
    )


def test_ledger_adds_up():
    study = driven_study("ABBA")
    study = study.with_legs(
        leg.with_(
            temperature_c=3.0 + i,
            wind_speed_ms=4.0,
            wind_from_deg=30.0 * i,
            duration_s=720 + 5 * i,
            pressure_hpa=1000,
        )
        for i, leg in enumerate(study.legs)
    )
    for view in ("reference", "study-mean"):
        for leg in analyse(study, view=view).legs:
            total = leg.measured_wh_per_km + sum(leg.corrections_wh_per_km.values())
            assert leg.corrected_wh_per_km == pytest.approx(total, abs=1e-9)


def test_as_measured_corrects_nothing():
    result = analyse(driven_study("ABBA"), view="as-measured")
    assert all(
        not leg.corrections_wh_per_km and leg.corrected_wh_per_km == leg.measured_wh_per_km
        for leg in result.legs
    )
    assert result.comparisons[0].effect_percent == result.comparisons[0].as_measured_percent


def test_station_weather_fills_legs_without_their_own():
    study = driven_study("ABBA")
    bare = study.with_legs(
        leg.with_(temperature_c=None, wind_speed_ms=None, wind_from_deg=None, pressure_hpa=None)
        for leg in study.legs
    )
    rows = tuple(
        WeatherRow(
            time=t,
            temperature_c=15,
            pressure_hpa=1013.25,
            humidity_percent=60,
            wind_speed_ms=0,
            wind_from_deg=0,
        )
        for t in (study.legs[0].started_at, study.legs[-1].started_at)
    )
    assert only(bare.with_(weather=rows)).effect_percent == pytest.approx(
        only(study).effect_percent, abs=0.02
    )
    assert only(bare).half_width_percent > only(study).half_width_percent


def test_an_unknown_view_is_refused(abba):
    with pytest.raises(
        ValueError, match='view must be one of reference, study-mean, as-measured; got "both"'
    ):
        analyse(abba, view="both")


@pytest.mark.parametrize("count, words", [(0, "No readings yet"), (2, "Drive the first leg with Trial")])
def test_what_is_missing_is_said(count, words):
    study = driven_study("ABBA")
    study = study.with_legs(
        leg if i < count else leg.with_(average_shown=None, average_unit=None, average_step=None)
        for i, leg in enumerate(study.legs)
    )
    result = analyse(study)
    assert not result.comparisons
    assert words in result.missing


def test_several_trials_and_speeds_each_get_their_comparison():
    study = driven_study("ABAB")
    third = Configuration(id="C", name="Third")
    study = study.with_(configurations=(*study.configurations, third))
    study = study.with_legs(
        leg.with_(configuration="C" if leg.run == "R4" else leg.configuration) for leg in study.legs
    )
    assert [(c.baseline, c.trial) for c in analyse(study).comparisons] == [("A", "B"), ("A", "C")]
    fast = driven_study("ABAB").with_legs(
        leg.with_(speed_kmh=90 if leg.run in {"R1", "R2"} else 110) for leg in driven_study("ABAB").legs
    )
    assert [c.speed_kmh for c in analyse(fast).comparisons] == [90, 110]


# ------------------------------------------------------------ invariants


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


def test_unlike_legs_widen_the_margin_and_are_told():
    calm = driven_study("ABBAABBA")
    wild = driven_study(
        "ABBAABBA", [leg.average_shown * (1 + 0.05 * (-1) ** (i // 2)) for i, leg in enumerate(calm.legs)]
    )
    assert only(wild).half_width_percent > 1.5 * only(calm).half_width_percent
    assert "scatter-large" in {c.code for c in analyse(wild).concerns}


def test_order_of_runs_and_drift():
    assert drift_left("ABBA") == 0
    assert drift_left("AABB") == pytest.approx(2 / 3)
    with pytest.raises(ValueError, match="at least one A and one B"):
        drift_left("AAA")


def test_traces_must_be_whole():
    with pytest.raises(ValueError, match="time_s must increase"):
        Trace(time_s=np.array([0.0, 2.0, 1.0]), speed_kmh=np.ones(3))
    with pytest.raises(ValueError, match="speed_kmh has 2 values; expected 3"):
        Trace(time_s=np.arange(3.0), speed_kmh=np.ones(2))


def test_a_control_vehicle_cancels_the_day():
    # By hand: the second day costs both vehicles 4 %; the control never changes, the trial does −5 %.
    from datetime import timedelta

    base = driven_study("AABB")
    legs = []
    for leg in base.legs:
        second_day = leg.configuration == "B"
        day = 1.04 if second_day else 1.0
        moved = leg.with_(started_at=leg.started_at + timedelta(days=7 if second_day else 0), vehicle="test")
        legs.append(moved.with_(average_shown=170.0 * day * (0.95 if second_day else 1.0)))
        control = moved.with_(
            leg=f"{leg.leg}c", vehicle="control", configuration="A", average_shown=180.0 * day
        )
        legs.append(control)
    study = base.with_(method="side-by-side").with_legs(legs)
    c = only(study)
    assert c.as_measured_percent == pytest.approx((1.04 * 0.95 - 1) * 100, abs=0.01)
    alone = only(study.with_legs(leg for leg in legs if leg.vehicle == "test"))
    assert abs(c.effect_percent + 5) < 0.5 * abs(alone.effect_percent + 5)
    assert c.interval_percent[0] < -5 < c.interval_percent[1]
    assert "vehicle-confounded" not in {x.code for x in analyse(study).concerns}


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.lists(st.floats(-0.02, 0.02), min_size=8, max_size=8),
    st.floats(0.9, 1.1),
    st.floats(0, 7),
    st.integers(0, 35),
)
def test_a_perfect_duplicate_block_never_widens_the_margin(noise, effect, wind, tens):
    base = driven_study("ABBA", effect=effect)
    values = [leg.average_shown * (1 + e) for leg, e in zip(base.legs, noise, strict=True)]
    once = driven_study("ABBA", values)
    once = once.with_legs(leg.with_(wind_speed_ms=wind, wind_from_deg=10.0 * tens) for leg in once.legs)
    again = [
        leg.with_(
            leg=f"D{leg.leg}", run=f"D{leg.run}", block="2", started_at=leg.started_at + timedelta(hours=3)
        )
        for leg in once.legs
    ]
    twice = once.with_legs([*once.legs, *again])
    assert only(twice).half_width_percent <= only(once).half_width_percent * 1.001
