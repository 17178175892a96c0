"""The true vehicle of a virtual day, and what a change truly does to it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from fairmargin.core.study import Vehicle


@dataclass(frozen=True, slots=True)
class TrueVehicle:
    """What the virtual van really is (its owner knows it only roughly)."""

    mass_kg: float = 1710.0
    drag_area_m2: float = 0.83
    rolling: float = 0.0092
    yaw_per_deg: float = 0.012
    tyre_per_k: float = 0.006
    loss_constant_w: float = 350.0
    loss_share: float = 0.075
    loss_square_per_w: float = 6.0e-7
    regen_share: float = 0.62
    auxiliary_w: float = 300.0
    battery_per_k: float = 0.0006
    cold_tyre_share: float = 0.16
    tyre_warm_s: float = 620.0


@dataclass(frozen=True, slots=True)
class TrueEffect:
    """What the change really does."""

    drag: float = 1.0
    rolling: float = 1.0
    mass_kg: float = 0.0
    total: float = 1.0
    auxiliary_w: float = 0.0


def true_van(rng: np.random.Generator) -> TrueVehicle:
    """Draw a van around the usual one."""
    return TrueVehicle(
        rolling=0.0092 * (1 + 0.05 * rng.normal()),
        drag_area_m2=0.83 * (1 + 0.03 * rng.normal()),
        yaw_per_deg=max(0.002, 0.012 + 0.005 * rng.normal()),
        tyre_per_k=max(0.002, 0.006 + 0.0015 * rng.normal()),
        battery_per_k=max(0.0, 0.0006 + 0.0004 * rng.normal()),
    )


def van_as_known(van: TrueVehicle, rng: np.random.Generator) -> Vehicle:
    """The van as its owner would describe it: some constants a little off."""
    return Vehicle(
        name="Orrin 1",
        vehicle_class="van",
        mass_kg=round(van.mass_kg * (1 + 0.008 * rng.normal()), -1),
        mass_sd_kg=20,
        drag_area_m2=round(van.drag_area_m2 * (1 + rng.uniform(-0.06, 0.06)), 2),
        drag_area_sd_m2=0.05,
        rolling_coefficient=round(van.rolling * (1 + rng.uniform(-0.06, 0.06)), 4),
        rolling_coefficient_sd=0.0008,
        drive_efficiency=0.88,
        regen_efficiency=0.6,
        auxiliary_w=300,
        usable_capacity_kwh=52.0,
        charging_efficiency=0.9,
    )


def around(known: Vehicle, van: TrueVehicle, rng: np.random.Generator) -> TrueVehicle:
    """Draw a true vehicle around what its owner knows; what he does not know is the van's."""
    k = known.constants()
    return replace(
        van,
        mass_kg=k.mass_kg + k.mass_sd_kg * float(rng.normal()),
        drag_area_m2=k.drag_area_m2 * math.exp(k.drag_area_sd_m2 / k.drag_area_m2 * float(rng.normal())),
        rolling=k.rolling_coefficient
        * math.exp(k.rolling_coefficient_sd / k.rolling_coefficient * float(rng.normal())),
        regen_share=k.regen_efficiency,
        auxiliary_w=k.auxiliary_w,
    )
