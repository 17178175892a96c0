"""One comparison, as a condition's concerns see it, and how they ask what it would be without something."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Protocol

import numpy as np

from fairmargin.core.conditions.causes import Group
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Leg, Study


class Found(Protocol):
    """The effect of a comparison."""

    @property
    def percent(self) -> float:
        """Trial against baseline."""

    @property
    def baseline_wh_per_km(self) -> float:
        """What the baseline takes."""

    def interval_percent(self, confidence: float) -> tuple[float, float]:
        """Its interval."""


class Case(Protocol):
    """One comparison; `fairness.context.ComparisonContext` is one."""

    @property
    def study(self) -> Study:
        """The study."""

    @property
    def trial(self) -> str:
        """Id of the trial."""

    @property
    def baseline(self) -> str:
        """Id of the baseline."""

    @property
    def conditions(self) -> Sequence[Conditions]:
        """Of all legs of the fit."""

    @property
    def observations(self) -> Sequence[Observation]:
        """Readings of the fit."""

    @property
    def effect(self) -> Found:
        """As analysed."""

    @property
    def model(self) -> RoadModel:
        """Of every leg, as fitted."""

    @property
    def as_driven(self) -> bool:
        """Whether the effect holds for the logged speeds, not for one steady speed."""

    @property
    def log_residual(self) -> Mapping[str, float]:
        """Measured over modelled of every leg, as a logarithm."""

    @property
    def gaps(self) -> Mapping[str, float]:
        """Share of each logged leg without samples."""

    @property
    def both(self) -> tuple[list[Conditions], list[Conditions]]:
        """Conditions of the baseline legs and of the trial legs."""

    @property
    def ordered(self) -> list[Conditions]:
        """Both in the order they were driven."""

    def legs(self) -> list[Leg]:
        """Study legs of both configurations."""

    @property
    def legs_of_both(self) -> tuple[list[Leg], list[Leg]]:
        """Study legs of the baseline and of the trial."""

    def without(self, *causes: str) -> float | None:
        """Effect with `causes` in the model minus effect without them, in per cent."""

    def with_conditions(self, conditions: Sequence[Conditions], *causes: str) -> float | None:
        """Effect as analysed minus effect with other conditions, and without `causes`, in per cent."""

    def held_up_by_nothing(self, free: Sequence[Conditions]) -> float | None:
        """Effect as analysed minus effect with legs as free as is said and without any event, in per cent."""

    def dropping(self, legs: Sequence[str]) -> float | None:
        """Effect as analysed minus effect without some legs, in per cent; None when nothing would be left."""

    @property
    def stated_kmh(self) -> float:
        """Speed that the effect is stated for."""

    def at_speed(self, speed_kmh: float) -> float | None:
        """Effect as analysed minus the effect stated for another speed, in per cent."""

    def with_readings(self, others: Mapping[str, Observation]) -> float | None:
        """Effect as analysed minus the effect with other readings of some legs, in per cent."""

    @property
    def reports_contradicted(self) -> float:
        """Probability that the reports of the wind were off by more than reports usually are."""

    def contradicted_with(self, conditions: Sequence[Conditions]) -> float | None:
        """The same with other conditions; None where nothing would be left to fit."""

    def energy_share(self, parameter: Parameter) -> float:
        """Share of consumption that depends on a parameter."""

    def part_percent(self, group: Group) -> float:
        """Half-width that one source of the margin would have alone."""


def mean(values: Sequence[float | None]) -> float | None:
    """Mean of what is known, None when nothing is."""
    known = [v for v in values if v is not None]
    return float(np.mean(known)) if known else None


def difference(a: Sequence[float | None], b: Sequence[float | None]) -> float | None:
    """Mean of the second over mean of the first, of what is known; None when either is not."""
    mean_a, mean_b = mean(a), mean(b)
    return None if mean_a is None or mean_b is None else mean_b - mean_a


def order_of_runs(case: Case) -> str:
    """The comparison's runs as they were driven: A with its baseline, B with its trial."""
    baseline = {c.leg for c in case.both[0]}
    letters = [("A" if c.leg in baseline else "B", c.run) for c in case.ordered]
    return "".join(letter for i, (letter, run) in enumerate(letters) if i == 0 or letters[i - 1][1] != run)


def names(conditions: Sequence[Conditions]) -> tuple[str, ...]:
    """Legs of conditions."""
    return tuple(c.leg for c in conditions)
