"""Drives of one speed and sector: grouped, fitted by themselves, and set beside those of others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.gathered import Gathered
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.grouped import used_of
from fairmargin.core.inference.fit import Fit, fit_study
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import speed_of_study
from fairmargin.core.study import Study
from fairmargin.core.study.cells import aimed_kmh


@dataclass(frozen=True, eq=False, slots=True)
class SpeedCell:
    """Drives of one speed and sector, those of them that count, and their fit by themselves."""

    members: Sequence[Observation]
    used: Sequence[Observation]
    fit: Fit | None


def by_speed_and_sector(
    study: Study, observations: Sequence[Observation]
) -> dict[tuple[float | None, str], list[Observation]]:
    """Group readings by the speed that was aimed for and the sector, in file order."""
    groups: dict[tuple[float | None, str], list[Observation]] = {}
    for o in observations:
        leg = study.leg(o.legs[0])
        groups.setdefault((aimed_kmh(study, leg), leg.sector), []).append(o)
    return groups


def at_speed(study: Study, speed_kmh: float | None) -> Study:
    """Return the study with one of its speeds as the one aimed for. [km/h]"""
    return study.with_(target_speed_kmh=speed_kmh) if speed_kmh != study.target_speed_kmh else study


def beside(cells: Mapping[tuple[float | None, str], SpeedCell], speed: float | None, sector: str) -> list[SpeedCell]:
    """Drives of other speeds and sectors, which tell of the change as well."""
    return [cell for (v, s), cell in cells.items() if (v, s) != (speed, sector) and cell.fit is not None]


def tell_of_each_other(study: Study) -> bool:
    """Whether what a change does at one speed or sector tells of what it does at others: where it is one of the vehicle."""
    return study.change.subject == "configuration" and not study.change.is_technique


def told_together(
    study: Study, own: Sequence[Conditions], others: Sequence[Observation], options: FitOptions
) -> FitOptions:
    """Options of a fit of one speed and sector by the drives of all of them.

    Parameters
    ----------
    study : Study
        Of the speed.
    own : sequence of Conditions
        Of its legs.
    others : sequence of Observation
        Drives of other speeds and sectors.
    options : FitOptions
    """
    return replace(
        options, speed_kmh=3.6 * speed_of_study(study, own), beside=frozenset(name for o in others for name in o.legs)
    )


def fitted(
    study: Study, evidence: Gathered, members: Sequence[Observation], sector: str, options: FitOptions
) -> SpeedCell:
    """One fit over all legs of a speed and sector."""
    used = used_of(study, members)
    own = [evidence.conditions[name] for o in used for name in o.legs]
    return SpeedCell(members, used, fit_study(study, own, used, evidence.logs[sector], options) if used else None)
