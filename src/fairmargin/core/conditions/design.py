"""What the unknowns of a fit are made from: the design of whole legs, and helpers to lay weights over it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.evidence.reported_wind import WindBelief
from fairmargin.core.figures import Prior, Size
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Study

Array = NDArray[np.float64]

WIND_AXES: Final = (Parameter.WIND_NORTH, Parameter.WIND_EAST)
UNTOLD_DAY_SHARE: Final = Size(
    1.05, "of what days differ by", "where nobody told whether it was one, or how far apart: silence narrows no margin"
)


@dataclass(frozen=True, eq=False, slots=True)
class Unknown:
    """One uncertain quantity: `weights` (n,) say by how much it moves its parameter on each row."""

    name: str
    group: str  # source of the margin that it counts to, see `causes.Group`
    parameter: Parameter
    weights: Array
    prior_mean: float
    prior_sd: float


def unknown_of(
    name: str, group: str, parameter: Parameter, weights: Array, prior: Prior, growth: float = 1.0
) -> Unknown:
    """An unknown with the size of a prior."""
    return Unknown(name, group, parameter, weights, prior.mean, prior.sd * growth)


@dataclass(frozen=True, eq=False, slots=True)
class DesignRows:
    """What the unknowns of whole legs are made from; rows are the legs, then the reference drives."""

    study: Study
    conditions: Sequence[Conditions]
    observations: Sequence[Observation]
    model: RoadModel
    reference_configurations: Sequence[str]
    reference_backwards: Sequence[bool]
    ignore: frozenset[str]
    belief: WindBelief
    heights: bool  # whether anybody gave the road's, or a log did
    beside: frozenset[str] = frozenset()  # legs of other speeds or sectors than the reference drives
    heights_elsewhere: Mapping[str, bool] = field(default_factory=dict)  # the same of other sectors' roads, by sector

    @property
    def rows(self) -> int:
        """Number of legs and reference drives."""
        return len(self.conditions) + len(self.reference_configurations)

    @property
    def sector(self) -> str:
        """The sector of the reference drives; "" where every leg of it is dropped for a price."""
        own = next((c.leg for c in self.conditions if c.leg not in self.beside), None) if self.beside else None
        return "" if own is None else str(self.study.leg(own).sector)

    @property
    def elsewhere(self) -> list[str]:
        """The other sector that each leg was driven in, "" for those of the reference drives' own."""
        here = self.sector
        return [
            sector if c.leg in self.beside and (sector := self.study.leg(c.leg).sector) != here else ""
            for c in self.conditions
        ]

    @property
    def everywhere(self) -> Array:
        """One on every row."""
        return np.ones(self.rows)

    @property
    def on_legs(self) -> Array:
        """One on the legs, zero on the reference drives."""
        return (np.arange(self.rows) < len(self.conditions)).astype(float)

    def where(self, test: Sequence[bool]) -> Array:
        """One on the legs that pass, zero elsewhere."""
        out = np.zeros(self.rows)
        out[: len(test)] = test
        return out

    def wearing(self, configuration: str) -> Array:
        """One on the legs and reference drives of a configuration."""
        own = [c.configuration for c in self.conditions] + list(self.reference_configurations)
        return np.array([name == configuration for name in own], dtype=float)


def by_day(design: DesignRows, test: Sequence[bool]) -> Iterator[tuple[int, Array]]:
    """Weights of each day's legs that pass."""
    for day in sorted({c.day for c in design.conditions}):
        on = design.where([t and c.day == day for t, c in zip(test, design.conditions, strict=True)])
        if on.any():
            yield day, on


def by_possible_day(design: DesignRows, test: Sequence[bool]) -> Iterator[tuple[str, Array]]:
    """Weights of each day's legs that pass; and, less, of each configuration's whose day nobody told."""
    for day, on in by_day(design, test):
        yield f"day {day}", on
    yield from by_untold_day(design, test)


def by_untold_day(design: DesignRows, test: Sequence[bool]) -> Iterator[tuple[str, Array]]:
    """Weights of the legs that pass and may have had a day of their own, for nobody told it."""
    for own in dict.fromkeys(_untold(design, c) for c in design.conditions if not c.day_told):
        on = design.where(
            [t and not c.day_told and _untold(design, c) == own for t, c in zip(test, design.conditions, strict=True)]
        )
        if on.any():
            yield f"a day of {own}", UNTOLD_DAY_SHARE * on


def _untold(design: DesignRows, c: Conditions) -> str:
    """Whose day a leg that has none may have had: its configuration's, the worst for a comparison; side by side its run's."""
    return c.run if design.study.method == "side-by-side" else c.configuration


def by_configuration(design: DesignRows, test: Sequence[bool]) -> Iterator[tuple[str, Array]]:
    """Weights of each configuration's legs that pass, where there is more than one configuration."""
    sides = dict.fromkeys(c.configuration for c in design.conditions)
    for name in sides if len(sides) > 1 else ():
        on = design.where([t and c.configuration == name for t, c in zip(test, design.conditions, strict=True)])
        if on.any():
            yield name, on


def told_days(design: DesignRows) -> list[str]:
    """Name of each leg's day; where none is told, of the one that it may have had of its own."""
    return [str(c.day) if c.day_told else f"of {_untold(design, c)}" for c in design.conditions]


def by_told_day(design: DesignRows) -> Iterator[tuple[str, Array]]:
    """Weights of the legs that share a day; where none is told, of those that may have had one of their own."""
    days = told_days(design)
    for key in dict.fromkeys(days):
        yield key, design.where([day == key for day in days])
