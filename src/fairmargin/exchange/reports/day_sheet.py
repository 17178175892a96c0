"""The day on paper: timetable, checklists and blank boxes for the readings."""

from __future__ import annotations

from typing import get_args

from jinja2 import Environment, PackageLoader, select_autoescape

from fairmargin.core.planning.checklists import caution, kit
from fairmargin.core.planning.timetable import Timetable
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.cells import vehicle_label
from fairmargin.core.study.layout import ways
from fairmargin.core.study.plan import CheckWhen
from fairmargin.core.units import UnitChoice
from fairmargin.exchange.words.figures import distance_words, speed_words

READINGS = ("start", "end", "km shown", "average or kWh", "charge % before", "after", "wind, from", "\u00b0C", "events")


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
    boxes = [
        (step.run, _who(study, leg), _way(leg, units), f"{step.start:%a %H:%M}" if several else f"{step.start:%H:%M}")
        for step in table.steps
        if step.kind == "run"
        for leg in legs.get(step.run, [])
    ]
    environment = Environment(
        loader=PackageLoader("fairmargin.exchange.reports", "templates"), autoescape=select_autoescape()
    )
    return environment.get_template("sheet.html").render(
        title=study.title or "Test day",
        day=f"{table.steps[0].start:%A %d %B %Y}",
        vehicle=", ".join(v.label for v in study.vehicles) or study.vehicle.name,
        turning=_turning(study, units),
        clock="%a %H:%M" if several else "%H:%M",
        steps=[s for s in table.steps if s.kind != "turn"],
        groups=[g for g in groups if g[1]],
        boxes=boxes,
        readings=READINGS,
        caution=caution(study.change.kind),
    )


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
