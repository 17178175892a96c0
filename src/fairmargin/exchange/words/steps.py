"""The way from the figure as read to the effect, in words and sums that a pencil can check."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from fairmargin.core.result.corrections import line_words
from fairmargin.core.result.steps import WEIGHTS, Side, Step, as_shown
from fairmargin.core.result.types import Comparison
from fairmargin.core.units import UnitChoice, in_units, label
from fairmargin.core.units.consumption import from_wh_per_km
from fairmargin.core.words import signed

#: Of the margin, what may be taken as usual without the verdict's own sentence naming it.
LEAST_USUAL: Final = 0.1
MOST_MORE: Final = 3  # decimals beyond the usual that a written sum may take to come out
#: Units that are distance over energy, and what a pencil averages instead.
DISTANCE_PER_ENERGY: Final = {
    "mi/kWh": "Wh/mi",
    "km/kWh": "Wh/km",
    "mpg-us": "L/100km",
    "mpg-imp": "L/100km",
    "km/L": "L/100km",
}


def step_words(step: Step) -> str:
    """What a step is called."""
    return "legs weighed" if step.source == WEIGHTS else line_words(step.source)


def names_apart(steps: Sequence[Step]) -> list[str]:
    """What steps are called beside each other: one taken as usual is told from the noted one of its name."""
    names = [step_words(s) for s in steps]
    return [
        f"{name}, usual" if s.kind == "usual" and names.count(name) > 1 else name
        for s, name in zip(steps, names, strict=True)
    ]


def usual_names(steps: Sequence[Step]) -> list[str]:
    """What nobody noted, by name, each once; last what was noted on other legs."""
    noted = {s.source for s in steps if s.kind == "noted"}
    usual = sorted((s for s in steps if s.kind == "usual"), key=lambda s: s.source in noted)
    return list(dict.fromkeys(_usual_name(s, noted) for s in usual))


def _usual_name(step: Step, noted: set[str]) -> str:
    return f"{step_words(step)} on some legs" if step.source in noted else step_words(step)


def shown_steps(c: Comparison) -> list[Step]:
    """The steps of a comparison as every page has them, to a tenth of a per cent."""
    return as_shown(c.as_measured_percent, c.steps, c.effect_percent)


def sum_of_steps(c: Comparison) -> str:
    """The sum itself: −2.7 − 0.4 + 0.4 + 0.1 + 0.2 = −2.4 %."""
    parts = "".join(f" {'+' if s.percent > 0 else '−'} {abs(s.percent):.1f}" for s in shown_steps(c))
    return f"{signed(c.as_measured_percent)}{parts} = {signed(c.effect_percent)} %"


def steps_line(c: Comparison) -> str:
    """Every step by name, what was noted and what is taken as usual apart; nothing where nothing lies between."""
    made = shown_steps(c)
    if not made:
        return f"As read {signed(c.as_measured_percent)} %; nothing moves it." if c.steps else ""

    noted_too = {s.source for s in made if s.kind == "noted"}

    def told(kind: str) -> str:
        own = [s for s in made if s.kind == kind]
        names = [_usual_name(s, noted_too) if kind == "usual" else step_words(s) for s in own]
        return ", ".join(f"{name} {signed(s.percent)}" for name, s in zip(names, own, strict=True))

    parts = [f"As read {signed(c.as_measured_percent)} %"]
    if noted := told("noted"):
        parts.append(f"as noted: {noted}")
    if usual := told("usual"):
        parts.append(f"taken as usual, for nobody noted it: {usual}")
    if weights := told("weights"):
        parts.append(weights)
    return f"{'; '.join(parts)}. {sum_of_steps(c)}."


def usual_words(c: Comparison) -> str:
    """What the verdict's own sentence has to name: so much of the effect is taken as usual, and nobody noted it."""
    if abs(c.usual_percent) <= LEAST_USUAL * c.half_width_percent or c.method != "model":
        return ""
    noted = {s.source for s in c.steps if s.kind == "noted"}
    names = [_usual_name(s, noted) for s in sorted(c.steps, key=lambda s: -abs(s.percent)) if s.kind == "usual"]
    named = " and ".join(dict.fromkeys(names[:2]))
    return f"{signed(c.usual_percent)} % of it is taken as usual, for nobody noted it: {named}."


def sum_lines(c: Comparison, names: tuple[str, str], units: UnitChoice) -> list[str]:
    """How the figure as read was reckoned, with the tester's own figures: one line a side by its name, then the ratio.

    With as many decimals as the ratio of what is written needs to be the figure as read.
    """
    if len(c.as_read) != 2:
        return []
    unit, factor = pencil_unit(units)
    usual = _decimals(c.as_read[0].wh_per_km * factor)
    lines: list[str] = []
    for decimals in range(usual, usual + MOST_MORE + 1):
        levels = [f"{side.wh_per_km * factor:.{decimals}f}" for side in c.as_read]
        lines = [
            f"{name}: {_reckoned(side, factor, decimals)} = {of} {label(unit)}"
            for side, name, of in zip(c.as_read, names, levels, strict=True)
        ]
        a, b = (float(x) for x in levels)
        lines.append(f"{levels[1]} / {levels[0]} \u2212 1 = {signed(100 * (b / a - 1))} %")
        if signed(100 * (b / a - 1)) == signed(c.as_measured_percent):
            break
    unrolled = [
        f"{legs}: {in_units(how, units)} makes {wh_per_km * factor:.{usual}f} {label(unit)}"
        for side in c.as_read
        for legs, how, wh_per_km in side.unrolled
    ]
    return [*unrolled, *lines]


def pencil_unit(units: UnitChoice) -> tuple[str, float]:
    """Unit of energy over distance that a pencil averages and takes differences in, and what a Wh/km is in it."""
    unit = DISTANCE_PER_ENERGY.get(units.consumption, units.consumption)
    return unit, from_wh_per_km(1.0, unit, units.heating_value_wh_per_l)


def _decimals(value: float) -> int:
    return 1 if value >= 100 else 2 if value >= 10 else 3


def _reckoned(side: Side, factor: float, decimals: int) -> str:
    """One side's sum: its directions, each total energy over total distance, and their mean."""
    ways = [(way, wh / km * factor, len(legs)) for way, legs, wh, km in side.directions]
    figures = [f"{value:.{decimals}f}" for _, value, _ in ways]
    if len(ways) == 1:
        count = ways[0][2]
        return f"energy over distance of {count} drive{'s' if count != 1 else ''}"
    if max(side.weights) - min(side.weights) < 0.01:
        return f"({' + '.join(f'{way} {x}' for (way, _, _), x in zip(ways, figures, strict=True))}) / {len(ways)}"
    return " + ".join(
        f"{w:.3f} \u00b7 {way} {x}" for w, (way, _, _), x in zip(side.weights, ways, figures, strict=True)
    )
