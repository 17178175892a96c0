"""Tyre sizes: what a marking such as 225/55R17 says of diameter and circumference.

References
----------
.. [1] ISO 4000-1 and the ETRTO Standards Manual: section width in mm, aspect ratio in per cent, rim diameter
   code in inches; design diameter = rim + 2 · width · aspect/100 (from memory).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Final

INCH_MM: Final = 25.4
#: Rolling circumference over π times the unloaded diameter: a loaded tyre is a little flat. Common practice.
ROLLING_SHARE: Final = 0.97
_MARKING = re.compile(
    r"^\s*(?P<width>\d{3})\s*/\s*(?P<aspect>\d{2,3})\s*(?:Z?R|-|D)?\s*F?\s*(?P<rim>\d{2}(?:[.,]\d)?)\s*C?\b.*$",
    re.IGNORECASE,
)


@dataclass(frozen=True, slots=True)
class TyreSize:
    """A tyre's nominal size."""

    width_mm: float
    aspect_percent: float
    rim_inch: float

    @property
    def diameter_mm(self) -> float:
        """Design overall diameter [1]_. [mm]"""
        return self.rim_inch * INCH_MM + 2 * self.width_mm * self.aspect_percent / 100.0

    @property
    def circumference_mm(self) -> float:
        """Rolling circumference, about. [mm]"""
        return math.pi * self.diameter_mm * ROLLING_SHARE


def tyre_size(marking: str) -> TyreSize:
    """Read a marking such as ``225/55R17``, ``225/55 R 17 97W`` or ``195/70R15C``.

    Raises
    ------
    ValueError
        If it is not such a marking, or no such tyre could be.
    """
    match = _MARKING.match(marking)
    if match is None:
        raise ValueError(f'"{marking}" is not a tyre size; expected one such as 225/55R17')
    size = TyreSize(float(match["width"]), float(match["aspect"]), float(match["rim"].replace(",", ".")))
    if not (105 <= size.width_mm <= 455 and 20 <= size.aspect_percent <= 100 and 10 <= size.rim_inch <= 26):
        raise ValueError(f'"{marking}" cannot be: expected width 105 to 455 mm, aspect 20 to 100 %, rim 10 to 26 in')
    return size


def circumference_change_percent(baseline: str, trial: str) -> float:
    """Rolling circumference of the trial's tyres against the baseline's, in per cent.

    The odometer then reads that much *less* per true distance (a larger wheel turns less often).
    """
    return (tyre_size(trial).circumference_mm / tyre_size(baseline).circumference_mm - 1) * 100


#: Load one tyre carries, by its load index from `FIRST_INDEX` on [1]_. [kg]
_LOADS_KG: Final = (
    250, 257, 265, 272, 280, 290, 300, 307, 315, 325, 335, 345, 355, 365, 375, 387, 400, 412, 425, 437,
    450, 462, 475, 487, 500, 515, 530, 545, 560, 580, 600, 615, 630, 650, 670, 690, 710, 730, 750, 775,
    800, 825, 850, 875, 900, 925, 950, 975, 1000, 1030, 1060, 1090, 1120, 1150, 1180, 1215, 1250, 1285, 1320, 1360,
    1400, 1450, 1500, 1550, 1600, 1650, 1700,
)  # fmt: skip
FIRST_INDEX: Final = 60
#: Highest speed, by the speed symbol [1]_. [km/h]
_SPEEDS_KMH: Final = {
    "F": 80, "G": 90, "J": 100, "K": 110, "L": 120, "M": 130, "N": 140, "P": 150, "Q": 160, "R": 170, "S": 180, "T": 190,
    "U": 200, "H": 210, "V": 240, "W": 270, "Y": 300,
}  # fmt: skip
_RATING: Final = re.compile(
    r"(?<![\d/])(?P<single>\d{2,3})(?:\s*/\s*(?P<twin>\d{2,3}))?\s*(?P<speed>[F-HJ-NP-WY])\b", re.IGNORECASE
)


@dataclass(frozen=True, slots=True)
class TyreRating:
    """What a tyre may carry, and how fast."""

    index: int
    load_kg: float
    symbol: str
    speed_kmh: float


def tyre_rating(marking: str) -> TyreRating | None:
    """Load index and speed symbol of a marking; None where it has none.

    Of two indices the first counts: it is that of a single tyre on each side.

    Examples
    --------
    >>> tyre_rating("225/55 R 17 97W").load_kg, tyre_rating("195/70R15C 104/102R").speed_kmh, tyre_rating("225/55R17")
    (730.0, 170.0, None)

    Raises
    ------
    ValueError
        If the load index is none of the table.
    """
    found = list(_RATING.finditer(marking))
    if not found:
        return None
    match = found[-1]
    index, symbol = int(match["single"]), match["speed"].upper()
    if not FIRST_INDEX <= index < FIRST_INDEX + len(_LOADS_KG):
        last = FIRST_INDEX + len(_LOADS_KG) - 1
        raise ValueError(f'"{marking}": {index} is no load index; expected {FIRST_INDEX} to {last}, such as 97W')
    return TyreRating(index, float(_LOADS_KG[index - FIRST_INDEX]), symbol, float(_SPEEDS_KMH[symbol]))
