"""What an analysis gives: comparisons, legs, concerns; screens, reports and JSON only draw it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final, Literal

from fairmargin.core.intervals import USUAL
from fairmargin.core.result.margin import MarginLine, limiting
from fairmargin.core.result.pairs import Pair, paired_interval
from fairmargin.core.result.verdict import SETTLED, VerdictWord, pairs_words

if TYPE_CHECKING:
    from fairmargin.core.conditions.concern import Concern
    from fairmargin.core.evidence.climb import Climb
    from fairmargin.core.inference.coast_down import CoastLoad
    from fairmargin.core.inference.foretold import Foretold
    from fairmargin.core.inference.learned import Learned
    from fairmargin.core.inference.scatter import ScatterPrior
    from fairmargin.core.result.asked import Asked, IfAnswered
    from fairmargin.core.result.by_instrument import InstrumentEffect
    from fairmargin.core.result.capacity import CapacityEstimate
    from fairmargin.core.result.hills import Hill
    from fairmargin.core.result.looks import Look
    from fairmargin.core.result.results import Result
    from fairmargin.core.result.sensitivity import PriorMoved
    from fairmargin.core.result.standing import Standing
    from fairmargin.core.result.steps import Side, Step
    from fairmargin.core.study import Study

View = Literal["reference", "study-mean", "as-measured"]
VIEWS: Final[tuple[View, ...]] = ("reference", "study-mean", "as-measured")
FEWEST_PAIRS: Final = 3  # of which a t interval says anything


@dataclass(frozen=True, slots=True)
class ForetoldReading:
    """What a leg should have shown, by the other legs and its own conditions. [Wh/km]"""

    low: float  # ends of the band at the study's confidence
    middle: float
    high: float
    tail: float  # probability of a reading at least so far off


@dataclass(frozen=True, slots=True)
class LegResult:
    """One leg with a reading: as read, and on the ledger to corrected. [Wh/km]"""

    leg: str
    run: str
    configuration: str
    direction: str
    included: bool
    reason: str
    instrument: str
    shown: str
    measured_wh_per_km: float
    corrected_wh_per_km: float | None
    corrections_wh_per_km: Mapping[str, float]
    sd_percent: float
    others: tuple[tuple[str, float], ...]  # other instruments, Wh/km
    held_out: Foretold | None = field(default=None, compare=False, repr=False)  # see `foretold`
    confidence: float = USUAL

    @property
    def foretold(self) -> ForetoldReading | None:
        """What it should have shown by the other legs; None where they are too few. Worked out when it is asked for."""
        f, read = self.held_out, self.measured_wh_per_km
        if f is None:
            return None
        low, high = f.band(self.confidence)
        return ForetoldReading(read * math.exp(low), read * math.exp(-f.off), read * math.exp(high), f.tail)


@dataclass(frozen=True, slots=True)
class DirectionEffect:
    """The effect from the legs of one direction alone; wide, since the wind does not cancel."""

    direction: str
    as_measured_percent: float
    effect_percent: float
    interval_percent: tuple[float, float]


@dataclass(frozen=True, slots=True)
class TripTime:
    """Time on the road, standing included. [min per 100 km]"""

    baseline_min: float
    trial_min: float

    @property
    def change_percent(self) -> float:
        """Change of the time in per cent of the baseline's (positive = slower)."""
        return (self.trial_min / self.baseline_min - 1) * 100


@dataclass(frozen=True, slots=True)
class GridEnergy:
    """Energy from the wall before departure [Wh per km driven], and the effect with it added to the drive's."""

    baseline_wh_per_km: float
    trial_wh_per_km: float
    effect_percent: float
    interval_percent: tuple[float, float]
    unread: tuple[str, ...] = ()  # legs whose wall nobody read: unknown, not nothing
    if_nothing_percent: float | None = None  # as read, had those drawn nothing
    if_alike_percent: float | None = None  # as read, had those drawn as much as the others did
    alike_kwh: float = 0.0


@dataclass(frozen=True, slots=True)
class Comparison:
    """Trial against baseline at one speed, in one sector; per cent of baseline consumption."""

    baseline: str
    trial: str
    speed_kmh: float
    sector: str | None
    as_measured_percent: float
    effect_percent: float
    interval_percent: tuple[float, float]
    confidence: float
    baseline_wh_per_km: float
    trial_wh_per_km: float
    verdict: VerdictWord
    reason: str
    pairs: int
    pairs_needed: int | None
    range_change_percent: float
    pair_list: tuple[Pair, ...]
    step_percent: float  # what the instruments cannot see
    scatter_percent: float
    margin_budget: tuple[tuple[str, float], ...]  # source, half-width it would have alone, per cent
    margin: tuple[MarginLine, ...]  # what makes the margin: in squares, half the interval
    method: Literal["model", "plain"]  # plain: the model did not explain the readings and is not used
    standing: Standing
    concerns: tuple[Concern, ...]  # of this comparison
    open_charge_percent: float
    legs_used: int
    trip_time: TripTime | None = None
    grid: GridEnergy | None = None
    as_driven: bool = False  # the effect holds for the logged speeds, not for one steady speed
    declared_mass_percent: float = 0.0  # of the effect, what the declared difference of mass alone explains
    vehicle: str = ""  # id, in a study of several vehicles
    baseline_as_read: float = 0.0  # plain, over the distance shown. [Wh/km]
    trial_as_read: float = 0.0
    temperature_c: float | None = None  # of the air it is stated for; none: that of the drives, which nobody noted
    errors: Mapping[str, float] = field(default_factory=dict)  # of the log ratio, by source; none where not modelled
    instruments: tuple[InstrumentEffect, ...] = ()  # where both sides were read with several
    steps: tuple[Step, ...] = ()  # from as measured to the effect
    as_read: tuple[Side, ...] = ()  # baseline and trial as a pencil has them
    coasted: bool = False  # from coasting runs: no consumption was read
    look: Look | None = None  # before all sealed pairs were driven
    #: The same with each family of priors changed in turn; worked out when it is asked for.
    sensitivity: Callable[[], tuple[PriorMoved, ...]] = field(default=tuple, compare=False, repr=False)
    #: Effect and interval with other circumstances or temperatures said of the study; None where nothing more can be said. [%]
    with_told: Callable[[Study], tuple[float, tuple[float, float]] | None] = field(
        default=lambda _: None, compare=False, repr=False
    )
    #: See `directions`; worked out when it is asked for.
    by_direction: Callable[[], tuple[DirectionEffect, ...]] = field(default=tuple, compare=False, repr=False)
    #: What would narrow the margin most, and the result for each answer of what decides; worked out when they are asked for.
    asked: Callable[[], tuple[Asked, ...]] = field(default=tuple, compare=False, repr=False)
    if_answered: Callable[[], tuple[IfAnswered, ...]] = field(default=tuple, compare=False, repr=False)
    #: See `plain_interval_percent`; worked out when it is asked for: Student's t is slow to load.
    plain_interval: Callable[[], tuple[float, float]] = field(default=lambda: (0.0, 0.0), compare=False, repr=False)

    @property
    def directions(self) -> tuple[DirectionEffect, ...]:
        """The effect of each direction, where both configurations were driven both ways."""
        return self.by_direction()

    @property
    def plain_interval_percent(self) -> tuple[float, float]:
        """Interval of the figure as read, by the instruments' steps and what repeats differ by alone."""
        return self.plain_interval()

    @property
    def usual_percent(self) -> float:
        """Of the way from as read to the effect, what is taken as usual where nobody noted it."""
        return sum(s.percent for s in self.steps if s.kind == "usual")

    @property
    def half_width_percent(self) -> float:
        """Half the interval's width."""
        return (self.interval_percent[1] - self.interval_percent[0]) / 2

    @property
    def level_words(self) -> str:
        """Confidence of the interval; before all sealed pairs are driven that of a look, and which."""
        if self.look is None:
            return f"{100 * self.confidence:g} %"
        return f"{self.look.level_words}, {self.look.pairs} of {self.look.of_pairs} pairs"

    @property
    def pairs_words(self) -> str:
        """What more pairs would do, in words."""
        if self.verdict in SETTLED and self.standing.word != "fair":
            return "It is settled as it was driven; the doubts left open are not seen to by more pairs."
        return pairs_words(self.verdict, self.pairs, self.pairs_needed, *limiting(self.margin))

    @property
    def paired(self) -> tuple[int, float, float, float] | None:
        """Corrected pairs alone, each counting once: how many, mean and t interval; None with fewer than three."""
        used = [p.corrected_percent for p in self.pair_list if p.included and p.corrected_percent is not None]
        found = paired_interval(used, self.confidence) if len(used) >= FEWEST_PAIRS else None
        return None if found is None else (len(used), *found)


@dataclass(frozen=True, slots=True)
class ClaimResult:
    """What the evidence says of a claim, and why."""

    verdict: Literal["refuted", "not refuted", "borne out"]
    reason: str


@dataclass(frozen=True, slots=True)
class Analysis:
    """Everything that follows from a study's readings."""

    title: str
    view: View
    comparisons: tuple[Comparison, ...]
    legs: tuple[LegResult, ...]
    concerns: tuple[Concern, ...]
    assumed: tuple[str, ...]  # vehicle constants taken from the class preset
    missing: str  # what is needed before a comparison can be made; empty when there is one
    climbs: tuple[Climb, ...] = ()
    hills: tuple[Hill, ...] = ()
    coast_downs: tuple[CoastLoad, ...] = ()  # road loads by coasting runs
    results: tuple[Result, ...] = ()
    capacity: CapacityEstimate | None = None
    claim: ClaimResult | None = None
    sector_lengths_km: Mapping[str, float] = field(default_factory=dict)  # of a study with sectors
    scatter_evidence: tuple[float, ...] = ()  # see `learned_scatter`
    scatter_prior: ScatterPrior | None = None
    learned: tuple[tuple[str, Callable[[], Learned | None]], ...] = ()  # vehicle, what a fit says of it and of the road
