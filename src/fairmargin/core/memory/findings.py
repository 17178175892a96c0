"""A finding: one comparison of one study as other studies may lean on it, small enough to keep in the list."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Final

from fairmargin.core import intervals
from fairmargin.core.inference.learned import PERSISTENT
from fairmargin.core.result.results import WHOLE
from fairmargin.core.result.types import Analysis, Comparison
from fairmargin.core.study import Configuration, Study
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.words import same_name

KEPT_DIGITS: Final = 6
#: Stands for the vehicle where vehicles are compared.
BETWEEN: Final = "vehicles against each other"
#: Names that say nothing: two studies that use them need not mean the same.
NO_NAMES: Final = frozenset({"", "baseline", "trial"})
LEAST_PERCENT: Final = -99.0  # of consumption that can be left, so that its logarithm stays finite


@dataclass(frozen=True, slots=True)
class Finding:
    """One effect: the logarithm of trial over baseline, its standard deviation, and what its error is made of.

    `errors` is what each source moves the logarithm by at one standard deviation, with its sign. Sources that stay with
    vehicle, road or instrument carry their name and are shared by all findings that name them; numbered sources and legs
    are shared within a study only. What they do not explain of `sd` is this finding's own.
    """

    study: int  # number in its logbook
    title: str
    vehicle: str
    baseline: str
    trial: str
    log_ratio: float
    sd: float
    when: date | None = None
    kind: str = "other"
    road: str = ""
    speed_kmh: float | None = None
    confidence: float = 0.95
    verdict: str = ""
    errors: Mapping[str, float] = field(default_factory=dict)

    @property
    def percent(self) -> float:
        """Effect in per cent of the baseline's consumption."""
        return 100.0 * math.expm1(self.log_ratio)

    @property
    def interval_percent(self) -> tuple[float, float]:
        """Its interval, as a normal of this width."""
        return intervals.log_interval_percent(self.log_ratio, self.sd, self.confidence)

    @property
    def name(self) -> str:
        """What is compared."""
        return f"{self.trial} against {self.baseline}"


def findings(study: Study, analysis: Analysis, number: int = 0) -> tuple[Finding, ...]:
    """Every comparison of a study that others may lean on.

    Of a study with sectors the whole route, where it has one; a comparison that is not fair is kept and says so in its
    verdict; one whose interval is not finite is not kept, and none that somebody asked for beside those of the trials with
    the baseline: it follows from them, and would count their legs twice.

    Parameters
    ----------
    study : Study
    analysis : Analysis
        In any view but "as-measured".
    number : int
        Of the study in its logbook.

    Returns
    -------
    tuple of Finding
    """
    whole = {(c.vehicle, c.baseline, c.trial) for c in analysis.comparisons if c.sector == WHOLE}
    found = []
    trials = {t.id for t in study.trials}
    seen: set[tuple[object, ...]] = set()
    for c in analysis.comparisons:
        key = (c.vehicle, c.baseline, c.trial, c.speed_kmh, c.sector)
        asked = study.change.subject != "vehicle" and (c.baseline != study.baseline.id or c.trial not in trials)
        if asked or key in seen:
            continue
        seen.add(key)
        if c.sector and c.sector != WHOLE and (c.vehicle, c.baseline, c.trial) in whole:
            continue
        made = _finding(study, c, number)
        if made is not None:
            found.append(made)
    return tuple(found)


def _finding(study: Study, c: Comparison, number: int) -> Finding | None:
    low, high = (max(p, LEAST_PERCENT) for p in c.interval_percent)
    if not all(math.isfinite(v) for v in (low, high, c.effect_percent)) or c.effect_percent <= LEAST_PERCENT:
        return None
    sd = (math.log1p(high / 100) - math.log1p(low / 100)) / (2 * intervals.deviate(c.confidence))
    if sd <= 0:
        return None
    known = bool(vehicle_of(study, c.vehicle).name)
    names = {x.id: _called(study, x, known) for x in study.configurations}
    alike = [same_name(name) for name in names.values()]
    names = {  # two states of one name are told apart by their ids
        i: f"{name} ({i})" if alike.count(same_name(name)) > 1 else name for i, name in names.items()
    }
    days = [leg.started_at.date() for leg in study.legs if leg.started_at is not None and leg.included]
    sector = f", {c.sector}" if c.sector and c.sector != WHOLE else ""
    if study.change.subject == "vehicle":
        vehicle = BETWEEN
        baseline, trial = (vehicle_of(study, x).name or x for x in (c.baseline, c.trial))
    else:
        vehicle = vehicle_of(study, c.vehicle).name
        baseline, trial = (names.get(x, x) for x in (c.baseline, c.trial))
    return Finding(
        study=number,
        title=study.title,
        vehicle=vehicle,
        baseline=baseline + sector,
        trial=trial + sector,
        log_ratio=math.log1p(c.effect_percent / 100),
        sd=sd,
        when=max(days) if days else None,
        kind=study.change.kind,
        road=study.route_name,
        speed_kmh=c.speed_kmh if study.target_speed_kmh else None,
        confidence=c.confidence,
        verdict=c.verdict,
        errors=_kept(c.errors, several=len(study.trials) > 1),
    )


def _called(study: Study, c: Configuration, vehicle_known: bool) -> str:
    """A configuration's name; one that has none of its own, or whose vehicle has none, is not taken for another study's."""
    own = vehicle_known and same_name(c.name) not in NO_NAMES
    return c.name if own else f"{c.label} ({study.title})" if study.title else c.label


def _kept(errors: Mapping[str, float], several: bool) -> dict[str, float]:
    """Errors that anybody else may share: those of vehicle and road, and all where a study has several trials."""
    return {k: round(v, KEPT_DIGITS) for k, v in errors.items() if several or k in PERSISTENT}


def as_record(f: Finding) -> dict[str, Any]:
    """A finding as JSON values."""
    return {
        "vehicle": f.vehicle, "baseline": f.baseline, "trial": f.trial, "log_ratio": round(f.log_ratio, KEPT_DIGITS),
        "sd": round(f.sd, KEPT_DIGITS), "when": f.when.isoformat() if f.when else None, "kind": f.kind, "road": f.road,
        "speed_kmh": f.speed_kmh, "confidence": f.confidence, "verdict": f.verdict, "errors": dict(f.errors),
    }  # fmt: skip


def from_record(value: Mapping[str, Any], number: int, title: str) -> Finding:
    """A finding from its JSON values.

    Raises
    ------
    ValueError, TypeError, KeyError
        If they are not of a finding.
    """
    log_ratio, sd = float(value["log_ratio"]), float(value["sd"])
    if not (math.isfinite(log_ratio) and math.isfinite(sd) and sd > 0):
        raise ValueError("expected a finite effect and a standard deviation above zero")
    return Finding(
        study=number,
        title=title,
        vehicle=str(value["vehicle"]),
        baseline=str(value["baseline"]),
        trial=str(value["trial"]),
        log_ratio=log_ratio,
        sd=sd,
        when=date.fromisoformat(value["when"]) if value.get("when") else None,
        kind=str(value.get("kind", "other")),
        road=str(value.get("road", "")),
        speed_kmh=None if value.get("speed_kmh") is None else float(value["speed_kmh"]),
        confidence=float(value.get("confidence", 0.95)),
        verdict=str(value.get("verdict", "")),
        errors={str(k): float(v) for k, v in dict(value.get("errors", {})).items()},
    )


def of_vehicle(every: Sequence[Finding], vehicle: str) -> list[Finding]:
    """Findings of one vehicle, by its name."""
    wanted = same_name(vehicle)
    return [f for f in every if same_name(f.vehicle) == wanted]
