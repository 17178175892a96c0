"""Figures of the trade with their unit and reason: how sure one is beforehand, and from where a thing wants a word."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Self

PRACTICE: Final = "common practice"


@dataclass(frozen=True, slots=True)
class Prior:
    """One prior: standard deviation around a mean."""

    sd: float
    unit: str
    what: str
    mean: float = 0.0
    source: str = PRACTICE


class _Figure(float):
    """A number with its unit, its reason, its source."""

    unit: str
    why: str
    source: str

    def __new__(cls, value: float, unit: str, why: str, source: str = PRACTICE) -> Self:
        """Make one."""
        made = super().__new__(cls, value)
        made.unit, made.why, made.source = unit, why, source
        return made

    def __reduce__(self) -> tuple[type[Self], tuple[float, str, str, str]]:
        """Copied and sent to another process whole."""
        return type(self), (float(self), self.unit, self.why, self.source)


class Threshold(_Figure):
    """From where a thing wants a word."""


class Size(_Figure):
    """What is believed of a thing before any reading: a part of how evidence is read, not an unknown of the fit by itself."""


NOTABLE: Final = Threshold(1.0, "%", "a correction this large wants a look, whatever the effect")
SMALL: Final = Threshold(0.5, "%", "half of the smallest effect that testers usually care about")
TRIFLE: Final = Threshold(0.1, "%", "below this a step is not worth a line")
