"""What one flaw makes of a day: its weather and its car before it is driven, what was written down after."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from fairmargin.core.memory.practice import FlawName, head_wind, like_leg
from fairmargin.core.study import Leg, Study
from fairmargin.practice.forms import Form, practice_road
from fairmargin.simulation import DayPlan, SimulatedStudy, simulate

#: Sizes of a flaw, from plain to hidden.
DRIFT: Final = (-0.08, -0.06, -0.045)  # that is in the difference of the sides
COLD_C: Final = (-3.0, 1.0, 5.0)
COLD_SHOWS: Final = (0.05, 0.04, 0.03)  # by which the first leg is above its like
LEE: Final = (0.88, 0.91, 0.94)  # of what the leg takes; common practice for a lorry's
PRESSURES: Final = (0.80, 0.86, 0.91)  # of the other side's
WIND_APART_M_S: Final = (6.0, 5.0, 4.0)  # head wind of one side over the other's, at the mast
WIND_ALIKE_M_S: Final = 1.6
#: 10 % less pressure costs 3 to 5 % of rolling, which is about half of it at such speeds (common practice).
PRESSURE_POWER: Final = 0.5 * 0.4
TRIES: Final = 60


@dataclass(frozen=True, slots=True)
class Driven:
    """A day as its tester wrote it down, and what would have been written without the flaw."""

    study: Study
    effect_percent: float
    clean: Mapping[str, float]  # average of each leg, in the unit of its reading
    told_by: tuple[str, ...]  # legs that give it away


def driven(form: Form, flaw: FlawName, grade: int, effect_percent: float, rng: np.random.Generator) -> Driven:
    """Drive a form with a flaw.

    Parameters
    ----------
    form : Form
        One that can hide it.
    flaw : str
    grade : int
        0 is plain, 2 well hidden.
    effect_percent : float
        What the change alone does.
    rng : numpy.random.Generator

    Returns
    -------
    Driven
    """
    plan = DayPlan(
        kind=form.kind,
        effect_percent=effect_percent or 0.02,
        order=form.order,
        method=form.method,
        speed_kmh=form.speed_kmh,
        wind="calm" if form.days == 2 else "mixed",
        temperature_c=COLD_C[grade] if flaw == "cold first leg" else float(rng.uniform(2, 20)),
        start=form.start,
        days=form.days,
        day_gap=3,
        traffic=0.08,
        swap_minutes=12,
        step=form.step,
    )
    if flaw == "wind":
        plan = replace(plan, wind="windy")
    if flaw == "cold first leg":
        plan = replace(plan, warm_up_drive=False)
    day, seed = _fitting(form, plan, flaw, grade, rng)
    noted = _noted(day.study, form, rng)
    truth = float(day.truth["effect_percent"])  # type: ignore[arg-type]
    study, told = SPOILS.get(flaw, _as_it_is)(noted, form, grade, rng)
    clean = noted if flaw in SPOILS else _without(flaw, plan, form, seed)
    shown = {leg.leg: leg.average_shown for leg in clean.legs if leg.average_shown is not None}
    return Driven(study, truth, shown, told or _told_by(flaw, study, form))


def _drive(form: Form, plan: DayPlan, seed: int) -> SimulatedStudy:
    return simulate(seed, plan, road=practice_road(form.road), known=form.vehicle)


def _fitting(
    form: Form, plan: DayPlan, flaw: FlawName, grade: int, rng: np.random.Generator
) -> tuple[SimulatedStudy, int]:
    """A day whose wind is as unlike, or as alike, on both sides as the flaw has it, and whose cold first leg shows."""
    best: tuple[float, SimulatedStudy, int] | None = None
    for _ in range(TRIES):
        seed = int(rng.integers(2**31))
        day = _drive(form, plan, seed)
        misses = _misses(form, day.study, flaw, grade)
        if best is None or misses < best[0]:
            best = misses, day, seed
        if misses == 0.0:
            break
    assert best is not None
    return best[1], best[2]


def _misses(form: Form, study: Study, flaw: FlawName, grade: int) -> float:
    """By how much a day is not what is wanted of it; nought where it is."""
    apart = abs(head_wind_apart(study)) if form.method == "one-way" else 0.0
    if flaw == "wind":
        return max(0.0, WIND_APART_M_S[grade] - apart)
    missed = max(0.0, apart - WIND_ALIKE_M_S)
    if flaw == "cold first leg":
        first = study.legs[0]
        other = like_leg(study, first)
        above = 0.0 if other is None else (first.average_shown or 0.0) / (other.average_shown or 1.0) - 1
        missed += 100.0 * max(0.0, COLD_SHOWS[grade] - above)
    return missed


def head_wind_apart(study: Study) -> float:
    """Mean head wind of the trial's legs over the baseline's. [m/s]"""
    sides = {c: [head_wind(study, leg) for leg in study.legs if leg.configuration == c] for c in "AB"}
    return float(np.mean(sides["B"]) - np.mean(sides["A"]))


def _without(flaw: FlawName, plan: DayPlan, form: Form, seed: int) -> Study:
    """The same day without the flaw: next to no wind, warm tyres, a fine display."""
    clean = {
        "wind": replace(plan, wind="calm"),
        "cold first leg": replace(plan, warm_up_drive=True),
        "coarse display": replace(plan, step=0.1),
    }.get(flaw, plan)
    return _drive(form, clean, seed).study


def _noted(study: Study, form: Form, rng: np.random.Generator) -> Study:
    """What every case has in its notes: distances by GPS, pressures and remarks where the form has them."""
    cold = 5.0 * round(float(rng.uniform(230.0, 330.0)) / 5.0)
    legs = []
    remarks = dict(form.remarks)
    for i, leg in enumerate(study.legs):
        pressure = cold + (5.0 if rng.random() < 0.2 else 0.0)
        legs.append(
            leg.with_(
                distance_km=leg.gps_distance_km,
                gps_distance_km=None,
                tyre_pressure_kpa=pressure if form.pressures else None,
                note=remarks.get(i, ""),
            )
        )
    return study.with_(legs=tuple(legs))


# ---------------------------------------------------------------- what was written down

Spoiled = tuple[Study, tuple[str, ...]]


def _as_it_is(study: Study, _form: Form, _grade: int, _rng: np.random.Generator) -> Spoiled:
    return study, ()


def _shows(leg: Leg, factor: float) -> Leg:
    """The same leg had it taken so much more."""
    step = leg.average_step or 0.1
    assert leg.average_shown is not None
    return leg.with_(average_shown=round(round(leg.average_shown * factor / step) * step, 4))


def _drifting(study: Study, _form: Form, grade: int, _rng: np.random.Generator) -> Spoiled:
    """All readings fall as the day goes on."""
    at = [leg.started_at for leg in study.legs]
    hours = [(t - at[0]).total_seconds() / 3600.0 for t in at if t is not None and at[0] is not None]
    sides = {c: [h for h, x in zip(hours, study.legs, strict=True) if x.configuration == c] for c in "AB"}
    an_hour = DRIFT[grade] / float(np.mean(sides["B"]) - np.mean(sides["A"]))
    legs = [_shows(leg, 1 + an_hour * h) for leg, h in zip(study.legs, hours, strict=True)]
    last = next((x for x in reversed(legs) if x.direction == legs[0].direction), legs[-1])
    return study.with_(legs=tuple(legs)), (legs[0].leg, last.leg)


def _reset_failed(study: Study, _form: Form, grade: int, rng: np.random.Generator) -> Spoiled:
    """The trip meter went on from the leg before: where the case is plain its distance tells, else only its average."""
    shown = [leg.average_shown or 0.0 for leg in study.legs]
    apart = [abs(b / a - 1) for a, b in zip(shown, shown[1:], strict=False)]
    wanted = [i + 1 for i, share in enumerate(apart) if share >= 0.06] or [int(np.argmax(apart)) + 1]
    at = int(rng.choice(wanted))
    leg, before = study.legs[at], study.legs[at - 1]
    km, km_before = leg.distance_km or 0.0, before.distance_km or 0.0
    mean = (shown[at] * km + shown[at - 1] * km_before) / (km + km_before)
    mixed = _shows(leg, mean / shown[at])
    if grade == 0:
        mixed = mixed.with_(distance_km=round(km + km_before, 2))
    return study.with_(legs=(*study.legs[:at], mixed, *study.legs[at + 1 :])), (leg.leg,)


def _following(study: Study, form: Form, grade: int, _rng: np.random.Generator) -> Spoiled:
    """The vehicle ahead was near on the leg that the first remark is of."""
    leg = study.legs[form.remarks[0][0]]
    return study.with_(legs=tuple(_shows(x, LEE[grade]) if x is leg else x for x in study.legs)), (leg.leg,)


def _two_changes(study: Study, _form: Form, grade: int, rng: np.random.Generator) -> Spoiled:
    """The trial, or the baseline, was driven on softer tyres."""
    soft = "B" if rng.random() < 0.5 else "A"
    legs, told = [], []
    for leg in study.legs:
        if leg.configuration == soft:
            kpa = leg.tyre_pressure_kpa or 290.0
            lower = 5.0 * round(kpa * PRESSURES[grade] / 5.0)
            legs.append(_shows(leg, (kpa / lower) ** PRESSURE_POWER).with_(tyre_pressure_kpa=lower))
            told.append(leg.leg)
        else:
            legs.append(leg)
    return study.with_(legs=tuple(legs)), tuple(told)


#: Flaws that are in what was written down of a day that was as it should be.
SPOILS: Final[Mapping[str, Callable[[Study, Form, int, np.random.Generator], Spoiled]]] = {
    "order drift": _drifting,
    "reset did not take": _reset_failed,
    "following": _following,
    "two changes": _two_changes,
}


def _told_by(flaw: FlawName, study: Study, form: Form) -> tuple[str, ...]:
    """Legs that give a flaw away which was there when they were driven."""
    if flaw == "cold first leg":
        return (study.legs[0].leg,)
    if flaw == "wind":
        ends: Sequence[Leg] = (study.legs[0], study.legs[-1])
        return tuple(leg.leg for leg in ends)
    if flaw == "coarse display":
        return tuple(leg.leg for leg in study.legs)
    return ()
