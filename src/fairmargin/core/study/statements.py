"""What was said beforehand of a change, and what is known beside it: predictions, claims, other differences."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import Field, model_validator

from fairmargin.core.study.base import Value, within
from fairmargin.core.units import ConsumptionUnit


class Prediction(Value):
    """What the tester expects the trial to take: a consumption, or a range of it, as it was typed."""

    low: Annotated[float, within(0.001, 10000, "")]
    high: Annotated[float, within(0.001, 10000, "")]
    unit: ConsumptionUnit

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.high < self.low:
            raise ValueError(f"high {self.high:g} lies below low {self.low:g}; expected them the other way round")
        return self


class Claim(Value):
    """What somebody says a change is worth: per cent of the baseline's consumption, and how closely it is meant."""

    percent: Annotated[float, within(-95, 500, "%")]
    tolerance_percent: Annotated[float, within(0, 100, "%")] = 1.0
    by: str = ""


class KnownDifference(Value):
    """What a configuration or a vehicle is known to use more than the other for a reason that is not the change."""

    configuration: str = ""
    vehicle: str = ""
    wh_per_km: Annotated[float, within(-2000, 2000, "Wh/km")]
    sd_wh_per_km: Annotated[float, within(0, 2000, "Wh/km")] = 0.0
    reason: str = ""

    @model_validator(mode="after")
    def _of_one(self) -> Self:
        if bool(self.configuration) == bool(self.vehicle):
            raise ValueError("a known difference belongs to one configuration or one vehicle; expected one of the two")
        return self


class WayReading(Value):
    """A reading taken on the way: of which leg, at which kilometre of it, what which instrument showed."""

    leg: str = Field(min_length=1)
    at_km: Annotated[float | None, within(0, 5000, "km")] = None
    instrument: str = Field(min_length=1, max_length=40)
    value: Annotated[float, within(-100000, 1000000, "")]
    unit: str = Field(default="", max_length=20)
    since: str = Field(default="", max_length=60)  # the leg before which a running average was reset
    step: Annotated[float | None, within(0, 100, "")] = None  # of its display


class Side(Value):
    """One side of a comparison that somebody asked for: legs of one vehicle, configuration, speed and sector."""

    configuration: str
    vehicle: str = ""
    speed_kmh: Annotated[float | None, within(5, 300, "km/h")] = None
    sector: str = ""

    @property
    def name(self) -> str:
        """A name of its own for the side: the configuration's id, and what else it says."""
        speed = f"@{self.speed_kmh:g}" if self.speed_kmh else ""
        vehicle = f"{self.vehicle}:" if self.vehicle else ""
        return f"{vehicle}{self.configuration}{speed}{'/' + self.sector if self.sector else ''}"[:40]


class Asked(Value):
    """A comparison that somebody asked for, beside those of every trial with the baseline."""

    baseline: Side
    trial: Side
