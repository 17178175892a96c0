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
