"""What a practice case looks like before a figure of it is read: drawn by lot, and the same for every flaw."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from typing import Final

import numpy as np

from fairmargin.core.memory.practice import FlawName
from fairmargin.core.study import Vehicle
from fairmargin.core.study.vocabulary import VehicleClass
from fairmargin.simulation import straight_road
from fairmargin.simulation.road import TrueRoad

#: Kind of change and the sign its effect has, with names of both sides.
CHANGES: Final[tuple[tuple[str, int, tuple[tuple[str, str], ...]], ...]] = (
    ("aero covers", -1, (("Covers off", "Covers on"), ("Open grille", "Grille closed"), ("As it came", "Skirts fitted"))),
    ("tyres", 0, (("Old tyres", "New tyres"), ("Summer tyres", "All-season tyres"), ("Set one", "Set two"))),
    ("cargo", 1, (("Bare roof", "Roof box"), ("No rack", "Ladder rack"), ("Bare tail", "Bicycles behind"))),
    ("payload", 1, (("Empty", "Loaded"), ("One aboard", "Four aboard"), ("Tank empty", "Tank full"))),
)  # fmt: skip
#: Roads of the cases: name, length [m] and seed.
ROADS: Final[tuple[tuple[str, float, int], ...]] = (
    ("Mill road", 21_300.0, 77), ("Ridge road", 14_800.0, 78), ("Quarry road", 17_600.0, 79),
    ("Long level", 26_400.0, 80), ("Orchard way", 18_900.0, 81), ("Weir road", 23_700.0, 82),
)  # fmt: skip
SPEEDS_KMH: Final = (70.0, 80.0, 90.0, 100.0)
#: Orders with their shares. Those that lie on one side are as frequent as those that do not, whatever is wrong.
ORDERS: Final[tuple[tuple[str, float], ...]] = (
    ("ABBA", 0.3), ("AABB", 0.35), ("ABAB", 0.2), ("AAABBB", 0.05), ("ABBAAB", 0.1),
)  # fmt: skip
#: By how many runs the mean of one side comes after the other's, from which a drift falls on it.
ONE_SIDED: Final = 1.0
ON_TWO_DAYS: Final = frozenset({"AABB", "AAABBB"})  # orders whose sides can have a day each
REMARKS: Final = (
    "sun low", "radio on", "a roundabout in the way", "gusty at the bridge", "road works over by now", "quiet",
    "talked a lot", "fields being sprayed",
)  # fmt: skip
#: What is noted of vehicles ahead, whether or not one was near enough to matter.
AHEAD: Final = (
    "lorry ahead for a while", "some lorries", "a lorry in front, far off", "caught up with a coach", "behind a van for a bit",
    "lorry ahead, it turned off",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Form:
    """Everything of a case that can be seen without reading a figure."""

    kind: str
    sign: int
    names: tuple[str, str]
    vehicle: Vehicle
    road: str
    speed_kmh: float
    method: str
    order: str
    days: int
    step: float  # kWh/100 km
    pressures: bool
    remarks: tuple[tuple[int, str], ...]  # index of the leg, words; the first is of a vehicle ahead
    start: datetime

    @property
    def legs(self) -> int:
        """How many legs it has."""
        return len(self.order) * (1 if self.method == "one-way" else 2)

    @property
    def later(self) -> float:
        """By how many runs the trial comes after the baseline, on the mean."""
        at = {side: [i for i, x in enumerate(self.order) if x == side] for side in "AB"}
        return sum(at["B"]) / len(at["B"]) - sum(at["A"]) / len(at["A"])

    def can_hide(self, flaw: FlawName) -> bool:
        """Whether that can be wrong with it."""
        return {
            "order drift": self.later >= ONE_SIDED and self.days == 1,
            "wind": self.method == "one-way" and self.days == 2,
            "cold first leg": self.days == 1,
            "following": bool(self.remarks),
            "coarse display": self.step >= 0.5,
            "two changes": self.pressures,
        }.get(flaw, True)


@lru_cache(maxsize=len(ROADS))
def practice_road(name: str) -> TrueRoad:
    """One of the roads of the cases (KeyError for any other name)."""
    length, seed = {n: (length, seed) for n, length, seed in ROADS}[name]
    return straight_road(np.random.default_rng(seed), length)


def drawn_form(rng: np.random.Generator) -> Form:
    """Draw what a case looks like; what is wrong with it has no part in it."""
    kind, sign, named = CHANGES[int(rng.integers(len(CHANGES)))]
    names = named[int(rng.integers(len(named)))]
    vehicle = _vehicle(rng)
    road = ROADS[int(rng.integers(len(ROADS)))][0]
    speed = float(rng.choice(SPEEDS_KMH))
    method = "one-way" if rng.random() < 0.45 else "out-and-back"
    order = str(rng.choice([o for o, _ in ORDERS], p=[p for _, p in ORDERS]))
    days = 2 if order in ON_TWO_DAYS and rng.random() < (0.75 if method == "one-way" else 0.25) else 1
    step = float(rng.choice([0.1, 0.2, 0.5], p=[0.4, 0.15, 0.45]))
    pressures = bool(rng.random() < 0.6)
    start = datetime(
        2025, int(rng.integers(3, 12)), int(rng.integers(1, 28)), int(rng.integers(7, 11)), int(rng.integers(60))
    )
    legs = len(order) * (1 if method == "one-way" else 2)
    where = rng.permutation(legs)[: int(rng.choice([0, 1, 2, 3], p=[0.3, 0.3, 0.25, 0.15]))]
    words = [str(rng.choice(AHEAD)), *(str(rng.choice((*REMARKS, *AHEAD))) for _ in range(2))]
    return Form(
        kind, sign, names, vehicle, road, speed, method, order, days, step, pressures,
        tuple((int(i), w) for i, w in zip(where, words, strict=False)), start,
    )  # fmt: skip


#: Vehicles of the cases: name, class, mass [kg], drag area [m²], rolling coefficient.
_VEHICLES: Final[tuple[tuple[str, VehicleClass, float, float, float], ...]] = (
    ("The van", "van", 1710.0, 0.83, 0.0092), ("The town car", "small car", 1240.0, 0.64, 0.0095),
    ("The estate", "car", 1680.0, 0.63, 0.0093), ("The tall one", "tall car", 2080.0, 0.77, 0.0098),
)  # fmt: skip


def _vehicle(rng: np.random.Generator) -> Vehicle:
    name, sort, mass, area, rolling = _VEHICLES[int(rng.integers(len(_VEHICLES)))]
    return Vehicle(
        name=name,
        vehicle_class=sort,
        mass_kg=round(mass * (1 + 0.02 * float(rng.normal())), -1),
        mass_sd_kg=20,
        drag_area_m2=round(area * (1 + 0.03 * float(rng.normal())), 2),
        drag_area_sd_m2=0.05,
        rolling_coefficient=round(rolling * (1 + 0.03 * float(rng.normal())), 4),
        rolling_coefficient_sd=0.0008,
        drive_efficiency=0.88,
        regen_efficiency=0.6,
        auxiliary_w=300,
        usable_capacity_kwh=52.0,
        charging_efficiency=0.9,
    )
