"""The demo's studies: the invented vans of the Wexmoor Bakers' Cooperative, made by the simulator."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime, time
from pathlib import Path
from typing import Final

import numpy as np

from fairmargin.core.analysis import analyse
from fairmargin.core.planning.checklists import checklist
from fairmargin.core.study import Change, Configuration, Leg, Study, Vehicle
from fairmargin.core.study.plan import Forecast, LimitSource, Load, Plan
from fairmargin.core.study.registration import seal_of
from fairmargin.core.study.trip import Charger, Trip, TripStretch
from fairmargin.demo.others import hallock_bank, market_trips, two_vans_apart
from fairmargin.demo.seasons import CAR_SHARE, seasons
from fairmargin.logbook import Logbook
from fairmargin.logbook.freshen import freshen_all, others
from fairmargin.logbook.lines import study_memory, study_summary
from fairmargin.simulation import DayPlan, SimulatedStudy, simulate, straight_road
from fairmargin.simulation.coasting import CoastPlan, simulate_coasts
from fairmargin.simulation.road import TrueRoad
from fairmargin.simulation.vehicle import TrueEffect, TrueVehicle, true_van, van_as_known

SEED = 1847
DYKE_ROAD_M = 18_400.0


def dyke_road() -> TrueRoad:
    """The road between Wexmoor and Hallock Bridge."""
    return replace(straight_road(np.random.default_rng(SEED), DYKE_ROAD_M), car_share=CAR_SHARE)


def orrin_1() -> tuple[TrueVehicle, Vehicle]:
    """The trial van as it truly is, and as the bakers know it: one van in all studies."""
    rng = np.random.default_rng(SEED + 1)
    van = true_van(rng)
    return van, van_as_known(van, rng)


def demo_studies() -> list[SimulatedStudy]:
    """Make the demo studies: wheel discs, tyres three weeks apart, flour payload."""
    road, (van, known) = dyke_road(), orrin_1()
    plans = [
        (
            "Wheel discs, Dyke Road",
            SEED + 1,
            DayPlan(
                kind="aero covers",
                effect_percent=-3.4,
                order="ABBAABBA",
                wind="mixed",
                start=datetime(2026, 5, 2, 8, 10),
                scatter=0.006,
                swap_minutes=8,
            ),
            ("Discs off", "Discs on"),
            -4.0,
            "Flat discs over the steel wheels. Same tyres, same pressures, both cold at 2.9 bar. Do they pay?",
        ),
        (
            "All-weather against summer tyres",
            SEED + 17,
            DayPlan(
                kind="tyres",
                effect_percent=4.5,
                order="AABB",
                wind="mixed",
                days=2,
                day_gap=21,
                day_warmer_k=-5.0,
                start=datetime(2026, 9, 26, 9, 0),
            ),
            ("Summer tyres", "All-weather tyres"),
            6.0,
            "The garage could only swap on the day of the yearly check, three weeks after the baseline.",
        ),
        (
            "320 kg of flour",
            SEED + 11,
            DayPlan(
                kind="payload",
                effect_percent=4.8,
                order="ABBA",
                wind="calm",
                speed_kmh=80.0,
                start=datetime(2026, 6, 13, 9, 30),
                traffic=0.1,
                swap_minutes=25,
            ),
            ("Empty", "320 kg of flour"),
            10.0,
            "Sixteen sacks on the floor of the load bay, strapped, nothing above the cab.",
        ),
    ]
    made = []
    for title, seed, plan, names, prediction, notes in plans:
        simulated = simulate(seed, plan, road=road, title=title, known=known, van=van)
        study = simulated.study
        configurations = tuple(
            c.with_(name=name, mass_delta_kg=320.0 if "flour" in name else c.mass_delta_kg)
            for c, name in zip(study.configurations, names, strict=True)
        )
        change = Change(kind=study.change.kind, mechanism=study.change.mechanism, prediction_percent=prediction)
        study = study.with_(
            configurations=configurations, change=change, notes=notes, route_name="Dyke Road", title=title
        )
        seal = seal_of(study, plan.start.replace(hour=7, minute=30), len(study.order) // 2)
        study = _with_pressures(study.with_(registration=seal))
        told = {"aero covers": {"drag_area_percent": -5.0}, "tyres": {"rolling_percent": 12.0}}.get(plan.kind, {})
        study = study.with_(plan=Plan(day=plan.start.date(), start=time(7, 45), **told))
        made.append(replace(simulated, study=study))
    return made


def half_driven_studies() -> list[SimulatedStudy]:
    """Make the studies that arrive planned and half-driven: ladder rack on the roof, bread trailer at two speeds."""
    road, (van, known) = dyke_road(), orrin_1()
    return [_ladder_rack(road, van, known), _bread_trailer(road, van, known)]


def season_studies() -> list[SimulatedStudy]:
    """Make the studies of the other seasons: frost mornings, town driving, two vans, spats, the discs once more."""
    return seasons(dyke_road(), *orrin_1(), SEED)


def other_studies() -> list[SimulatedStudy]:
    """Make the studies of other questions: Hallock Bank, what the two vans differ by, what the dashboard promises."""
    road, (van, known) = dyke_road(), orrin_1()
    return [
        hallock_bank(van, known, SEED + 53),
        two_vans_apart(road, van, known, SEED + 57),
        market_trips(van, known, SEED + 131),
    ]


def coasting_study() -> SimulatedStudy:
    """The discs once more, by coasting on a still Sunday morning: no consumption is read at all."""
    van, known = orrin_1()
    made = simulate_coasts(
        SEED + 91, CoastPlan(order="ABBAABBA", effect=TrueEffect(drag=0.945), start=datetime(2026, 5, 3, 6, 40)), van, known,
        "Wheel discs by coasting",
    )  # fmt: skip
    study = made.study.with_(
        configurations=_named(made.study, "Discs off", "Discs on", 0.0),
        route_name="Dyke Road",
        change=Change(kind="aero covers", mechanism="aerodynamic", prediction_percent=-4.0),
        notes="Out of gear from 105 down to 35 km/h between the two pumping stations, there and back, before anybody was about.",
    )
    return replace(made, study=study)


def _ladder_rack(road: TrueRoad, van: TrueVehicle, known: Vehicle) -> SimulatedStudy:
    rack = simulate(
        SEED + 21,
        DayPlan(
            kind="cargo",
            effect_percent=9.0,
            instrument="charge-back",
            start=datetime(2026, 7, 4, 9, 0),
            traffic=0.0,
            swap_minutes=15,
        ),
        road=road,
        title="Ladder rack with name board",
        known=known,
        van=van,
    )
    study = rack.study.with_(
        configurations=_named(rack.study, "Bare roof", "Ladder rack", 0.0),
        change=Change(kind="cargo", mechanism="aerodynamic", prediction_percent=7.0),
        notes="The rack rides inside on baseline runs, so that only the shape differs. Charged back to the same level after each leg.",
        route_name="Dyke Road",
        plan=Plan(
            day=date(2026, 7, 4),
            start=time(8, 30),
            drag_area_percent=15.0,
            charger_kw=11.0,
            forecast=Forecast(
                wind_speed_ms=4.0, wind_gust_ms=8.0, wind_from_deg=230, temperature_c=17, warming_k_per_h=0.9
            ),
            load=Load(
                vehicle_kg=1710,
                people_kg=150,
                roof_kg=38,
                gross_limit=(LimitSource(mass_kg=2350, source="plate"),),
                roof_limit=(LimitSource(mass_kg=100, source="handbook"), LimitSource(mass_kg=75, source="rack")),
            ),
            details={"stowed": "inside, along the load bay", "frontal": "board 1.1 m \u00d7 0.3 m, rack 8 cm"},
        ),
    )
    ticked = tuple(item.with_(done=item.when in {"before the day", "arrival"}) for item in checklist(study))
    return replace(rack, study=_planned_from(study.with_(plan=study.plan.with_(checklist=ticked)), 3))


def _bread_trailer(road: TrueRoad, van: TrueVehicle, known: Vehicle) -> SimulatedStudy:
    parts = [
        simulate(
            SEED + 23 + i,
            DayPlan(kind="towing", effect_percent=effect, speed_kmh=speed, start=start, traffic=0.0, swap_minutes=15),
            road=road,
            known=known,
            van=van,
        )
        for i, (speed, effect, start) in enumerate(
            ((70.0, 48.0, datetime(2026, 8, 8, 8, 30)), (85.0, 58.0, datetime(2026, 8, 8, 13, 30)))
        )
    ]
    legs = [
        leg.with_(leg=f"L{8 * i + j + 1:02d}", run=f"R{4 * i + int(leg.run[1:])}", block=str(i + 1), speed_kmh=speed)
        for i, (part, speed) in enumerate(zip(parts, (70.0, 85.0), strict=True))
        for j, leg in enumerate(part.study.legs)
    ]
    trailer = parts[0].study.with_(
        title="Bread trailer at 70 and 85 km/h",
        legs=tuple(legs),
        events=(),
        target_speed_kmh=70.0,
        configurations=_named(parts[0].study, "Van alone", "Bread trailer", 640.0),
        change=Change(kind="towing", mechanism=("aerodynamic", "rolling"), prediction_percent=60.0),
        notes="Box trailer, loaded with the usual forty trays. Morning at 70, afternoon at 85 km/h.",
        route_name="Dyke Road",
        smallest_effect_percent=3.0,
        trip=_to_market(),
        plan=Plan(
            day=date(2026, 8, 8),
            start=time(8, 0),
            swap_min=15,
            drag_area_percent=55.0,
            rolling_percent=10.0,
            forecast=Forecast(wind_speed_ms=3.5, wind_from_deg=290, temperature_c=19, warming_k_per_h=1.0),
            load=Load(
                vehicle_kg=1710,
                people_kg=150,
                cargo_kg=40,
                trailer_kg=640,
                nose_kg=36,
                gross_limit=(LimitSource(mass_kg=2350, source="plate"),),
                towing_limit=(
                    LimitSource(mass_kg=750, source="car plate"),
                    LimitSource(mass_kg=800, source="trailer plate"),
                ),
                train_limit=(LimitSource(mass_kg=2950, source="plate"),),
                nose_limit=(LimitSource(mass_kg=75, source="coupling"), LimitSource(mass_kg=50, source="car plate")),
            ),
            details={"trailer": "box trailer, 1.9 m high, forty trays", "limits": "yes, see Load"},
        ),
    )
    return replace(parts[0], study=_planned_from(trailer, 5))


def _to_market() -> Trip:
    """A market day with the trailer: 320 km, three chargers of which one is out of order."""
    return Trip(
        name="Market day",
        stretches=(
            TripStretch(km=40, speed_kmh=70, name="fen roads"), TripStretch(km=240, speed_kmh=85),
            TripStretch(km=40, speed_kmh=70, climb_m=60),
        ),
        chargers=(
            Charger(at_km=84, name="Mill Quay", kw=50, price_per_kwh=0.39),
            Charger(at_km=151, name="Hallock services", kw=150, price_per_kwh=0.49),
            Charger(at_km=196, name="Sluice End", kw=100, price_per_kwh=0.45, working=False),
            Charger(at_km=247, name="Wharf yard", kw=75, price_per_kwh=0.42),
        ),
        depart_at=datetime(2026, 8, 15, 6, 30),
        start_percent=95, arrive_percent=15, temperature_c=17, climate="off", head_wind_ms=1.5, unhitch_min=12, queue_chance=0.25,
        home_price_per_kwh=0.28, fuel_l_per_100km=10.2, fuel_price_per_l=1.85, fuel_tank_l=70,
    )  # fmt: skip


def _named(study: Study, baseline: str, trial: str, mass_kg: float) -> tuple[Configuration, ...]:
    a, b = study.configurations
    return a.with_(name=baseline), b.with_(name=trial, mass_delta_kg=mass_kg)


#: What a leg that is still planned keeps.
_PLANNED: Final = ("leg", "run", "block", "configuration", "direction", "speed_kmh")


def _planned_from(study: Study, run: int) -> Study:
    """Blank the readings from a run on: it is still to be driven."""
    legs = [
        leg if int(leg.run[1:]) < run else Leg(**{name: getattr(leg, name) for name in _PLANNED}) for leg in study.legs
    ]
    return study.with_legs(legs)


def _with_pressures(study: Study) -> Study:
    """Fill in what a careful note-taker also wrote down."""
    legs = tuple(
        leg.with_(tyre_pressure_kpa=290.0, note="Lock bridge was open, queue" if has_event else "")
        for leg in study.legs
        for has_event in [any(e.leg == leg.leg for e in study.events)]
    )
    study = study.with_(legs=legs)
    queues = [e for e in study.events if e.kind == "slow-traffic"]
    if len(study.legs) >= 16 and queues:
        worst = max(queues, key=lambda e: e.duration_s or 0.0)
        study = study.with_leg(worst.leg, included=False, reason="queue at the lock bridge", left_out_after_result=True)
    return study


def build_demo_logbook(path: Path) -> None:
    """Make the demo logbook anew, with the simulator and the analysis as they are."""
    every = (*demo_studies(), *half_driven_studies(), *season_studies(), *other_studies(), coasting_study())
    # Twice: what each study tells of the tester's hand moves the others.
    evidence = {i: list(analyse(s.study, s.traces).scatter_evidence) for i, s in enumerate(every)}
    evidence = {i: e for i, e in evidence.items() if e}
    with Logbook.open(path) as book:
        for i, made in enumerate(every):
            result = analyse(made.study, made.traces, scatter=others(evidence, i))
            book.add(made.study, made.traces, study_summary(result, True, made.study), study_memory(made.study, result))
        freshen_all(book)  # the few that the second round moved
