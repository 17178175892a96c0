"""What the command line says of an analysis and of a plan."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fairmargin.core.planning import Design, Expected
from fairmargin.core.planning.timetable import Timetable
from fairmargin.core.result.sides import further_percent
from fairmargin.core.result.types import Analysis, Comparison
from fairmargin.core.study import Study
from fairmargin.core.units import UNIT_CHOICES, UnitChoice, in_units
from fairmargin.core.units import label as unit_label
from fairmargin.exchange.words.answers import answers, hill_answers, result_answers
from fairmargin.exchange.words.figures import speed_words
from fairmargin.exchange.words.names import result_name
from fairmargin.exchange.words.results import beside, capacity_line, if_words, margin_words, scatter_words, split_lines

#: Units of a summary without a window; fuel vehicles get theirs.
PLAIN = UNIT_CHOICES["metric-wh"]


def summary(study: Study, result: Analysis, units: UnitChoice = PLAIN) -> str:
    """Readable summary of an analysis, its quantities in these units."""
    lines = [result.title or "(no title)"]
    if result.missing:
        lines.append(f"  {result.missing}")
    for c in result.comparisons:
        where = (f"{c.speed_kmh:g} km/h" if units is PLAIN else speed_words(c.speed_kmh, units)) + (
            f", {c.sector}" if c.sector else ""
        )
        low, high = c.interval_percent
        trial, base = study.side_label(c.trial), study.side_label(c.baseline)
        lines += [
            f"  {trial} against {base}, {where}: {c.verdict}",
            f"    effect {c.effect_percent:+.1f} % ({c.level_words}: {low:+.1f} to {high:+.1f} %) of baseline "
            f"consumption; as read {c.as_measured_percent:+.1f} %",
            f"    {_levels(study, c, units)}" + _range(study, c),
            f"    pairs {c.pairs}" + (f", needed {c.pairs_needed}" if c.pairs_needed else "") + f". {c.reason}",
        ]
        own = (
            if_words(c.if_answered()),
            margin_words(c),
            c.standing.sentence,
            *(f"{a.line}." for a in answers(study, result, c, units)),
            *beside(study, result, c, units),
            *split_lines(study, result, c),
        )
        lines += [f"    {line}" for line in own if line]
    for r in result.results:
        lines.append(f"  {result_name(study, r, units)}")
        lines += [f"    {a.line}." for a in result_answers(study, r, units, result.legs)]
    if result.claim is not None:
        lines.append(f"  claim {result.claim.verdict}: {result.claim.reason}")
    lines += [f"  {line}" for line in [capacity_line(result)] if line]
    if result.scatter_prior is not None and result.scatter_prior.studies:
        lines.append(f"  {scatter_words(result.scatter_prior, units)}")
    if not result.comparisons:
        lines += [f"  {a.line}." for a in hill_answers(study, result, units)]
    for concern in result.concerns:
        charge = "" if concern.bias_percent is None else f" ({concern.bias_percent:+.1f} %)"
        lines.append(f"  {concern.severity}: {concern.title}{charge}")
    return in_units("\n".join(lines), units)


def _levels(study: Study, c: Comparison, units: UnitChoice) -> str:
    """What each side takes, in the order in which they are named: the trial, then what it is held against."""
    sides = ((c.trial, c.trial_wh_per_km), (c.baseline, c.baseline_wh_per_km))
    if units is PLAIN:
        figures = [f"{v:.0f}" for _, v in sides]
    else:
        figures = [f"{units.show_consumption(v):.3g}" for _, v in sides]
    unit = unit_label(units.consumption)
    return f"{study.side_label(c.trial)} {figures[0]}, {study.side_label(c.baseline)} {figures[1]} {unit}"


def plan_json(
    path: str, study: Study, compared: Sequence[Design], pairs: int | None, table: Timetable, expected: Expected
) -> dict[str, Any]:
    """The result object of ``fairmargin plan --json``."""
    return {
        "path": path,
        "title": study.title,
        "expected_percent": round(float(expected.percent[0]), 3) if expected.given else None,
        "expected_interval_percent": [round(float(expected.low[0]), 3), round(float(expected.high[0]), 3)]
        if expected.given
        else None,
        "designs": [
            {
                "order": x.order,
                "runs": x.runs,
                "half_width_percent": round(x.half_width_percent, 3),
                "settles": round(x.settles, 3),
                "wrong": round(x.wrong, 3),
                "drift_percent": round(x.drift_percent, 3),
                "hours": round(x.hours, 2),
                "energy_kwh": round(x.energy_kwh, 2),
                "recommended": x.recommended,
                "words": x.words,
            }
            for x in compared
        ],
        "pairs_needed": pairs,
        "timetable": [
            {
                "kind": s.kind,
                "start": s.start.isoformat(timespec="minutes"),
                "end": s.end.isoformat(timespec="minutes"),
                "words": s.words,
                "run": s.run or None,
                "configuration": s.configuration or None,
                "charge_percent": s.charge_percent,
            }
            for s in table.steps
        ],
        "warnings": list(table.warnings),
    }


def _range(study: Study, c: Comparison) -> str:
    """What it does to the range, where the comparison carries anything."""
    further = None if c.verdict == "not a fair comparison" else further_percent(study, c)
    return "" if further is None else f"; range {further:+.1f} %"
