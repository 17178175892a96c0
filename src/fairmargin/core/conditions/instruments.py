"""Instruments: what each kind may do to all its readings alike, steps, gaps, disagreement, the wall."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.design import DesignRows, Unknown, unknown_of
from fairmargin.core.conditions.room import Condition, LegField, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.indirect import AVERAGES, RUNNING, scale_told
from fairmargin.core.evidence.reading import Observation, Reading
from fairmargin.core.evidence.readings import like_drives, trusted
from fairmargin.core.figures import TRIFLE, Prior, Threshold
from fairmargin.core.laws import driveline
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.orders import display_noise_percent
from fairmargin.core.words import signed

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "reading": LegField(
        "Reading",
        "As shown: 15.4, 212 Wh/mi, 3.4 mi/kWh, 2.86 kWh, 82-71 %, 4.1 kWh charged, 1.9 L; several with ; between. Since a reset further "
        "back: 9.9 since L01. Also: range 250-210 km, rated 40 km, 64 % put back in 67 min",
        heads=("reading", "average", "average_shown", "consumption", "use", "usage", "economy"),
    ),
    "grid_kwh": LegField(
        "Wall, kWh", "Drawn from the wall before departure; empty: not read; 0: read, and nothing", "energy", 3,
        column="Wall", heads=("wall", "grid", "grid_kwh", "wall energy"),
    ),
    "average": LegField(
        "Trip average", "As shown: 15.4, 212 Wh/mi, 3.4 mi/kWh", heads=("trip average", "trip computer", "avg"),
    ),
    "energy": LegField(
        "Trip energy, kWh", "As shown: 2.9", column="Trip energy",
        heads=("energy", "energy_kwh", "kwh", "trip energy"),
    ),
    "soc": LegField(
        "Charge, %", "Before and after: 82-71", column="Charge",
        heads=("soc", "charge", "state of charge", "battery"),
    ),
    "charger": LegField(
        "Charged, kWh", "From the charger, when back at the level before", column="Charged back",
        heads=("charged", "charged back", "charger", "charger_kwh"),
    ),
    "fuel": LegField(
        "Fuel, L", "Filled to the same level", column="Fuel", heads=("fuel", "fuel_l", "litres", "liters", "l"),
    ),
    "forecast": LegField(
        "Forecast at end, %", "Charge that the car promised for the end of this leg, before it", "percent", 0,
    ),
    "on_the_way": LegField("On the way", "Readings between: 1.9 km 89 %; 4 km 86 %"),
}  # fmt: skip

#: Calibration of one kind of instrument against another, where legs were not all read with the same.
INSTRUMENT: Final = {
    "logger": Prior(0.01, "log", "calibration of a logger"),
    "trip energy": Prior(0.02, "log", "calibration of the car's energy counter (1 to 4 % published, from memory)"),
    "trip average": Prior(0.02, "log", "calibration of the car's average (1 to 4 % published, from memory)"),
    "fuel": Prior(0.02, "log", "fill of a tank"),
    "charge back": Prior(0.02, "log", "charging losses"),
    "state of charge": Prior(0.03, "log", "usable capacity"),
    "running average": Prior(0.02, "log", "calibration of the car's average, since a reset further back"),
    "rated range used": Prior(0.03, "log", "what a kilometre of rated range is worth"),
    "range left": Prior(0.10, "log", "what a kilometre of promised range is worth"),
}
TRUNCATION: Final = Prior(0.25, "steps", "a display that cuts off instead of rounding is half a step low")
CHARGING_PER_K: Final = Prior(0.001, "1/K", "charging losses per kelvin")
APART_DEVIATES: Final = Threshold(2.0, "standard deviations", "of both instruments' readings together")
APART_PERCENT: Final = Threshold(1.0, "%", "below it nobody minds which instrument is believed")
GAP_SHARE: Final = Threshold(0.01, "share", "seven seconds of a leg of twelve minutes")
GAP_LARGE: Final = Threshold(0.05, "share", "from here what was bridged may hold the effect")
AGREE_DEVIATES: Final = Threshold(3.0, "standard deviations", "of both readings together")
AGREE_SHARE: Final = Threshold(0.03, "share", "what instruments differ by that is common to all legs")


def unknowns(design: DesignRows) -> list[Unknown]:
    """What instruments may do to all their readings alike."""
    out: list[Unknown] = []
    index = {c.leg: i for i, c in enumerate(design.conditions)}
    kind_of: dict[int, str] = {}
    step = np.zeros(design.rows)
    for o in design.observations:
        for name in o.legs:
            kind_of[index[name]] = o.readings[0].instrument
            if o.readings[0].instrument == RUNNING:  # its spread holds other readings' steps too
                step[index[name]] = o.readings[0].step_wh / o.energy_wh
            elif o.readings[0].instrument in AVERAGES:
                step[index[name]] = o.relative_sd * math.sqrt(12.0)
    if step.any():
        out.append(unknown_of("truncation", Group.DISPLAY_STEP, Parameter.TOTAL, step, TRUNCATION))
    for members in like_drives(design.study, design.observations).values():
        alike = np.zeros(design.rows)
        for o in (design.observations[i] for i in members):
            for name in o.legs:
                alike[index[name]] = math.sqrt(o.rounded_alike) * o.relative_sd
        if alike.any():
            name = "rounding of like drives"
            out.append(Unknown(name, Group.DISPLAY_STEP, Parameter.TOTAL, alike, 0.0, 1.0))
    kinds = sorted(set(kind_of.values()), key=lambda k: -list(kind_of.values()).count(k))
    for kind in kinds[1:]:
        on = np.zeros(design.rows)
        on[[i for i, k in kind_of.items() if k == kind]] = 1.0
        sd = math.hypot(INSTRUMENT[kind].sd, INSTRUMENT[kinds[0]].sd)
        name = f"{kind} against {kinds[0]}"
        out.append(Unknown(name, Group.INSTRUMENTS, Parameter.TOTAL, on, 0.0, sd))
    charged = [i for i, k in kind_of.items() if k == "charge back"]
    if charged:
        warmer = np.zeros(design.rows)
        warmer[charged] = [design.conditions[i].temperature_c - driveline.REFERENCE_C for i in charged]
        prior = CHARGING_PER_K
        out.append(unknown_of("charging per K", Group.INSTRUMENTS, Parameter.TOTAL, warmer, prior))
    return out


def _coarse(kind: str, gauge: str) -> Callable[[Case], Iterator[Finding]]:
    """Rule of one kind of instrument: what its step alone is worth in the effect."""

    def check(case: Case) -> Iterator[Finding]:
        a, b = _both(case)
        using = [o for o in (*a, *b) if o.readings[0].instrument == kind]
        if not using:
            return
        step_share = float(np.mean([o.relative_sd for o in using])) * math.sqrt(12.0)
        count = max(1, min(len(a), len(b)))
        bias = display_noise_percent(step_share, count, case.study.confidence)
        if bias <= TRIFLE:
            return
        low, high = case.effect.interval_percent(case.study.confidence)
        unsettled = low < 0 < high
        large = bias > max(case.study.smallest_effect_percent, 0.0 if unsettled else abs(case.effect.percent) / 2)
        charged = kind == "charge back"
        yield Finding(
            "caution" if large else "note",
            bias,
            tuple(name for o in using for name in o.legs),
            f"Charging back repeats to \u00b1{56.6 * step_share:.1f} % of a leg"
            if charged
            else f"Step of the {gauge}: {100 * step_share:.1f} % of a reading",
            f"{'Where the charger stops' if charged else 'Rounding'} alone is worth this much with "
            f"{count} leg{'s' if count != 1 else ''} each ({kind}).",
            _finer(case, using, bias, count) if large else "Nothing to do.",
        )

    return check


#: Effect that a display should let one see, where nobody said a smaller one matters. [%]
WANTED_PERCENT: Final = 5.0
MOST_DRIVES: Final = 60


def _finer(case: Case, using: Sequence[Observation], bias: float, count: int) -> str:
    """What step, or how many drives, would let rounding alone be a third of an effect worth seeing."""
    wanted = max(case.study.smallest_effect_percent, min(abs(case.effect.percent), WANTED_PERCENT)) / 3.0
    share = wanted / bias
    many = math.ceil(count / share**2)
    fact = case.study.instruments.get(using[0].readings[0].instrument)  # type: ignore[call-overload]
    step = (
        f"a step {1 / share:.0f} times finer"
        if fact is None or fact.step is None
        else f"a step of {fact.step * share:.1g}"
    )
    drives = f", or about {many} drives of each at slightly other speeds," if many <= MOST_DRIVES else ""
    return f"Read a finer instrument: {step}{drives} would show {3 * wanted:.1g} %. Longer legs do not help an average."


def _both(case: Case) -> tuple[list[Observation], list[Observation]]:
    """Observations of the baseline and of the trial."""
    of = {leg.leg: leg.configuration for leg in case.study.legs}
    return (
        [o for o in case.observations if of[o.legs[0]] == case.baseline],
        [o for o in case.observations if of[o.legs[0]] == case.trial],
    )


for _kind, _code, _gauge in (
    ("trip average", "display-too-coarse", "display"),
    ("trip energy", "display-too-coarse", "display"),
    ("state of charge", "gauge-too-coarse", "gauge"),
    ("charge back", "display-too-coarse", "display"),
    ("running average", "display-too-coarse", "display"),
    ("rated range used", "gauge-too-coarse", "gauge"),
    ("range left", "gauge-too-coarse", "gauge"),
):
    CONCERNS.rule(_code, stage="plan", needs="the step of the display", covered=True)(_coarse(_kind, _gauge))


@CONCERNS.rule("log-gaps", stage="examine", needs="logs", covered=True)
def log_gaps(case: Case) -> Iterator[Finding]:
    """Pauses in a log: priced by leaving its leg out."""
    gappy = {o.legs[0]: gap for o in case.observations if (gap := case.gaps.get(o.legs[0], 0.0)) > GAP_SHARE}
    if not gappy:
        return
    yield Finding(
        "caution" if max(gappy.values()) > GAP_LARGE else "note",
        case.dropping(tuple(gappy)),
        tuple(gappy),
        f"Gaps in the log: up to {100 * max(gappy.values()):.0f} % of a leg",
        "Power was bridged in a straight line over pauses of more than 10 s; stretches that are mostly gap "
        "are left out.",
        "Check the logger's connection; drive the leg again if much is missing.",
        signed=True,
    )


@CONCERNS.rule("instruments-disagree", stage="drive", needs="two instruments on one leg", covered=False)
def instruments_disagree(case: Case) -> Iterator[Finding]:
    """Two instruments of a leg further apart than their steps allow: priced by believing the other one."""
    differing = [(o, other) for o in case.observations for other in _others_apart(case, o)]
    if not differing:
        return
    o, other = differing[0]
    swapped = {
        d.legs[0]: replace(d, readings=(r, *(x for x in d.readings if x is not r)), gated_wh=None, gated_km=None)
        for d, r in differing
        if r.energy_wh > 0
    }
    yield Finding(
        "caution",
        case.with_readings(swapped) if swapped else None,
        tuple(name for d, _ in differing for name in d.legs),
        "Instruments disagree",
        f"Leg {o.legs[0]}: {o.readings[0].instrument} {o.energy_wh / 1000:.2f} kWh, {other.instrument} "
        f"{other.energy_wh / 1000:.2f} kWh: further apart than their steps allow.",
        "Check the typed readings and the usable capacity.",
        signed=True,
    )


def _others_apart(case: Case, o: Observation) -> Iterator[Reading]:
    best = o.readings[0]
    for other in o.readings[1:]:
        if not trusted(case.study, other.instrument):
            continue  # it is kept and shown, and says nothing about the others
        if not scale_told(case.study.vehicle, other.instrument) or not scale_told(case.study.vehicle, best.instrument):
            continue
        allowed = AGREE_DEVIATES * math.hypot(best.relative_sd, other.relative_sd) + AGREE_SHARE
        if abs(other.energy_wh / best.energy_wh - 1) > allowed:
            yield other


@CONCERNS.rule("instruments-apart", stage="drive", needs="two instruments on every leg", covered=False)
def instruments_apart(case: Case) -> Iterator[Finding]:
    """Two instruments that every leg was read with, whose effects differ by more than their steps allow: priced by the other's."""
    sides = [[o for o in case.observations if o.legs[0] in {c.leg for c in side}] for side in case.both]
    if not sides[0] or not sides[1]:
        return
    every = [*sides[0], *sides[1]]
    best = every[0].readings[0].instrument
    for kind in dict.fromkeys(r.instrument for r in every[0].readings[1:] if trusted(case.study, r.instrument)):
        logs, variances = [], []
        for side in sides:
            pairs = [(_read(o, best), _read(o, kind)) for o in side]
            both = [(x, y) for x, y in pairs if x is not None and y is not None and x.energy_wh > 0 and y.energy_wh > 0]
            if len(both) < len(side):
                break
            logs.append(math.log(sum(y.energy_wh for _, y in both) / sum(x.energy_wh for x, _ in both)))
            variances.append(float(np.mean([x.relative_sd**2 + y.relative_sd**2 for x, y in both])) / len(both))
        if len(logs) < 2:
            continue
        apart = 100.0 * math.expm1(logs[1] - logs[0])
        if abs(apart) <= max(100.0 * APART_DEVIATES * math.sqrt(sum(variances)), APART_PERCENT):
            continue
        yield Finding(
            "caution",
            apart,
            tuple(name for o in every for name in o.legs),
            f"{kind} tells another effect than {best}".capitalize(),
            f"Read by {kind} the difference is {signed(apart)} % from that by {best}: more than the steps of both allow.",
            "Find out which is right: against a charger or pump, over several fills; the other is then not trusted.",
            signed=True,
        )
        return


def _read(o: Observation, kind: str) -> Reading | None:
    return next((r for r in o.readings if r.instrument == kind), None)


@CONCERNS.rule("grid-energy-left-out", stage="drive", needs="nothing", covered=False)
def grid_energy_left_out(case: Case) -> Iterator[Finding]:
    """Preconditioning without what the wall supplied: cannot be priced."""
    legs = case.legs()
    if not case.study.change.about.from_the_wall or any(leg.grid_kwh for leg in legs):
        return
    yield Finding(
        "caution",
        None,
        tuple(leg.leg for leg in legs),
        "Energy from the wall left out",
        "Preconditioning draws energy before the drive; leaving it out makes the warm-up look free.",
        "Enter what the wall supplied before departure.",
    )


CONDITION: Final = Condition(
    "instruments",
    FIELDS,
    unknowns,
    told={
        Group.DISPLAY_STEP: Told(
            "the display shows no finer step",
            "Read a finer display; longer legs help where it shows a total, not an average.",
        ),
        Group.INSTRUMENTS: Told(
            "legs were read with different instruments", "Read every leg with the same instrument."
        ),
        Group.CALIBRATION: Told(
            "the instruments may all be off alike", "Hold the display against a charger or pump over several fills."
        ),
    },
    concerns=CONCERNS.rules,
)
