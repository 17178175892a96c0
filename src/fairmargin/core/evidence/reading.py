"""One instrument's answer, and what was read of one leg or of the legs of a run together.

A rounded reading is uniform over its step: standard deviation step/√12 (JCGM 100:2008, 4.3.7).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

UNIFORM: Final = 1.0 / math.sqrt(12.0)


@dataclass(frozen=True, slots=True)
class Reading:
    """One instrument's answer for one observation (a leg, or a run charged back as a whole)."""

    instrument: str
    shown: str
    energy_wh: float  # negative where more came back than was taken
    sd_wh: float
    step_wh: float = 0.0  # what one step of the instrument is worth; 0 where it has none
    step_sd_wh: float = 0.0  # of `sd_wh`, what the steps alone make

    @property
    def relative_sd(self) -> float:
        """Standard deviation as a share of the energy; beyond all bounds where none was taken."""
        return self.sd_wh / abs(self.energy_wh) if self.energy_wh else math.inf


@dataclass(frozen=True, slots=True)
class Observation:
    """Energy over one leg, or over the legs of a run that was charged back as a whole."""

    legs: tuple[str, ...]
    readings: tuple[Reading, ...]  # the one that counts first
    shown_km: float
    true_km: float
    as_read_wh_per_km: float
    gated_wh: float | None = None  # logged legs: between the gates
    gated_km: float | None = None
    rounded_alike: float = 0.0  # share of its rounding error's variance that drives like it repeat

    @property
    def own_variance(self) -> float:
        """Variance of the reading as a share, but for what drives like it repeat."""
        return (1.0 - self.rounded_alike) * self.relative_sd**2

    @property
    def fit_wh(self) -> float:
        """Energy that the fit explains: between the gates for logged legs. [Wh]"""
        return self.energy_wh if self.gated_wh is None else self.gated_wh

    @property
    def fit_km(self) -> float:
        """True distance over which `fit_wh` was used. [km]"""
        return self.true_km if self.gated_km is None else self.gated_km

    @property
    def energy_wh(self) -> float:
        """Energy by the instrument that counts. [Wh]"""
        return self.readings[0].energy_wh

    @property
    def true_wh_per_km(self) -> float:
        """Energy per true distance. [Wh/km]"""
        return self.energy_wh / self.true_km

    @property
    def relative_sd(self) -> float:
        """Standard deviation of the reading as a share of itself."""
        return self.readings[0].relative_sd
