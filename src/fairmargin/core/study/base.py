"""What all study values share: frozen, unknown keys kept, and numbers that can be."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, Self

from pydantic import AfterValidator, BaseModel, ConfigDict


def between(low: float, high: float, unit: str) -> Callable[[float | None], float | None]:
    """Return a check that a number is possible."""

    def check(value: float | None) -> float | None:
        if value is not None and not (math.isfinite(value) and low <= value <= high):
            ends = " to ".join(f"{v:.0f}" if abs(v) >= 1e5 else f"{v:g}" for v in (low, high))
            raise ValueError(f"{value:g} is not possible; expected {ends} {unit}".rstrip())
        return value

    return check


def within(low: float, high: float, unit: str) -> AfterValidator:
    """Return what refuses a number outside its limits, for an annotation: ``Annotated[float | None, within(0, 60, "m/s")]``."""
    return AfterValidator(between(low, high, unit))


class Value(BaseModel):
    """Frozen, with unknown keys kept.

    What checks a model is made when it is first used: a list of studies needs none of them (see `build_checks`,
    and defaults that are made by ``model_construct``).
    """

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False, populate_by_name=True, defer_build=True)

    def with_(self, **changes: Any) -> Self:
        """Return a validated copy with `changes` made (pydantic's ``model_copy`` does not validate)."""
        data = {name: getattr(self, name) for name in type(self).model_fields}
        data.update(self.model_extra or {})
        data.update(changes)
        return type(self)(**data)


def build_checks(model: type[Value] = Value) -> None:
    """Make what checks every model now, beside other work, instead of at its first use."""
    for made in model.__subclasses__():
        made.model_rebuild()
        build_checks(made)
