"""Vehicles of field days, and what a change does to them."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np

from fairmargin.core.study import Vehicle

#: Middle values: mass [kg], drag area [m²], class, energy. Invented, of usual sizes.
SORTS: Final = {
    "car": (1750.0, 0.61, "car", "electric"),
    "city": (1080.0, 0.66, "small car", "electric"),
    "tall": (2350.0, 0.82, "tall car", "electric"),
    "van": (1800.0, 0.92, "van", "electric"),
    "truck": (3000.0, 1.25, "light truck", "electric"),
    "petrol": (1350.0, 0.64, "car", "petrol"),
    "diesel": (1950.0, 0.80, "tall car", "diesel"),
}
HEATING_VALUE: Final = {"petrol": 8900.0, "diesel": 9970.0}  # Wh/L, from memory


@dataclass(frozen=True, slots=True)
class Machine:
    """What a vehicle really is."""

    energy: str
    mass_kg: float
    rotating: float  # share of the mass that turning parts add
    drag_area_m2: float
    yaw: float  # growth of the drag area, see `drag_growth`
    rolling: float  # at 20 °C, warm
    rolling_per_k: float
    rolling_per_v2: float
    cold_share: float  # rolling resistance more on cold tyres
    warm_s: float
    loss_w: float
    loss_share: float
    loss_per_w: float
    regen: float
    regen_most_w: float
    idle_w: float  # fuel power at no load; 0 for electric ones
    engine_slope: float  # fuel power per power at the wheels
    cold_engine: float
    battery_per_k: float
    auxiliary_w: float
    cabin_w_per_k: float
    heat_pump: float  # kelvin of heat for one of electricity
    pull_down_w: float

    def climate_w(self, outside_c: float, setting_c: float | None, minutes: float) -> float:
        """Power for the cabin; the first quarter of an hour takes more."""
        if setting_c is None:
            return 0.0
        k = setting_c - outside_c
        pull = self.pull_down_w * math.exp(-minutes / 9.0) * min(abs(k) / 20.0, 1.5)
        if k >= 0:
            if self.energy != "electric":
                return 80.0  # the engine's own heat
            return (self.cabin_w_per_k * k) / self.heat_pump + 120.0 + pull
        return 0.45 * self.cabin_w_per_k * -k + 350.0 + pull


@dataclass(frozen=True, slots=True)
class Alteration:
    """What a change really does."""

    drag: float = 1.0
    rolling: float = 1.0
    mass_kg: float = 0.0
    total: float = 1.0
    yaw: float = 1.0  # on the growth of the drag area over yaw


def drag_growth(yaw_deg: Any, slope: float) -> Any:
    """Factor on the drag area: rises from zero yaw slowly, then nearly straight, and bends off late."""
    y = np.minimum(np.abs(yaw_deg), 25.0)
    return 1.0 + slope * y**2 / (y + 2.5) * np.exp(-((y / 22.0) ** 2))


def draw_machine(sort: str, rng: np.random.Generator) -> Machine:
    """Draw a vehicle of a sort; constants over what is published of such vehicles."""
    mass, area, _, energy = SORTS[sort]
    electric = energy == "electric"
    return Machine(
        energy=energy,
        mass_kg=mass * rng.uniform(0.92, 1.1),
        rotating=rng.uniform(0.03, 0.07),
        drag_area_m2=area * rng.uniform(0.9, 1.12),
        yaw=rng.uniform(0.006, 0.022),
        rolling=rng.uniform(0.0075, 0.0115),
        rolling_per_k=rng.uniform(0.004, 0.0095),
        rolling_per_v2=rng.uniform(0.5e-6, 5e-6),
        cold_share=rng.uniform(0.08, 0.26),
        warm_s=rng.uniform(380.0, 950.0),
        loss_w=rng.uniform(200.0, 700.0),
        loss_share=rng.uniform(0.05, 0.13),
        loss_per_w=rng.uniform(2e-7, 9e-7),
        regen=rng.uniform(0.45, 0.85),
        regen_most_w=rng.uniform(25_000.0, 90_000.0),
        idle_w=0.0 if electric else mass * rng.uniform(4.5, 7.5),
        engine_slope=0.0 if electric else rng.uniform(2.35, 2.8),
        cold_engine=0.0 if electric else rng.uniform(0.08, 0.2),
        battery_per_k=rng.uniform(0.0, 0.0014),
        auxiliary_w=rng.uniform(180.0, 600.0),
        cabin_w_per_k=rng.uniform(50.0, 110.0),
        heat_pump=1.0 if rng.random() < 0.4 else rng.uniform(1.8, 3.0),
        pull_down_w=rng.uniform(2000.0, 5000.0),
    )


def as_its_owner_knows(machine: Machine, sort: str, rng: np.random.Generator) -> Vehicle:
    """Describe a vehicle: half of all owners know little more than its class."""
    _, _, class_, energy = SORTS[sort]
    known: dict[str, Any] = {"name": sort, "class": class_, "energy": energy}
    if rng.random() < 0.7:
        known["mass_kg"] = round(machine.mass_kg * (1 + 0.02 * rng.normal()), -1)
    if rng.random() < 0.5:
        known["drag_area_m2"] = round(machine.drag_area_m2 * (1 + 0.06 * rng.normal()), 2)
    if rng.random() < 0.3:
        known["rolling_coefficient"] = round(machine.rolling * (1 + 0.08 * rng.normal()), 4)
    if energy == "electric":
        known["usable_capacity_kwh"] = 60.0
    return Vehicle(**known)


def altered(kind: str, size: float, machine: Machine, rng: np.random.Generator) -> Alteration:
    """A change of one size; how it divides is its kind's, and drawn."""
    u = rng.uniform(0.3, 1.0)
    made = {
        "aero covers": Alteration(drag=1 + size, mass_kg=2.0),
        "cargo": Alteration(drag=1 + size, mass_kg=25.0 * abs(size) / 0.1 * u),
        "tyres": Alteration(rolling=1 + size, drag=1 + 0.05 * size * u),
        "payload": Alteration(mass_kg=size * machine.mass_kg),
        "towing": Alteration(
            drag=1 + size,
            rolling=1 + 0.12 * u * min(abs(size), 1.0),
            mass_kg=machine.mass_kg * u * min(abs(size), 0.9) * 0.55,
        ),
        "wheels": Alteration(drag=1 + size * u, rolling=1 + size * (1.3 - u), mass_kg=8.0),
        "other": Alteration(drag=1 + size * u, total=1 + 0.3 * size),
        "preconditioning": Alteration(total=1 + size),
        "technique": Alteration(total=1 + size),
    }
    return made[kind]


def with_change(machine: Machine, change: Alteration) -> Machine:
    """The vehicle with its change (what acts on everything is left to the drive)."""
    return replace(
        machine,
        drag_area_m2=machine.drag_area_m2 * change.drag,
        rolling=machine.rolling * change.rolling,
        mass_kg=machine.mass_kg + change.mass_kg,
        yaw=machine.yaw * change.yaw,
    )
