"""Practice cases: made by the virtual test day with one flaw each; the shipped ones are read, others are made from a seed."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from functools import lru_cache
from importlib import resources
from typing import Any, Final, get_args

import numpy as np

from fairmargin.core.analysis import analyse
from fairmargin.core.memory.practice import FlawName, Solution, carried_by
from fairmargin.core.study import Leg, RoutePoint, Study
from fairmargin.simulation import DayPlan, SimulatedStudy, simulate, straight_road
from fairmargin.simulation.day import CAR_SHARES
from fairmargin.simulation.road import TrueRoad

FILE: Final = "cases.json"
ROAD_SEED: Final = 77
ROAD_M: Final = 21_300.0
GRADES: Final = ("easy", "middle", "hard")
KINDS: Final = {
    "aero covers": ("Covers off", "Covers on"), "tyres": ("Old tyres", "New tyres"), "cargo": ("Bare roof", "Roof box"),
    "payload": ("Empty", "Loaded"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Case:
    """A study as its tester has it, and what is true of it."""

    id: str
    grade: str
    study: Study
    solution: Solution


@dataclass(frozen=True, slots=True)
class _Made:
    """What a flaw makes of a day: the plan it is driven by, and what it does to what was written down."""

    plan: DayPlan
    spoil: Callable[[SimulatedStudy, np.random.Generator], Study]
    explained: str


def practice_road() -> TrueRoad:
    """The road of all cases."""
    rng = np.random.default_rng(ROAD_SEED)
    return replace(straight_road(rng, ROAD_M), car_share=float(rng.uniform(*CAR_SHARES)))


def generated(seed: int, flaw: FlawName | None = None, grade: str = "") -> Case:
    """Make a case from a seed.

    Parameters
    ----------
    seed : int
    flaw : str, optional
        Drawn where absent; "none" as often as any.
    grade : str, optional
        How clear the flaw is: easy, middle, hard; drawn where absent.

    Returns
    -------
    Case
    """
    rng = np.random.default_rng(seed)
    drawn_flaw = str(rng.choice(get_args(FlawName)))
    drawn_grade = str(rng.choice(GRADES))
    flaw, grade = flaw or drawn_flaw, grade or drawn_grade  # type: ignore[assignment]
    assert flaw is not None
    kind = str(rng.choice(list(KINDS)))
    size = float(rng.uniform(1.5, 6.0))
    effect = round(
        {"aero covers": -size, "tyres": size * float(rng.choice([-1, 1])), "cargo": 2 * size}.get(kind, size), 1
    )
    if rng.random() < 0.15:
        effect = 0.0 if kind != "payload" else 0.8
    base = DayPlan(
        kind=kind,
        effect_percent=effect or 0.02,
        order="ABBA",
        wind="mixed",
        temperature_c=float(rng.uniform(4, 20)),
        start=datetime(2025, int(rng.integers(3, 11)), int(rng.integers(1, 28)), 8, 30),
        traffic=0.05,
        swap_minutes=12,
    )
    made = _flawed(flaw, base, GRADES.index(grade))
    day = simulate(int(rng.integers(2**31)), made.plan, road=practice_road())
    study = made.spoil(day, rng)
    baseline, trial = KINDS[kind]
    a, b = study.configurations
    study = study.with_(
        title=f"{trial} against {baseline.lower()}",
        configurations=(a.with_(name=baseline), b.with_(name=trial)),
        vehicle=study.vehicle.with_(name="Practice van"),
        route_name="Practice road",
        notes="",
    )
    truth = float(day.truth["effect_percent"])  # type: ignore[arg-type]
    found = analyse(study).comparisons
    verdict = found[0].verdict if found else "not settled"
    carried = carried_by(flaw, verdict, truth, study.smallest_effect_percent)
    return Case(f"seed-{seed}", grade, study, Solution(round(truth, 2), flaw, carried, made.explained))


def _flawed(flaw: FlawName, base: DayPlan, grade: int) -> _Made:
    """A day with one flaw; the higher the grade, the less it shows."""
    if flaw == "order drift":
        plan = replace(base, order="AABB" if grade < 2 else "AAABBB", warm_up_drive=False, temperature_c=3.0)
        return _Made(
            plan, _as_it_is, "All baseline runs first: the day warmed, and tyres with it, while the trial was driven."
        )
    if flaw == "wind":
        plan = replace(base, method="one-way", order="AABB" if grade < 2 else "ABAB", wind="windy", days=2, day_gap=3)
        return _Made(
            plan,
            _as_it_is,
            "One way only, on two days: a head wind on one and not on the other is not cancelled by anything.",
        )
    if flaw == "reset did not take":
        return _Made(
            base, _reset_failed, "One leg shows the mean of itself and of the leg before: the reset did not take."
        )
    if flaw == "cold first leg":
        plan = replace(base, warm_up_drive=False, temperature_c=(-2.0, 3.0, 8.0)[grade], order="ABBA")
        return _Made(plan, _as_it_is, "Nobody warmed the car up: the first leg, a baseline one, paid for cold tyres.")
    if flaw == "following":
        return _Made(base, _following(grade), "A lorry ahead on a trial leg: its lee is worth several per cent.")
    if flaw == "coarse display":
        plan = replace(base, step=(2.0, 1.0, 0.5)[grade], order="AB" if grade == 0 else "ABBA")
        return _Made(plan, _as_it_is, "The display's step is as large as the effect that is asked for.")
    if flaw == "two changes":
        return _Made(base, _two_changes(grade), "Tyre pressures differ too: that is a second change, in one direction.")
    return _Made(base, _as_it_is, "Nothing was wrong with it: what it says is what the evidence carries.")


def _as_it_is(day: SimulatedStudy, _rng: np.random.Generator) -> Study:
    return day.study


def _reset_failed(day: SimulatedStudy, rng: np.random.Generator) -> Study:
    """The trip meter went on from the leg before; distances are by GPS, so that they do not tell."""
    study = day.study
    legs = [leg.with_(distance_km=leg.gps_distance_km, gps_distance_km=None) for leg in study.legs]
    # Where the configuration changed, so that it tells.
    changed = [i for i in range(1, len(legs)) if legs[i].configuration != legs[i - 1].configuration]
    at = int(rng.choice(changed))
    legs[at] = _mixed(legs[at], legs[at - 1])
    return study.with_(legs=tuple(legs))


def _mixed(leg: Leg, before: Leg) -> Leg:
    assert leg.average_shown is not None and before.average_shown is not None
    return leg.with_(average_shown=round((leg.average_shown + before.average_shown) / 2, 1))


def _following(grade: int) -> Callable[[SimulatedStudy, np.random.Generator], Study]:
    lee, words = (
        (0.88, "lorry ahead all the way"),
        (0.92, "quiet; a lorry ahead for a while"),
        (0.95, "some lorries"),
    )[grade]

    def spoil(day: SimulatedStudy, rng: np.random.Generator) -> Study:
        study = day.study
        trial = [leg for leg in study.legs if leg.configuration == "B"]
        leg = trial[int(rng.integers(len(trial)))]
        assert leg.average_shown is not None
        return study.with_leg(leg.leg, average_shown=round(leg.average_shown * lee, 1), note=words)

    return spoil


def _two_changes(grade: int) -> Callable[[SimulatedStudy, np.random.Generator], Study]:
    lower = (230.0, 250.0, 265.0)[grade]

    def spoil(day: SimulatedStudy, _rng: np.random.Generator) -> Study:
        study = day.study
        # Rolling is about a half of it at this speed; 10 % less pressure costs 3 to 5 % of rolling (common practice).
        more = 1 + 0.5 * 0.4 * math.log(290.0 / lower)
        legs = []
        for leg in study.legs:
            on = leg.configuration == "B"
            assert leg.average_shown is not None
            legs.append(
                leg.with_(
                    tyre_pressure_kpa=lower if on else 290.0,
                    average_shown=round(leg.average_shown * (more if on else 1.0), 1),
                )
            )
        return study.with_(legs=tuple(legs))

    return spoil


# ---------------------------------------------------------------- the shipped cases


def as_file(cases: list[Case]) -> str:
    """Cases as the file has them: the road once, each case without it."""
    made: list[dict[str, Any]] = [
        {
            "id": c.id,
            "grade": c.grade,
            "study": c.study.with_(route=()).model_dump(mode="json", by_alias=True, exclude_defaults=True),
            "effect_percent": c.solution.effect_percent,
            "flaw": c.solution.flaw,
            "carried": list(c.solution.carried),
            "explained": c.solution.explained,
        }
        for c in cases
    ]
    road = [[p.distance_m, p.latitude, p.longitude, p.elevation_m] for p in cases[0].study.route] if cases else []
    lines = [json.dumps(c, ensure_ascii=False) for c in made]
    return '{"road": ' + json.dumps(road) + ',\n"cases": [\n' + ",\n".join(lines) + "\n]}\n"


@lru_cache(maxsize=1)
def shipped() -> tuple[Case, ...]:
    """The twenty graded cases, easy ones first."""
    value = json.loads(resources.files("fairmargin.practice").joinpath(FILE).read_text(encoding="utf-8"))
    route = tuple(
        RoutePoint(distance_m=d, latitude=lat, longitude=lon, elevation_m=h) for d, lat, lon, h in value["road"]
    )
    return tuple(
        Case(
            c["id"],
            c["grade"],
            Study.model_validate(c["study"]).with_(route=route),
            Solution(c["effect_percent"], c["flaw"], tuple(c["carried"]), c["explained"]),
        )
        for c in value["cases"]
    )
