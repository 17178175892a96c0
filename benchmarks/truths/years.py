"""Years of tests of one vehicle: study after study with one truth, so that what joins them can be judged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Final

import numpy as np

from fairmargin.core.study import Study
from fairmargin.simulation.day import CAR_SHARES, DayPlan, SimulatedStudy, simulate
from fairmargin.simulation.road import straight_road
from fairmargin.simulation.vehicle import TrueVehicle, true_van, van_as_known

BASELINE: Final = "Bare"
FIRST_DAY: Final = datetime(2024, 3, 9, 9, 0)
ROAD_M: Final = 18_400.0


@dataclass(frozen=True, slots=True)
class Years:
    """Studies of one vehicle, and the true effect of every cover over the bare vehicle, in per cent."""

    studies: Sequence[SimulatedStudy]
    truth: dict[str, float]
    van: TrueVehicle


def simulate_years(
    seed: int,
    studies: int = 8,
    covers: int = 4,
    wind: str = "mixed",
    days: int = 1,
    order: str = "ABBA",
    differs: float = 0.0,
    least_apart: float = 0.0,
) -> Years:
    """Drive one vehicle through years of tests on one road: covers against the bare vehicle, some asked again.

    Parameters
    ----------
    seed : int
    studies, covers : int
        How many studies, of how many covers; each cover is driven in turn.
    wind, days, order
        As for `DayPlan`.
    differs : float
        What a cover's effect truly differs by from one study to the next, standard deviation in per cent.
    least_apart : float
        Smallest true difference of any two covers, in per cent.

    Returns
    -------
    Years
    """
    rng = np.random.default_rng(seed)
    van = true_van(rng)
    known = van_as_known(van, rng)
    road = replace(straight_road(rng, ROAD_M), car_share=float(rng.uniform(*CAR_SHARES)))
    effects = rng.uniform(-6.0, 3.0, covers)
    if least_apart:
        effects = rng.permutation(-5.0 + least_apart * np.arange(covers) + rng.uniform(0.0, 0.2, covers))
    made: list[SimulatedStudy] = []
    truth: dict[str, float] = {}
    day = FIRST_DAY
    for i in range(studies):
        which = i % covers
        name = f"Cover {which + 1}"
        own = float(effects[which]) + differs * float(rng.normal())
        plan = DayPlan(
            effect_percent=own,
            order=order,
            wind=wind,
            days=days,
            day_gap=7,
            start=day,
            temperature_c=float(rng.uniform(2.0, 22.0)),
        )
        drive_seed = int(rng.integers(2**31))
        study = simulate(drive_seed, plan, road, f"Cover {which + 1}, {day:%B %Y}", known, van)
        made.append(replace(study, study=_named(study.study, name)))
        told = float(study.truth["effect_percent"])  # type: ignore[arg-type]
        truth.setdefault(name, told if not differs else float(effects[which]))
        day += timedelta(days=int(rng.integers(20, 120)))
    return Years(tuple(made), truth, van)


def _named(study: Study, trial: str) -> Study:
    a, b = study.configurations
    return study.with_(configurations=(a.with_(name=BASELINE), b.with_(name=trial)), route_name="Dyke Road")
