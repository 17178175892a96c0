"""What nobody noted, and what a cold start costs: whom it acts on, its size and its sign."""

from datetime import timedelta

import numpy as np
import pytest
from tests.conftest import driven_study
from tests.prepared import prepared
from tests.unlike import on_legs

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.gathered import gather


def unknown(study, name):
    return [u for u in prepared(study).unknowns if u.name == name]


def frost(climate, order="ABBA", **fields):
    return on_legs(driven_study(order, **fields), lambda i, leg: {"temperature_c": -13, "climate": climate})


def test_a_cabin_that_was_heated_had_to_be_brought_to_it():
    """Common practice: some hundred to some thousand watts at first; at −13 °C half as much again as at 1 °C."""
    (own,) = unknown(frost("21"), "bringing the cabin to it")
    cold = [c.cold_if for c in gather(frost("21"), {}).conditions.values()]
    assert own.weights[:8] == pytest.approx(1.5 * np.array(cold)) and not own.weights[8:].any()
    assert own.prior_mean == 1500.0 and own.prior_sd == 3000.0
    assert unknown(frost("off"), "bringing the cabin to it") == []


def test_where_nobody_noted_the_climate_it_pulls_nothing_and_widens_more():
    (own,) = unknown(frost(""), "bringing the cabin to it")
    assert own.prior_mean == 0.0 and own.prior_sd == 6500.0
    noted, bare = (analyse(frost(x, "AB")).comparisons[0] for x in ("off", ""))
    assert noted.half_width_percent < 4.5 and 6.0 < bare.half_width_percent < 16.0
    assert bare.effect_percent == pytest.approx(noted.effect_percent, abs=0.6)
    (line,) = (x for x in bare.margin if x.source == "climate")
    assert line.half_width_percent > 2.0 and line.cause == "climate was not noted"


def test_a_heated_cabin_takes_from_the_first_run_what_it_did_not_use_on_the_road():
    """The baseline is driven first, from cold: part of what it used brought the cabin to 21 °C."""
    values = [179.0, 172.5, 161.5, 161.5]
    off, heated = (analyse(frost(x, "AB", values=values)).comparisons[0] for x in ("off", "21"))
    assert heated.as_measured_percent == pytest.approx(-8.1, abs=0.05)
    assert off.effect_percent < -7.0 and 1.0 < heated.effect_percent - off.effect_percent < 4.0


def test_in_mild_air_nobody_heats_or_cools_at_once():
    """Of 34 K between −13 °C and the cabin 29 count, of 6 K at 15 °C one: common practice."""
    cold = [c.cold_if for c in gather(frost(""), {}).conditions.values()]
    for outside, kelvin in ((-13, 29.0), (15, 1.0)):
        study = on_legs(driven_study("ABBA"), lambda i, leg, t=outside: {"temperature_c": t, "climate": ""})
        (own,) = unknown(study, "bringing the cabin to it")
        assert own.weights[:8] == pytest.approx(kelvin / 20 * np.array(cold))


@pytest.mark.parametrize(("energy", "many"), [("electric", 0), ("petrol", 1), ("diesel", 1)])
def test_an_engine_burns_more_until_it_is_warm(energy, many):
    study = driven_study("ABBA")
    study = study.with_(vehicle=study.vehicle.with_(energy=energy, drive_efficiency=None, regen_efficiency=None))
    if energy != "electric":
        study = on_legs(study, lambda i, leg: {"average_shown": 6.5, "average_unit": "L/100km"})
    found = unknown(study, "cold engine")
    assert len(found) == many
    for own in found:
        cold = [c.cold_if for c in gather(study, {}).conditions.values()]
        assert own.weights[:8] == pytest.approx(cold) and own.weights[0] > 3 * own.weights[4]
        assert own.prior_mean == 0.03 and own.prior_sd == 0.08


def test_what_goes_aboard_with_the_change_is_open_for_each_configuration_where_nobody_noted_it():
    """By hand: 8 kg of 1710 kg, a third of which is rolling, on both sides: ±1.96 · √2 · 0.16 % of one pair's effect."""
    study = driven_study("AB")
    whole = prepared(study).leg_model.constants.mass_kg
    for name, legs in (("A", [1, 1, 0, 0]), ("B", [0, 0, 1, 1])):
        (own,) = unknown(study, f"load with {name}")
        assert own.weights[:4].tolist() == legs and own.weights[4:].sum() == 0.0
        assert own.prior_sd == pytest.approx(8.0 / whole)
    noted = study.with_legs(leg.with_(mass_delta_kg=0.0) for leg in study.legs)
    assert unknown(noted, "load with A") == []
    (line,) = (x for x in analyse(study).comparisons[0].margin if x.source == "load")
    of_runs_too = 1.96 * 2**0.5 * 100 * (8.0 / whole) * 2**0.5 * 0.33
    assert line.half_width_percent == pytest.approx(of_runs_too, rel=0.1)


def test_who_drove_is_open_for_each_configuration_where_nobody_noted_it():
    study = driven_study("ABBA")
    (own,) = unknown(study, "driver with B")
    assert own.weights[:8].tolist() == [0, 0, 1, 1, 1, 1, 0, 0] and own.weights[8:].sum() == 0.0
    (line,) = (x for x in analyse(study).comparisons[0].margin if x.source == "driver")
    assert line.half_width_percent == pytest.approx(1.96 * 2**0.5 * 0.1 * 0.95, rel=0.05)
    assert line.remedy.startswith("Note the driver")
    told = study.with_legs(leg.with_(driver="Juno") for leg in study.legs)
    assert unknown(told, "driver with B") == []
    assert all(x.source != "driver" for x in analyse(told).comparisons[0].margin)
    technique = driven_study("ABBA", kind="technique")
    assert unknown(technique, "driver with B") == []


@pytest.mark.parametrize(("order", "kept"), [("AABB", 2 / 3), ("ABAB", 1 / 3), ("ABBA", 0.0)])
def test_what_runs_on_over_a_day_costs_an_order_what_it_leaves_of_it(order, kept):
    """By hand: runs an hour apart, half a per cent an hour; over three hours the order keeps two thirds, a third, nothing."""
    study = driven_study(order, method="loop")
    start = study.legs[0].started_at
    study = study.with_legs(
        leg.with_(started_at=start + i * timedelta(hours=1), driver="Juno") for i, leg in enumerate(study.legs)
    )
    (own,) = unknown(study, "drift of day 0")
    assert own.weights[:4] == pytest.approx([-1.5, -0.5, 0.5, 1.5]) and own.weights[4:].sum() == 0.0
    assert own.prior_sd == 0.005
    part = sum(x.half_width_percent for x in analyse(study).comparisons[0].margin if x.source == "drift")
    by_hand = 1.96 * 0.5 * 3 * kept * 0.95
    assert 0.55 * by_hand <= part <= 1.02 * by_hand + 0.1  # these readings do not drift, and say so


def test_a_steady_drift_is_held_by_an_order_that_keeps_it():
    """Readings that rise by 0.3 % from leg to leg and no change: AABB reads 1.2 % more, and its interval holds nothing."""
    values = [170.0 * (1 + 0.003 * i) for i in range(8)]
    c = analyse(driven_study("AABB", values)).comparisons[0]
    assert c.as_measured_percent == pytest.approx(1.2, abs=0.1)
    assert c.interval_percent[0] < 0.0 and c.verdict == "not settled"
    drift = next(x for x in c.margin if x.source == "drift")
    assert drift.half_width_percent > 0.4 and "mirrors the first" in drift.remedy


def test_two_vehicles_drift_apart_and_days_by_themselves():
    study = driven_study("ABAB")
    apart = study.with_legs(
        leg.with_(started_at=leg.started_at + timedelta(days=i // 4)) for i, leg in enumerate(study.legs)
    )
    assert [len(unknown(apart, f"drift of day {d}")) for d in (0, 1, 2)] == [1, 1, 0]


def test_a_configuration_all_of_whose_legs_were_slower_was_so_for_one_reason():
    """By hand: 8 % slower; a quarter driven so, the rest mostly stood: what it counts as is one unknown for all its legs."""
    study = driven_study("ABBA")
    slow = study.with_legs(leg.with_(duration_s=800) if leg.configuration == "B" else leg for leg in study.legs)
    (own,) = unknown(slow, "slower with B")
    assert own.weights[:8] == pytest.approx([0, 0, *[0.08] * 4, 0, 0]) and own.weights[8:].sum() == 0.0
    assert own.prior_mean == pytest.approx(0.75, abs=0.08) and own.prior_sd == pytest.approx(0.55, abs=0.06)
    assert unknown(slow, "speed of leg") == [] and unknown(study, "slower with B") == []
    # Averaging does not settle it: the margin is wide, whatever the number of legs.
    many = driven_study("ABBA" * 4)
    many = many.with_legs(leg.with_(duration_s=800) if leg.configuration == "B" else leg for leg in many.legs)
    parts = [
        next(x.half_width_percent for x in analyse(s).comparisons[0].margin if x.source == "speed")
        for s in (slow, many)
    ]
    assert parts[1] > 0.8 * parts[0] > 4.0


def test_what_a_stop_takes_is_open_by_two_fifths_and_alike_for_all():
    study = driven_study("ABBA")
    study = study.with_legs(
        leg.with_(stopped_s=30.0, duration_s=791) if leg.configuration == "B" else leg for leg in study.legs
    )
    (own,) = unknown(study, "what a stop takes")
    # By hand: 350 m of way at 90 km/h, of 18.4 km, where it stopped.
    assert own.weights[:8] == pytest.approx([0, 0, *[350 / 18_400] * 4, 0, 0], rel=1e-3) and own.prior_sd == 0.4
    assert unknown(driven_study("ABBA"), "what a stop takes") == []
