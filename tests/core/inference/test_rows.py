"""What the fit takes a leg's stops, slow traffic and untold climb to be: sizes and signs."""

import numpy as np
import pytest
from benchmarks.truths.field import FieldDay, field_day
from tests.conftest import VAN, driven_study
from tests.prepared import prepared

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.evidence.hold_ups import full_stops
from fairmargin.core.inference.fit import fit_study
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import prepare
from fairmargin.core.laws import disturbance
from fairmargin.core.laws.disturbance import regained_wh
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Event


def modelled_wh(problem):
    n = len(problem.rows.leg)
    return problem.model.energies(problem.local_of(problem.weights[:n], problem.prior_mean), False).wh


def slowed(study, kmh, seconds):
    return study.with_(events=(Event(leg="L03", kind="slow-traffic", at_km=6.0, speed_kmh=kmh, duration_s=seconds),))


def test_slow_traffic_costs_the_speed_that_has_to_be_regained():
    """90 km/h to 60 and up again is 1 − (60/90)² of a full stop: a fact of mechanics.

    By hand over both ramps of 1 m/s² (173.6 m each): ½ m (v² − v_s²)(1/η − r) is 46 Wh; air and tyres brake for nothing and
    the slower air saves, 15.6 and 4.1 Wh; 26 are left. As a part of a full stop, all of it is 20.
    """
    study = driven_study("ABBA")
    problem = prepared(slowed(study, 60.0, 0.1))  # so short that the slower air saves nothing
    assert problem.rows.stops.round(4).tolist() == [0, 0, round(1 - (60 / 90) ** 2, 4), 0, 0, 0, 0, 0]
    k = VAN.constants()
    one = float(regained_wh(k.mass_kg, 90 / 3.6, 60 / 3.6, k.drive_efficiency, k.regen_efficiency))
    more = modelled_wh(problem)[2] - modelled_wh(prepared(study))[2]
    assert one == pytest.approx(46.0, abs=0.5)
    assert more == pytest.approx(one - 15.6 - 4.1, rel=0.25)


def test_slow_traffic_faster_than_the_leg_costs_nothing():
    assert prepared(slowed(driven_study("ABBA"), 120.0, 60.0)).rows.stops.tolist() == [0.0] * 8


def test_a_leg_that_was_held_up_alone_counts_as_little_slower():
    """Of 8 % slower than its twin most is standing or one stretch, and the speed regained (`hold_ups`)."""
    problem = prepared(driven_study("ABBA").with_leg("L03", duration_s=800))
    off = {int(np.flatnonzero(u.weights)[0]): u.prior_mean for u in problem.unknowns if u.name == "speed of leg"}
    assert off == {2: pytest.approx(0.069, rel=0.05)}


def laps(stood):
    study = driven_study("ABBA", method="laps")
    return study.with_(target_speed_kmh=None).with_legs(leg.with_(stopped_s=stood) for leg in study.legs)


def test_laps_stop_as_often_as_they_stood_and_so_do_their_reference_drives():
    """A town's lights belong to the road: legs and reference drives have the same stops."""
    study = laps(100.0)
    problem = prepared(study)
    assert problem.rows.stops.tolist() == [5.0] * 4
    assert set(problem.reference.stops) == {5.0} and set(problem.reference.stopped_s) == {100.0}
    reference_wh, _ = problem.levels_at(problem.prior_mean)
    # The same road, speed and stops; what is left are tyres that are colder on the legs.
    assert np.exp(reference_wh[0]) == pytest.approx(modelled_wh(problem)[3], rel=0.02)


@pytest.mark.parametrize(("away", "down", "by_hand"), [(2.0, 1.0, 67.0), (0.8, 0.8, 45.0)])
def test_what_a_stop_takes_by_a_balance_of_energies(monkeypatch, away, down, by_hand):
    """One stop from 90 km/h, 1900 kg, C_dA 0.65, C_rr 0.0095, 0.88 and 0.6, beyond the same way at 90: integrated by hand."""
    monkeypatch.setattr(disturbance, "ACCELERATES_M_S2", away)
    monkeypatch.setattr(disturbance, "BRAKES_M_S2", down)
    air, tyres, _ = disturbance.ramp_cuts(25.0, 0.88, 0.6)
    newtons = 0.5 * 1.2 * 0.65 * 625.0 * float(air), 1900 * 9.80665 * 0.0095 * float(tyres)
    takes = float(regained_wh(1900.0, 25.0, 0.0, 0.88, 0.6)) - sum(newtons) / 0.88 / 3600
    assert takes == pytest.approx(by_hand, abs=8.0)


def test_a_leg_of_any_other_method_stood_once():
    study = driven_study("ABBA")
    study = study.with_legs(
        leg.with_(stopped_s=s) for leg, s in zip(study.legs, (0, 4, 6, 100, 0, 0, 0, 0), strict=True)
    )
    conditions = gather(study, {}).conditions
    assert [full_stops(study, c.leg, c.stopped_s) for c in conditions.values()] == [0, 0, 1, 1, 0, 0, 0, 0]


def untold(values):
    """A road whose heights nobody gave."""
    return driven_study("ABBA", values=values, route=())


def climbing(share):
    """Readings of a road that climbs out: what both ways take more and less, and 12 Wh/km less drag with the change."""
    out, back = 170 * (1 + share), 170 * (1 - share)
    return [out, back, out - 12, back - 12, out - 12, back - 12, out, back]


@pytest.mark.parametrize("share", [0.0, 0.3, 0.5])
def test_a_climb_that_nobody_told_leaves_the_effect_in_watt_hours(share):
    """Drag saves the same energy up and down: 12 Wh of 170, whatever the hill takes from one way and gives to the other."""
    found = analyse(untold(climbing(share))).comparisons[0]
    assert found.method == "model"
    assert found.effect_percent == pytest.approx(-12 / 170 * 100, abs=0.75)


def test_the_climb_found_is_the_hills():
    study = untold(climbing(0.3))
    found = gather(study, {})
    fit = fit_study(study, list(found.conditions.values()), found.observations, found.logs[""], FitOptions())
    k = VAN.constants()
    # What the way up takes beyond the mean of both, as a height over 18.4 km: m g h / η.
    per_m = k.mass_kg * 9.81 / 3600.0
    alone = 0.3 * 170 * 18.4 / (per_m / k.drive_efficiency)
    assert fit.values["climb of the road"] * 18400.0 == pytest.approx(alone, rel=0.15)


def test_heights_that_are_told_leave_no_climb_open():
    names = [u.name for u in prepared(driven_study("ABBA")).unknowns]
    assert "climb of the road" not in names
    flat = tuple(p.with_(elevation_m=None) for p in driven_study("ABBA").route)
    problem = prepared(driven_study("ABBA", route=flat))
    (own,) = (u for u in problem.unknowns if u.parameter is Parameter.GRADIENT)
    assert own.weights[:4].tolist() == [1, -1, 1, -1]


def logged(forget=frozenset()):
    made = field_day(21, FieldDay(instrument="logger", traffic=0.0, forget=forget))
    found = gather(made.study, made.traces)
    own = list(found.conditions.values())
    return prepare(made.study, own, found.observations, found.logs[""], FitOptions())


def test_segments_of_a_road_without_heights_have_slopes_that_both_ways_share():
    """What is up one way is down the other; where the route has heights it tells them."""
    problem = logged(frozenset({"route"}))
    slopes = [u for u in problem.unknowns if u.name == "slope"]
    count = int(problem.rows.part.max()) + 1
    assert len(slopes) == count > 4 and {u.prior_sd for u in slopes} == {0.008}
    out = [u.weights[: len(problem.rows.leg)] for u in slopes]
    assert all(set(w.tolist()) == {-1.0, 0.0, 1.0} for w in out)
    first = out[0]
    assert set(problem.rows.part[first > 0].tolist()) == {0}
    assert set(problem.rows.part[first < 0].tolist()) == {count - 1}
    assert not any(u.name == "slope" for u in logged().unknowns)


def test_logged_legs_are_not_cut_where_nobody_noted_the_wind():
    """Slopes and wind that nobody told would explain each other: whole legs know nothing of it."""
    assert logged().rows.segmented
    assert not logged(frozenset({"wind"})).rows.segmented
