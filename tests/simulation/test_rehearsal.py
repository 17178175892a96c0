"""The virtual car: what it shows is what it used, and its truth follows from the seed alone."""

from datetime import date, datetime, timedelta

import numpy as np
import pytest
from tests.conftest import VAN, straight_route

from fairmargin.core.analysis import analyse
from fairmargin.core.companion import again, road_places
from fairmargin.core.study import Configuration, Leg, WeatherRow, new_study
from fairmargin.core.study.aims import AIMS, laid_out, relaid
from fairmargin.core.study.runs import driven_next, with_run_next
from fairmargin.exchange.logs.cuts import cut, split_at_gates
from fairmargin.exchange.logs.legs import with_weather
from fairmargin.simulation.rehearsal import VirtualCar, is_repeat, prepared, rehearse
from fairmargin.simulation.road import road_of

DAY = date(2026, 5, 2)


@pytest.fixture(scope="module")
def planned():
    study = new_study(title="Discs", kind="aero covers", order="ABBA", speed_kmh=90, vehicle=VAN)
    return prepared(study.with_(route=straight_route(8000)), 5, DAY)


def test_a_copy_with_nothing_driven_and_the_seed_kept(planned):
    assert planned.title == "Discs (rehearsal)" and planned.plan.details["rehearsal"] == "5"
    assert all(leg.state == "planned" and leg.started_at is None for leg in planned.legs)
    assert planned.plan.gate_start_m < planned.plan.gate_end_m
    assert planned.plan.day == DAY


def test_the_truth_follows_from_the_seed(planned):
    a, b, c = rehearse(planned, 5), rehearse(planned, 5), rehearse(planned, 6)
    assert a.truth_percent == b.truth_percent != c.truth_percent
    assert all(a.legs[k].same_as(b.legs[k]) for k in a.legs)


def test_seeds_have_effects_of_both_signs_and_none(planned):
    truths = [rehearse(planned, s).truth_percent for s in range(12)]
    assert min(truths) < -1 and max(truths) > 1
    assert any(abs(t) < 0.05 for t in truths)


def test_the_display_is_energy_over_distance_since_the_reset(planned):
    made = rehearse(planned, 5)
    car = VirtualCar(made)
    leg = next(name for name in made.legs if name != made.deaf_reset)
    car.depart(leg, 100.0)
    car.reset(160.0)
    trace = made.legs[leg]
    t = trace.time_s
    at = 100.0 + float(t[-1])
    inside = t >= 60.0
    km = np.trapezoid(trace.speed_kmh[inside], t[inside]) / 3600
    kwh = np.trapezoid(trace.power_kw[inside], t[inside]) / 3600
    shown = car.display(at)
    assert shown.trip_km == pytest.approx(km, abs=0.051)
    assert shown.average_kwh_per_100km == pytest.approx(100 * kwh / km, abs=0.5 * made.step + 1e-6)
    assert car.display(50.0).trip_km == 0.0  # before anything


def test_one_reset_may_not_take(planned):
    made = next(m for s in range(30) if (m := rehearse(planned, s)).deaf_reset)
    car = VirtualCar(made)
    car.depart(made.deaf_reset, 0.0)
    car.reset(100.0)
    assert car.display(101.0).trip_km > 1.0
    car.reset(110.0)
    assert car.display(111.0).trip_km <= 0.1


def test_a_leg_given_up_half_way_counts_for_what_was_driven(planned):
    car = VirtualCar(rehearse(planned, 5))
    car.depart("L01", 0.0)
    half = car.display(120.0).trip_km
    car.depart("L01", 120.0)
    assert car.display(120.0).trip_km == pytest.approx(half, abs=0.11)
    assert car.state(121.0).driving


def test_a_leg_driven_again_is_another_drive_with_the_same_truth(planned):
    first = rehearse(planned, 5)
    repeated = again(planned, "L03", "lorry ahead")
    second = rehearse(repeated, 5)
    assert is_repeat(repeated, repeated.leg("L03.2"))
    assert second.truth_percent == first.truth_percent
    assert second.legs["L03"].same_as(first.legs["L03"])
    assert not second.legs["L03.2"].same_as(first.legs["L03"])


def test_charge_falls_and_is_put_back_before_it_is_empty(planned):
    small = planned.with_(vehicle=VAN.with_(usable_capacity_kwh=5.0))
    car = VirtualCar(rehearse(small, 5))
    at, levels = 0.0, []
    for name in list(car.rehearsal.legs) * 2:
        car.depart(name, at)
        at += float(car.rehearsal.legs[name].time_s[-1]) + 60.0
        levels.append(car.state(at).soc_percent)
    assert min(levels) > 15 and levels[0] < 85 and max(levels[1:]) > min(levels)


@pytest.mark.parametrize(
    "changes, words",
    [
        ({"method": "everyday"}, "everyday studies cannot be rehearsed"),
        ({"method": "side-by-side"}, "side-by-side studies cannot be rehearsed"),
        ({"legs": ()}, "no legs are planned"),
        ({"legs": (Leg(leg="A1", configuration="A", vehicle="control"),)}, "vehicles that drive at once"),
        ({"vehicle": VAN.with_(energy="diesel")}, "only an electric"),
    ],
)
def test_what_cannot_be_rehearsed_is_said(planned, changes, words):
    with pytest.raises(ValueError, match=words):
        rehearse(planned.with_(**changes), 1)


@pytest.mark.parametrize("sides, speeds", [(3, (None,)), (2, (70.0, 90.0)), (4, (70.0, 90.0))])
def test_every_side_and_speed_that_is_planned_is_driven(planned, sides, speeds):
    names = tuple(Configuration(id=x, name=f"State {x}", baseline=x == "A") for x in "ABCD"[:sides])
    study = planned.with_(configurations=names, legs=())
    order = "ABCD"[:sides] + "DCBA"[-sides:]
    study = prepared(relaid(study, order, speeds_kmh=speeds), 7, DAY)
    made = rehearse(study, 7)
    assert set(made.legs) == {leg.leg for leg in study.legs}
    assert list(made.truths_percent) == [c.id for c in study.trials] and made.truths_percent["B"] == made.truth_percent
    assert len(set(made.truths_percent.values())) == sides - 1
    for leg in study.legs:
        trace = made.legs[leg.leg]
        moving = trace.speed_kmh[trace.speed_kmh > 20]
        assert np.median(moving) == pytest.approx(leg.speed_kmh or 90.0, rel=0.03)
    again = study.with_legs((*study.legs, study.legs[-1].with_(leg=f"{study.legs[-1].leg}.2")))
    assert rehearse(again, 7).legs[again.legs[-1].leg] is not None


def test_two_speeds_are_rehearsed_as_two_speeds():
    study = laid_out(
        "speed", title="Faster", kind="other", order="ABBA", method="out-and-back", names=["70", "110"],
        speeds_kmh=(70.0, 110.0), vehicles=[VAN],
    )  # fmt: skip
    made = rehearse(prepared(study.with_(route=straight_route(8000)), 3, DAY), 3)
    # Nothing is worn: drag alone makes 110 against 70 km/h more than a third dearer.
    assert made.truth_percent > 35
    medians = [float(np.median(t.speed_kmh[t.speed_kmh > 20])) for t in made.legs.values()]
    assert medians[0] == pytest.approx(70, rel=0.03) and medians[2] == pytest.approx(110, rel=0.03)


def test_the_given_road_is_the_road_that_is_driven():
    road = road_of(straight_route(5000, heading_east=True))
    assert road.length_m == pytest.approx(5000, abs=10)
    assert np.degrees(road.heading) == pytest.approx(np.full(len(road.heading), 90.0), abs=1.0)
    assert road.height_m == pytest.approx(np.full(len(road.height_m), 10.0))
    with pytest.raises(ValueError, match="positions over at least a kilometre"):
        road_of(straight_route(5000)[:1])


def driven_at_once(study, made):
    """What a perfect note-taker brings home from a rehearsal: logs between the gates, the station's reports."""
    traces, rows, clock = {}, [], datetime(2026, 5, 2, 9, 20)
    for leg in study.legs:
        trace = made.legs[leg.leg]
        start, end, _ = split_at_gates(trace, road_places(study, leg.sector))[0]
        traces[leg.leg] = cut(trace, start, end)
        began = clock + timedelta(seconds=int(start))
        study = study.with_leg(leg.leg, started_at=began, duration_s=end - start, climate="off", road="dry")
        seen = made.weather[leg.leg]
        for minutes in (0, 5, 10, 15):
            rows.append(
                WeatherRow(
                    time=clock + timedelta(minutes=minutes),
                    temperature_c=round(seen.temperature_c),
                    pressure_hpa=seen.pressure_hpa,
                    wind_speed_ms=round(seen.wind_speed_ms * 3600 / 1852) * 1852 / 3600,
                    wind_from_deg=seen.wind_from_deg,
                )
            )
        clock += timedelta(minutes=20)
    return with_weather(study, rows)[0], traces


def test_rehearsed_days_end_in_intervals_that_hold_their_truths():
    """Whole knots and whole degrees, as METAR states them. Of 20 at 93 % fewer than 16 would be a one in 200 accident."""
    study = new_study(title="Discs", kind="aero covers", order="ABBA", speed_kmh=90, vehicle=VAN)
    hits, widths = 0, []
    for seed in range(20):
        ready = prepared(study, seed, DAY)
        made = rehearse(ready, seed)
        comparison = analyse(*driven_at_once(ready, made)).comparisons[0]
        low, high = comparison.interval_percent
        hits += low <= made.truth_percent <= high
        widths.append(high - low)
    assert hits >= 16
    assert np.median(widths) < 6.0  # and they are worth something


def test_a_day_that_was_broken_off_left_the_car_where_it_stood(planned):
    """Charge and place after two legs are those of a car that drove them without a break."""
    made = rehearse(planned, 5)
    whole, taken_up, ends, at = VirtualCar(made), VirtualCar(made), [], 0.0
    for name in ("L01", "L02"):
        whole.depart(name, at)
        at += float(made.legs[name].time_s[-1])
        ends.append((name, at - 5000.0))  # the clock of the second sitting begins later
        at += 60.0
    taken_up.has_driven(ends)
    before, after = whole.state(at), taken_up.state(at - 5000.0)
    assert after.soc_percent == pytest.approx(before.soc_percent) and after.soc_percent < made.charge_percent - 1.0
    assert (after.leg, after.latitude, after.longitude) == (before.leg, before.latitude, before.longitude)
    assert not after.driving


def test_runs_swapped_or_added_on_the_road_move_no_truth(planned):
    """What was sealed stays: each leg keeps its drive under its name; an added run has one of beyond the plan, by its side."""
    made = rehearse(planned, 5)
    swapped = driven_next(planned, "L05", {"L01", "L02"})
    again_made = rehearse(swapped, 5)
    assert again_made.truths_percent == made.truths_percent
    assert all(again_made.legs[name].same_as(made.legs[name]) for name in made.legs)
    assert again_made.deaf_reset == made.deaf_reset
    for side in "AB":
        more, first = with_run_next(planned, side, {"L01", "L02"})
        added = rehearse(more, 5)
        assert added.truths_percent == made.truths_percent
        assert all(added.legs[name].same_as(made.legs[name]) for name in made.legs)
        assert not any(added.legs[first].same_as(trace) for trace in made.legs.values())
    a, b = (rehearse(with_run_next(planned, side, set())[0], 5).legs["L09"] for side in "AB")
    assert not a.same_as(b)
    # With mishaps: they stay where they were.
    study = prepared(planned.with_(plan=planned.plan.with_(details={})), 3, DAY, mishaps=True)
    assert rehearse(driven_next(study, "L05", {"L01", "L02"}), 3).mishaps == rehearse(study, 3).mishaps


def study_of(aim, method, order="ABBA", sectors=None, speeds=None):
    """A study to be rehearsed: of an aim, two vehicles where it asks for two."""
    second = VAN.with_(name="Orrin 2", usable_capacity_kwh=31.0, distance_error_percent=2.0)
    made = laid_out(
        aim, title="A day", kind="other", order="", method=method, names=["One", "Two"][: 2 if AIMS[aim].trial else 1],
        speed_kmh=90.0, vehicles=[VAN, second][: AIMS[aim].vehicles],
    )  # fmt: skip
    road = straight_route(12_000) if method != "loop" else ()
    return relaid(made.with_(route=road), order, sectors=sectors, speeds_kmh=speeds)


SHAPES = [
    ("vehicles", "out-and-back", "ABBA", None, None),
    ("vehicles", "loop", "ABAB", None, (70.0, 90.0)),
    ("one", "out-and-back", "AA", None, None),
    ("one", "one-way", "A", None, (60.0, 90.0)),
    ("change", "out-and-back", "ABBA", ("lanes", "trunk"), None),
    ("change", "one-way", "AB", ("lanes", "ridge", "trunk"), (70.0, 90.0)),
    ("vehicles", "out-and-back", "AB", ("lanes", "trunk"), None),
    ("laps", "laps", "ABABAB", None, None),
    ("road", "loop", "ABBA", None, None),
]


@pytest.mark.parametrize("aim, method, order, sectors, speeds", SHAPES)
def test_every_shape_is_driven_as_it_is_planned(aim, method, order, sectors, speeds):
    study = prepared(study_of(aim, method, order, sectors, speeds), 11, DAY)
    made = rehearse(study, 11)
    assert list(made.legs) == [leg.leg for leg in study.legs]
    assert set(made.truths_percent) == set(list(study.lettered.values())[1:])
    car, at = VirtualCar(made), 0.0
    for leg in study.legs:
        trace = made.legs[leg.leg]
        assert np.median(trace.speed_kmh) == pytest.approx(leg.speed_kmh or 90.0, rel=0.03)
        before = car.display(at).soc_percent
        car.depart(leg.leg, at)
        car.reset(at) if leg.leg != made.deaf_reset else [car.reset(at), car.reset(at)]
        at += float(trace.time_s[-1])
        km = float(np.trapezoid(trace.speed_kmh, trace.time_s)) / 3600
        shown = car.display(at)
        assert shown.trip_km == pytest.approx(km * made.car(leg.leg).odometer, abs=0.06)
        assert car.speed_error_percent == made.car(leg.leg).speed_error_percent
        assert shown.soc_percent <= (before if not made.vehicle_of[leg.leg] else 100)
        if leg.sector:
            places = road_places(study, leg.sector)
            assert km == pytest.approx(places.between_km, abs=0.15)
            begin = places.along_km(trace.latitude[0], trace.longitude[0], leg.direction == "back", 0.0)
            assert begin == pytest.approx(places.gates(leg.direction == "back")[0], abs=0.15)


def test_vehicles_that_take_turns_have_batteries_of_their_own():
    made = rehearse(prepared(study_of("vehicles", "out-and-back"), 4, DAY), 4)
    car, at, levels = VirtualCar(made), 0.0, {}
    for leg in list(made.legs)[:4]:
        car.depart(leg, at)
        at += float(made.legs[leg].time_s[-1])
        levels[leg] = car.state(at).soc_percent
    # By hand: 24 km at about 0.15 kWh/km are 3.6 kWh: 7 % of 52 kWh, 12 % of 31.
    first, second = made.charge_percent - levels["L02"], made.charge_percent - levels["L04"]
    assert first == pytest.approx(7, abs=1.5) and second == pytest.approx(12, abs=2.5)


@pytest.mark.parametrize("aim, sectors", [("vehicles", None), ("change", ("lanes", "trunk"))])
def test_vehicles_and_sectors_are_rehearsed_with_truths_that_intervals_hold(aim, sectors):
    """Of 8 at 93 % fewer than 5 would be a one in 300 accident."""
    held = []
    for seed in range(8):
        ready = prepared(study_of(aim, "out-and-back", sectors=sectors), seed, DAY)
        made = rehearse(ready, seed)
        for c in analyse(*driven_at_once(ready, made)).comparisons:
            low, high = c.interval_percent
            truth = made.truth_of(c.trial, c.sector or "")
            held.append(low <= truth <= high)
            assert high - low < 13
    assert np.mean(held) >= 5 / 8


def test_what_one_configuration_takes_is_sealed_as_its_level():
    held = 0
    for seed in range(6):
        ready = prepared(study_of("one", "out-and-back", "AA"), seed, DAY)
        made = rehearse(ready, seed)
        assert made.truth_percent is None and made.truth_of("A") is None
        low, high = analyse(*driven_at_once(ready, made)).results[0].interval_wh_per_km
        held += low <= made.truth_wh_per_km <= high
        assert 120 < made.truth_wh_per_km < 190  # a van of some 0.83 m² at 90 km/h
    assert held >= 4
