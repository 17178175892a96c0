"""Unfair comparisons are caught, priced, and judged; a charge vanishes when its cause does."""

import math
from datetime import timedelta

import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.study import Event
from fairmargin.core.study.values import Instrument
from fairmargin.core.words import signed


def concerns(study):
    return {c.code: c for c in analyse(study).concerns}


def each(study, change):
    return study.with_legs(leg.with_(**change(leg)) for leg in study.legs)


def on_trial(**values):
    return lambda leg: values if leg.configuration == "B" else {}


def test_a_clean_study_has_no_caution():
    result = analyse(driven_study("ABBAABBA"))
    assert [c.code for c in result.concerns if c.severity != "note"] == []
    assert result.comparisons[0].verdict == "uses less"


def test_a_direction_for_each_configuration_blocks():
    study = driven_study("ABBA")
    study = study.with_legs(leg for leg in study.legs if (leg.direction == "out") == (leg.configuration == "A"))
    found = concerns(study)
    assert found["direction-confounded"].severity == "blocks"
    c = analyse(study).comparisons[0]
    assert c.verdict == "not a fair comparison"
    assert c.pairs_needed is None
    assert "both directions" in c.reason


CAUSES = {
    "days-apart": on_trial(started_at=driven_study().legs[0].started_at + timedelta(days=20)),
    "weather-unlike": on_trial(temperature_c=2.0),
    "wet-road": on_trial(road="wet"),
    "climate-unlike": on_trial(climate="21"),
    "tyre-pressure-unlike": lambda leg: {"tyre_pressure_kpa": 290.0 if leg.configuration == "A" else 270.0},
    "mass-unlike": on_trial(mass_delta_kg=80.0),
    "battery-temperature-unlike": lambda leg: {"battery_temperature_c": 25.0 if leg.configuration == "A" else 12.0},
    "speed-unlike": on_trial(duration_s=690),
    "wind-strong": lambda leg: {"wind_speed_ms": 9.0},
    "gusts": lambda leg: {"wind_speed_ms": 4.0, "wind_gust_ms": 11.0},
    "charge-window-unlike": lambda leg: {"soc_start_percent": 90.0 if leg.configuration == "A" else 40.0},
    "stopped-with-car-on": on_trial(stopped_s=120, duration_s=856),
    "outside-tested-speed": lambda leg: {"duration_s": 1000},
    "distance-unlike": lambda leg: {"distance_km": 19.4} if leg.leg == "L03" else {},
    "cold-tyres": lambda leg: {},
}


@pytest.mark.parametrize("code", [c for c in CAUSES if c != "cold-tyres"])
def test_a_concern_comes_and_goes_with_its_cause(code):
    clean = driven_study("ABBAABBA")
    assert code not in concerns(clean)
    found = concerns(each(clean, CAUSES[code]))
    assert code in found
    concern = found[code]
    assert concern.legs and concern.message.endswith(".") and concern.next_step.endswith(".")


@pytest.mark.parametrize(
    "kind, code",
    [
        ("slow-traffic", "slow-traffic"),
        ("following-closely", "following-closely"),
        ("reset-doubtful", "trip-meter-not-reset"),
        ("lift-off", "read-off-point-moved"),
        ("wrong-turn", "wrong-turn"),
        ("rain", "wet-road"),
    ],
)
def test_noted_events_become_concerns(kind, code):
    study = driven_study("ABBAABBA")
    event = Event(leg="L03", kind=kind, at_km=5, duration_s=180, speed_kmh=74)
    assert concerns(study.with_(events=(event,)))[code].legs == ("L03",)


def test_slow_traffic_is_priced_by_the_model():
    # Three minutes at 74 instead of 90 km/h on one of 8 trial legs: that leg used less, so the effect looks larger.
    study = driven_study("ABBAABBA").with_leg("L03", duration_s=736 + 38)
    event = Event(leg="L03", kind="slow-traffic", at_km=5, duration_s=180, speed_kmh=74)
    charge = concerns(study.with_(events=(event,)))["slow-traffic"].bias_percent
    assert 0.1 < charge < 1.5


def test_wet_against_dry_is_corrected_by_what_water_costs_and_never_twice():
    """Water only raises (6 ± 3 %, common practice): a wet trial that read the same saved about that, and may have saved nothing."""
    dry = analyse(driven_study("ABBA")).comparisons[0]
    c = analyse(each(driven_study("ABBA"), CAUSES["wet-road"])).comparisons[0]
    assert c.effect_percent - dry.effect_percent == pytest.approx(100 * (math.exp(-0.06) - 1), abs=0.4)
    assert dict(c.margin_budget)["road"] == pytest.approx(1.96 * 3.0 * math.exp(-0.06), rel=0.08)
    assert c.open_charge_percent == 0.0  # charged once: in the margin


def test_rain_noted_on_a_wet_leg_is_charged_once():
    """The road's state corrects it; the note of rain beside it costs nothing more. On a dry road it does."""
    rain = (Event(leg="L03", kind="rain", duration_s=300.0),)
    wet = driven_study("ABBA").with_leg("L03", road="wet")
    once, twice = (analyse(s).comparisons[0] for s in (wet, wet.with_(events=rain)))
    assert twice.open_charge_percent == once.open_charge_percent == 0.0
    assert twice.effect_percent == pytest.approx(once.effect_percent, abs=0.01)
    dry = analyse(driven_study("ABBA").with_leg("L03", road="dry").with_(events=rain))
    assert "Rain on the leg" in {c.title for c in dry.concerns}
    assert "Rain on the leg" not in {c.title for c in analyse(wet.with_(events=rain)).concerns}


def test_a_large_saving_stands_although_the_trial_ran_wet():
    c = analyse(each(driven_study("ABBA", effect=0.86), CAUSES["wet-road"])).comparisons[0]
    assert c.verdict == "uses less" and c.effect_percent < -14


def test_weather_charge_has_the_sign_of_what_it_repairs():
    # Colder trial legs read high; the correction lowers the effect, so its charge is negative.
    study = each(driven_study("ABBA", effect=1.05), on_trial(temperature_c=0.0))
    assert concerns(study)["weather-unlike"].bias_percent < -2


def test_orders_one_pair_and_cold_start():
    assert "order-drift" in concerns(driven_study("AABB"))
    for order, whole in (("AB", "ABBA"), ("BA", "BAAB"), ("ABAB", "ABABBABA")):
        advice = concerns(driven_study(order))["order-drift"].next_step
        assert advice == f"Add {whole[len(order) :]}, so that the whole reads {whole}."
    assert concerns(driven_study("BA"))["one-pair-only"].next_step.endswith("so that the whole reads BAAB.")
    assert "one-pair-only" in concerns(driven_study("AB"))
    assert "cold-tyres" in concerns(driven_study("AB"))
    assert not {"order-drift", "one-pair-only"} & concerns(driven_study("ABBA")).keys()


def test_one_leg_that_decides_is_named():
    values = [170.0 if leg.configuration == "A" else 169.0 for leg in driven_study("ABBA").legs]
    values[2] = 190.0
    found = concerns(driven_study("ABBA", values))
    assert found["one-leg-decides"].legs == ("L03",)


def test_the_price_of_a_left_out_leg_is_that_of_the_analysis_without_it():
    # The closed form for leaving one leg out against really leaving it out.
    values = [170.0 if leg.configuration == "A" else 169.0 for leg in driven_study("ABBA").legs]
    values[2] = 190.0
    study = driven_study("ABBA", values)
    charge = concerns(study)["one-leg-decides"].bias_percent
    without = study.with_leg("L03", included=False, reason="test")
    real = analyse(study).comparisons[0].effect_percent - analyse(without).comparisons[0].effect_percent
    assert charge == pytest.approx(real, rel=0.35)


def test_two_cars_without_a_swap_are_confounded():
    study = driven_study("ABAB", method="side-by-side")
    one_sided = each(study, lambda leg: {"vehicle": "test" if leg.configuration == "B" else "control"})
    assert concerns(one_sided)["vehicle-confounded"].severity == "blocks"
    assert "some 10 %" in concerns(one_sided)["vehicle-confounded"].message
    alike = one_sided.with_(circumstances=one_sided.circumstances.with_(vehicles="alike"))
    assert concerns(alike)["vehicle-confounded"].severity == "blocks"  # it narrows, and takes no doubt away
    assert "some 3 %" in concerns(alike)["vehicle-confounded"].message
    halves = [analyse(s).comparisons[0].half_width_percent for s in (one_sided, alike)]
    assert halves[0] > 18 and halves[1] < 0.5 * halves[0]
    swapped = each(study, lambda leg: {"vehicle": "control" if leg.run in {"R2", "R3"} else "test"})
    assert "vehicle-confounded" not in concerns(swapped)


def test_instruments_that_disagree_are_told():
    study = driven_study("ABBA").with_leg("L01", fuel_l=None, energy_kwh=3.6, energy_step_kwh=0.1)
    assert concerns(study)["instruments-disagree"].legs == ("L01",)


def test_tyres_without_a_distance_check_and_grid_energy():
    assert "rolling-circumference-changed" in concerns(driven_study(kind="tyres"))
    known = each(driven_study(kind="tyres"), lambda leg: {"gps_distance_km": 18.4})
    assert "rolling-circumference-changed" not in concerns(known)
    assert "grid-energy-left-out" in concerns(driven_study(kind="preconditioning"))


def test_left_out_after_the_result_stays_in_sight():
    study = driven_study("ABBA").with_leg("L03", included=False, reason="queue", left_out_after_result=True)
    result = analyse(study)
    concern = {c.code: c for c in result.concerns}["left-out-after-result"]
    assert "queue" in concern.message
    back_in = analyse(study.with_leg("L03", included=True)).comparisons[0].effect_percent
    assert concern.bias_percent == pytest.approx(result.comparisons[0].effect_percent - back_in, abs=0.02)
    leg = next(x for x in result.legs if x.leg == "L03")
    assert not leg.included and leg.corrected_wh_per_km is None and leg.measured_wh_per_km > 0
    pair = next(p for p in result.comparisons[0].pair_list if p.trial_leg == "L03")
    assert not pair.included and pair.reason == "queue"


def test_class_presets_are_wide_and_named():
    known, unknown = (
        driven_study("ABBA"),
        driven_study("ABBA", vehicle=VAN.with_(drag_area_m2=None, drag_area_sd_m2=None)),
    )
    assert "drag_area_m2" in analyse(unknown).assumed
    assert "drag_area_m2" not in analyse(known).assumed


# ---------------------------------------------------------------- what else changed


def heavier(kg, kind="aero covers", **fields):
    study = driven_study("ABBAABBA", kind=kind, **fields)
    base, trial = study.configurations
    return study.with_(configurations=(base, trial.with_(mass_delta_kg=kg)))


def test_a_second_change_is_named_and_priced_by_the_model():
    assert "second-change" not in concerns(heavier(10))
    found = concerns(heavier(150))["second-change"]
    # By hand: rolling at 15 °C is 0.0095 · 1.03 · 1710 · 9.81 / 3.6 / 0.88 = 52 Wh/km beside 100 of drag and 3 of
    # auxiliaries: a third; 150 kg on 1710 kg cost 2.9 %.
    assert found.bias_percent == pytest.approx(2.9, abs=0.3)
    assert not found.covered
    assert "second-change" not in concerns(heavier(150, kind="payload"))


def test_other_wheels_beside_the_change_are_a_second_change():
    study = driven_study("ABBA")
    base, trial = study.configurations
    study = study.with_(configurations=(base, trial.with_(circumference_change_percent=2.0)))
    assert "larger" in concerns(study)["second-change"].title


def test_a_load_that_costs_more_than_its_weight_stands_in_the_wind():
    # 320 kg cost about 6.5 % by weight (a third of 19 %); a reading of +14 % has something else in it.
    plain = heavier(320, kind="payload", effect=1.065)
    assert "extra-frontal-area" not in concerns(plain)
    tall = concerns(heavier(320, kind="payload", effect=1.14))["extra-frontal-area"]
    assert tall.bias_percent == pytest.approx(14 - 6.5, abs=0.8)
    declared = heavier(320, kind="payload", effect=1.14)
    base, trial = declared.configurations
    declared = declared.with_(configurations=(base, trial.with_(frontal_area_delta_m2=0.2)))
    by_area = concerns(declared)["extra-frontal-area"]
    # By hand: drag is 0.5 · 1.225 · 0.83 · 25² / 3.6 / 0.88 = 100 Wh/km of 171; half of 0.2 m² on 0.83 m²: 7 to 8 %.
    assert by_area.bias_percent == pytest.approx(7.5, abs=0.7)


def test_another_driver_or_mode_is_told():
    study = driven_study("ABBA")
    apart = each(study, lambda leg: {"driver": "first" if leg.configuration == "A" else "second"})
    found = concerns(apart)["driver-or-mode-changed"]
    assert found.severity == "caution" and not found.covered
    assert "driver-or-mode-changed" not in concerns(each(study, lambda leg: {"driver": "first", "mode": "eco"}))
    modes = each(study, lambda leg: {"mode": "eco" if leg.configuration == "A" else "sport"})
    assert "drive mode" in concerns(modes)["driver-or-mode-changed"].title


def test_sun_counts_only_with_the_climate_on_and_at_other_hours():
    study = driven_study("AABB")
    later = each(
        study,
        lambda leg: (
            {"climate": "20", "temperature_c": 24.0}
            | ({"started_at": leg.started_at + timedelta(hours=6)} if leg.configuration == "B" else {})
        ),
    )
    found = concerns(later)["sun-load"]
    # By hand: 120 W of 171 Wh/km at 90 km/h (15.4 kW) is 0.8 % for the whole of the sun.
    assert -0.8 < found.bias_percent < -0.15
    assert "sun-load" not in concerns(each(later, lambda leg: {"climate": "off"}))
    assert "sun-load" not in concerns(each(study, lambda leg: {"climate": "20", "temperature_c": 24.0}))


def test_following_closely_on_every_trial_leg_is_priced_as_usual():
    study = driven_study("ABBA")
    events = tuple(Event(leg=leg.leg, kind="following-closely") for leg in study.legs if leg.configuration == "B")
    found = concerns(study.with_(events=events))["following-closely"]
    # Common practice: 15 % of the drag, which is 58 % of what this van uses at 90 km/h.
    assert found.bias_percent == pytest.approx(-0.15 * 58, abs=1.2)
    assert analyse(study.with_(events=events)).comparisons[0].verdict == "not a fair comparison"


def test_what_was_driven_is_what_the_effect_is_said_for():
    """66 km/h driven where 90 was aimed for: said for 66, and what 90 would make of it beside; a change of shape shows more there."""
    study = driven_study("ABBA")
    slow = each(study, lambda leg: {"duration_s": 1000, "average_shown": leg.average_shown * 0.78})
    (c,) = analyse(slow).comparisons
    assert c.speed_kmh == pytest.approx(66.24)
    as_aimed = analyse(slow.with_(target_speed_kmh=66.24)).comparisons[0]
    assert c.effect_percent == pytest.approx(as_aimed.effect_percent, abs=0.01)
    concern = concerns(slow)["outside-tested-speed"]
    assert concern.bias_percent > 0.3 and concern.covered and concern.severity == "note"
    at_90 = c.effect_percent - concern.bias_percent
    assert f"it would be {signed(at_90)} %" in concern.message
    assert abs(c.effect_percent - c.as_measured_percent) < 0.7 < abs(at_90 - c.as_measured_percent)
    # Within a tenth of the aim it is the aim that counts: nobody holds it to the kilometre.
    near = each(study, lambda leg: {"duration_s": 780})
    assert analyse(near).comparisons[0].speed_kmh == 90.0


def test_disagreeing_instruments_are_priced_by_believing_the_other():
    study = driven_study("ABBA").with_leg("L03", energy_kwh=3.5, energy_step_kwh=0.01)
    charge = concerns(study)["instruments-disagree"].bias_percent
    other = study.with_leg("L03", average_shown=None, average_step=None, average_unit=None)
    expected = analyse(study).comparisons[0].effect_percent - analyse(other).comparisons[0].effect_percent
    assert charge == pytest.approx(expected, abs=0.3)  # alone, L03 also has its own distance


def test_an_instrument_that_does_not_count_disagrees_with_none():
    study = driven_study("ABBA").with_leg("L03", energy_kwh=3.5, energy_step_kwh=0.01)
    kept = study.with_(instruments={"trip average": Instrument(trusted=False)})
    assert "instruments-disagree" in concerns(study)
    assert "instruments-disagree" not in concerns(kept)
    # Kept all the same: beside the reading that counts.
    read = {x.leg: x for x in analyse(kept).legs}["L03"]
    assert read.instrument == "trip energy" and "trip average" in {name for name, _ in read.others}


def test_open_charges_are_the_bias_budget_that_the_verdict_respects():
    study = heavier(150, effect=0.965)
    c = analyse(study).comparisons[0]
    assert c.open_charge_percent == pytest.approx(2.9, abs=0.3)
    assert c.interval_percent[1] < 0  # on one side of zero by itself ...
    assert c.verdict == "not settled"  # ... but not with the charge taken off
    assert "open concerns" in c.reason


def test_two_instruments_disagree_beyond_their_steps_in_squares():
    # Trip energy to 0.1 of 3.0 kWh and an average to 0.5 of 16.3 kWh/100 km: 0.96 % and 0.89 %. Together 1.31 % in squares
    # (1.85 % as a sum), three times that and 3 %: 6.9 %. Apart by 7.7 %, they disagree; by 6.2 %, they may not.
    def study(energy_kwh):
        return driven_study("ABBA").with_leg(
            "L01",
            average_shown=16.3,
            average_unit="kWh/100km",
            average_step=0.5,
            energy_kwh=energy_kwh,
            energy_step_kwh=0.1,
        )

    by_average = 0.163 * 18.4
    assert "instruments-disagree" in concerns(study(round(by_average / 1.077, 3)))
    assert "instruments-disagree" not in concerns(study(round(by_average / 1.062, 3)))
