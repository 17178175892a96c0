"""Practice cases: made by the virtual test day with one flaw each; the shipped ones are read, others are made from a seed."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any, Final, get_args

import numpy as np

from fairmargin.core.analysis import analyse
from fairmargin.core.kinds import change_kind
from fairmargin.core.memory.practice import PRACTISED, Beside, FlawName, Solution, carried_by, unread_half
from fairmargin.core.study import RoutePoint, Study
from fairmargin.practice.flaws import driven
from fairmargin.practice.forms import Form, drawn_form

FILE: Final = "cases.json"
GRADES: Final = ("easy", "middle", "hard")
NOTHING_SHARE: Final = 0.15  # of cases that a fine display would tell of, whose change does next to nothing


@dataclass(frozen=True, slots=True)
class Case:
    """A study as its tester has it, and what is true of it."""

    id: str
    grade: str
    study: Study
    solution: Solution

    def beside(self) -> Beside:
        """What the program itself says of it, and what could be said without reading a leg."""
        study = self.study.with_(confidence=PRACTISED)
        unread = unread_half(change_kind(study.change.kind).usual_effect)
        found = analyse(study).comparisons
        if not found:
            return Beside(-unread, unread, "not settled", unread)
        low, high = found[0].interval_percent
        # The verdict is the one that is stated everywhere, at the confidence that studies are judged by.
        stated = analyse(self.study).comparisons[0].verdict
        return Beside(round(low, 2), round(high, 2), stated, round(unread, 2))


def generated(seed: int, flaw: FlawName | None = None, grade: str = "") -> Case:
    """Make a case from a seed.

    What it looks like is drawn first, whatever is wrong with it. Then a flaw is drawn, each as often; where the form
    cannot hide it, nothing is wrong. So of every form "nothing" is at least as likely as any flaw, and whoever reads
    no figure can do no better than always to say that.

    Parameters
    ----------
    seed : int
    flaw : str, optional
        Drawn where absent; else forms are drawn until one can hide it.
    grade : str, optional
        How clear the flaw is: easy, middle, hard; drawn where absent.

    Returns
    -------
    Case
    """
    rng = np.random.default_rng(seed)
    form, wanted, grade = drawn(rng, flaw, grade)
    day = driven(form, wanted, GRADES.index(grade), _effect(form, wanted, rng), rng)
    baseline, trial = form.names
    a, b = day.study.configurations
    study = day.study.with_(
        title=f"{trial} against {baseline[0].lower()}{baseline[1:]}",
        configurations=(a.with_(name=baseline), b.with_(name=trial)),
        route_name=form.road,
        notes="",
    )
    found = analyse(study).comparisons
    verdict = found[0].verdict if found else "not settled"
    carried = carried_by(wanted, verdict, day.effect_percent, study.smallest_effect_percent)
    solution = Solution(round(day.effect_percent, 2), wanted, carried, day.told_by, day.clean)
    return Case(f"seed-{seed}", grade, study, solution)


def drawn(rng: np.random.Generator, flaw: FlawName | None = None, grade: str = "") -> tuple[Form, FlawName, str]:
    """Draw what a case looks like, what is wrong with it and how clear that is; see `generated`."""
    form = drawn_form(rng)
    by_lot = str(rng.choice(get_args(FlawName)))
    grade_by_lot = str(rng.choice(GRADES))
    wanted: FlawName = flaw or by_lot  # type: ignore[assignment]
    if flaw is None and not form.can_hide(wanted):
        wanted = "none"
    while not form.can_hide(wanted):
        form = drawn_form(rng)
    return form, wanted, grade or grade_by_lot


def _effect(form: Form, flaw: FlawName, rng: np.random.Generator) -> float:
    """What the change does: small where the display is too coarse for it, well above a coarse display's step elsewhere. [%]"""
    sign = form.sign or float(rng.choice([-1, 1]))
    if flaw == "coarse display":
        return round(sign * float(rng.uniform(0.4, 1.8)), 1)
    if form.step >= 0.5:
        return round(sign * float(rng.uniform(6.0, 12.0)), 1)
    if rng.random() < NOTHING_SHARE:
        return 0.0 if form.kind != "payload" else 0.8
    return round(sign * float(rng.uniform(1.5, 7.0)), 1)


# ---------------------------------------------------------------- the shipped cases


def as_file(cases: Sequence[Case]) -> str:
    """Cases as the file has them: each road once, each case without it."""
    roads = {c.study.route_name: c.study.route for c in cases}
    made: list[dict[str, Any]] = [
        {
            "id": c.id,
            "grade": c.grade,
            "study": c.study.with_(route=()).model_dump(mode="json", by_alias=True, exclude_defaults=True),
            "effect_percent": c.solution.effect_percent,
            "flaw": c.solution.flaw,
            "carried": list(c.solution.carried),
            "told_by": list(c.solution.told_by),
            "clean": dict(c.solution.clean),
        }
        for c in cases
    ]
    laid = {
        name: [[p.distance_m, p.latitude, p.longitude, p.elevation_m] for p in route] for name, route in roads.items()
    }
    lines = [json.dumps(c, ensure_ascii=False) for c in made]
    return '{"roads": ' + json.dumps(laid) + ',\n"cases": [\n' + ",\n".join(lines) + "\n]}\n"


@lru_cache(maxsize=1)
def shipped() -> tuple[Case, ...]:
    """The twenty graded cases, easy ones first."""
    value = json.loads(resources.files("fairmargin.practice").joinpath(FILE).read_text(encoding="utf-8"))
    roads = {
        name: tuple(RoutePoint(distance_m=d, latitude=lat, longitude=lon, elevation_m=h) for d, lat, lon, h in points)
        for name, points in value["roads"].items()
    }
    cases = []
    for c in value["cases"]:
        study = Study.model_validate(c["study"])
        solution = Solution(c["effect_percent"], c["flaw"], tuple(c["carried"]), tuple(c["told_by"]), c["clean"])
        cases.append(Case(c["id"], c["grade"], study.with_(route=roads[study.route_name]), solution))
    return tuple(cases)
