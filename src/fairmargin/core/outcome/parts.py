"""The evidence of a study, part by part: what one vehicle drove in one sector, ready for a fit through all its speeds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.fairness.records import check_records
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.result.types import View
from fairmargin.core.study import Study, Trace
from fairmargin.core.study.cells import by_vehicle


@dataclass(frozen=True, eq=False, slots=True)
class EvidencePart:
    """What one vehicle drove in one sector."""

    vehicle: str  # id, "" in a study of one
    sector: str
    study: Study
    conditions: tuple[Conditions, ...]
    observations: tuple[Observation, ...]
    logs: Logs


def evidence_parts(study: Study, traces: Mapping[str, Trace] | None = None) -> Iterator[EvidencePart]:
    """Each vehicle's included readings in each sector."""
    for name, part in by_vehicle(study):
        good, _ = check_records(part, {} if traces is None else traces)
        evidence = gather(part, good)
        for sector in dict.fromkeys(part.leg(o.legs[0]).sector for o in evidence.observations):
            used = tuple(
                o
                for o in evidence.observations
                if part.leg(o.legs[0]).sector == sector and all(part.leg(leg).included for leg in o.legs)
            )
            if used:
                own = tuple(evidence.conditions[leg] for o in used for leg in o.legs)
                yield EvidencePart(name, sector, part, own, used, evidence.logs[sector])


def fit_options(view: View, scatter: ScatterPrior | None) -> FitOptions:
    """Options of a fit that is asked for levels; nothing is corrected in the view "as-measured", which has none."""
    prior = scatter or ScatterPrior()
    return FitOptions(
        "study-mean" if view == "study-mean" else "reference", scatter_share=prior.share, scatter_freedom=prior.freedom
    )
