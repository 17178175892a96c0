"""What legs are driven over and in: stretches of road and conditions, flattened into arrays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False, slots=True)
class Stretches:
    """Stretches of one drive (or of a segment of it), arrays of shape (n,)."""

    length_m: Array
    speed_m_s: Array
    acceleration: Array  # m/s²
    slope_rad: Array
    heading_rad: Array
    heading_known: bool


def both(first: Stretches, second: Stretches) -> Stretches:
    """Stretches of one drive after those of another."""
    parts = {
        name: np.concatenate([getattr(first, name), getattr(second, name)])
        for name in ("length_m", "speed_m_s", "acceleration", "slope_rad", "heading_rad")
    }
    return Stretches(**parts, heading_known=first.heading_known and second.heading_known)


@dataclass(frozen=True, eq=False, slots=True)
class Paths:
    """Flattened stretches of n legs: arrays of shape (total,), and where each leg begins."""

    starts: NDArray[np.intp]
    counts: NDArray[np.intp]
    length_m: Array
    speed_m_s: Array
    acceleration: Array
    slope_sin: Array
    slope_cos: Array
    heading_cos: Array
    heading_sin: Array
    heading_known: NDArray[np.bool_]  # per leg
    stops: Array  # per leg, full stops that cost kinetic energy

    def spread(self, per_leg: Array) -> Array:
        """Repeat a per-leg value over its stretches.

        Parameters
        ----------
        per_leg : numpy.ndarray
            Shape (legs,).
        """
        return np.repeat(per_leg, self.counts)

    def total(self, per_stretch: Array) -> Array:
        """Sum over each leg's stretches.

        Parameters
        ----------
        per_stretch : numpy.ndarray
            Shape (stretches,).
        """
        return np.asarray(np.add.reduceat(per_stretch, self.starts))

    def followed_by(self, *others: Paths) -> Paths:
        """These legs and, after them, those of other paths."""
        every = (self, *others)
        parts = {name: np.concatenate([getattr(p, name) for p in every]) for name in Paths.__dataclass_fields__}
        before = np.cumsum([0, *(len(p.length_m) for p in every[:-1])])
        starts = np.concatenate([p.starts + n for p, n in zip(every, before.tolist(), strict=True)])
        return Paths(**{**parts, "starts": starts})


@dataclass(frozen=True, eq=False, slots=True)
class LegTable:
    """Per-leg conditions as arrays of shape (n,)."""

    temperature_c: Array
    density: Array
    from_north: Array
    from_east: Array
    turbulence: Array
    climate_k: Array
    mass_delta_kg: Array
    pressure_ratio: Array  # tyre pressure over the study's mean
    cold_share: Array
    stopped_s: Array

    def of_rows(self, rows: NDArray[np.intp]) -> LegTable:
        """Some of its rows."""
        return LegTable(**{name: getattr(self, name)[rows] for name in LegTable.__dataclass_fields__})


def join(drives: Sequence[Stretches], stops: Sequence[float]) -> Paths:
    """Flatten drives into one set of arrays; `stops` are full stops of each that cost kinetic energy.

    Parameters
    ----------
    drives : sequence of Stretches
        Each its stretches.
    stops : sequence of float
        Full stops of each drive.
    """
    counts = np.array([len(d.length_m) for d in drives], dtype=np.intp)
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.intp)
    slope = np.concatenate([d.slope_rad for d in drives])
    heading = np.concatenate([d.heading_rad for d in drives])
    return Paths(
        starts=starts,
        counts=counts,
        length_m=np.concatenate([d.length_m for d in drives]),
        speed_m_s=np.concatenate([d.speed_m_s for d in drives]),
        acceleration=np.concatenate([d.acceleration for d in drives]),
        slope_sin=np.sin(slope),
        slope_cos=np.cos(slope),
        heading_cos=np.cos(heading),
        heading_sin=np.sin(heading),
        heading_known=np.array([d.heading_known for d in drives], dtype=bool),
        stops=np.array(stops, dtype=float),
    )


def conditions_table(
    conditions: Sequence[Conditions], heading_known: NDArray[np.bool_], mean_pressure: float
) -> LegTable:
    """Per-leg arrays; a wind whose angle to the road is not known counts as no wind, and wide.

    Parameters
    ----------
    conditions : sequence of Conditions
        Of the legs, in their order.
    heading_known : numpy.ndarray of bool
        Whether the angle between road and wind is known, shape (legs,).
    mean_pressure : float
        Of the tyre pressures noted. [kPa]
    """
    known = [c.wind_known and k for c, k in zip(conditions, heading_known, strict=True)]
    # A setting that nobody noted is likely that of the legs that noted one; where none did, off.
    settings = [c.climate_k for c in conditions if c.climate_k is not None]
    usual_k = float(np.mean(settings)) if settings else 0.0
    return LegTable(
        temperature_c=np.array([c.temperature_c for c in conditions]),
        density=np.array([c.density_kg_m3 for c in conditions]),
        from_north=np.array([c.from_north if k else 0.0 for c, k in zip(conditions, known, strict=True)]),
        from_east=np.array([c.from_east if k else 0.0 for c, k in zip(conditions, known, strict=True)]),
        turbulence=np.array([c.turbulence_m_s for c in conditions]),
        climate_k=np.array([usual_k if c.climate_k is None else c.climate_k for c in conditions]),
        mass_delta_kg=np.array([c.mass_delta_kg for c in conditions]),
        pressure_ratio=np.array([(c.tyre_pressure_kpa or mean_pressure) / mean_pressure for c in conditions]),
        cold_share=np.array([c.cold_share for c in conditions]),
        stopped_s=np.array([c.stopped_s for c in conditions]),
    )
