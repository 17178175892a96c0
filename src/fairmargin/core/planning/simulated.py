"""What each design could see: simulated days of this very study, with the interval and verdict each would get.

The vehicle, the route, the forecast, the display and the tester's scatter are those of the plan. Each simulated day
draws a weather around the forecast (what blows, and what the station would report of it), and readings from the same
uncertainties that the analysis will allow for; the interval that the analysis would then state is computed, and its
verdict.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.conditions.causes import Group
from fairmargin.core.evidence.conditions import Conditions, leg_conditions
from fairmargin.core.evidence.logs import Logs, gate_logs
from fairmargin.core.evidence.readings import observations
from fairmargin.core.evidence.reported_wind import REPORT_M_S
from fairmargin.core.inference.fit import falls
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.posterior import Posterior, mixture_quantile, posterior
from fairmargin.core.inference.problem import Problem, prepare
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.planning.already_known import known_step_kwh_per_100km, known_wh_per_km
from fairmargin.core.planning.expected import likely_effect
from fairmargin.core.planning.patterns import PATTERNS, order_of
from fairmargin.core.planning.planned_day import plan_day, planned
from fairmargin.core.result import verdict
from fairmargin.core.study import Study

Array = NDArray[np.float64]

WEATHERS: Final = 40
READINGS: Final = 5  # sets of readings drawn for each weather
FORECAST_WIND_SHARE: Final = 0.3  # how far a forecast wind strays, one standard deviation; common practice
FORECAST_WIND_M_S: Final = 0.7
FORECAST_K: Final = 1.5
MOST_SIMULATED: Final = 12  # pairs
AS_GOOD: Final = 1.1  # simulated margins differ by chance: within this factor they count as equal


@dataclass(frozen=True, slots=True)
class Design:
    """What one order of runs can be expected to give."""

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

    @property
    def without_drift_percent(self) -> float:
        """What the margin would be, were nothing to drift."""
        return math.sqrt(max(self.half_width_percent**2 - self.drift_percent**2, 0.0))


def compare_designs(
    study: Study,
    *,
    runs: int = 4,
    patterns: Sequence[str] = tuple(PATTERNS),
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
        Runs in all, even.
    patterns : sequence of str
        Of `PATTERNS`.
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
    for pattern in patterns:
        made = _simulate(study, pattern, runs, days, seed, scatter or ScatterPrior(), cancelled)
        if made is None:
            return
        yield made


def recommend(designs: Sequence[Design]) -> tuple[Design, ...]:
    """Mark the design to prefer: the first of `PATTERNS` whose margin is as small as any.

    Simulated margins differ by chance; what lies within a tenth of the smallest counts as equal.
    """
    if not designs:
        return ()
    smallest = min(d.half_width_percent for d in designs)
    best = next(d for d in designs if d.half_width_percent <= AS_GOOD * smallest)
    return tuple(replace(d, recommended=d is best) for d in designs)


@dataclass(frozen=True, eq=False, slots=True)
class _Laid:
    """One order of runs, laid out on the planned day."""

    order: str
    study: Study  # with readings of the display's step
    logs: Logs
    conditions: list[Conditions]
    hours: float
    energy_kwh: float


def _lay(study: Study, order: str, level: float, step: float) -> _Laid:
    base = planned(study, order)
    base = base.with_legs(
        leg.with_(average_shown=level / 10.0, average_unit="kWh/100km", average_step=step / 10.0) for leg in base.legs
    )
    day = plan_day(study, order)
    logs = gate_logs(base, base.legs, {}, {})
    return _Laid(order, base, logs, list(leg_conditions(base, {}).values()), day.hours, day.energy_kwh)


def _simulate(
    study: Study, pattern: str, runs: int, days: int, seed: int, scatter: ScatterPrior, cancelled: Callable[[], bool]
) -> Design | None:
    """Simulate one pattern; None when cancelled."""
    rng = np.random.default_rng(seed)
    lot = np.random.default_rng(seed + 1)  # apart, so that every pattern meets the same days
    level = known_wh_per_km(study)
    step = _reading_step(study, level)
    laid: list[_Laid] = []
    seen: list[_Seen] = []
    for _ in range(max(1, days // READINGS)):
        if cancelled():
            return None
        if not laid or pattern == "random":
            laid.append(_lay(study, order_of(pattern, runs, lot), level, step))
        seen += _one_weather(study, laid[-1], scatter, rng)
    order = laid[-1].order
    return Design(
        order=order if pattern != "random" else "random",
        words=PATTERNS[pattern],
        runs=runs,
        half_width_percent=float(np.median([s.half_width_percent for s in seen])),
        settles=sum(s.settled for s in seen) / len(seen),
        wrong=sum(s.wrong for s in seen) / len(seen),
        drift_percent=float(np.median([s.drift_percent for s in seen])),
        fixed_percent=float(np.median([s.fixed_percent for s in seen])),
        order_percent=float(np.median([s.order_percent for s in seen])),
        hours=float(np.mean([x.hours for x in laid])),
        energy_kwh=float(np.mean([x.energy_kwh for x in laid])),
        swaps=sum(a != b for a, b in zip(order, order[1:], strict=False)),
        confidence=study.confidence,
    )


@dataclass(frozen=True, slots=True)
class _Seen:
    """What the analysis would say of one simulated day."""

    half_width_percent: float
    drift_percent: float  # half-width that the drift has in it
    fixed_percent: float
    order_percent: float
    settled: bool
    wrong: bool


def _one_weather(study: Study, laid: _Laid, scatter: ScatterPrior, rng: np.random.Generator) -> Iterator[_Seen]:
    """Several sets of readings in one weather."""
    options = FitOptions(scatter_share=scatter.share, scatter_freedom=scatter.freedom)
    found = observations(laid.study, {})
    problem = prepare(laid.study, _weather(laid.conditions, study, rng), found, laid.logs, options)
    at = problem.linearise(problem.prior_mean)
    evidence = problem.evidence(at, 0.0)
    log_levels, gradients = problem.levels(at)
    g, fixed = gradients[1] - gradients[0], float(log_levels[1] - log_levels[0])
    size = math.log1p(likely_effect(study) / 100.0) - fixed
    is_drift = np.array([u.group is Group.DRIFT for u in problem.unknowns])
    for _ in range(READINGS):
        drawn = _draw(problem, g, size, rng)
        sigma = math.sqrt(scatter.freedom / rng.chisquare(scatter.freedom))
        n = len(at.predicted)
        noise = sigma * np.sqrt(problem.owns @ problem.scatter_var) * rng.normal(size=n)
        rounding = np.sqrt(problem.rows.reading_var * 12.0) * rng.uniform(-0.5, 0.5, n)
        innovation = at.jacobian @ drawn + noise + rounding
        result = posterior(evidence, innovation, g[None, :], [fixed], options.scatter_freedom)
        truth = 100 * math.expm1(float(g @ drawn) + fixed)
        yield _judged(study, result, truth, problem, is_drift)


def _draw(problem: Problem, gradient: Array, size: float, rng: np.random.Generator) -> Array:
    """Draw the unknowns; the change is as large as expected, along the direction the analysis would look for it."""
    change = np.array([u.group is Group.CHANGE for u in problem.unknowns])
    drawn = np.sqrt(problem.prior_var) * rng.normal(size=len(problem.prior_mean))
    drawn[change] = 0.0
    along = problem.prior_var * gradient * change
    return np.asarray(drawn + along * (size / max(float(along @ gradient), 1e-12)))


def _judged(study: Study, result: Posterior, truth: float, problem: Problem, is_drift: NDArray[np.bool_]) -> _Seen:
    """Verdict on one simulated day, against its truth. [per cent]"""
    weights, means, sds = result.weights, result.means[:, 0], result.sds[:, 0]
    tail, smallest = (1 - study.confidence) / 2, study.smallest_effect_percent
    low, high = (100 * math.expm1(mixture_quantile(weights, means, sds, q)) for q in (tail, 1 - tail))
    said = verdict.word(100 * math.expm1(float(weights @ means)), (low, high), smallest, False, 0.0)
    wrong = (
        (said == "uses more" and truth < 0)
        or (said == "uses less" and truth > 0)
        or (said == "no difference that matters" and abs(truth) > smallest)
    )
    open_variance = result.variance_by_parameter[0]
    fixed, _, by_order = falls(problem.unknowns, open_variance, share_days=True)
    drift, stays, order = (
        intervals.half_width_percent(v, study.confidence)
        for v in (float(open_variance[is_drift].sum()), fixed, by_order)
    )
    return _Seen((high - low) / 2, drift, stays, order, said != "not settled", wrong)


def _reading_step(study: Study, level_wh_per_km: float) -> float:
    """Step of the instrument as the study's own legs show it, else the plan's display. [Wh/km]"""
    driven = [o for o in observations(study, {}) if all(study.leg(name).included for name in o.legs)]
    if driven:
        return math.sqrt(12.0) * float(np.mean([o.relative_sd for o in driven])) * level_wh_per_km
    return known_step_kwh_per_100km(study) * 10.0


def _weather(conditions: list[Conditions], study: Study, rng: np.random.Generator) -> list[Conditions]:
    """One day's reports around the forecast: the day strays from it, each leg's report from the day."""
    speed = conditions[0].wind_speed
    stray = FORECAST_WIND_M_S + FORECAST_WIND_SHARE * speed
    shift_n, shift_e = stray * rng.normal(), stray * rng.normal()
    warmer = FORECAST_K * rng.normal()
    if study.plan.forecast.wind_from_deg is None:  # any direction
        turn = float(rng.uniform(0, 2 * math.pi))
        shift_n += speed * (math.cos(turn) - 1.0)
        shift_e += speed * math.sin(turn)
    return [
        replace(
            c,
            from_north=c.from_north + shift_n + REPORT_M_S * rng.normal(),
            from_east=c.from_east + shift_e + REPORT_M_S * rng.normal(),
            temperature_c=c.temperature_c + warmer,
        )
        for c in conditions
    ]


def pairs_for(study: Study, design: Design) -> int | None:
    """Pairs that would settle the expected effect with 80 % power: as simulated, else scaled from the simulated design."""
    if design.pairs is not None:
        return design.pairs
    size = abs(likely_effect(study))
    pairs = design.runs // 2
    deviate = intervals.deviate(study.confidence)
    fixed, order = design.fixed_percent / deviate, design.order_percent / deviate
    rest = math.sqrt(max((design.half_width_percent / deviate) ** 2 - fixed**2 - order**2, 0.0))
    return verdict.pairs_needed(pairs, size, fixed, rest, study.smallest_effect_percent, deviate, order)


def with_power(
    study: Study,
    design: Design,
    *,
    days: int = WEATHERS * READINGS,
    seed: int = 1,
    scatter: ScatterPrior | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Design:
    """The design with the number of pairs that settles the question, and how often it does, found by simulating it.

    The scaled number is where the search begins; the least number that settles it on four simulated days in five is taken.
    Numbers beyond `MOST_SIMULATED` are not simulated. Parameters as for `compare_designs`.
    """
    about = pairs_for(study, design)
    if about is None or about > MOST_SIMULATED:
        return design
    pattern = next((name for name in PATTERNS if order_of(name, design.runs) == design.order), design.order)
    settles: dict[int, float] = {design.runs // 2: design.settles}

    def power(pairs: int) -> float:
        if pairs not in settles:
            made = _simulate(study, pattern, 2 * pairs, days, seed, scatter or ScatterPrior(), cancelled)
            settles[pairs] = math.nan if made is None else made.settles
        return settles[pairs]

    pairs = about
    while pairs < MOST_SIMULATED and power(pairs) < verdict.POWER:
        pairs += 1
    while pairs > 1 and power(pairs - 1) >= verdict.POWER:
        pairs -= 1
    found = power(pairs)
    return replace(design, pairs=pairs, power=found) if found >= verdict.POWER else design
