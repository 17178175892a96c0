"""The one door: ``analyse(study, traces) -> Analysis``.

Legs are grouped by aimed-for speed and sector; each group is one fit and gives one comparison per trial.
Screens, reports and JSON only draw the `Analysis`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import cache, partial

import numpy as np

from fairmargin.core.coast_group import coast_group
from fairmargin.core.conditions.concern import Concern, merge
from fairmargin.core.everyday_group import everyday_group
from fairmargin.core.evidence.climb import climbs
from fairmargin.core.evidence.coasts import coasting_legs
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.gathered import Gathered, gather
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.fairness.checks import check
from fairmargin.core.fairness.context import ComparisonContext, Refit
from fairmargin.core.fairness.records import check_records
from fairmargin.core.grouped import Group, missing_words, results_of, used_of
from fairmargin.core.inference.fit import Fit, fit_study, with_other_speeds
from fairmargin.core.inference.levels import Level
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.scatter import ScatterPrior, scatter_of
from fairmargin.core.result.as_compared import as_compared
from fairmargin.core.result.by_instrument import by_instrument
from fairmargin.core.result.capacity import capacity_estimate
from fairmargin.core.result.claims import claim_result
from fairmargin.core.result.comparison import (
    Sides,
    by_direction,
    comparison,
    outside_its_pairs,
    sides_of,
    stated_temperature_c,
)
from fairmargin.core.result.corrections import corrections
from fairmargin.core.result.hills import hills
from fairmargin.core.result.legs import leg_result, with_foretold
from fairmargin.core.result.questions import if_answered, questions
from fairmargin.core.result.results import Result, sector_lengths, whole_results
from fairmargin.core.result.sensitivity import PriorMoved
from fairmargin.core.result.types import VIEWS, Analysis, Comparison, LegResult, View
from fairmargin.core.result.verdict import word
from fairmargin.core.result.whole_route import whole_comparisons
from fairmargin.core.speed_cells import (
    SpeedCell,
    at_speed,
    beside,
    by_speed_and_sector,
    fitted,
    tell_of_each_other,
    told_together,
)
from fairmargin.core.study import Study, Trace, Vehicle
from fairmargin.core.study.as_told import as_told
from fairmargin.core.study.cells import (
    Cell,
    between_vehicles,
    by_vehicle,
    cell_of_side,
    cells,
    compared,
    one_configuration,
    vehicle_of,
    with_sides,
)
from fairmargin.core.told_otherwise import everyday_told_otherwise, told_otherwise


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
        The tester's own run-to-run scatter, learned from other studies; common practice when absent. What
        travelled with the study (`Study.learned`) is its tester's, and comes first.

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
    traces = {} if traces is None else traces
    if study.learned is not None:
        scatter = scatter_of(study.learned)
    parts = [_of_vehicle(name, part, traces, view, scatter or ScatterPrior()) for name, part in by_vehicle(study)]
    if study.change.subject == "vehicle" and len(parts) > 1:
        parts = [replace(p, comparisons=(), concerns=()) for p in parts]
        parts += [
            _between(study, baseline, trial, traces, view, scatter) for baseline, trial in between_vehicles(study)
        ]
    asked = _asked(study, traces, view, scatter)
    parts += [p for p in asked if p.comparisons]
    whole = parts[0] if len(parts) == 1 else _together(study, parts)
    comparisons = tuple(
        replace(c, asked=cache(partial(questions, study, c)), if_answered=cache(partial(if_answered, study, c)))
        for c in whole.comparisons
    )
    return replace(whole, comparisons=comparisons, claim=claim_result(study, whole.comparisons))


def _asked(study: Study, traces: Mapping[str, Trace], view: View, scatter: ScatterPrior | None) -> list[Analysis]:
    """Comparisons that somebody asked for, as parts of the study's analysis; those without legs are left."""
    there, found = set(cells(study)), []
    for asked in study.also_compared:
        baseline, trial = cell_of_side(asked.baseline), cell_of_side(asked.trial)
        if baseline == trial or not {baseline, trial} <= there:
            continue
        made = compare(study, baseline, trial, traces, view, scatter)
        found.append(
            replace(
                made,
                legs=(),
                results=(),
                climbs=(),
                hills=(),
                coast_downs=(),
                capacity=None,
                scatter_evidence=(),
                concerns=(),
                learned=(),
            )
        )
    return found


def compare(
    study: Study,
    baseline: Cell,
    trial: Cell,
    traces: Mapping[str, Trace] | None = None,
    view: View = "reference",
    scatter: ScatterPrior | None = None,
) -> Analysis:
    """Compare any two configurations, speeds or vehicles of a study.

    Parameters
    ----------
    study : Study
    baseline, trial : Cell
        What is compared; see `study.cells`.
    traces, view, scatter
        As for `analyse`.

    Returns
    -------
    Analysis
        Of the study of these two alone.

    Raises
    ------
    ValueError
        If the two are the same or have no legs, or `view` is unknown.
    """
    own = compared(study, baseline, trial)
    if baseline.vehicle == trial.vehicle:
        return analyse(own, traces, view, scatter)
    return _of_vehicle("", own, {} if traces is None else traces, view, scatter or ScatterPrior())


def _between(
    study: Study, baseline: Cell, trial: Cell, traces: Mapping[str, Trace], view: View, scatter: ScatterPrior | None
) -> Analysis:
    """One vehicle against another, as a part of the study's analysis: no results or legs of its own."""
    found = compare(study, baseline, trial, traces, view, scatter)
    named = tuple(replace(c, baseline=baseline.vehicle, trial=trial.vehicle) for c in found.comparisons)
    return replace(found, comparisons=named, legs=(), results=(), climbs=(), hills=(), coast_downs=(), capacity=None)


def _together(study: Study, parts: Sequence[Analysis]) -> Analysis:
    """One analysis of several vehicles."""
    order = {leg.leg: i for i, leg in enumerate(study.legs)}
    comparisons = tuple(c for p in parts for c in p.comparisons)
    legs = [leg for p in parts for leg in p.legs]
    learned = [p.scatter_evidence for p in parts if p.scatter_evidence]
    results = tuple(r for p in parts for r in p.results)
    complete = comparisons or (results and one_configuration(study))
    return replace(
        parts[0],
        title=study.title,
        comparisons=comparisons,
        legs=tuple(sorted(legs, key=lambda r: order[r.leg])),
        concerns=merge([c for p in parts for c in p.concerns]),
        assumed=tuple(dict.fromkeys(name for p in parts for name in p.assumed)),
        missing="" if complete else next((p.missing for p in parts if p.missing), ""),
        climbs=tuple(c for p in parts for c in p.climbs),
        hills=tuple(x for p in parts for x in p.hills),
        coast_downs=tuple(c for p in parts for c in p.coast_downs),
        results=results,
        capacity=next((p.capacity for p in parts if p.capacity is not None), None),
        sector_lengths_km={k: v for p in parts for k, v in p.sector_lengths_km.items()},
        scatter_evidence=tuple(np.sum(learned, axis=0).tolist()) if learned else (),
        learned=tuple(x for p in parts for x in p.learned),
    )


def _of_vehicle(vehicle: str, study: Study, traces: Mapping[str, Trace], view: View, scatter: ScatterPrior) -> Analysis:
    """The analysis of one vehicle's legs; or of two, where the vehicle is the change or its control."""
    raw, study = study, as_told(study)
    traces, doubts = check_records(study, traces)
    owners = {leg.leg: vehicle_of(study, leg.vehicle) for leg in study.legs} if not vehicle else {}
    study = with_sides(study)
    coasts = coasting_legs(study, traces)
    coasted, loads = coast_group(study, coasts, traces, view, doubts) if coasts else (None, ())
    evidence = gather(study, traces, owners)
    if study.method == "everyday":
        found = everyday_group(study, view, evidence, doubts)
        groups = [everyday_told_otherwise(raw, traces, owners, view, found)]
    else:
        groups = _test_days(raw, study, traces, owners, evidence, doubts, view, scatter)
    if coasted is not None and not any(g.comparisons for g in groups):
        groups = [coasted]
    results = [replace(r, vehicle=vehicle) for g in groups for r in g.results]
    lengths = sector_lengths(study, results)
    comparisons = [c for g in groups for c in g.comparisons]
    comparisons += whole_comparisons(study, comparisons, lengths)
    concerns = [c for g in groups for c in g.concerns]
    lines = {name: leg for g in groups for name, leg in g.legs.items()}
    learned = [g.scatter_evidence for g in groups if g.scatter_evidence is not None]
    order = {leg.leg: i for i, leg in enumerate(study.legs)}
    complete = comparisons or (results and one_configuration(study))
    return Analysis(
        title=study.title,
        view=view,
        comparisons=tuple(replace(c, vehicle=vehicle) for c in comparisons),
        legs=tuple(sorted(lines.values(), key=lambda r: order[r.leg])),
        concerns=merge(concerns or doubts),
        assumed=study.vehicle.constants().assumed,
        missing="" if complete else missing_words(study, evidence.observations),
        climbs=climbs(study, traces) if study.method == "climb" else (),
        hills=hills(study, traces, vehicle),
        coast_downs=loads,
        results=(*results, *whole_results(study, results)),
        capacity=capacity_estimate(study, used_of(study, evidence.observations)),
        sector_lengths_km=lengths if len(lengths) > 1 else {},
        scatter_evidence=tuple(np.sum(learned, axis=0).tolist()) if learned else (),
        scatter_prior=scatter,
        learned=tuple((vehicle, g.learned) for g in groups if g.learned is not None),
    )


def _test_days(
    raw: Study,
    study: Study,
    traces: Mapping[str, Trace],
    owners: Mapping[str, Vehicle],
    evidence: Gathered,
    doubts: Sequence[Concern],
    view: View,
    scatter: ScatterPrior,
) -> list[Group]:
    """One group for each speed and sector, fitted one by one and told beside the others."""
    options = FitOptions(
        view="study-mean" if view == "study-mean" else "reference",
        scatter_share=scatter.share,
        scatter_freedom=scatter.freedom,
        days=scatter.days,
    )
    cells = {
        key: fitted(at_speed(study, key[0]), evidence, members, key[1], options)
        for key, members in by_speed_and_sector(study, evidence.observations).items()
    }
    return [
        told_otherwise(
            raw, traces, owners, cell, speed, sector, options, view,
            _test_day(
                at_speed(study, speed), view, options, evidence, cell, sector, doubts,
                beside(cells, speed, sector),
            ),
        )
        for (speed, sector), cell in cells.items()
    ]  # fmt: skip


def _test_day(
    study: Study,
    view: View,
    options: FitOptions,
    evidence: Gathered,
    cell: SpeedCell,
    sector: str,
    doubts: Sequence[Concern],
    others: Sequence[SpeedCell] = (),
) -> Group:
    """One comparison per trial of a speed and sector; `others` are the drives of other speeds."""
    conditions, logs = evidence.conditions, evidence.logs[sector]
    if others:
        logs = replace(logs, gated={name: log for each in evidence.logs.values() for name, log in each.gated.items()})
    members, used, fit = cell.members, cell.used, cell.fit
    own = [conditions[name] for o in used for name in o.legs]
    lines: Mapping[str, Mapping[str, float]] = {}
    every: Sequence[Observation] = used
    how = options
    corrected = fit is not None and view != "as-measured" and not _doubtful(fit)
    if fit is not None and corrected:
        lines = corrections(study, fit, options, own, used)
        fit, every, how = _of_all_speeds(study, fit, used, others, evidence, logs, view, options)
    results = _lines_of_legs(study, members, fit, view if corrected else "as-measured", lines)
    if fit is None:
        return Group(legs=results)
    results |= with_foretold(study, results, fit.foretold())
    gaps = {o.legs[0]: log.gap_share for o in used if (log := logs.of(o.legs[0])) is not None}
    doubtful = _doubtful(fit) and view != "as-measured"

    def compared_by(fit: Fit, trial: str, every: Sequence[Observation], how: FitOptions) -> Comparison | None:
        a, b = sides_of(study, trial, used)
        if not a or not b:
            return None
        effect = fit.effects[trial]
        again = _refit(study, every, logs, fit, evidence.conditions)
        back = _taken_back(study, [*members, *(o for o in every if o not in used)], evidence, logs, how, fit)
        case = ComparisonContext(study, trial, fit.conditions, used, fit, effect, how, again, back, gaps)
        said = fit.plain.get(trial, effect) if doubtful else effect
        sides = Sides(
            study, said, a, b, members, results, conditions, fit.conditions, fit.scatter_share,
            fit.as_driven, "plain" if doubtful else "model", sector or None,
        )  # fmt: skip
        return _compared(case, sides, view, doubts)

    comparisons: list[Comparison] = []
    for trial in fit.effects:
        made, alone = compared_by(fit, trial, every, how), cell.fit
        if made is not None and made.method == "plain" and alone is not None and alone is not fit and not doubtful:
            # What other speeds and sectors say may not carry it outside of its own pairs; then it stands by itself.
            by_itself = compared_by(alone, trial, used, options)
            made = by_itself if by_itself is not None and by_itself.method == "model" else made
        if made is not None:
            comparisons.append(made)
    concerns = [x for c in comparisons for x in c.concerns]
    several = len({c.configuration for c in own}) > 1
    driven = as_compared(_driven(study, fit, used, sector, view, conditions), comparisons)
    learned = None if _doubtful(fit) else fit.learned
    return Group(comparisons, concerns, results, fit.scatter_evidence if several else None, driven, learned)


def _lines_of_legs(
    study: Study, members: Sequence[Observation], fit: Fit | None, view: View, lines: Mapping[str, Mapping[str, float]]
) -> dict[str, LegResult]:
    """What is told of every leg, left out or not."""
    leg_sd = fit.leg_sd if fit else {}
    return {
        name: leg_result(study, study.leg(name), o, view, lines.get(name), leg_sd.get(name, o.relative_sd))
        for o in members
        for name in o.legs
    }


def _compared(case: ComparisonContext, sides: Sides, view: View, doubts: Sequence[Concern]) -> Comparison:
    """One comparison; by the plain difference where a correction would carry it outside of its own pairs."""
    fit, found = case.fit, [*check(case), *doubts]
    made = comparison(sides, view, found)
    if view == "as-measured" or sides.method == "plain":
        return made
    made = replace(made, instruments=by_instrument(case, *sides.own, sides.way))
    why = outside_its_pairs(made)
    if not why or fit.criticism is None or case.trial not in fit.plain:
        directions = cache(partial(by_direction, case, sides))
        return replace(made, by_direction=directions, sensitivity=_sensitivity(case.study, fit, made))
    doubted = replace(fit, criticism=replace(fit.criticism, outside=why))
    found = [*check(replace(case, fit=doubted)), *doubts]
    return comparison(replace(sides, effect=fit.plain[case.trial], method="plain"), view, found)


def _sensitivity(study: Study, fit: Fit, c: Comparison) -> Callable[[], tuple[PriorMoved, ...]]:
    """Work out, when asked, what a comparison would say with other priors."""
    level = study.confidence if c.look is None else c.look.level

    def rows() -> tuple[PriorMoved, ...]:
        blocked, unsettled = any(x.severity == "blocks" for x in c.concerns), any(x.unsettles for x in c.concerns)
        out = []
        for prior, change, effect in fit.with_other_priors(c.trial):
            interval = effect.interval_percent(level)
            said = word(
                effect.percent, interval, study.smallest_effect_percent, blocked, c.open_charge_percent, unsettled
            )
            out.append(PriorMoved(prior, change, effect.percent, interval, said))
        return tuple(out)

    return rows


def _driven(
    study: Study, fit: Fit, used: Sequence[Observation], sector: str, view: View, conditions: Mapping[str, Conditions]
) -> tuple[Result, ...]:
    """What each configuration of a fit took: by the model, or plainly where it is not believed."""
    doubtful = _doubtful(fit) and view != "as-measured"
    levels: Mapping[str, Level] = {}
    if view != "as-measured":
        levels = fit.plain_levels() if doubtful else fit.levels
    bare = doubtful or view == "as-measured"
    results = results_of(study, used, sector, levels, "plain" if bare else "model", conditions)
    if bare:
        return results
    warmth = stated_temperature_c(study, fit.conditions, view)
    return tuple(replace(r, temperature_c=warmth) for r in results)


def _doubtful(fit: Fit) -> bool:
    """Whether something speaks against a fit, so that it is not used."""
    return fit.criticism is not None and bool(fit.criticism.reasons)


def _of_all_speeds(
    study: Study,
    fit: Fit,
    used: Sequence[Observation],
    cells: Sequence[SpeedCell],
    evidence: Gathered,
    logs: Logs,
    view: View,
    options: FitOptions,
) -> tuple[Fit, Sequence[Observation], FitOptions]:
    """The fit by the drives of all speeds, those drives, and its options; as it is where other speeds tell nothing."""
    legs = {leg.leg: leg.configuration for leg in study.legs}
    others = [o for c in cells for o in c.used]
    compared = len({legs[o.legs[0]] for o in used}) > 1 and len({legs[o.legs[0]] for o in others}) > 1
    if not compared or view != "reference" or not tell_of_each_other(study):
        return fit, used, options
    if fit.as_driven or _doubtful(fit) or stated_temperature_c(study, fit.conditions, view) is None:
        return fit, used, options
    every = [*used, *others]
    own = [evidence.conditions[name] for o in every for name in o.legs]
    how = told_together(study, fit.conditions, others, options)
    return with_other_speeds(fit, study, own, every, logs, how, [c.fit for c in cells if c.fit is not None]), every, how


def _refit(
    study: Study, used: Sequence[Observation], logs: Logs, fit: Fit, conditions: Mapping[str, Conditions]
) -> Refit:
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
        own = [table.get(name, conditions[name]) for o in kept for name in o.legs]
        return fit_study(other_study or study, own, kept, logs, how, start=fit)

    return again


def _taken_back(
    study: Study, members: Sequence[Observation], evidence: Gathered, logs: Logs, options: FitOptions, fit: Fit
) -> Callable[[], Fit]:
    """The same fit with the legs that were left out, which say anew what its readings say of its sizes."""
    how = replace(options, afresh=True)
    own = [evidence.conditions[name] for o in members for name in o.legs]
    return lambda: fit_study(study, own, members, logs, how, start=fit)
