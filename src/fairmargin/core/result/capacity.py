"""What a battery holds, from charge differences against energies."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from fairmargin.core import intervals
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.evidence.readings import trusted
from fairmargin.core.study import Study


@dataclass(frozen=True, slots=True)
class CapacityEstimate:
    """Usable capacity [kWh] with its interval, and that of each leg it rests on."""

    estimate: float
    interval: tuple[float, float]
    by_leg: tuple[tuple[str, float, float], ...]  # leg, kWh, half-width


def capacity_estimate(study: Study, observations: Sequence[Observation]) -> CapacityEstimate | None:
    """Total energy over total share of charge, of the legs that have both; the gauge's steps and its lag in the margin.

    Returns
    -------
    CapacityEstimate or None
        None where no leg of an electric vehicle has an energy and a charge that fell.
    """
    if study.vehicle.energy != "electric":
        return None
    deviate = intervals.deviate(study.confidence)
    energy = share = energy_var = share_var = 0.0
    by_leg = []
    for o in observations:
        if len(o.legs) != 1:
            continue
        leg = study.leg(o.legs[0])
        charge = next((r for r in o.readings if r.instrument == "state of charge"), None)
        other = next(
            (r for r in o.readings if r.instrument not in {"state of charge", "fuel"} and trusted(study, r.instrument)),
            None,
        )
        if charge is None or other is None or leg.soc_start_percent is None or leg.soc_end_percent is None:
            continue
        drop = (leg.soc_start_percent - leg.soc_end_percent) / 100.0
        if drop <= 0 or other.energy_wh <= 0:
            continue
        drop_sd = drop * charge.relative_sd
        energy, energy_var = energy + other.energy_wh, energy_var + other.sd_wh**2
        share, share_var = share + drop, share_var + drop_sd**2
        own = other.energy_wh / drop / 1000.0
        by_leg.append((leg.leg, own, deviate * own * math.hypot(charge.relative_sd, other.relative_sd)))
    if not by_leg:
        return None
    middle = energy / share / 1000.0
    half = deviate * middle * math.hypot(math.sqrt(energy_var) / energy, math.sqrt(share_var) / share)
    return CapacityEstimate(middle, (middle - half, middle + half), tuple(by_leg))
