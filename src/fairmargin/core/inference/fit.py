"""The one fit of a test day: every leg's reading at once, everything uncertain given a prior, the effect with its margin.

`problem.prepare` lays the legs on the road and names the unknowns, `solver.solve` finds their most probable values,
`posterior.posterior` integrates the effects over the run-to-run scatter.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.conditions.causes import Group
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.beliefs import Beliefs, as_they_are, beliefs_of
from fairmargin.core.inference.budget import RANDOM, by_group, falls, touched_legs
from fairmargin.core.inference.criticism import Criticism, criticise
from fairmargin.core.inference.foretold import Foretold, foretell
from fairmargin.core.inference.learned import Learned, effect_errors, learn
from fairmargin.core.inference.levels import Level, model_levels, plain_level
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.otherwise import Otherwise
from fairmargin.core.inference.plain_difference import Plain, left_out, plain_differences
from fairmargin.core.inference.plausible import Plausible, plausible
from fairmargin.core.inference.posterior import SCATTER_SIZES, Effect, Posterior, mixture_quantile, posterior
from fairmargin.core.inference.priors import SCATTER_SHARE, SEGMENT_SHARE
from fairmargin.core.inference.problem import Problem, prepare
from fairmargin.core.inference.sensitivity import moved
from fairmargin.core.inference.solver import Solution, solve
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.road import Road
from fairmargin.core.study import Study

Array = NDArray[np.float64]

FAR: Final = 12.0  # logarithm of a ratio that nothing has


@dataclass(frozen=True, eq=False, slots=True)
class Fit:
    """The fitted study (one speed, one sector): effects, and what is needed to correct each leg."""

    conditions: tuple[Conditions, ...]
    model: RoadModel
    local: Array  # (n legs, parameters): most probable deviations
    effects: dict[str, Effect]
    scatter_share: float  # posterior, for a leg of 30 km
    leg_sd: dict[str, float]  # share: scatter, reading and wind of one observation
    log_residual: dict[str, float]  # measured over modelled, as a logarithm
    values: dict[str, float]  # fitted deviations of the shared unknowns
    theta: Array
    road: Road
    as_driven: bool  # the effect holds for the logged speeds, not for one steady speed
    segment_share: float  # noise of one kilometre of a logged leg
    beliefs: Beliefs
    scatter_evidence: tuple[float, ...]  # log likelihood of each size of scatter and days, see `learned_scatter`
    share: Callable[[str], Array]  # source of the margin -> (n legs, parameters): what its unknowns add to `local`
    plain_effects: Callable[[], Mapping[str, Effect]] = dict  # see `plain`
    plain_found: Mapping[str, Plain] = field(default_factory=dict)  # the plain differences and how like drives differ
    floors: Mapping[str, float] = field(default_factory=dict)  # half-widths that like drives ask for, as logarithms
    criticism: Criticism | None = None  # None for a fit that only prices something
    plausible: Plausible | None = None  # the same
    levels: Mapping[str, Level] = field(default_factory=dict)  # of each configuration driven
    plain_levels: Callable[[], Mapping[str, Level]] = dict  # the same where the fit is not believed
    foretold: Callable[[], tuple[Foretold, ...]] = tuple  # each drive from the others
    #: What one unit of a quantity, given for each leg, does to the log readings beside all that the model knows, and its deviates.
    beside: Callable[[Mapping[str, float]], tuple[float, float]] = lambda _: (0.0, 0.0)
    #: A trial's effect with each family of priors changed: what, how, and the effect.
    with_other_priors: Callable[[str], Sequence[tuple[str, str, Effect]]] = lambda _: ()
    learned: Callable[[], Learned | None] = lambda: None  # of the vehicle and the road; None where it is not believed
    otherwise: Otherwise | None = None

    @property
    def plain(self) -> Mapping[str, Effect]:
        """What is said where the fit is not believed: worked out only when it is asked for."""
        return self.plain_effects()


def fit_study(
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    logs: Logs,
    options: FitOptions,
    start: Fit | None = None,
    road: Road | None = None,
) -> Fit:
    """Fit one group of legs (one speed, one sector) and state every trial's effect.

    Parameters
    ----------
    study : Study
    conditions : sequence of Conditions
        Of the legs in `observations`, in their order (each leg of a charged-back run in turn).
    observations : sequence of Observation
        Included readings only.
    logs : Logs
        Logged legs between their gates, and the road.
    options : FitOptions
    start : Fit, optional
        A fit of nearly the same legs, to begin from.
    road : Road, optional
        Of the legs, where they were driven on several; else that of the logs.

    Returns
    -------
    Fit

    Raises
    ------
    ValueError
        If there is no observation.
    """
    if not observations:
        raise ValueError("a fit needs at least one leg with a reading")
    problem = prepare(study, conditions, observations, logs, options, start.road if start else road)
    if start is not None and not options.afresh:
        beliefs, at = start.beliefs, None
    else:
        share = start.segment_share if start else SEGMENT_SHARE
        beliefs, at = beliefs_of(problem, conditions, options, share)
    problem = as_they_are(problem, beliefs, conditions)
    solution = solve(problem, start.theta, start.segment_share, at) if start else solve(problem, at=at)
    log_levels, gradients = problem.levels(solution.at)
    first = start is None  # a fit that only prices something needs no levels
    result = _posterior(problem, solution, options, log_levels, gradients, first)
    leg_sd, log_residual = _legs(problem, solution, result)
    by_leg = {c.leg: c for c in conditions}
    plain = plain_differences(study, problem, by_leg, observations, options, solution.theta) if first else {}
    floors = _of_plain(plain, study.confidence)
    return Fit(
        conditions=tuple(conditions),
        model=problem.leg_model,
        local=problem.local_of(problem.leg_weights[: len(conditions)], solution.theta),
        effects=_effects(study, problem, solution, result, observations, log_levels, floors, by_leg, first),
        scatter_share=options.scatter_share * result.scatter_multiple,
        scatter_evidence=(*_as_common_sizes(result.log_likelihood, options.scatter_share), *beliefs.day_evidence),
        leg_sd={name: float(leg_sd[j]) for j, o in enumerate(observations) for name in o.legs},
        log_residual={name: float(log_residual[j]) for j, o in enumerate(observations) for name in o.legs},
        values=_values(problem, solution.theta),
        theta=solution.theta,
        road=problem.road,
        as_driven=problem.reference.as_driven,
        segment_share=solution.segment_share,
        beliefs=beliefs,
        share=lambda source: problem.share(source, solution.theta)[: len(conditions)],
        plain_effects=lambda: {
            name: _plain_effect(study, problem, p, name, observations, log_levels) for name, p in plain.items()
        },
        plain_found=plain,
        floors=floors,
        criticism=criticise(problem, solution, result, plain, beliefs.contradicted) if first else None,
        plausible=plausible(study, problem, at) if first else None,
        levels=model_levels(study, problem, result, len(gradients) - 1, log_levels, observations) if first else {},
        plain_levels=lambda: _plain_levels(study, problem, result, observations),
        foretold=cache(lambda: foretell(problem, result, observations)),
        beside=lambda values: _beside(problem, result, observations, values),
        with_other_priors=lambda name: _with_other_priors(
            study, problem, solution, result, options, floors, log_levels, name
        ),
        learned=lambda: learn(problem, result),
        otherwise=Otherwise(study, conditions, observations, logs, options, problem, solution, result, log_levels),
    )


def with_other_speeds(
    own: Fit,
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    logs: Logs,
    options: FitOptions,
    others: Sequence[Fit],
) -> Fit:
    """A fit of one speed, its effects and levels stated by the legs of all speeds together.

    One posterior of all legs; what the change does at another speed differs by an unknown of its own. Margins are as wide as
    like drives of all speeds ask for, each set against those of its own speed.

    Parameters
    ----------
    own : Fit
        Of the legs of one speed.
    study : Study
        Of that speed.
    conditions, observations, logs
        As for `fit_study`, of all speeds.
    options : FitOptions
        With the speed that effects are stated for, and the legs `beside`.
    others : sequence of Fit
        Of the legs of each other speed.
    """
    sector = {c.leg: study.leg(c.leg).sector for c in conditions}
    here = sector[own.conditions[0].leg]
    away = {c.leg: f.road for f in others for c in f.conditions if sector[c.leg] != here}
    road = own.road.with_elsewhere(away) if away else own.road
    problem = prepare(study, conditions, observations, logs, options, road)
    beliefs, at = beliefs_of(problem, conditions, options, own.segment_share)
    problem = as_they_are(problem, beliefs, conditions)
    solution = solve(problem, at=at)
    log_levels, gradients = problem.levels(solution.at)
    result = _posterior(problem, solution, options, log_levels, gradients, True)
    by_leg = {c.leg: c for c in conditions}
    mine = [o for o in observations if not options.beside & set(o.legs)]
    floors = _floors((own, *others), study.confidence)
    return replace(
        own,
        effects=_effects(study, problem, solution, result, observations, log_levels, floors, by_leg, True, mine),
        levels=model_levels(study, problem, result, len(gradients) - 1, log_levels, mine),
        with_other_priors=lambda name: _with_other_priors(
            study, problem, solution, result, options, floors, log_levels, name
        ),
        otherwise=Otherwise(study, conditions, observations, logs, options, problem, solution, result, log_levels),
        floors=floors,
        road=road,
        theta=solution.theta,
        segment_share=solution.segment_share,
        beliefs=beliefs,
    )


def _plain_levels(
    study: Study, problem: Problem, result: Posterior, observations: Sequence[Observation]
) -> dict[str, Level]:
    """Levels as driven, of every configuration that was."""
    driven = {study.leg(o.legs[0]).configuration for o in observations}
    return {
        name: plain_level(study, problem, name, observations, result.scatter_multiple)
        for name in problem.configurations
        if name in driven
    }


def _of_plain(plain: Mapping[str, Plain], confidence: float) -> dict[str, float]:
    """Half of the narrowest interval that like drives allow each trial, as a logarithm; nothing where there are none."""
    return {name: max(s.half_width(confidence) for s in p.spreads) for name, p in plain.items() if p.spreads}


def _floors(fits: Sequence[Fit], confidence: float) -> dict[str, float]:
    """The same for the mean of what several fits say, each weighed by its legs."""
    found: dict[str, list[tuple[int, float]]] = {}
    for fit in fits:
        for name, half in _of_plain(fit.plain_found, confidence).items():
            found.setdefault(name, []).append((len(fit.conditions), half))
    return {
        name: math.sqrt(sum((n * half) ** 2 for n, half in own)) / sum(n for n, _ in own) for name, own in found.items()
    }


def _with_other_priors(
    study: Study,
    problem: Problem,
    solution: Solution,
    result: Posterior,
    options: FitOptions,
    floors: Mapping[str, float],
    log_levels: Array,
    trial: str,
) -> list[tuple[str, str, Effect]]:
    """One trial's effect with each family of priors changed in turn, as wide as its spread asks for."""
    i = problem.configurations.index(trial) - 1
    one = replace(result, gradients=result.gradients[i : i + 1])
    origin = [float(log_levels[i + 1] - log_levels[0])]
    out = []
    for m in moved(problem, one, solution.theta, origin, options.scatter_freedom):
        r = m.result
        effect = Effect(trial, float(r.weights @ r.means[:, 0]), r.weights, r.means[:, 0], r.sds[:, 0])
        out.append((m.prior, m.change, _as_wide_as_its_spread(effect, floors.get(trial), study.confidence)))
    return out


def _beside(
    problem: Problem, result: Posterior, observations: Sequence[Observation], values: Mapping[str, float]
) -> tuple[float, float]:
    """Generalised least squares of one quantity more, with everything else as uncertain as its prior says."""
    x = problem.owns @ np.array([sum(values[name] for name in o.legs) / len(o.legs) for o in observations])
    information = float(x @ result.inverse @ x)
    found = float(x @ result.inverse @ result.innovation) / max(information, 1e-12)
    return found, found * math.sqrt(information)


def _effects(
    study: Study,
    problem: Problem,
    solution: Solution,
    result: Posterior,
    observations: Sequence[Observation],
    log_levels: Array,
    floors: Mapping[str, float],
    by_leg: Mapping[str, Conditions],
    first: bool,
    here: Sequence[Observation] | None = None,
) -> dict[str, Effect]:
    """Every trial's effect, as wide as its spread asks for; with what else is kept of it where it is not only priced.

    `here` are the drives of the speed itself, where those of others tell of it as well.
    """
    if not first:
        return {
            name: Effect(
                name, float(result.weights @ result.means[:, i]), result.weights, result.means[:, i], result.sds[:, i]
            )
            for i, name in enumerate(problem.configurations[1:])
        }
    here = observations if here is None else here
    declared = _declared_masses(study, problem, solution)
    out = {}
    for i, name in enumerate(problem.configurations[1:]):
        together = _share_days(study, by_leg, here, name)
        own = _effect(problem, solution, result, i, observations, log_levels, together)
        out[name] = replace(
            _as_wide_as_its_spread(own, floors.get(name), study.confidence),
            declared_mass=declared.get(name, 0.0),
            errors=effect_errors(problem, solution, result, i, observations),
        )
    return out


def _values(problem: Problem, theta: Array) -> dict[str, float]:
    """Fitted deviations of the shared unknowns, but of those that no other drive has."""
    shared = zip(problem.unknowns[: problem.shared], theta.tolist(), strict=False)
    return {u.name: value for u, value in shared if u.group not in {Group.WIND_OF_RUNS, Group.DAY}}


def _posterior(
    problem: Problem, solution: Solution, options: FitOptions, log_levels: Array, gradients: Array, with_levels: bool
) -> Posterior:
    """The effects of all trials and, after them, the levels of all configurations."""
    asked = np.concatenate([gradients[1:] - gradients[0], *([gradients] if with_levels else [])])
    values = np.concatenate([log_levels[1:] - log_levels[0], *([log_levels] if with_levels else [])])
    found = posterior(
        problem.evidence(solution.at, solution.segment_share),
        problem.innovation(solution.at, solution.theta),
        asked,
        (values + asked @ (problem.prior_mean - solution.theta)).tolist(),
        options.scatter_freedom,
    )
    if float(np.abs(found.means).max(initial=0.0)) < FAR and float(found.sds.max(initial=0.0)) < FAR:
        return found
    # Readings that cannot be: no figure of theirs is believed, but each is one.
    return replace(found, means=np.clip(found.means, -FAR, FAR), sds=np.minimum(found.sds, FAR))


def _declared_masses(study: Study, problem: Problem, solution: Solution) -> dict[str, float]:
    """Log ratio that each trial's declared mass alone makes, with the change taken out of the fit."""
    base = study.baseline.mass_delta_kg or 0.0
    heavier = [t.id for t in study.trials if (t.mass_delta_kg or 0.0) != base and t.id in problem.configurations]
    if not heavier:
        return {}
    theta = solution.theta.copy()
    theta[[u.group is Group.CHANGE for u in problem.unknowns]] = 0.0
    levels, _ = problem.levels_at(theta)
    return {name: float(levels[problem.configurations.index(name)] - levels[0]) for name in heavier}


def _effect(
    problem: Problem,
    solution: Solution,
    result: Posterior,
    i: int,
    observations: Sequence[Observation],
    log_levels: Array,
    share_days: bool,
) -> Effect:
    """One trial's effect with the budget of its margin."""
    rows, estimator, open_variance = problem.rows, result.estimators[:, i], result.variance_by_parameter[i]
    by_segment = estimator * solution.segment_share * rows.unit
    scatter = result.scatter_part(i) + float(by_segment @ by_segment)
    rounding = float((estimator**2) @ rows.reading_var)
    budget = by_group(problem, open_variance, {Group.SCATTER: scatter, Group.DISPLAY_STEP: rounding})
    fixed, by_runs, by_order = falls(problem.unknowns, open_variance, share_days)
    km, levels = problem.reference.km, np.exp(log_levels)
    return Effect(
        trial=problem.configurations[i + 1],
        log_ratio=float(result.weights @ result.means[:, i]),
        weights=result.weights,
        means=result.means[:, i],
        sds=result.sds[:, i],
        systematic_variance=fixed,
        random_variance=scatter + rounding + by_runs,
        order_variance=by_order,
        budget=tuple(sorted(((str(k), v) for k, v in budget.items()), key=lambda kv: -kv[1])),
        touched=touched_legs(problem, open_variance, observations),
        baseline_wh_per_km=float(levels[0]) / km,
        trial_wh_per_km=float(levels[i + 1]) / km,
        influence={o.legs[0]: float(v) for o, v in zip(observations, result.influence(i), strict=True)},
    )


def _share_days(
    study: Study, by_leg: Mapping[str, Conditions], observations: Sequence[Observation], trial: str
) -> bool:
    """Whether baseline and trial were driven on the same days, for all that is known."""
    days: dict[str, set[object]] = {study.baseline.id: set(), trial: set()}
    for o in observations:
        c = by_leg[o.legs[0]]
        if c.configuration in days:
            days[c.configuration].add(c.day if c.day_told else c.configuration)
    return days[study.baseline.id] == days[trial]


def _as_wide_as_its_spread(effect: Effect, asked: float | None, confidence: float) -> Effect:
    """The effect, widened to the half-width that like drives, or days, ask for where they differ more than it allows."""
    if asked is None:
        return effect
    tail = (1.0 - confidence) / 2.0
    low, high = (mixture_quantile(effect.weights, effect.means, effect.sds, q) for q in (tail, 1.0 - tail))
    own = (high - low) / 2.0
    if asked <= own:
        return effect
    more = (asked**2 - own**2) / intervals.deviate(confidence) ** 2
    budget = sorted([*effect.budget, (str(Group.SPREAD), more)], key=lambda kv: -kv[1])
    return replace(
        effect, sds=np.sqrt(effect.sds**2 + more), random_variance=effect.random_variance + more, budget=tuple(budget)
    )


def _plain_effect(
    study: Study, problem: Problem, plain: Plain, trial: str, observations: Sequence[Observation], log_levels: Array
) -> Effect:
    """The plain difference of one trial as an effect; the baseline's level stays the model's."""
    budget = by_group(
        problem,
        plain.unknown_variance,
        {
            Group.SCATTER: plain.scatter_variance,
            Group.DISPLAY_STEP: plain.reading_variance,
            Group.UNCORRECTED: plain.uncorrected**2,
        },
    )
    is_random = np.array([u.group in RANDOM for u in problem.unknowns])
    km, level = problem.reference.km, float(np.exp(log_levels[0]))
    by_runs = float(plain.unknown_variance[is_random].sum())
    return Effect(
        trial=trial,
        log_ratio=plain.log_ratio,
        weights=plain.weights,
        means=np.full(len(plain.sds), plain.log_ratio),
        sds=plain.sds,
        systematic_variance=float(plain.unknown_variance.sum()) - by_runs + plain.uncorrected**2,
        random_variance=plain.scatter_variance + plain.reading_variance + by_runs,
        budget=tuple(sorted(((str(k), v) for k, v in budget.items()), key=lambda kv: -kv[1])),
        touched=touched_legs(problem, plain.unknown_variance, observations),
        baseline_wh_per_km=level / km,
        trial_wh_per_km=level / km * math.exp(plain.log_ratio),
        influence={
            o.legs[0]: float(v) for o, v in zip(observations, left_out(study, observations, trial), strict=True)
        },
    )


def _legs(problem: Problem, solution: Solution, result: Posterior) -> tuple[Array, Array]:
    """Of each observation: standard deviation as a share, and what it has over the model, as a logarithm."""
    rows, at = problem.rows, solution.at
    # Segments of one leg, weighed by energy: what leaves the leg's own sum open.
    gather = problem.owns.T * np.exp(rows.measured)
    gather /= gather.sum(axis=1, keepdims=True)
    own_noise = (gather**2) @ rows.noise(solution.segment_share)
    # What the legs left open of the wind: V − V C⁻¹ V for the wind's share V of the covariance.
    is_wind = np.array([u.group is Group.WIND_OF_RUNS for u in problem.unknowns])
    by_wind = at.jacobian[:, is_wind]
    wind = (by_wind * problem.prior_var[is_wind]) @ by_wind.T
    wind_left = np.diag(gather @ (wind - wind @ result.inverse @ wind) @ gather.T)
    scatter = problem.scatter_var * result.scatter_multiple**2
    sd = np.sqrt(scatter + own_noise + np.maximum(wind_left, 0.0))
    return sd, gather @ (rows.measured - at.predicted)


def _as_common_sizes(log_likelihood: Array, share: float) -> tuple[float, ...]:
    """Log likelihood of multiples of the common-practice scatter, whatever prior the fit was given."""
    log_size = np.log(SCATTER_SIZES)
    shifted = np.interp(log_size - math.log(share / SCATTER_SHARE), log_size, log_likelihood)
    return tuple((shifted - shifted.max()).tolist())
