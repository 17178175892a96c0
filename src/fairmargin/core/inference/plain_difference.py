"""The plain paired difference, with a margin as honest as the model's: what is said where the model is not believed.

The answer is the mean difference of the logarithms of what was read, of drives in like directions. Nothing is corrected
but known other differences, which are taken out. Its error follows from the same unknowns as the model's: with w the weights of the
readings, J their derivatives, ∇E that of the effect, S the priors,

    error = wᵀ(f(θ) − ln km) − E(θ) + noise,    var = (wᵀJ − ∇E) S (wᵀJ − ∇E)ᵀ + Σ w² (scatter + reading)

at the prior means, with the change as large as it was read. What the recorded conditions would have corrected is left
in, and counts as an error of its own size.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.vehicle import TOGETHER_S
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import Problem
from fairmargin.core.inference.rows import Rows
from fairmargin.core.inference.spread import SIZES, Spread, by_days, by_drives, sizes_of
from fairmargin.core.study import Leg, Study

Array = NDArray[np.float64]

NEWTON_STEPS: Final = 6
NEAR: Final = 1e-5  # of the logarithm of an effect
TELLABLE: Final = 1e-6  # squares of the change's column that nothing else explains, below which it cannot be told
#: Sources whose unknowns are of one leg, run or day each.
OF_SINGLE_DRIVES: Final = frozenset({Group.WIND_OF_RUNS, Group.SPEED, Group.LOAD, Group.DAY})
MOST_DEVIATES: Final = 4.0  # of a change's prior; a larger one is not looked for


@dataclass(frozen=True, eq=False, slots=True)
class Plain:
    """One trial's plain difference. Logarithms of the ratio."""

    log_ratio: float
    weights: Array  # of the scatter's sizes
    sds: Array  # at each size
    uncorrected: float  # what the recorded conditions would take out
    unknown_variance: Array  # (unknowns,)
    reading_variance: float
    scatter_variance: float  # at the scatter's mean size
    told: bool  # whether the readings tell the change from anything else
    spreads: tuple[Spread, ...]  # what like drives and days differ by, with the recorded conditions taken out

    @property
    def corrected(self) -> float:
        """The difference less what the recorded conditions are worth at the priors' means."""
        return self.log_ratio - self.uncorrected

    @property
    def own_variance(self) -> float:
        """Variance of `corrected`."""
        return float(self.unknown_variance.sum()) + self.reading_variance + self.scatter_variance


def paired_weights(study: Study, observations: Sequence[Observation], trial: str) -> Array:
    """Weight of each observation in the plain difference: the least-squares difference of drives of like direction.

    Where a control vehicle drove beside, drives are set against what it took at the same time. Where runs count as a
    whole, legs that do not are left out. Zero where the readings cannot tell the change from something else.

    Examples
    --------
    There and back once with each, the drives of the baseline count −½, of the trial +½:

    >>> from fairmargin.core.study import new_study
    >>> study = new_study(title="Discs", kind="aero covers", order="AB", speed_kmh=90)
    >>> seen = [Observation((leg.leg,), (), 10.0, 10.0, 200.0) for leg in study.legs]
    >>> [round(float(w), 6) for w in paired_weights(study, seen, "B")]
    [-0.5, -0.5, 0.5, 0.5]
    """
    found = paired_drives(study, observations, trial)
    out = np.zeros(len(observations))
    if found is not None:
        mine, _, own = found
        out[mine] = own / float(own @ own)
    return out


def paired_drives(
    study: Study, observations: Sequence[Observation], trial: str
) -> tuple[list[int], Array, Array] | None:
    """Drives that are compared, what they may differ by (change first), and what of the change nothing else explains."""
    legs = [study.leg(o.legs[0]) for o in observations]
    both = {study.baseline.id, trial}
    mine = [i for i, leg in enumerate(legs) if leg.configuration in both]
    most = max((len(observations[i].legs) for i in mine), default=1)
    whole = [i for i in mine if len(observations[i].legs) == most]
    if len({legs[i].configuration for i in whole}) == 2:
        mine = whole  # a part of a run says nothing beside whole ones
    firsts = [legs[i] for i in mine]
    if not firsts:
        return None
    change = np.array([float(leg.configuration == trial) for leg in firsts])
    beside = [_ones([leg.vehicle == "control" for leg in firsts]), *_moments(firsts)]
    directions = {x.direction for x in firsts}
    ways = [] if most > 1 else [_ones([x.direction == d for x in firsts]) for d in directions]
    for columns in ([*ways, *beside], [*ways], []):
        others = np.stack([np.ones(len(firsts)), *columns], axis=1)
        own = change - others @ np.linalg.lstsq(others, change, rcond=None)[0]
        if float(own @ own) > TELLABLE:
            return mine, np.concatenate([change[:, None], others], axis=1), own
    return None


def _spreads(
    study: Study,
    conditions: Mapping[str, Conditions],
    observations: Sequence[Observation],
    trial: str,
    values: Sequence[Array],
    unit_var: Array,
    reading: Array,
    freedom: float,
) -> tuple[Spread, ...]:
    """Margins that drives, and days where they are replicated, ask for; of several `values` the least is believed."""
    found = paired_drives(study, observations, trial)
    if found is None:
        return ()
    mine, design, own = found
    w = own / float(own @ own)
    legs = [conditions[observations[i].legs[0]] for i in mine]
    # What the recorded conditions explain leg by leg is no scatter; what they would add to it is none either.
    drives = [by_drives(design, v[mine], w, unit_var[mine], reading[mine], freedom) for v in values]
    days = [by_days(legs, v[mine], (unit_var + reading)[mine]) for v in values[:2]]  # a fit explains any day
    told = [d for d in days if d is not None]
    least = [min(drives, key=lambda s: s.half_width(study.confidence))]
    return tuple(least + ([min(told, key=lambda s: s.half_width(study.confidence))] if told else []))


def _ones(test: Sequence[bool]) -> Array:
    return np.array(test, dtype=float)


def _moments(legs: Sequence[Leg]) -> list[Array]:
    """A column for each time at which test and control vehicle drove together: of a run, or within ten minutes."""
    out = []
    for c in legs:
        if c.vehicle != "control":
            continue
        near = [x.vehicle != "control" and x.direction == c.direction and _together(x, c) for x in legs]
        if any(near):
            out.append(_ones([n or x is c for n, x in zip(near, legs, strict=True)]))
    return out


def _together(a: Leg, b: Leg) -> bool:
    if a.clock is None or b.clock is None or (a.clock.tzinfo is None) != (b.clock.tzinfo is None):
        return a.run == b.run
    return abs((a.clock - b.clock).total_seconds()) <= TOGETHER_S


def gathered(rows: Rows, owns: Array) -> Array:
    """Entries of the problem to observations, weighed by energy, shape (observations, entries)."""
    gather = owns.T * np.exp(rows.measured)
    return np.asarray(gather / gather.sum(axis=1, keepdims=True))


def _known(problem: Problem, gather: Array) -> Array:
    """Logarithm by which known other differences raised each observation: even a plain difference is without them."""
    means = np.array([u.prior_mean if u.group is Group.KNOWN else 0.0 for u in problem.unknowns])
    n = len(problem.rows.leg)
    by_entry = (problem.weights[:n] @ means)[problem.rows.first]
    return np.asarray(gather @ by_entry)


def _read(observations: Sequence[Observation]) -> Array:
    """Logarithms of the consumptions read; over the distance shown, or between the gates."""
    return np.log([o.fit_wh / (o.shown_km if o.gated_wh is None else o.fit_km) for o in observations])


def plain_differences(
    study: Study,
    problem: Problem,
    conditions: Mapping[str, Conditions],
    observations: Sequence[Observation],
    options: FitOptions,
    fitted: Array,
) -> Mapping[str, Plain]:
    """The plain difference of every trial of a fit, with what it may be off by."""
    gather = gathered(problem.rows, problem.owns)
    known = _known(problem, gather)
    read = _read(observations) - known
    km = np.log([o.shown_km if o.gated_wh is None else o.fit_km for o in observations])
    trials = problem.configurations[1:]
    weights = [paired_weights(study, observations, trial) for trial in trials]
    answers = np.array([w @ read for w in weights])
    theta = _trials_as_read(problem, trials, answers)
    at = problem.linearise(theta)
    levels, gradients = problem.levels(at)
    modelled = np.log(np.add.reduceat(np.exp(at.predicted), _firsts(problem))) - km - known
    jacobian = gather @ at.jacobian
    explained = modelled + jacobian @ (shared_by_drives(problem, fitted) - theta)
    reading = (gather**2) @ problem.rows.noise(0.0)
    sizes = sizes_of(_cells(study, observations), read, problem.scatter_var, reading, options.scatter_freedom)
    multiple = float(sizes @ SIZES)
    free = np.array([u.group is not Group.CHANGE for u in problem.unknowns])
    found: dict[str, Plain] = {}
    for i, (trial, w) in enumerate(zip(trials, weights, strict=True)):
        left_over = w @ jacobian - (gradients[i + 1] - gradients[0])
        unknown = left_over**2 * problem.prior_var * free
        uncorrected = float(w @ modelled - (levels[i + 1] - levels[0]))
        by_reading, by_scatter = float(w**2 @ reading), float(w**2 @ problem.scatter_var)
        fixed = float(unknown.sum()) + by_reading + uncorrected**2
        found[trial] = Plain(
            log_ratio=float(answers[i]),
            weights=sizes,
            sds=np.sqrt(fixed + by_scatter * SIZES**2),
            uncorrected=uncorrected,
            unknown_variance=unknown,
            reading_variance=by_reading,
            scatter_variance=by_scatter * multiple**2,
            told=bool(w.any()),
            spreads=_spreads(
                study,
                conditions,
                observations,
                trial,
                (read - modelled, read, read - explained),
                problem.scatter_var,
                reading,
                options.scatter_freedom,
            ),
        )
    return found


def _firsts(problem: Problem) -> NDArray[np.intp]:
    """First entry of each observation (entries stand in the order of observations)."""
    return np.flatnonzero(np.diff(problem.rows.owner, prepend=-1))


def _trials_as_read(problem: Problem, trials: Sequence[str], answers: Array) -> Array:
    """The prior means with every trial's change as large as it was read."""
    theta = problem.prior_mean.copy()
    sd = np.sqrt(problem.prior_var)
    ways = []
    for trial in trials:
        own = [u.group is Group.CHANGE and u.name.startswith(f"{trial}:") for u in problem.unknowns]
        ways.append(sd * own)
    sizes = np.zeros(len(trials))
    for _ in range(NEWTON_STEPS):
        levels, gradients = problem.levels_at(theta)
        left = answers - (levels[1:] - levels[0])
        if not len(left) or float(np.max(np.abs(left))) < NEAR:
            break
        for i, way in enumerate(ways):
            slope = float((gradients[i + 1] - gradients[0]) @ way)
            if abs(slope) > NEAR:
                sizes[i] = float(np.clip(sizes[i] + left[i] / slope, -MOST_DEVIATES, MOST_DEVIATES))
        theta = problem.prior_mean + sum((s * w for s, w in zip(sizes, ways, strict=True)), np.zeros(len(sd)))
    return theta


def shared_by_drives(problem: Problem, fitted: Array) -> Array:
    """The fitted unknowns; those of single drives, which could explain any spread, at their priors' means."""
    own = np.array([u.group in OF_SINGLE_DRIVES for u in problem.unknowns])
    return np.where(own, problem.prior_mean, fitted)


def _cells(study: Study, observations: Sequence[Observation]) -> Array:
    """A column for each configuration, vehicle, direction and sector: drives that should take the same."""
    legs = [study.leg(o.legs[0]) for o in observations]
    keys = [(x.configuration, x.vehicle, x.direction, x.sector) for x in legs]
    return np.array([[float(key == cell) for cell in dict.fromkeys(keys)] for key in keys])


def left_out(study: Study, observations: Sequence[Observation], trial: str) -> Array:
    """What the plain difference moves by when one observation is left out; 0 where nothing would be left."""
    read = _read(observations)
    whole = float(paired_weights(study, observations, trial) @ read)
    out = np.zeros(len(observations))
    for i in range(len(observations)):
        rest = [o for j, o in enumerate(observations) if j != i]
        w = paired_weights(study, rest, trial)
        if w.any():
            out[i] = float(w @ np.delete(read, i)) - whole
    return out
