"""Five more studies of the demo: frost mornings, town driving, two vans side by side, spats, and the discs once more."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime, time
from typing import Final

import numpy as np

from fairmargin.core.study import Change, Configuration, Leg, NamedVehicle, Vehicle
from fairmargin.core.study.plan import Plan
from fairmargin.simulation import DayPlan, SimulatedStudy, simulate, straight_road
from fairmargin.simulation.road import TrueRoad
from fairmargin.simulation.vehicle import TrueVehicle, true_van

TOWN_ROUND_M: Final = 6_200.0
CAR_SHARE: Final = 0.68
#: Heating a cold cabin on a frost morning, all the way. [W]
FROST_HEATING_W: Final = 1_300.0
FROST_RUNS: Final = (("A", 12), ("B", 13), ("B", 16), ("A", 17), ("B", 19), ("A", 20))  # run, day of January
FROST_WALL_KWH: Final = (1.7, 1.9, 1.8)
READING_SCATTER: Final = 0.006


def seasons(road: TrueRoad, van: TrueVehicle, known: Vehicle, seed: int) -> list[SimulatedStudy]:
    """Make them, on the same van and road as the others.

    Parameters
    ----------
    road : TrueRoad
    van : TrueVehicle
        Orrin 1 as it truly is.
    known : Vehicle
        Orrin 1 as the bakers know it.
    seed : int

    Returns
    -------
    list of SimulatedStudy
    """
    return [
        _frost_mornings(road, van, known, seed + 31),
        _town(van, known, seed + 33),
        _two_vans(road, van, known, seed + 35),
        _spats(road, van, known, seed + 37),
        _discs_again(road, van, known, seed + 39),
    ]


def _frost_mornings(road: TrueRoad, van: TrueVehicle, known: Vehicle, seed: int) -> SimulatedStudy:
    """One run a morning, out only; on every other morning the van was warmed from the wall while it still charged."""
    heated = replace(van, auxiliary_w=van.auxiliary_w + FROST_HEATING_W)
    legs: list[Leg] = []
    drawn = iter(FROST_WALL_KWH)
    first: SimulatedStudy | None = None
    for i, (letter, day) in enumerate(FROST_RUNS):
        morning = simulate(
            seed + i,
            DayPlan(
                kind="preconditioning", effect_percent=-9.0, order=letter, wind="calm", speed_kmh=80.0, temperature_c=-3.0,
                start=datetime(2026, 1, day, 5, 40), traffic=0.0, method="one-way", warm_up_drive=False,
            ),
            road=road, known=known, van=heated,
        )  # fmt: skip
        first = first or morning
        (leg,) = morning.study.legs
        wall = next(drawn) if letter == "B" else 0.0
        legs.append(
            leg.with_(
                leg=f"L{i + 1:02d}", run=f"R{i + 1}", block=str(i // 2 + 1), climate="20", grid_kwh=wall, configuration=letter,
                battery_temperature_c=round(leg.temperature_c or 0.0) + (9 if letter == "B" else 2),
            )
        )  # fmt: skip
    assert first is not None
    study = first.study.with_(
        title="Warm-up from the wall, frost mornings",
        legs=tuple(legs),
        events=(),
        configurations=_two("Cold start", "Warmed from the wall"),
        change=Change(kind="preconditioning", mechanism="auxiliary", prediction_percent=-10.0),
        notes="Delivery leaves at twenty to six. Warmed for half an hour on the cable, or not at all; cabin at 20 °C either way.",
        route_name="Dyke Road",
        smallest_effect_percent=2.0,
        tags=("winter",),
    )
    return replace(first, study=study)


def _town(van: TrueVehicle, known: Vehicle, seed: int) -> SimulatedStudy:
    """The town round, gently and briskly."""
    town = straight_road(np.random.default_rng(seed), TOWN_ROUND_M, loop=True)
    driven = simulate(
        seed,
        DayPlan(
            kind="technique", effect_percent=11.0, order="ABBAABBA", method="laps", speed_kmh=38.0, wind="calm",
            temperature_c=14.0, start=datetime(2026, 5, 17, 14, 0), traffic=0.25, swap_minutes=2.0, scatter=0.012,
        ),
        road=replace(town, car_share=CAR_SHARE), known=known, van=van,
    )  # fmt: skip
    study = driven.study.with_(
        title="Gentle against brisk, town round",
        configurations=_two("Gentle", "Brisk"),
        change=Change(kind="technique", mechanism="technique", prediction_percent=15.0),
        notes="Same round, same lights. Brisk is how the Saturday driver does it.",
        route_name="Town round",
        smallest_effect_percent=2.0,
        tags=("town",),
        plan=Plan(day=date(2026, 5, 17), start=time(13, 45)),
    )
    return replace(driven, study=study)


def _two_vans(road: TrueRoad, van: TrueVehicle, known: Vehicle, seed: int) -> SimulatedStudy:
    """Both vans in the same minutes, the board on one and then on the other."""
    rng = np.random.default_rng(seed)
    other = true_van(rng)
    other_known = known.with_(name="Orrin 2")
    sides = []
    for order, own, told in (("ABBA", van, known), ("BAAB", other, other_known)):
        plan = DayPlan(
            kind="cargo", effect_percent=8.0, order=order, wind="mixed", temperature_c=15.0, traffic=0.0,
            start=datetime(2026, 9, 5, 9, 0), swap_minutes=20.0,
        )  # fmt: skip
        sides.append(simulate(seed, plan, road=road, known=told, van=own))  # the same seed: the same weather
    legs: list[Leg] = []
    for first, second in zip(sides[0].study.legs, sides[1].study.legs, strict=True):
        for vehicle, leg in (("orrin-1", first), ("orrin-2", second)):
            shown = leg.average_shown
            assert shown is not None
            if vehicle == "orrin-2":  # nobody's hand is the other's
                shown = round(shown * (1 + READING_SCATTER * float(rng.normal())), 1)
            legs.append(leg.with_(leg=f"L{len(legs) + 1:02d}", vehicle=vehicle, average_shown=shown))
    study = sides[0].study.with_(
        title="The two vans side by side, name board",
        legs=tuple(legs),
        events=(),
        method="side-by-side",
        vehicles=(
            NamedVehicle(id="orrin-1", **known.model_dump(by_alias=True)),
            NamedVehicle(id="orrin-2", **other_known.model_dump(by_alias=True)),
        ),
        configurations=_two("Bare roof", "Name board"),
        change=Change(kind="cargo", mechanism="aerodynamic", prediction_percent=6.0),
        notes="Both drivers set off together, two minutes apart. The board changes vans at the turn-round.",
        route_name="Dyke Road",
    )
    return replace(sides[0], study=study)


def _spats(road: TrueRoad, van: TrueVehicle, known: Vehicle, seed: int) -> SimulatedStudy:
    """Another cover, against the same baseline as the discs."""
    plan = DayPlan(
        effect_percent=-1.6, order="ABBAABBA", wind="mixed", temperature_c=17.0, start=datetime(2026, 7, 19, 8, 30), scatter=0.006,
        swap_minutes=10.0,
    )  # fmt: skip
    driven = simulate(seed, plan, road=road, known=known, van=van)
    notes = "The spats cost half of what the discs cost. Are they worth half?"
    return _covers(driven, "Rear wheel spats, Dyke Road", "Rear spats", -3.0, notes)


def _discs_again(road: TrueRoad, van: TrueVehicle, known: Vehicle, seed: int) -> SimulatedStudy:
    """The first question once more, half a year later."""
    plan = DayPlan(
        effect_percent=-3.4, order="ABBA", wind="mixed", temperature_c=6.0, start=datetime(2026, 11, 7, 9, 20), scatter=0.008,
        swap_minutes=8.0,
    )  # fmt: skip
    driven = simulate(seed, plan, road=road, known=known, van=van)
    notes = "Do they still pay after a summer of kerbs, and in the cold?"
    return _covers(driven, "Wheel discs once more, November", "Discs on", -3.5, notes)


def _covers(driven: SimulatedStudy, title: str, trial: str, predicted: float, notes: str) -> SimulatedStudy:
    """A cover against wheels without discs."""
    study = driven.study.with_(
        title=title,
        configurations=_two("Discs off", trial),
        change=Change(kind="aero covers", mechanism="aerodynamic", prediction_percent=predicted),
        notes=notes,
        route_name="Dyke Road",
        tags=("covers",),
    )
    return replace(driven, study=study)


def _two(baseline: str, trial: str) -> tuple[Configuration, Configuration]:
    return Configuration(id="A", name=baseline, baseline=True), Configuration(id="B", name=trial)
