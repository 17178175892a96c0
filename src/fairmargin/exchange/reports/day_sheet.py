"""The day on paper: timetable, checklists and blank boxes for the readings."""

from __future__ import annotations

from collections.abc import Sequence
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
from fairmargin.exchange.words.figures import distance_words, speed_words


def day_sheet(study: Study, table: Timetable, units: UnitChoice) -> str:
    """Render the printable sheet as one HTML page.

    Parameters
    ----------
    study : Study
    table : Timetable
        With its sentences in those units.
    units : UnitChoice

    Returns
    -------
    str
    """
    items = kit(study)
    groups = [(when, [i.text for i in items if i.when == when]) for when in get_args(CheckWhen)]
    legs = dict(study.runs())
    several = len(table.days) > 1
    clock = "%a %H:%M" if several else "%H:%M"
    boxes = [
        (f"{step.run} {leg.leg}", _who(study, leg), _way(leg, units), f"about {at.strftime(clock)}")
        for step in table.steps
        if step.kind == "run"
        for leg, at in _starts(study, step, legs.get(step.run, []))
    ]
    environment = Environment(
        loader=PackageLoader("fairmargin.exchange.reports", "templates"), autoescape=select_autoescape()
    )
    return environment.get_template("sheet.html").render(
        title=study.title or "Test day",
        day=f"{table.steps[0].start:%A %d %B %Y}",
        vehicle=", ".join(v.label for v in study.vehicles) or study.vehicle.name,
        turning=_turning(study, units),
        clock=clock,
        steps=[s for s in table.steps if s.kind != "turn"],
        groups=[g for g in groups if g[1]],
        boxes=boxes,
        readings=readings_asked(study, units),
        caution=caution(study.change.kind),
    )


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
