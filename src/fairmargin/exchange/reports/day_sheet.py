"""The day on paper: timetable, checklists and blank boxes for the readings."""

from __future__ import annotations

from typing import get_args

from jinja2 import Environment, PackageLoader, select_autoescape

from fairmargin.core.planning.checklists import caution, checklist
from fairmargin.core.planning.timetable import Timetable
from fairmargin.core.study import Study
from fairmargin.core.study.plan import CheckWhen

READINGS = ("start", "end", "km shown", "average or kWh", "charge % before", "after", "wind, from", "\u00b0C", "events")


def day_sheet(study: Study, table: Timetable) -> str:
    """Render the printable sheet as one HTML page.

    Parameters
    ----------
    study : Study
    table : Timetable

    Returns
    -------
    str
    """
    items = study.plan.checklist or checklist(study.change.kind)
    groups = [(when, [i.text for i in items if i.when == when]) for when in get_args(CheckWhen)]
    per_run = 2 if study.method in {"out-and-back", "side-by-side", "climb"} else 1
    ways = ("out", "back") if per_run == 2 else ("",)
    boxes = [
        (step.run, study.configuration(step.configuration).label, way, f"{step.start:%H:%M}")
        for step in table.steps
        if step.kind == "run"
        for way in ways
    ]
    environment = Environment(
        loader=PackageLoader("fairmargin.exchange.reports", "templates"), autoescape=select_autoescape()
    )
    return environment.get_template("sheet.html").render(
        title=study.title or "Test day",
        day=f"{table.steps[0].start:%A %d %B %Y}",
        vehicle=study.vehicle.name,
        steps=[s for s in table.steps if s.kind != "turn"],
        groups=[g for g in groups if g[1]],
        boxes=boxes,
        readings=READINGS,
        caution=caution(study.change.kind),
    )
