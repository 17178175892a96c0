"""The day on paper: timetable, checklists and blank boxes for the readings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import get_args

from jinja2 import Environment, PackageLoader, select_autoescape

from fairmargin.core.planning.checklists import caution, kit
from fairmargin.core.planning.planned_runs import leg_minutes, legs_begin
from fairmargin.core.planning.timetable import Step, Timetable
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.cells import vehicle_label
from fairmargin.core.study.layout import ways
from fairmargin.core.study.plan import CheckWhen
from fairmargin.core.units import UnitChoice, label
from fairmargin.exchange.reports.pdf import Paper, Sheet, finished
from fairmargin.exchange.words.figures import distance_words, speed_words


@dataclass(frozen=True, slots=True)
class DaySheet:
    """What the sheet says, in its order."""

    title: str
    day: str
    vehicle: str
    turning: str
    steps: tuple[tuple[str, str, str], ...]  # clock, words, charge
    readings: tuple[str, ...]
    boxes: tuple[tuple[str, str], ...]  # leg, and about when
    groups: tuple[tuple[str, tuple[str, ...]], ...]  # checklists
    caution: str


def sheet_of(study: Study, table: Timetable, units: UnitChoice) -> DaySheet:
    """Gather what the sheet says.

    Parameters
    ----------
    study : Study
    table : Timetable
        With its sentences in those units.
    units : UnitChoice
    """
    items = kit(study)
    groups = [(str(when), tuple(i.text for i in items if i.when == when)) for when in get_args(CheckWhen)]
    legs = dict(study.runs())
    several = len(table.days) > 1
    clock = "%a %H:%M" if several else "%H:%M"
    boxes = [
        (f"{step.run} {leg.leg} {_who(study, leg)} {_way(leg, units)}".strip(), f"about {at.strftime(clock)}")
        for step in table.steps
        if step.kind == "run"
        for leg, at in _starts(study, step, legs.get(step.run, []))
    ]
    return DaySheet(
        title=study.title or "Test day",
        day=f"{table.steps[0].start:%A %d %B %Y}",
        vehicle=", ".join(v.label for v in study.vehicles) or study.vehicle.name,
        turning=_turning(study, units),
        steps=tuple(
            (s.start.strftime(clock), s.words, "" if s.charge_percent is None else f"{round(s.charge_percent)} %")
            for s in table.steps
            if s.kind != "turn"
        ),
        readings=readings_asked(study, units),
        boxes=tuple(boxes),
        groups=tuple(g for g in groups if g[1]),
        caution=caution(study.change.kind),
    )


def day_sheet(study: Study, table: Timetable, units: UnitChoice) -> str:
    """Render the printable sheet as one HTML page; parameters as for `sheet_of`."""
    environment = Environment(
        loader=PackageLoader("fairmargin.exchange.reports", "templates"), autoescape=select_autoescape()
    )
    return environment.get_template("sheet.html").render(s=sheet_of(study, table, units))


def sheet_pdf(made: DaySheet, paper: Paper) -> bytes:
    """The sheet as a PDF: as much of it on each page as fits, boxes large enough for a pen."""
    sheet = Sheet(made.title, made.title, paper)
    sheet.text(made.title, 16, "B", gap=0)
    told = ", ".join(x for x in (made.day, made.vehicle) if x)
    sheet.text(f"{told}. {made.turning}" if made.turning else told, 10)
    sheet.rows("Timetable", ("", "", ""), made.steps, (10, 80, 10))
    sheet.boxes("Readings", made.readings, made.boxes)
    sheet.heading("Checklists")
    for when, lines in made.groups:
        sheet.text(when, 10, "B", gap=0.5)
        sheet.text("\n".join(f"\u2610  {line}" for line in lines), 9.5)
    sheet.text(made.caution, 9.5)
    return finished(sheet)


def readings_asked(study: Study, units: UnitChoice) -> tuple[str, ...]:
    """What is written down of each leg, in the person's units: charge or fuel, as the vehicles take it."""
    fuel = [v.energy != "electric" for v in (study.vehicles or (study.vehicle,))]
    energy: list[str] = []
    if not all(fuel):
        energy += [f"average, {label(units.consumption)}, or kWh", "charge % before", "after"]
    if any(fuel):
        energy.append(f"average or fuel, {label(units.volume)}")
    return (
        "start", "end", f"{units.distance} shown", *energy,
        f"wind, {units.wind}, from", units.temperature, "events",
    )  # fmt: skip


def _starts(study: Study, step: Step, legs: Sequence[Leg]) -> list[tuple[Leg, datetime]]:
    """When each leg of a run begins if all goes to plan."""
    after = legs_begin(((leg, leg_minutes(study, leg)) for leg in legs), study.plan.turn_min)
    return [(leg, step.start + timedelta(minutes=minutes)) for leg, minutes in zip(legs, after, strict=True)]


def _turning(study: Study, units: UnitChoice) -> str:
    """Where the way out ends, where somebody said it."""
    plan = study.plan
    if "back" not in ways(study.method) or not plan.turning_point:
        return ""
    far = (
        ""
        if plan.turn_at_km is None or study.route
        else f", {distance_words(float(plan.turn_at_km), units)} from the start"
    )
    return f"Turn at: {plan.turning_point}{far}"


def _who(study: Study, leg: Leg) -> str:
    """Vehicle, where the study has several, and configuration, where it has several."""
    words = [vehicle_label(study, leg.vehicle)] if leg.vehicle else []
    if len(study.configurations) > 1 or not words:
        words.append(study.configuration(leg.configuration).label)
    return ", ".join(words)


def _way(leg: Leg, units: UnitChoice) -> str:
    """Which way, which sector, and how fast, where that is a leg's own."""
    way = "" if leg.direction == "loop" else leg.direction
    speed = speed_words(float(leg.speed_kmh), units) if leg.speed_kmh else ""
    return ", ".join(w for w in (way, leg.sector, speed) if w)
