"""What one fit gives, of a speed and sector or of everyday logs, before the groups of a study are put together."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from fairmargin.core.conditions.concern import Concern
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.learned import Learned
from fairmargin.core.inference.levels import Level
from fairmargin.core.result.results import Result, result_of
from fairmargin.core.result.types import Comparison, LegResult
from fairmargin.core.study import Study


@dataclass(frozen=True, eq=False, slots=True)
class Group:
    """What one fit gives."""

    comparisons: Sequence[Comparison] = ()
    concerns: Sequence[Concern] = ()
    legs: Mapping[str, LegResult] = field(default_factory=dict)
    scatter_evidence: tuple[float, ...] | None = None
    results: tuple[Result, ...] = ()
    learned: Callable[[], Learned | None] | None = None


def results_of(
    study: Study,
    used: Sequence[Observation],
    sector: str,
    levels: Mapping[str, Level],
    method: str,
    conditions: Mapping[str, Conditions],
) -> tuple[Result, ...]:
    """What each configuration of a group took."""
    out = []
    for c in study.configurations:
        own = [o for o in used if (leg := study.leg(o.legs[0])).configuration == c.id and leg.vehicle != "control"]
        if own:
            speed = c.speed_kmh if study.change.subject == "speed" else study.target_speed_kmh
            names = [leg for o in own for leg in o.legs]
            noted = [conditions[leg] for leg in names]
            out.append(result_of(study, "", c.id, speed, sector, own, levels.get(c.id), method, noted))
    return tuple(out)


def used_of(study: Study, members: Sequence[Observation]) -> list[Observation]:
    """Observations none of whose legs was left out."""
    included = {leg.leg for leg in study.legs if leg.included}
    return [o for o in members if included.issuperset(o.legs)]


def missing_words(study: Study, every: Sequence[Observation]) -> str:
    """What is needed before a comparison can be made."""
    driven = {study.leg(o.legs[0]).configuration for o in every if study.leg(o.legs[0]).included}
    if not driven and any(leg.average_shown is not None and leg.included for leg in study.legs):
        return "The averages were shown over no known distance. Enter the distance of one leg, or the route."
    if not driven:
        return "No readings yet. Type the first leg's reading in Drive."
    if not study.trials:
        return "The readings tell no energy yet. Enter a distance, or the battery's capacity."
    if study.baseline.id not in driven:
        return f"No baseline leg ({study.baseline.label}) has a reading yet."
    return f"Only {study.baseline.label} has readings. Drive the first leg with {study.trials[0].label}."


# ---------------------------------------------------------------- test days
