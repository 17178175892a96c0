"""The one door: ``analyse(study, traces) -> Analysis``.

Legs are grouped by aimed-for speed and sector; each group is one fit and gives one comparison per trial.
Screens, reports and JSON only draw the `Analysis`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from fairmargin.core.evidence.climb import climbs
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.gathered import Gathered, gather
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.readings import Observation
from fairmargin.core.fairness.checks import check, check_everyday
from fairmargin.core.fairness.concern import Concern, merge
from fairmargin.core.fairness.context import ComparisonContext, Refit
from fairmargin.core.fairness.everyday import EverydayContext
from fairmargin.core.fairness.records import check_records
from fairmargin.core.inference.everyday import fit_everyday
from fairmargin.core.inference.fit import Fit, fit_study
from fairmargin.core.inference.options import FitOptions, Regressor
from fairmargin.core.inference.posterior import Effect
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.result.comparison import Sides, by_direction, comparison, sides_of
from fairmargin.core.result.corrections import corrections
from fairmargin.core.result.legs import everyday_lines, gap_share, leg_result
from fairmargin.core.result.types import VIEWS, Analysis, Comparison, LegResult, View
from fairmargin.core.study import Study, Trace


@dataclass(frozen=True, eq=False, slots=True)
class _Group:
    """What one fit gives."""

    comparisons: Sequence[Comparison] = ()
    concerns: Sequence[Concern] = ()
    results: Mapping[str, LegResult] = field(default_factory=dict)
    scatter_evidence: tuple[float, ...] | None = None


def analyse(
    study: Study,
    traces: Mapping[str, Trace] | None = None,
    view: View = "reference",
    scatter: ScatterPrior | None = None,
) -> Analysis:
    """Correct every leg and state every trial's effect with its margin, concerns and verdict.

    Parameters
    ----------
    study : Study
    traces : mapping of leg name to Trace, optional
        Logged samples; a logged leg is corrected through its real speed trace.
    view : {'reference', 'study-mean', 'as-measured'}
        Conditions the legs are corrected to; "as-measured" corrects nothing.
    scatter : ScatterPrior, optional
        The tester's own run-to-run scatter, learned from other studies; common practice when absent.

    Returns
    -------
    Analysis
        With no comparisons, and `missing` saying what is needed, while readings are too few.

    Raises
    ------
    ValueError
        If `view` is unknown.

    Examples
    --------
    Two loops, 172 Wh/km with the baseline and 163 with the trial, nothing else noted:

    >>> from fairmargin.core.study import new_study
    >>> study = new_study(title="Wheel discs", kind="aero covers", order="AB", method="loop", speed_kmh=90)
    >>> for leg, shown in zip(study.legs, (172.0, 163.0)):
    ...     study = study.with_leg(leg.leg, average_shown=shown, average_unit="Wh/km", distance_km=24.0)
    >>> found = analyse(study).comparisons[0]
    >>> round(found.as_measured_percent, 2), found.verdict
    (-5.23, 'not settled')
    """
    if view not in VIEWS:
        raise ValueError(f'view must be one of {", ".join(VIEWS)}; got "{view}"')
    traces, doubts = check_records(study, {} if traces is None else traces)
    scatter = scatter or ScatterPrior()
    evidence = gather(study, traces)
    if study.method == "everyday":
        groups = [_everyday(study, view, evidence, doubts)] if evidence.observations else []
    else:
        options = FitOptions(
            view="study-mean" if view == "study-mean" else "reference",
            scatter_share=scatter.share,
            scatter_freedom=scatter.freedom,
        )
        groups = [
            _test_day(_at_speed(study, speed), view, options, evidence, members, sector, doubts)
            for (speed, sector), members in _by_speed_and_sector(study, evidence.observations).items()
        ]
    comparisons = [c for g in groups for c in g.comparisons]
    concerns = [c for g in groups for c in g.concerns]
    results = {name: leg for g in groups for name, leg in g.results.items()}
    learned = [g.scatter_evidence for g in groups if g.scatter_evidence is not None]
    order = {leg.leg: i for i, leg in enumerate(study.legs)}
    return Analysis(
        title=study.title,
        view=view,
        comparisons=tuple(comparisons),
        legs=tuple(sorted(results.values(), key=lambda r: order[r.leg])),
        concerns=merge(concerns or doubts),
        assumed=study.vehicle.constants().assumed,
        missing="" if comparisons else _missing(study, evidence.observations),
        climbs=climbs(study, traces) if study.method == "climb" else (),
        scatter_evidence=tuple(np.sum(learned, axis=0).tolist()) if learned else (),
        scatter_prior=scatter,
    )


def _by_speed_and_sector(
    study: Study, observations: Sequence[Observation]
) -> dict[tuple[float | None, str], list[Observation]]:
    groups: dict[tuple[float | None, str], list[Observation]] = {}
    for o in observations:
        leg = study.leg(o.legs[0])
        groups.setdefault((leg.speed_kmh or study.target_speed_kmh, leg.sector), []).append(o)
    return groups


def _at_speed(study: Study, speed_kmh: float | None) -> Study:
    return study.with_(target_speed_kmh=speed_kmh) if speed_kmh != study.target_speed_kmh else study


def _used(study: Study, members: Sequence[Observation]) -> list[Observation]:
    """Observations none of whose legs was left out."""
    included = {leg.leg for leg in study.legs if leg.included}
    return [o for o in members if included.issuperset(o.legs)]


def _missing(study: Study, every: Sequence[Observation]) -> str:
    driven = {study.leg(o.legs[0]).configuration for o in every if study.leg(o.legs[0]).included}
    if not study.trials:
        return "Add a trial configuration to compare with the baseline."
    if not driven:
        return "No readings yet. Type the first leg's reading in Drive."
    if study.baseline.id not in driven:
        return f"No baseline leg ({study.baseline.label}) has a reading yet."
    return f"Only {study.baseline.label} has readings. Drive the first leg with {study.trials[0].label}."


# ---------------------------------------------------------------- test days


def _test_day(
    study: Study,
    view: View,
    options: FitOptions,
    evidence: Gathered,
    members: Sequence[Observation],
    sector: str,
    doubts: Sequence[Concern],
) -> _Group:
    """One fit over all legs of a speed and sector, and one comparison per trial."""
    conditions, logs = evidence.conditions, evidence.logs[sector]
    used = _used(study, members)
    own = [conditions[name] for o in used for name in o.legs]
    fit = fit_study(study, own, used, logs, options) if used else None
    lines: Mapping[str, Mapping[str, float]] = {}
    corrected = fit is not None and view != "as-measured" and not _doubtful(fit)
    if fit is not None and corrected:
        lines = corrections(study, fit, options, own, used)
    leg_sd = fit.leg_sd if fit else {}
    results = {
        name: leg_result(
            study,
            study.leg(name),
            o,
            view if corrected else "as-measured",
            lines.get(name),
            leg_sd.get(name, o.relative_sd),
            logs,
        )
        for o in members
        for name in o.legs
    }
    if fit is None:
        return _Group(results=results)
    comparisons: list[Comparison] = []
    concerns: list[Concern] = []
    gaps = {o.legs[0]: gap_share(logs, o) for o in used}
    again, taken_back = _refit(study, used, logs, fit), _taken_back(study, members, evidence, logs, options)
    doubtful = _doubtful(fit) and view != "as-measured"
    for trial, effect in fit.effects.items():
        a, b = sides_of(study, trial, used)
        if not a or not b:
            continue
        case = ComparisonContext(
            study, trial, fit.conditions, used, fit, effect, options, again, taken_back, gaps
        )
        found = [*check(case), *doubts]
        concerns += found
        said = fit.plain.get(trial, effect) if doubtful else effect
        sides = Sides(
            study, said, a, b, members, results, conditions, fit.conditions, fit.scatter_share,
            fit.as_driven, "plain" if doubtful else "model", sector or None,
        )  # fmt: skip
        made = comparison(sides, view, found)
        if view != "as-measured" and not doubtful:
            made = replace(made, directions=by_direction(case, a, b))
        comparisons.append(made)
    several = len({c.configuration for c in own}) > 1
    return _Group(comparisons, concerns, results, fit.scatter_evidence if several else None)


def _doubtful(fit: Fit) -> bool:
    """Whether something speaks against a fit, so that it is not used."""
    return fit.criticism is not None and bool(fit.criticism.reasons)


def _refit(study: Study, used: Sequence[Observation], logs: Logs, fit: Fit) -> Refit:
    """The same fit again, with something changed."""

    def again(
        how: FitOptions,
        changed: Sequence[Conditions],
        other_study: Study | None = None,
        others: Mapping[str, Observation] | None = None,
    ) -> Fit | None:
        table = {c.leg: c for c in changed}
        kept = [o for o in used if not set(o.legs) & how.drop_legs]
        if others:
            kept = [others.get(o.legs[0], o) for o in kept]
        if not kept:
            return None
        own = [table[name] for o in kept for name in o.legs]
        return fit_study(other_study or study, own, kept, logs, how, start=fit)

    return again


def _taken_back(
    study: Study, members: Sequence[Observation], evidence: Gathered, logs: Logs, options: FitOptions
) -> Callable[[], Fit]:
    """The same fit with the legs that were left out."""
    return lambda: fit_study(
        study, [evidence.conditions[name] for o in members for name in o.legs], members, logs, options
    )


# ---------------------------------------------------------------- everyday logs


def _everyday(study: Study, view: View, evidence: Gathered, doubts: Sequence[Concern]) -> _Group:
    """Weeks of trips: one regression over all of them."""
    every, conditions = evidence.observations, evidence.conditions
    used = _used(study, every)
    if not used:
        return _Group()
    own = [conditions[o.legs[0]] for o in used]
    warmth = study.reference.temperature_c
    speed = float(np.mean([c.speed_m_s for c in own]))
    if view == "study-mean":
        warmth = float(np.mean([c.temperature_c for c in own]))
    elif study.target_speed_kmh:
        speed = study.target_speed_kmh / 3.6
    fit = fit_everyday(study, own, used, warmth, speed)

    def lines(o: Observation) -> Mapping[str, float] | None:
        if o.legs[0] not in fit.corrections:
            return None
        return {} if view == "as-measured" else everyday_lines(o, fit.corrections[o.legs[0]])

    results = {
        (name := o.legs[0]): leg_result(
            study, study.leg(name), o, view, lines(o), fit.trip_sd.get(name, o.relative_sd)
        )
        for o in every
    }
    comparisons: list[Comparison] = []
    concerns: list[Concern] = []
    for trial, effect in fit.effects.items():
        a, b = sides_of(study, trial, used)
        if not a or not b:
            continue

        def without(left_out: Regressor, trial: str = trial, effect: Effect = effect) -> float | None:
            other = fit_everyday(study, own, used, warmth, speed, frozenset({left_out})).effects.get(trial)
            return None if other is None else effect.percent - other.percent

        found = [*doubts, *check_everyday(EverydayContext(study, trial, own, used, effect, without))]
        concerns += found
        sides = Sides(study, effect, a, b, every, results, conditions, own, fit.scatter_share, True)
        comparisons.append(comparison(sides, view, found))
    return _Group(comparisons, concerns, results)
