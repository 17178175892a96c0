"""What the rules of a test day look at: one comparison, and ways to ask what it would be without something."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol

import numpy as np

from fairmargin.core import intervals
from fairmargin.core.conditions.causes import Cause, Group
from fairmargin.core.conditions.rules import Registry
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.fit import Fit
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.posterior import Effect
from fairmargin.core.inference.problem import speed_of_study
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.slips import is_confirmed

#: Speeds that a model may be asked for; outside them time and distance do not fit together. [km/h]
ASKABLE_KMH = (5.0, 300.0)


class Refit(Protocol):
    """The same fit again with something changed; None when no leg would be left."""

    def __call__(
        self,
        how: FitOptions,
        changed: Sequence[Conditions],
        other_study: Study | None = None,
        others: Mapping[str, Observation] | None = None,
    ) -> Fit | None:
        """Fit with other options, conditions, question, or readings of some legs."""


@dataclass(frozen=True, eq=False, slots=True)
class ComparisonContext:
    """One comparison, as the rules see it."""

    study: Study
    trial: str
    conditions: Sequence[Conditions]
    observations: Sequence[Observation]
    fit: Fit
    effect: Effect
    options: FitOptions
    refit: Refit
    with_left_out: Callable[[], Fit | None]  # the same fit with the left-out legs taken back in
    gaps: Mapping[str, float] = field(default_factory=dict)  # share of each logged leg without samples

    def unchecked(self, o: Observation) -> bool:
        """Whether an observation was typed, and nobody said that the instrument showed it."""
        return o.readings[0].instrument != "logger" and not all(is_confirmed(self.study.leg(name)) for name in o.legs)

    @property
    def model(self) -> RoadModel:
        """The model of every leg, as fitted."""
        return self.fit.model

    @property
    def as_driven(self) -> bool:
        """Whether the effect holds for the logged speeds, not for one steady speed."""
        return self.fit.as_driven

    @property
    def log_residual(self) -> Mapping[str, float]:
        """Measured over modelled of every leg, as a logarithm."""
        return self.fit.log_residual

    @property
    def baseline(self) -> str:
        """Id of the baseline configuration."""
        return self.study.baseline.id

    def of(self, configuration: str) -> list[Conditions]:
        """Conditions of the legs driven in `configuration` (control vehicle left out)."""
        return [c for c in self.conditions if c.configuration == configuration and not c.control]

    @property
    def both(self) -> tuple[list[Conditions], list[Conditions]]:
        """Conditions of the baseline legs and of the trial legs."""
        return self.of(self.baseline), self.of(self.trial)

    @property
    def ordered(self) -> list[Conditions]:
        """Both in the order they were driven."""
        a, b = self.both
        return sorted(a + b, key=lambda c: (c.day, c.placed_s))

    def legs(self) -> list[Leg]:
        """Study legs of both configurations."""
        names = {c.leg for c in self.conditions if c.configuration in {self.baseline, self.trial}}
        return [leg for leg in self.study.legs if leg.leg in names]

    @property
    def legs_of_both(self) -> tuple[list[Leg], list[Leg]]:
        """Study legs of the baseline and of the trial."""
        legs = self.legs()
        return (
            [leg for leg in legs if leg.configuration == self.baseline],
            [leg for leg in legs if leg.configuration == self.trial],
        )

    def without(self, *causes: str) -> float | None:
        """Effect with `causes` in the model minus effect without them, in per cent."""
        options = replace(self.options, ignore=self.options.ignore | set(causes))
        return self.against(self.refit(options, self.conditions))

    def with_conditions(self, conditions: Sequence[Conditions], *causes: str) -> float | None:
        """Effect as analysed minus effect with other conditions, and without `causes`, in per cent."""
        options = replace(self.options, ignore=self.options.ignore | set(causes))
        return self.against(self.refit(options, conditions))

    def held_up_by_nothing(self, free: Sequence[Conditions]) -> float | None:
        """Effect as analysed minus effect with legs as free as is said and without any event, in per cent."""
        effects = self.fit.otherwise.held_up_by_nothing(free) if self.fit.otherwise else None
        if effects is None:
            now = {c.leg: c for c in free}
            return self.with_conditions([now.get(c.leg, c) for c in self.conditions], Cause.EVENTS)
        return self.effect.percent - effects[self.trial].percent

    def dropping(self, legs: Sequence[str]) -> float | None:
        """Effect as analysed minus effect without some legs, in per cent; None when nothing would be left."""
        other = self.effect_without(legs)
        return None if other is None else self.effect.percent - other.percent

    def effect_without(self, legs: Collection[str]) -> Effect | None:
        """The trial's effect without some legs; None when nothing would be left to compare."""
        kept = [c for c in self.conditions if c.leg not in legs]
        if not {self.baseline, self.trial} <= {c.configuration for c in kept}:
            return None
        effects = self.fit.otherwise.without(frozenset(legs)) if self.fit.otherwise else None
        if effects is None:
            other = self.refit(replace(self.options, drop_legs=self.options.drop_legs | set(legs)), self.conditions)
            effects = {} if other is None else other.effects
        return effects.get(self.trial)

    @property
    def stated_kmh(self) -> float:
        """Speed that the effect is stated for."""
        return round(3.6 * speed_of_study(self.study, self.conditions, self.options.speed_kmh), 6)

    def at_speed(self, speed_kmh: float) -> float | None:
        """Effect as analysed minus the effect stated for another speed, in per cent."""
        if not ASKABLE_KMH[0] <= speed_kmh <= ASKABLE_KMH[1]:
            return None  # time and distance do not fit together; the readings want a look first
        return self.against(self.refit(replace(self.options, speed_kmh=speed_kmh), self.conditions))

    def with_readings(self, others: Mapping[str, Observation]) -> float | None:
        """Effect as analysed minus the effect with other readings of some legs, in per cent."""
        return self.against(self.refit(self.options, self.conditions, None, others))

    def against(self, other: Fit | None) -> float | None:
        """Effect as analysed minus that of another fit, in per cent; None without one."""
        if other is None or self.trial not in other.effects:
            return None
        return self.effect.percent - other.effects[self.trial].percent

    @property
    def reports_contradicted(self) -> float:
        """Probability that the reports of the wind were off by more than reports usually are."""
        return self.fit.beliefs.contradicted

    def contradicted_with(self, conditions: Sequence[Conditions]) -> float | None:
        """The same with other conditions; None where nothing would be left to fit."""
        other = self.refit(replace(self.options, afresh=True), conditions)
        return None if other is None else other.beliefs.contradicted

    def energy_share(self, parameter: Parameter) -> float:
        """Mean derivative of the log energy by one parameter: the share of consumption that depends on it."""
        energies = self.fit.model.energies(self.fit.local, derivatives=True)
        assert energies.by_parameter is not None
        return float(np.mean(energies.by_parameter[:, parameter] / energies.wh))

    def part_percent(self, group: Group) -> float:
        """Half-width that one source of the margin budget would have alone, at the study's confidence."""
        return part_percent(self.study, self.effect, group)


#: Rules of a test day; each module of this package registers its own.
TEST_DAY: Registry[ComparisonContext] = Registry()


def part_percent(study: Study, effect: Effect, group: Group) -> float:
    """Half-width that one source of an effect's budget would have alone, at the study's confidence."""
    return intervals.half_width_percent(dict(effect.budget).get(group, 0.0), study.confidence)
