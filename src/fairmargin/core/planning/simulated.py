"""What each design could see: simulated days of this very study, with the interval and verdict each would get.

The vehicle, the route, the forecast, the display and the tester's scatter are those of the plan. Each simulated day
draws a weather around the forecast (what blows, and what the station would report of it), and readings from the same
uncertainties that the analysis will allow for; the interval that the analysis would then state is computed, and its
verdict.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.conditions.causes import Group
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reported_wind import REPORT_M_S
from fairmargin.core.inference.budget import falls
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.plain_difference import gathered, paired_drives, shared_by_drives
from fairmargin.core.inference.posterior import Posterior, mixture_quantile, posterior
from fairmargin.core.inference.problem import Linearised, Problem
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.inference.spread import Spread, by_drives
from fairmargin.core.planning.already_known import reading_step_wh_per_km
from fairmargin.core.planning.expected import likely_effect
from fairmargin.core.planning.patterns import order_of, patterns_for
from fairmargin.core.planning.planned_parts import Laid, Part, lay
from fairmargin.core.result import verdict
from fairmargin.core.study import Study

Array = NDArray[np.float64]

WEATHERS: Final = 40
READINGS: Final = 5  # sets of readings drawn for each weather
FORECAST_WIND_SHARE: Final = 0.3  # how far a forecast wind strays, one standard deviation; common practice
FORECAST_WIND_M_S: Final = 0.7
FORECAST_K: Final = 1.5
AS_GOOD: Final = 1.1  # simulated margins differ by chance: within this factor they count as equal


@dataclass(frozen=True, slots=True)
class Design:
    """What one order of runs can be expected to give.

    Of several trials, speeds, sectors or vehicles the least certain comparison counts.
    """

    order: str
    words: str
    runs: int
    half_width_percent: float  # median of the simulated days; with what drifts over them
    settles: float  # share of days on which the question is settled
    wrong: float  # share of days on which the verdict is wrong
    drift_percent: float  # half-width that a steady drift has in it: what the order leaves of it
    hours: float
    energy_kwh: float
    swaps: int
    fixed_percent: float = 0.0  # half-width that more pairs do not shrink
    order_percent: float = 0.0  # half-width of what hangs on the order, which pairs in turn take back
    pairs: int | None = None  # that settle the question four times in five, where it was simulated
    power: float = 0.0  # share of days on which so many settle it
    recommended: bool = False
    confidence: float = intervals.USUAL
    pattern: str = ""  # that the order is written out of
    sides: int = 2
    least_certain: str = ""  # which comparison, where there are several
    lone: bool = False  # of one configuration: the margin is that of what it takes

    @property
    def without_drift_percent(self) -> float:
        """What the margin would be, were nothing to drift."""
        return math.sqrt(max(self.half_width_percent**2 - self.drift_percent**2, 0.0))


def patterns_of(study: Study) -> dict[str, str]:
    """Patterns that fit what the study compares; none for a hill, for weeks of trips, or where nothing is compared."""
    if study.method in {"everyday", "climb"} or not (study.trials or study.vehicles_take_turns):
        return {}
    return patterns_for(len(study.lettered), at_once=study.method == "side-by-side")


def runs_of_each(study: Study, each: int) -> int:
    """Runs in all where every side is driven so often. Side by side every run is of both: twice as often, with the swap."""
    return each * len(study.lettered)


def compare_designs(
    study: Study,
    *,
    runs: int = 4,
    patterns: Sequence[str] | None = None,
    days: int = WEATHERS * READINGS,
    seed: int = 1,
    scatter: ScatterPrior | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Iterator[Design]:
    """Simulate each pattern on this very study; yields one design after another, the recommended one marked last.

    Parameters
    ----------
    study : Study
        With its plan; legs already driven do not matter.
    runs : int
        Runs in all, a multiple of the sides.
    patterns : sequence of str, optional
        Of `patterns_of`; all when absent.
    days : int
        Simulated days for each.
    seed : int
    scatter : ScatterPrior, optional
    cancelled : callable
        Asked between weathers; stops the iteration when true.

    Yields
    ------
    Design
    """
    for pattern in patterns_of(study) if patterns is None else patterns:
        made = simulate_design(study, pattern, runs, days, seed, scatter or ScatterPrior(), cancelled)
        if made is None:
            return
        yield made


def lone_designs(
    study: Study,
    *,
    counts: Sequence[int] = (1, 2, 3, 4, 6),
    days: int = WEATHERS * READINGS,
    seed: int = 1,
    scatter: ScatterPrior | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Iterator[Design]:
    """What one configuration's consumption could be known to, run after run; parameters as for `compare_designs`."""
    for runs in counts:
        words = "one run: its scatter is taken as usual" if runs == 1 else f"{runs} runs, whose scatter is seen"
        made = _driven_days(study, _as_often(runs), words, days, seed, scatter or ScatterPrior(), cancelled)
        if made is None:
            return
        yield replace(made, lone=True, sides=1, settles=math.nan, wrong=math.nan)


def _as_often(runs: int) -> Callable[[int], str]:
    """The same runs on every day."""
    return lambda _: "A" * runs


def recommend(designs: Sequence[Design]) -> tuple[Design, ...]:
    """Mark the design to prefer: the first of its patterns whose margin is as small as any.

    Simulated margins differ by chance; what lies within a tenth of the smallest counts as equal.
    """
    if not designs:
        return ()
    smallest = min(d.half_width_percent for d in designs)
    best = next(d for d in designs if d.half_width_percent <= AS_GOOD * smallest)
    return tuple(replace(d, recommended=d is best) for d in designs)


def simulate_design(
    study: Study, pattern: str, runs: int, days: int, seed: int, scatter: ScatterPrior, cancelled: Callable[[], bool]
) -> Design | None:
    """Simulate one pattern; None when cancelled."""
    sides = len(study.lettered)
    lot = np.random.default_rng(seed + 1)  # apart, so that every pattern meets the same days
    words = patterns_for(sides, at_once=study.method == "side-by-side")[pattern]
    made = _driven_days(
        study, lambda _: order_of(pattern, runs, lot, sides=sides), words, days, seed, scatter, cancelled,
        again=pattern == "random",
    )  # fmt: skip
    if made is None:
        return None
    order = made.order if pattern != "random" else "random"
    return replace(made, order=order, pattern=pattern, sides=sides)


def _driven_days(
    study: Study,
    order: Callable[[int], str],
    words: str,
    days: int,
    seed: int,
    scatter: ScatterPrior,
    cancelled: Callable[[], bool],
    again: bool = False,
) -> Design | None:
    """Simulate days of an order, or of one drawn anew for each weather; None when cancelled."""
    rng = np.random.default_rng(seed)
    step = reading_step_wh_per_km(study)
    size = math.log1p(likely_effect(study) / 100.0)
    laid: list[Laid] = []
    seen: list[_Seen] = []
    for number in range(max(1, days // READINGS)):
        if cancelled():
            return None
        if not laid or again:
            laid.append(lay(study, order(number), step))
        seen += _one_weather(study, laid[-1], size, scatter, rng)
    last = laid[-1].order
    names = [s.name for s in seen]
    widths = {name: float(np.median([s.half_width_percent for s in seen if s.name == name])) for name in set(names)}
    least = max(widths, key=lambda name: widths[name])
    own = [s for s in seen if s.name == least]
    count = len(own)
    settled = np.ones(count, dtype=bool)
    wrong = np.zeros(count, dtype=bool)
    for name in widths:
        settled &= np.array([s.settled for s in seen if s.name == name])
        wrong |= np.array([s.wrong for s in seen if s.name == name])
    return Design(
        order=last,
        words=words,
        runs=len(last),
        half_width_percent=widths[least],
        settles=float(settled.mean()),
        wrong=float(wrong.mean()),
        drift_percent=float(np.median([s.drift_percent for s in own])),
        fixed_percent=float(np.median([s.fixed_percent for s in own])),
        order_percent=float(np.median([s.order_percent for s in own])),
        hours=float(np.mean([x.hours for x in laid])),
        energy_kwh=float(np.mean([x.energy_kwh for x in laid])),
        swaps=sum(a != b for a, b in zip(last, last[1:], strict=False)),
        confidence=study.confidence,
        least_certain=least if len(widths) > 1 else "",
    )


@dataclass(frozen=True, slots=True)
class _Seen:
    """What the analysis would say of one comparison on one simulated day."""

    name: str
    half_width_percent: float
    drift_percent: float  # half-width that the drift has in it
    fixed_percent: float
    order_percent: float
    settled: bool
    wrong: bool


def _one_weather(
    study: Study, laid: Laid, size: float, scatter: ScatterPrior, rng: np.random.Generator
) -> Iterator[_Seen]:
    """Several sets of readings in one weather, of every part; `size` is the change's. [log]"""
    weather = _weather({c.leg: c for part in laid.parts for c in part.conditions}, laid.parts[0].study, rng)
    for part in laid.parts:
        yield from _one_part(study, part, weather, size, scatter, rng)


def _one_part(
    study: Study,
    part: Part,
    weather: Mapping[str, Conditions],
    size: float,
    scatter: ScatterPrior,
    rng: np.random.Generator,
) -> Iterator[_Seen]:
    """Several sets of readings of one part in one weather."""
    options = FitOptions(scatter_share=scatter.share, scatter_freedom=scatter.freedom, days=scatter.days)
    problem = part.problem(weather, options)
    at = problem.linearise(problem.prior_mean)
    evidence = problem.evidence(at, 0.0)
    log_levels, gradients = problem.levels(at)
    trials = problem.configurations[1:]
    if trials:
        g, fixed = gradients[1:] - gradients[0], log_levels[1:] - log_levels[0]
        names = [
            ", ".join(w for w in (part.study.side_label(t) if len(trials) > 1 else "", part.name) if w) for t in trials
        ]
    else:
        g, fixed, names = gradients[:1], np.zeros(1), [part.name]
    is_drift = np.array([u.group is Group.DRIFT for u in problem.unknowns])
    spread = _Spread(part, problem, at, scatter.freedom)
    for _ in range(READINGS):
        # What speeds differ by the model knows of each; a change is as large as expected.
        sizes = 0.0 * fixed if part.study.change.subject == "speed" else size - fixed
        drawn = _draw(problem, g, sizes, rng) if trials else _draw(problem, g[:0], fixed[:0], rng)
        sigma = math.sqrt(scatter.freedom / rng.chisquare(scatter.freedom))
        n = len(at.predicted)
        noise = sigma * np.sqrt(problem.owns @ problem.scatter_var) * rng.normal(size=n)
        rounding = np.sqrt(problem.rows.reading_var * 12.0) * rng.uniform(-0.5, 0.5, n)
        innovation = at.jacobian @ drawn + noise + rounding
        result = posterior(evidence, innovation, g, list(fixed), options.scatter_freedom)
        for k, name in enumerate(names):
            truth = 100 * math.expm1(float(g[k] @ drawn) + fixed[k])
            floor = spread.half_width(trials[k], result, study.confidence) if trials else 0.0
            yield _judged(study, result, k, name, truth, problem, is_drift, floor)


def _draw(problem: Problem, gradients: Array, sizes: Array, rng: np.random.Generator) -> Array:
    """Draw the unknowns; each change is as large as expected, along the direction the analysis would look for it."""
    change = np.array([u.group is Group.CHANGE for u in problem.unknowns])
    drawn = np.sqrt(problem.prior_var) * rng.normal(size=len(problem.prior_mean))
    drawn[change] = 0.0
    for gradient, size in zip(gradients, sizes, strict=True):
        along = problem.prior_var * gradient * change
        drawn = drawn + along * ((size - float(drawn @ (gradient * change))) / max(float(along @ gradient), 1e-12))
    return np.asarray(drawn)


class _Spread:
    """What like drives differ by on a simulated day, and the margin that asks for, as the analysis does."""

    def __init__(self, part: Part, problem: Problem, at: Linearised, freedom: float) -> None:
        self.part, self.problem, self.at, self.freedom = part, problem, at, freedom
        self.gather = gathered(problem.rows, problem.owns)
        km = np.log([o.shown_km if o.gated_wh is None else o.fit_km for o in part.every])
        self.modelled = self.gather @ at.predicted - km  # of legs alike but for what acted on them
        self.reading = (self.gather**2) @ problem.rows.noise(0.0)
        self.paired = {t: list(self._paired(t)) for t in problem.configurations[1:]}

    def _paired(self, trial: str) -> Iterator[_Paired]:
        """Like drives of every speed and sector."""
        before = 0
        for cell in self.part.cells:
            found = paired_drives(cell.study, cell.observations, trial)
            if found is not None:
                mine, design, own = found
                yield _Paired(len(cell.conditions), [before + i for i in mine], design, own / float(own @ own))
            before += len(cell.observations)

    def half_width(self, trial: str, result: Posterior, confidence: float) -> float:
        """Half of the narrowest interval that like drives allow, of the mean where there are several speeds. [log]"""
        found = self.paired[trial]
        if not found:
            return 0.0
        corrected = self.gather @ result.innovation
        prior = self.problem.prior_var
        theta = prior * (self.at.jacobian.T @ (result.inverse @ result.innovation))
        explained = self.gather @ (
            self.at.jacobian
            @ (shared_by_drives(self.problem, self.problem.prior_mean + theta) - self.problem.prior_mean)
        )
        values = (corrected, corrected + self.modelled, corrected - explained)
        halves = [(p.legs, min(self._by_drives(p, v).half_width(confidence) for v in values)) for p in found]
        return math.sqrt(sum((n * half) ** 2 for n, half in halves)) / sum(n for n, _ in halves)

    def _by_drives(self, p: _Paired, values: Array) -> Spread:
        unit, reading = self.problem.scatter_var[p.mine], self.reading[p.mine]
        return by_drives(p.design, values[p.mine], p.weights, unit, reading, self.freedom)


@dataclass(frozen=True, eq=False, slots=True)
class _Paired:
    """Like drives of one speed and sector: how many legs, which readings, what they may differ by, how they are weighed."""

    legs: int
    mine: list[int]
    design: Array
    weights: Array


def _judged(
    study: Study,
    result: Posterior,
    k: int,
    name: str,
    truth: float,
    problem: Problem,
    is_drift: NDArray[np.bool_],
    floor: float,
) -> _Seen:
    """Verdict on one comparison of a simulated day, against its truth; no margin is narrower than its `floor`. [per cent]"""
    weights, means, sds = result.weights, result.means[:, k], result.sds[:, k]
    tail, smallest = (1 - study.confidence) / 2, study.smallest_effect_percent
    low, high = (mixture_quantile(weights, means, sds, q) for q in (tail, 1 - tail))
    if floor > (high - low) / 2:
        more = (floor**2 - ((high - low) / 2) ** 2) / intervals.deviate(study.confidence) ** 2
        sds = np.sqrt(sds**2 + more)
    low, high = (100 * math.expm1(mixture_quantile(weights, means, sds, q)) for q in (tail, 1 - tail))
    mean = 100 * math.expm1(float(weights @ means))
    said = verdict.word(mean, (low, high), smallest, False, 0.0)
    wrong = (
        (said == "uses more" and truth < 0)
        or (said == "uses less" and truth > 0)
        or (said == "no difference that matters" and abs(truth) > smallest)
    )
    open_variance = result.variance_by_parameter[k]
    fixed, _, by_order = falls(problem.unknowns, open_variance, share_days=True)
    drift, stays, order = (
        intervals.half_width_percent(v, study.confidence)
        for v in (float(open_variance[is_drift].sum()), fixed, by_order)
    )
    return _Seen(name, (high - low) / 2, drift, stays, order, said != "not settled", wrong)


def _weather(conditions: Mapping[str, Conditions], study: Study, rng: np.random.Generator) -> dict[str, Conditions]:
    """One day's reports around the forecast: the day strays from it, each report from the day; who drives at once shares one."""
    speed = next(iter(conditions.values())).wind_speed
    reported: dict[object, tuple[float, float]] = {}
    started = {leg.leg: leg.started_at for leg in study.legs}
    stray = FORECAST_WIND_M_S + FORECAST_WIND_SHARE * speed
    shift_n, shift_e = stray * rng.normal(), stray * rng.normal()
    warmer = FORECAST_K * rng.normal()
    if study.plan.forecast.wind_from_deg is None:  # any direction
        turn = float(rng.uniform(0, 2 * math.pi))
        shift_n += speed * (math.cos(turn) - 1.0)
        shift_e += speed * math.sin(turn)
    found: dict[str, Conditions] = {}
    for name, c in conditions.items():
        when = started.get(name) or name
        if when not in reported:
            reported[when] = (REPORT_M_S * rng.normal(), REPORT_M_S * rng.normal())
        north, east = reported[when]
        found[name] = replace(
            c,
            from_north=c.from_north + shift_n + north,
            from_east=c.from_east + shift_e + east,
            temperature_c=c.temperature_c + warmer,
        )
    return found
