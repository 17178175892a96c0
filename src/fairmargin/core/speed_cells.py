"""Drives of one speed and sector: grouped, fitted by themselves, and set beside those of others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fairmargin.core.evidence.gathered import Gathered
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.grouped import used_of
from fairmargin.core.inference.fit import Fit, fit_study
from fairmargin.core.inference.options import FitOptions
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


def fitted(
    study: Study, evidence: Gathered, members: Sequence[Observation], sector: str, options: FitOptions
) -> SpeedCell:
    """One fit over all legs of a speed and sector."""
    used = used_of(study, members)
    own = [evidence.conditions[name] for o in used for name in o.legs]
    return SpeedCell(members, used, fit_study(study, own, used, evidence.logs[sector], options) if used else None)
