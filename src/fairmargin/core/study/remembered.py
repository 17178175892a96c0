"""What a logbook knew of a vehicle and a road when a study was begun; the study's own priors, shown and refusable."""

from __future__ import annotations

import math
from datetime import date
from typing import Annotated

from pydantic import Field, field_validator

from fairmargin.core.study.base import Value as _Value
from fairmargin.core.study.base import within


class RememberedValue(_Value):
    """One constant: its name, its middle and its standard deviation, as the fit states it."""

    name: str = Field(min_length=1, max_length=60)
    mean: float
    sd: float = Field(gt=0)

    @field_validator("mean", "sd")
    @classmethod
    def _finite(cls, value: float) -> float:
        if not math.isfinite(value):
            raise ValueError("expected a finite number")
        return value


class Remembered(_Value):
    """Constants of the vehicle and the road, from how many studies, and up to which day."""

    as_of: date | None = None
    studies: int = Field(default=0, ge=0)
    values: tuple[RememberedValue, ...] = ()

    def value(self, name: str) -> RememberedValue | None:
        """The constant of a name; None where it is not remembered."""
        return next((v for v in self.values if v.name == name), None)


class Learned(_Value):
    """What its tester's logbook adds to a study: the run-to-run scatter of other studies, as it travels with a package."""

    scatter_percent_30km: Annotated[float, within(0.05, 50, "%")]
    studies: int = Field(ge=1)
    freedom: Annotated[float | None, within(1, 1000, "degrees of freedom")] = (
        None  # weight of it; from the studies where absent
    )
    days: tuple[float, ...] = ()  # what days differ by: log likelihoods over the usual sizes
