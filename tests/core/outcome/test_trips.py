"""Trips: job by hand, stops against a search of every possibility, and what a trip may not claim."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import numpy as np
import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.laws.charging import hours_to_level
from fairmargin.core.outcome import charging_stops as stops_module
from fairmargin.core.outcome.alternatives import TANK_SHARE, Beside, fuel_trip, trip_beside
from fairmargin.core.outcome.asking import Asking, askings
from fairmargin.core.outcome.charging_stops import CannotArrive, charger_kw, overhead_h, pauses_h
from fairmargin.core.outcome.trips import TripPlan, fuelled, plan_trip, returning, what_ifs, with_stop_moved
from fairmargin.core.outcome.way import Way, way_of
from fairmargin.core.study import Study
from fairmargin.core.study.trip import Charger, Trip, TripStretch, chargers_every
from fairmargin.core.units import plain


@pytest.fixture(scope="module")
def towing() -> tuple[Study, Asking]:
    """A van of 80 kWh that took 170 Wh/km in its baseline and 285 with a trailer, at 90 km/h, 15 °C, calm."""
    study = driven_study("ABBA", effect=285 / 170, kind="towing").with_(vehicle=VAN.with_(usable_capacity_kwh=80))
    (asking,) = askings(study)
    return study, asking


def days_tow(**changes: object) -> Trip:
    given = {
        "configuration": "B", "stretches": (TripStretch(km=420, speed_kmh=90),), "start_percent": 95.0, "arrive_percent": 15.0,
        "chargers": chargers_every(90, 140, 420, 150, 0.45), "unhitch_min": 12.0, "queue_chance": 0.25, "climate": "off",
        "home_price_per_kwh": 0.45, "road_price_per_km": 0.02, "temperature_sd_k": 0.0, "wind_sd_ms": 0.0,
    }  # fmt: skip
    return Trip(**(given | changes))


def test_a_days_tow_by_hand(towing: tuple[Study, Asking]) -> None:
    """420 km at 285 Wh/km: 120 kWh of a battery of 80; leave at 95 %, arrive with 15 %, chargers at 140, 230 and 370 km."""
    plan = plan_trip(*towing, days_tow())
    per_km = plan.wh_per_km
    assert per_km == pytest.approx(285, rel=0.01)
    assert plan.kwh == pytest.approx(0.420 * per_km)
    assert plan.driving_h == pytest.approx(420 / 90)
    # 140 km take 50 %, so that 95 % arrive with 45 %; 80 % of the battery is 225 km: one stop cannot do.
    level, at = 95.0, 0.0
    for s in plan.stops:
        level -= (s.charger.at_km - at) * per_km / 800
        assert s.arrival.percent == pytest.approx(level, abs=0.05)
        assert s.kwh * 0.95 == pytest.approx((s.leave_percent - level) * 0.8, abs=0.01)
        assert s.cost == pytest.approx(0.45 * s.kwh)
        level, at = s.leave_percent, s.charger.at_km
    assert plan.arrival.percent == pytest.approx(level - (420 - at) * per_km / 800, abs=0.05)
    assert plan.arrival.percent == pytest.approx(15.0, abs=0.6)  # levels are charged to in half per cents
    # Each stop: 4 minutes to park and pay, 12 to unhitch and hitch, a quarter of 15 to be expected.
    assert plan.other_h == pytest.approx(len(plan.stops) * 16 / 60)
    assert plan.waiting_h == pytest.approx(len(plan.stops) * 3.75 / 60)
    assert plan.total_h == pytest.approx(
        plan.driving_h + plan.charging_h + plan.other_h + plan.waiting_h + plan.pauses_h
    )
    assert plan.late_h == pytest.approx(plan.total_h + len(plan.stops) * 11.25 / 60)
    # What was dispensed on the way at 0.45; the rest from the wall, 10 % lost; the road 0.02 a kilometre.
    dispensed = sum(s.kwh for s in plan.stops)
    by_hand = dispensed * 0.45 + (plan.kwh - dispensed * 0.95) / 0.9 * 0.45 + 8.4
    assert plan.cost == pytest.approx(by_hand)
    assert plan.cost_interval is not None and plan.cost_interval[0] < by_hand < plan.cost_interval[1]
    beside = fuelled(days_tow(fuel_l_per_100km=11.4, fuel_price_per_l=1.95, fuel_pauses=1))
    assert beside is not None
    assert beside.cost == pytest.approx(4.2 * 11.4 * 1.95)
    assert beside.total_h == pytest.approx(420 / 90 + 0.25)


def every_way(way: Way, chargers: Sequence[Charger], step: float) -> float:
    """Least time of all ways there are: every set of stops, every level to leave each with. [h]"""
    trip = way.trip
    full = 1000.0 * way.capacity_kwh
    levels = np.arange(0.0, trip.most_percent / 100 + step / 2, step)
    best, least = math.inf, stops_module.LEAST_CHARGED
    for count in range(len(chargers) + 1):
        for chosen in itertools.combinations(chargers, count):
            places = [0.0, *(c.at_km for c in chosen), trip.km]
            drives = np.diff(way.driving_h(np.array(places)))
            used = np.diff(way.energy_wh(np.array(places))) / full
            time = float(drives.sum() + pauses_h(trip, drives).sum()) + sum(overhead_h(trip, c) for c in chosen)
            for leave in itertools.product(levels, repeat=count):
                level, spent, fits = trip.start_percent / 100, 0.0, True
                for i, c in enumerate(chosen):
                    level -= used[i]
                    if level < trip.reserve_percent / 100 - 1e-9 or leave[i] < level + least - 1e-9:
                        fits = False
                        break
                    a, b = hours_to_level([level, leave[i]], way.capacity_kwh, way.taper, charger_kw(trip, c))
                    spent, level = spent + float(b - a), leave[i]
                if fits and level - used[-1] >= trip.arrive_percent / 100 - 1e-9:
                    best = min(best, time + spent)
    return best


@pytest.mark.parametrize("seed", range(8))
def test_the_stops_found_are_the_quickest_of_all(
    towing: tuple[Study, Asking], seed: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(stops_module, "GRID", 0.05)
    rng = np.random.default_rng(seed)
    km = np.sort(rng.choice(np.arange(60, 400, 10), 3, replace=False))
    chargers = tuple(Charger(at_km=float(x), kw=float(rng.choice([50, 100, 150, 250]))) for x in km)
    trip = days_tow(
        chargers=chargers, most_percent=100, unhitch_min=float(rng.choice([0, 12])), start_percent=float(rng.choice([80, 95])),
        stretches=(TripStretch(km=200, speed_kmh=90), TripStretch(km=210, speed_kmh=80, climb_m=float(rng.choice([-300, 0, 400])))),
        arrive_percent=10, pause_every_h=float(rng.choice([1.5, 2.5])),
    )  # fmt: skip
    way = way_of(*towing, trip)
    expected = every_way(way, chargers, 0.05)
    if math.isinf(expected):
        with pytest.raises(CannotArrive):
            plan_trip(*towing, trip)
        return
    assert plan_trip(*towing, trip).total_h == pytest.approx(expected, abs=1e-6)


def test_a_way_that_cannot_be_driven_says_which_part(towing: tuple[Study, Asking]) -> None:
    with pytest.raises(CannotArrive, match=r"from charger at 100 km to the end are 320 km: they take about 11\d %"):
        plan_trip(*towing, days_tow(chargers=(Charger(at_km=100),)))
    with pytest.raises(CannotArrive, match="from the start"):
        plan_trip(*towing, days_tow(chargers=()))


def test_a_hill_is_crossed_with_charge_left(towing: tuple[Study, Asking]) -> None:
    """Over a pass the battery is emptiest at the top, not at the end: the charge for it is had before it."""
    over = days_tow(
        stretches=(
            TripStretch(km=25, speed_kmh=60, climb_m=1500), TripStretch(km=25, speed_kmh=60, climb_m=-1500),
        ),
        chargers=(), start_percent=60.0, arrive_percent=0.0,
    )  # fmt: skip
    way = way_of(*towing, over)
    top = float(way.energy_wh(np.array([25.0]))[0]) / 80_000
    whole = float(way.energy_wh(np.array([50.0]))[0]) / 80_000
    assert whole < top - 0.025, "some of the climb comes back: at the end there is more than at the top"
    enough = plan_trip(*towing, over.with_(start_percent=100 * top + 3))
    assert float(enough.profile.percent.min()) == pytest.approx(3.0, abs=1.5)
    with pytest.raises(CannotArrive):
        plan_trip(*towing, over.with_(start_percent=100 * top - 1.5))


def test_a_drive_that_gets_too_long_has_pauses() -> None:
    trip = Trip(pause_every_h=2.5, pause_min=15)
    found = [60 * float(pauses_h(trip, hours)) for hours in (1.0, 2.5, 2.6, 5.0, 5.1)]
    assert found == pytest.approx([0, 0, 15, 15, 30])


def test_planned_with_certainty_arrives_with_more(towing: tuple[Study, Asking]) -> None:
    usual = plan_trip(*towing, days_tow(wind_sd_ms=2.0))
    sure = plan_trip(*towing, days_tow(wind_sd_ms=2.0, certainty=0.95))
    assert usual.stops[0].arrival.chance_at_all > 0.5
    assert min(s.arrival.chance for s in sure.stops) >= 0.9
    assert sure.arrival.chance >= 0.9 > usual.arrival.chance
    assert sure.total_h > usual.total_h


def test_what_would_happen_if(towing: tuple[Study, Asking]) -> None:
    plan = plan_trip(*towing, days_tow())
    found = {plain(w.name): w for w in what_ifs(*towing, plan)}
    assert list(found)[:4] == ["5 m/s more head wind", "15 K colder", "rain", "10 km/h slower"]
    for name in ("5 m/s more head wind", "15 K colder", "rain"):
        assert found[name].more_kwh > 0 and found[name].later_h > 0 and found[name].more_cost > 0
    assert found["rain"].more_kwh == pytest.approx(0.06 * plan.kwh, rel=0.02)
    assert found["10 km/h slower"].more_kwh < -5  # less drag
    assert found["10 km/h slower"].later_h < 420 / 80 - 420 / 90 + 0.01  # and less time to charge
    out = next(w for name, w in found.items() if "out of order" in name)
    assert out.later_h is None or out.later_h >= -1e-9
    assert out.why_not if out.later_h is None else out.stops


def test_stops_by_hand_are_kept(towing: tuple[Study, Asking]) -> None:
    plan = plan_trip(*towing, days_tow())
    assert [s.charger.at_km for s in plan.stops] == [230.0]
    moved = with_stop_moved(plan, 0, 150.0)
    assert moved.stop_at_km == (140.0,)
    with pytest.raises(CannotArrive, match="from charger at 140 km"):
        plan_trip(*towing, moved)
    by_hand = plan_trip(*towing, days_tow(stop_at_km=(140.0, 230.0, 370.0)))
    assert [s.charger.at_km for s in by_hand.stops] == [140, 230, 370]
    assert by_hand.total_h > plan.total_h


def test_the_way_back_is_turned_round() -> None:
    trip = Trip(
        stretches=(TripStretch(km=100, speed_kmh=80, climb_m=300), TripStretch(km=50, speed_kmh=60)),
        chargers=(Charger(at_km=40), Charger(at_km=90)), head_wind_ms=3.0,
    )  # fmt: skip
    back = returning(trip)
    assert [(s.km, s.climb_m) for s in back.stretches] == [(50, 0), (100, -300)]
    assert [c.at_km for c in back.chargers] == [60, 110]
    assert back.head_wind_ms == -3.0
    assert returning(back).stretches == trip.stretches


def test_a_price_that_nobody_told_is_not_free(towing: tuple[Study, Asking]) -> None:
    plan = plan_trip(*towing, days_tow(home_price_per_kwh=None))
    assert plan.cost is None and plan.missing == ("the price per kWh at home",)
    bare = tuple(c.with_(price_per_kwh=None) for c in days_tow().chargers)
    plan = plan_trip(*towing, days_tow(chargers=bare))
    assert plan.cost is None and plan.missing == ("the price per kWh at the chargers",)


def test_nonsense_is_refused(towing: tuple[Study, Asking]) -> None:
    with pytest.raises(ValueError, match="lies beyond"):
        days_tow(chargers=(Charger(at_km=500),))
    with pytest.raises(ValueError, match="no charger stands there"):
        days_tow(stop_at_km=(100.0,))
    with pytest.raises(ValueError, match="order they are passed"):
        days_tow(chargers=(Charger(at_km=200), Charger(at_km=100)))
    with pytest.raises(ValueError, match="expected off, auto"):
        days_tow(climate="warm")
    with pytest.raises(ValueError, match="no length"):
        plan_trip(*towing, Trip())
    with pytest.raises(ValueError, match="was not driven"):
        plan_trip(*towing, days_tow(configuration="Z"))
    with pytest.raises(ValueError, match="two distances"):
        chargers_every(140, 90, 420, 150)
    study, asking = towing
    unknown = study.with_(vehicle=study.vehicle.with_(usable_capacity_kwh=None))
    with pytest.raises(ValueError, match="usable capacity"):
        plan_trip(unknown, asking, days_tow())


def test_the_band_of_an_arrival_holds_what_is_uncertain(towing: tuple[Study, Asking]) -> None:
    def width(plan: TripPlan) -> float:
        low, high = plan.stops[0].arrival.interval
        return high - low

    narrow = plan_trip(*towing, days_tow())
    windy = plan_trip(*towing, days_tow(wind_sd_ms=3.0))
    cold = plan_trip(*towing, days_tow(temperature_c=-10.0, climate="auto"))
    assert width(windy) > 1.3 * width(narrow)
    assert width(cold) > 1.1 * width(narrow)
    assert "−10 °C was not driven (15 °C was)" in map(plain, cold.not_driven)


def diesel_study() -> tuple[Study, Asking]:
    """A diesel van of 60 L that took 8.0 L/100 km bare and 12.0 with a trailer, at 90 km/h, 15 °C, calm."""
    study = driven_study("ABBA", kind="towing").with_(vehicle=VAN.with_(energy="diesel", tank_l=60))
    for leg in study.legs:
        shown = 12.0 if leg.configuration == "B" else 8.0
        study = study.with_leg(leg.leg, average_shown=shown, average_unit="L/100km")
    (asking,) = askings(study)
    return study, asking


def test_a_tow_on_fuel_by_hand():
    """1000 km at 12 L/100 km: 120 L, 54 L to a filling: two stops on the way, 234 of a money at 1.95 and 10 of road charge."""
    study, asking = diesel_study()
    trip = days_tow(
        stretches=(TripStretch(km=1000, speed_kmh=90),), chargers=(), fuel_price_per_l=1.95, fuel_road_price_per_km=0.01,
        pause_every_h=3.0, pause_min=20.0,
    )  # fmt: skip
    found = fuel_trip(study, asking, trip)
    assert found.litres == pytest.approx(120.0, rel=0.01)
    assert found.kwh is None
    assert found.interval[0] < found.litres < found.interval[1]
    assert 1.0 < (found.interval[1] - found.interval[0]) / 2 < 12.0, "within ten per cent, and not for free"
    assert found.stops == math.ceil(found.litres / (TANK_SHARE * 60)) - 1 == 2
    assert found.cost == pytest.approx(found.litres * 1.95 + 10.0)
    assert found.total_h == pytest.approx(1000 / 90 + 3 * 20 / 60 + 2 * 8 / 60, abs=0.01)
    bare = fuel_trip(study, asking, trip.with_(configuration="A", fuel_price_per_l=None))
    assert bare.litres == pytest.approx(80.0, rel=0.01)
    assert (bare.stops, bare.cost) == (1, None)
    # A tank that nobody gave is not a tank without an end: its stops cannot be told.
    assert fuel_trip(study.with_(vehicle=study.vehicle.with_(tank_l=None)), asking, trip).stops is None
    with pytest.raises(ValueError, match='"C" was not driven'):
        fuel_trip(study, asking, trip.with_(configuration="C"))


def test_the_others_beside_a_trip(towing):
    study, asking = towing
    (bare,) = trip_beside(study, (asking,), days_tow(), asking.vehicle, "B")
    assert isinstance(bare, Beside)
    plan = plan_trip(study, asking, days_tow(configuration="A"))
    assert (bare.configuration, bare.litres) == ("A", None)
    assert (bare.kwh, bare.total_h, bare.stops) == (plan.kwh, plan.total_h, len(plan.stops))
    assert bare.cost == pytest.approx(plan.cost)
    # One that cannot be driven says why.
    (stuck,) = trip_beside(study, (asking,), days_tow(chargers=()), asking.vehicle, "A")
    assert stuck.total_h is None
    assert stuck.why_not


def test_a_charger_out_of_order_is_never_sooner(towing: tuple[Study, Asking]) -> None:
    """One way less to go cannot be quicker than the quickest, to half a minute."""
    rng = np.random.default_rng(3)
    for _ in range(12):
        km = np.sort(rng.choice(np.arange(60, 400, 10), 4, replace=False))
        chargers = tuple(Charger(at_km=float(x), kw=float(rng.choice([50, 100, 150]))) for x in km)
        trip = days_tow(chargers=chargers, most_percent=95, unhitch_min=float(rng.choice([0, 12])))
        try:
            plan = plan_trip(*towing, trip)
        except CannotArrive:
            continue
        assert all(s.leave_percent - s.arrival.percent > 2.9 for s in plan.stops), "no stop for next to nothing"
        for s in plan.stops:
            without = tuple(c.with_(working=c.at_km != s.charger.at_km) for c in chargers)
            try:
                other = plan_trip(*towing, trip.with_(chargers=without))
            except CannotArrive:
                continue
            assert other.total_h > plan.total_h - 0.5 / 60


def test_a_trailer_stays_on_where_it_may(towing: tuple[Study, Asking]) -> None:
    """Twelve minutes of unhitching less, and that is all; a stop there is chosen rather."""
    chargers = (Charger(at_km=150, kw=150), Charger(at_km=300, kw=150))
    plan = plan_trip(*towing, days_tow(chargers=chargers, stop_at_km=(150.0, 300.0)))
    on = tuple(c.with_(hitched=True) for c in chargers)
    hitched = plan_trip(*towing, days_tow(chargers=on, stop_at_km=(150.0, 300.0)))
    assert 60 * (plan.total_h - hitched.total_h) == pytest.approx(24.0)
    assert [s.other_min for s in hitched.stops] == [4.0, 4.0]
    untold = plan_trip(*towing, days_tow(chargers=chargers, stop_at_km=(150.0, 300.0), unhitch_min=None))
    assert untold.total_h == pytest.approx(hitched.total_h)


def test_a_way_without_a_speed_is_driven_as_the_legs_were(towing: tuple[Study, Asking]) -> None:
    study, asking = towing
    bare = days_tow(stretches=(TripStretch(km=380),), chargers=chargers_every(90, 140, 380, 150, 0.45))
    told = bare.with_(stretches=(TripStretch(km=380, speed_kmh=asking.kmh),))
    plan = plan_trip(study, asking, bare)
    assert plan.trip.km == 380.0
    assert plan.kwh == pytest.approx(plan_trip(study, asking, told).kwh)
    assert plan.driving_h == pytest.approx(380 / asking.kmh)


def test_what_was_in_the_battery_and_what_came_on_the_way_add_up(towing: tuple[Study, Asking]) -> None:
    plan = plan_trip(*towing, days_tow(charger_efficiency_percent=90.0))
    drawn = sum(s.kwh for s in plan.stops)
    assert plan.home_kwh + 0.9 * drawn == pytest.approx(plan.kwh)
    assert plan.home_wall_kwh == pytest.approx(plan.home_kwh / 0.9)  # 90 % into the battery at home, common practice
    assert plan.roads_cost == pytest.approx(420 * 0.02)
    assert plan.cost == pytest.approx(0.45 * drawn + 0.45 * plan.home_wall_kwh + plan.roads_cost)
    assert plan.open_by[0][1] >= plan.open_by[-1][1] >= 0.0 and plan.open_by[0][1] > 1.0


def test_alone_there_is_nothing_to_unhitch(towing: tuple[Study, Asking]) -> None:
    study, asking = towing
    assert study.change.about.hitched
    alone = plan_trip(study, asking, days_tow(configuration=study.baseline.id))
    assert {s.other_min for s in alone.stops} == {4.0}
    assert {s.other_min for s in plan_trip(study, asking, days_tow()).stops} == {16.0}
