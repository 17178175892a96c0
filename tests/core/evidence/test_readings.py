"""What each instrument says of a leg, by the arithmetic of the trade."""

import math

import pytest
from tests.conftest import VAN, driven_study
from uncertainties import ufloat

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.evidence.distances import distance_ratios
from fairmargin.core.evidence.readings import observations
from fairmargin.core.study.values import Instrument


def only(study, **kwargs):
    return analyse(study, **kwargs).comparisons[0]


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
        leg.with_(average_shown=None, average_unit=None, average_step=None, energy_kwh=25, energy_step_kwh=1.0)
        for leg in average.legs
    )
    result = analyse(whole)
    assert result.comparisons[0].as_measured_percent == 0
    assert result.comparisons[0].verdict == "not settled"
    # one step of 1 in 25 kWh is 4 %: worth ±3.1 % at 95 % in a difference of two
    assert result.comparisons[0].step_percent == pytest.approx(4.0 * 0.776, rel=0.02)
    assert "display-too-coarse" in {c.code for c in result.concerns if c.severity == "caution"}


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
            **bare, soc_start_percent=80, soc_end_percent=72 if leg.configuration == "A" else 71, soc_step_percent=1
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
        leg.with_(**bare, charger_kwh=(8.0 if leg.configuration == "A" else 7.6) if leg.direction == "back" else None)
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


def test_reading_noise_is_that_of_the_gum():
    # JCGM 100:2008, 4.3.7: half-width a = step/2 gives a/√3; propagated with the package `uncertainties`.
    study = driven_study("AB", [15.0, 15.0, 15.0, 15.0]).with_legs(
        leg.with_(average_shown=15.0, average_unit="kWh/100km", average_step=0.1) for leg in driven_study("AB").legs
    )
    shown = ufloat(15.0, 0.05 / math.sqrt(3))
    energy = shown * 18.4 * 10
    o = observations(study, {})[0]
    assert o.energy_wh == pytest.approx(energy.nominal_value)
    assert o.relative_sd == pytest.approx(energy.std_dev / energy.nominal_value)


def test_noise_of_a_state_of_charge_difference():
    bare = {"average_shown": None, "average_unit": None, "average_step": None}
    study = driven_study("AB", method="one-way")
    study = study.with_legs(
        leg.with_(**bare, soc_start_percent=80, soc_end_percent=70, soc_step_percent=1) for leg in study.legs
    )
    before, after, lag = ufloat(80, 0.5 / math.sqrt(3)), ufloat(70, 0.5 / math.sqrt(3)), ufloat(0, 0.3)
    drop = before - after + lag
    assert observations(study, {})[0].relative_sd == pytest.approx(drop.std_dev / drop.nominal_value)


def test_distance_ratio_comes_from_gps_where_there_is_one():
    study = driven_study("ABBA")
    gps = study.with_legs(leg.with_(distance_km=18.9, gps_distance_km=18.4) for leg in study.legs)
    assert distance_ratios(gps) == pytest.approx({"A": 18.9 / 18.4, "B": 18.9 / 18.4})
    stated = study.with_(vehicle=VAN.with_(distance_error_percent=2.6))
    assert distance_ratios(stated)["A"] == pytest.approx(1.026)
    # tyres: each configuration has its own odometer
    tyres = driven_study("ABBA", kind="tyres").with_legs(
        leg.with_(gps_distance_km=18.4 if leg.configuration == "A" else 18.6) for leg in study.legs
    )
    ratios = distance_ratios(tyres)
    assert ratios["A"] > ratios["B"]


def test_the_most_certain_instrument_that_all_legs_have_counts():
    """Common practice: 7 kWh on a whole-kWh display says less than a trip average to 0.1 kWh/100 km."""
    study = driven_study("AB")
    coarse = study.with_legs(leg.with_(energy_kwh=3, energy_step_kwh=1) for leg in study.legs)
    first = observations(coarse, {})[0].readings
    assert [r.instrument for r in first] == ["trip average", "trip energy"]
    assert first[1].relative_sd == pytest.approx(1 / math.sqrt(12) / 3, rel=0.01)
    fine = study.with_legs(leg.with_(energy_kwh=2.873, energy_step_kwh=0.001, average_step=1.0) for leg in study.legs)
    assert [o.readings[0].instrument for o in observations(fine, {})] == ["trip energy"] * 4
    # A finer reading of one leg does not make it another instrument's leg: what all have counts.
    one = study.with_leg("L01", energy_kwh=2.873, energy_step_kwh=0.001)
    assert [o.readings[0].instrument for o in observations(one, {})] == ["trip average"] * 4
    assert [r.instrument for r in observations(one, {})[0].readings] == ["trip average", "trip energy"]


def test_a_trip_average_is_over_the_distance_the_car_counted():
    """Common practice: a trip meter that over-reads by 2.6 % and shows 150 Wh/km means 153.9 Wh/km true."""
    study = driven_study("AB", values=[150.0] * 4, vehicle=VAN.with_(distance_error_percent=2.6))
    study = study.with_legs([leg.with_(distance_km=10.26, gps_distance_km=None) for leg in study.legs])
    one = observations(study, {})[0]
    assert one.energy_wh == pytest.approx(150.0 * 10.26) and one.true_km == pytest.approx(10.0)
    assert one.true_wh_per_km == pytest.approx(153.9)


def test_the_step_is_the_instruments_whatever_the_digits_show():
    study = driven_study("AB")
    coarse = study.with_(instruments={"trip average": Instrument(step=5.0, unit="Wh/km")})
    fine = observations(study, {})[0].relative_sd
    assert observations(coarse, {})[0].relative_sd == pytest.approx(fine * 5.0 / 0.1)
    other = study.with_(instruments={"trip average": Instrument(step=5.0, unit="mi/kWh")})
    assert observations(other, {})[0].relative_sd == pytest.approx(fine)  # a fact of another unit says nothing


def test_an_instrument_that_is_not_trusted_is_kept_and_does_not_count():
    study = driven_study("AB").with_legs(
        leg.with_(energy_kwh=2.5, energy_step_kwh=0.001, average_step=1.0) for leg in driven_study("AB").legs
    )
    assert observations(study, {})[0].readings[0].instrument == "trip energy"
    doubted = study.with_(instruments={"trip energy": Instrument(trusted=False)})
    kept = observations(doubted, {})[0].readings
    assert [r.instrument for r in kept] == ["trip average", "trip energy"]
    alone = doubted.with_legs(
        leg.with_(average_shown=None, average_unit=None, average_step=None) for leg in doubted.legs
    )
    assert observations(alone, {}) == []


def test_climate_that_regulates_itself_is_a_setting_of_21():
    study = driven_study("AB")
    auto = study.with_legs(leg.with_(climate="auto", temperature_c=6.0) for leg in study.legs)
    assert leg_conditions(auto, {})["L01"].climate_k == pytest.approx(15.0)


def test_roundings_of_readings_that_hardly_vary_are_shared():
    """Widrow's ρ = exp(−4π²σ²/Δ²): a drive of 30 km scatters by 1.05 %, which a step of 4 % rounds alike."""
    coarse = driven_study("ABBA", values=[25.0, 24.0] * 4)
    coarse = coarse.with_legs(
        leg.with_(average_unit="kWh/100km", average_step=1.0, distance_km=30.0, gps_distance_km=None)
        for leg in coarse.legs
    )
    out = observations(coarse, {})[0]
    assert out.rounded_alike == pytest.approx(math.exp(-((2 * math.pi * 0.0105 / 0.04) ** 2)), rel=1e-6)
    fine = coarse.with_legs(leg.with_(average_step=0.1) for leg in coarse.legs)
    assert observations(fine, {})[0].rounded_alike < 1e-6
    # The same two readings once more do not halve the rounding.
    once, twice = (
        driven_study(order, values=v, method="loop") for order, v in (("AB", [25, 24]), ("ABAB", [25, 24] * 2))
    )

    def step_part(study):
        coarse = study.with_legs(
            leg.with_(average_unit="kWh/100km", average_step=1.0, distance_km=92.0, gps_distance_km=None)
            for leg in study.legs
        )
        return next(x.half_width_percent for x in only(coarse).margin if x.source == "display step")

    # 92 km scatter by 0.6 %: ρ = 0.41, so a second pair leaves √(1.41/2) of it, not √½.
    assert step_part(twice) / step_part(once) == pytest.approx(math.sqrt(1.41 / 2), abs=0.03)
