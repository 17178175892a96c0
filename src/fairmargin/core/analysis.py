"""The one door: ``analyse(study, traces) -> Analysis``.

Legs are grouped by aimed-for speed and sector; each group is one fit and gives one comparison per trial.
Screens, reports and JSON only draw the `Analysis`.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from fairmargin.core import intervals
from fairmargin.core.evidence.climb import Climb, climbs
from fairmargin.core.evidence.conditions import Conditions, leg_conditions
from fairmargin.core.evidence.logs import Logs, gate_logs
from fairmargin.core.evidence.readings import Observation, observations
from fairmargin.core.fairness import checks as fairness
from fairmargin.core.fairness.checks import Case, Concern
from fairmargin.core.fairness.recordings import clock_doubts, sound_logs
from fairmargin.core.inference.everyday import fit_everyday
from fairmargin.core.inference.fit import Fit, fit_study
from fairmargin.core.inference.options import FitOptions, Regressor
from fairmargin.core.inference.posterior import Effect
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.planning import display_noise_percent
from fairmargin.core.result import verdict
from fairmargin.core.result.corrections import corrections
from fairmargin.core.result.pairs import Drive, Pair, make_pairs, paired_interval
from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.units import range_change_percent

View = Literal["reference", "study-mean", "as-measured"]
VIEWS: tuple[View, ...] = ("reference", "study-mean", "as-measured")
#: Scatter of uncorrected legs beyond the corrected one: what weather adds unseen. Common practice.
AS_MEASURED_SCATTER = 0.02


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
    cut_km: tuple[float, float] | None = None  # of a logged leg: before the first gate, after the last
    gap_percent: float = 0.0  # of the time between the gates without samples


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
    verdict: verdict.VerdictWord
    reason: str
    pairs: int
    pairs_needed: int | None
    range_change_percent: float
    pair_list: tuple[Pair, ...]
    plain_paired: tuple[float, float, float] | None  # corrected pairs: mean and t interval
    step_percent: float  # what the instruments cannot see
    scatter_percent: float
    margin_budget: tuple[tuple[str, float], ...]  # source, half-width it would have alone, per cent
    open_charge_percent: float
    legs_used: int
    directions: tuple[DirectionEffect, ...] = ()
    trip_time: TripTime | None = None
    grid: GridEnergy | None = None
    as_driven: bool = False  # the effect holds for the logged speeds, not for one steady speed

    @property
    def half_width_percent(self) -> float:
        """Half the interval's width."""
        return (self.interval_percent[1] - self.interval_percent[0]) / 2


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
    scatter_evidence: tuple[float, ...] = ()  # see `learned_scatter`
    scatter_prior: ScatterPrior | None = None

    def to_json(self, path: str = "") -> dict[str, Any]:
        """Return the result object of ``analyse --json``."""

        def number(value: float | None) -> float | None:
            return None if value is None or not math.isfinite(value) else round(value, 4)

        return {
            "path": path,
            "title": self.title,
            "view": self.view,
            "comparisons": [
                {
                    "baseline": c.baseline,
                    "trial": c.trial,
                    "speed_kmh": number(c.speed_kmh),
                    "sector": c.sector,
                    "as_measured_percent": number(c.as_measured_percent),
                    "effect_percent": number(c.effect_percent),
                    "interval_percent": [number(v) for v in c.interval_percent],
                    "confidence": c.confidence,
                    "baseline_wh_per_km": number(c.baseline_wh_per_km),
                    "trial_wh_per_km": number(c.trial_wh_per_km),
                    "verdict": c.verdict,
                    "pairs": c.pairs,
                    "pairs_needed": c.pairs_needed,
                    "range_change_percent": number(c.range_change_percent),
                    "reason": c.reason,
                    "margin_budget_percent": {name: number(v) for name, v in c.margin_budget},
                    "open_charge_percent": number(c.open_charge_percent),
                    "scatter_percent": number(c.scatter_percent),
                    "as_driven": c.as_driven,
                    "directions": [
                        {
                            "direction": d.direction,
                            "as_measured_percent": number(d.as_measured_percent),
                            "effect_percent": number(d.effect_percent),
                            "interval_percent": [number(v) for v in d.interval_percent],
                        }
                        for d in c.directions
                    ],
                    "trip_time_min_per_100km": None
                    if c.trip_time is None
                    else [number(c.trip_time.baseline_min), number(c.trip_time.trial_min)],
                    "with_grid": None
                    if c.grid is None
                    else {
                        "effect_percent": number(c.grid.effect_percent),
                        "interval_percent": [number(v) for v in c.grid.interval_percent],
                        "baseline_grid_wh_per_km": number(c.grid.baseline_wh_per_km),
                        "trial_grid_wh_per_km": number(c.grid.trial_wh_per_km),
                    },
                }
                for c in self.comparisons
            ],
            "legs": [
                {
                    "leg": leg.leg,
                    "configuration": leg.configuration,
                    "included": leg.included,
                    "instrument": leg.instrument,
                    "measured_wh_per_km": number(leg.measured_wh_per_km),
                    "corrected_wh_per_km": number(leg.corrected_wh_per_km),
                    "corrections_wh_per_km": {k: number(v) for k, v in leg.corrections_wh_per_km.items()},
                }
                for leg in self.legs
            ],
            "concerns": [
                {
                    "code": c.code,
                    "severity": c.severity,
                    "charge_percent": number(c.charge_percent),
                    "legs": list(c.legs),
                    "title": c.title,
                    "message": c.message,
                    "next_step": c.next_step,
                    "covered": c.covered,
                }
                for c in self.concerns
            ],
            "climbs": [
                {
                    "configuration": c.configuration,
                    "up_wh": number(c.up_wh),
                    "down_wh": number(c.down_wh),
                    "returned_percent": number(c.returned_percent),
                    "interval_percent": [number(v) for v in c.interval_percent],
                    "legs": list(c.legs),
                }
                for c in self.climbs
            ],
            "assumed": list(self.assumed),
        }


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
    """
    if view not in VIEWS:
        raise ValueError(f'view must be one of {", ".join(VIEWS)}; got "{view}"')
    traces, doubts = sound_logs(study, {} if traces is None else traces)
    doubts += clock_doubts(study)
    scatter = scatter or ScatterPrior()
    conditions = leg_conditions(study, traces)
    every = observations(study, traces)
    logs = {
        sector: gate_logs(
            study,
            [leg for leg in study.legs if leg.sector == sector],
            traces,
            {name: c.true_m for name, c in conditions.items()},
        )
        for sector in dict.fromkeys(leg.sector for leg in study.legs)
    }
    if fairness.is_technique(study):
        # How it was driven is the change: nothing of it may be corrected away.
        logs = {sector: replace(found, gated={}) for sector, found in logs.items()}
        conditions = _alike_speeds(study, conditions, every)
    every = [_between_gates(o, logs[study.leg(o.legs[0]).sector]) for o in every]
    conditions = {c.leg: c for c in _as_gated(conditions, every, logs, study)}
    options = FitOptions(
        view="study-mean" if view == "study-mean" else "reference",
        scatter_share=scatter.share,
        scatter_freedom=scatter.freedom,
    )
    groups: dict[tuple[float | None, str], list[Observation]] = {}
    for o in every:
        leg = study.leg(o.legs[0])
        groups.setdefault((leg.speed_kmh or study.target_speed_kmh, leg.sector), []).append(o)
    comparisons: list[Comparison] = []
    concerns: list[Concern] = []
    results: dict[str, LegResult] = {}
    evidence: list[tuple[float, ...]] = []
    for (speed, sector), members in groups.items():
        if study.method == "everyday":
            break
        group_study = study.with_(target_speed_kmh=speed) if speed != study.target_speed_kmh else study
        _analyse_group(
            group_study,
            logs[sector],
            view,
            options,
            conditions,
            members,
            sector or None,
            comparisons,
            concerns,
            results,
            evidence,
            doubts,
        )
    if study.method == "everyday" and every:
        _analyse_everyday(study, view, conditions, every, comparisons, concerns, results, doubts)
    order = {leg.leg: i for i, leg in enumerate(study.legs)}
    return Analysis(
        title=study.title,
        view=view,
        comparisons=tuple(comparisons),
        legs=tuple(sorted(results.values(), key=lambda r: order[r.leg])),
        concerns=fairness.merge(concerns or doubts),
        assumed=study.vehicle.constants().assumed,
        missing="" if comparisons else _missing(study, every),
        climbs=climbs(study, traces) if study.method == "climb" else (),
        scatter_evidence=tuple(np.sum(evidence, axis=0).tolist()) if evidence else (),
        scatter_prior=scatter,
    )


@dataclass(frozen=True, slots=True)
class _Regression:
    """What a comparison needs of a fit, for everyday logs."""

    conditions: tuple[Conditions, ...]
    scatter_share: float
    as_driven: bool = True


def _alike_speeds(
    study: Study, conditions: Mapping[str, Conditions], every: Sequence[Observation]
) -> dict[str, Conditions]:
    """Give all legs of a sector and speed one speed and one standing time: differences belong to the change."""
    alike = dict(conditions)
    groups: dict[object, list[Conditions]] = {}
    for o in every:
        for name in o.legs:
            leg = study.leg(name)
            groups.setdefault((leg.sector, leg.speed_kmh, leg.direction), []).append(conditions[name])
    for members in groups.values():
        speed = float(np.mean([c.speed_m_s for c in members]))
        stopped = float(np.mean([c.stopped_s for c in members]))
        for c in members:
            alike[c.leg] = replace(c, speed_m_s=speed, speed_sd=0.0, stopped_s=stopped)
    return alike


def _cut_km(logs: Logs, o: Observation) -> tuple[float, float] | None:
    log = logs.of(o.legs[0])
    if log is None or o.gated_km is None:
        return None
    before, after = log.cut_m
    return before / 1000.0, after / 1000.0


def _gap_percent(logs: Logs, o: Observation) -> float:
    log = logs.of(o.legs[0])
    return 0.0 if log is None else 100.0 * log.gap_share


def _by_direction(
    case: Case, a: Sequence[Observation], b: Sequence[Observation]
) -> tuple[DirectionEffect, ...]:
    """The effect from each direction alone, where both configurations were driven both ways."""
    way = {c.leg: c.backwards for c in case.conditions}
    if any(len(o.legs) > 1 for o in (*a, *b)):
        return ()
    result = []
    for backwards in (False, True):
        ours = [[o for o in side if way[o.legs[0]] is backwards] for side in (a, b)]
        if not ours[0] or not ours[1] or len(ours[0]) + len(ours[1]) == len(a) + len(b):
            continue
        other = frozenset(name for name, back in way.items() if back is not backwards)
        fit = case.refit(replace(case.options, drop_legs=case.options.drop_legs | other), case.conditions)
        if fit is None or case.trial not in fit.effects:
            continue
        effect = fit.effects[case.trial]
        plain_a, plain_b = _plain(*ours)
        result.append(
            DirectionEffect(
                "back" if backwards else "out",
                (plain_b / plain_a - 1) * 100,
                effect.percent,
                effect.interval_percent(case.study.confidence),
            )
        )
    return tuple(result)


def _trip_time(
    a: Sequence[Observation],
    b: Sequence[Observation],
    conditions: Mapping[str, Conditions],
    legs: Mapping[str, Leg],
    results: Mapping[str, LegResult],
) -> TripTime | None:
    """Minutes per 100 km of each configuration; None unless every leg's time is known."""

    def minutes(side: Sequence[Observation]) -> float | None:
        own = [conditions[name] for o in side for name in o.legs]
        if any(legs[c.leg].duration_s is None and results[c.leg].instrument != "logger" for c in own):
            return None
        time = float(sum(float(legs[c.leg].duration_s or c.duration_s) for c in own))
        km = sum(o.true_km for o in side)
        return time / 60.0 / km * 100.0 if km > 0 else None

    times = minutes(a), minutes(b)
    return TripTime(times[0], times[1]) if times[0] and times[1] else None


def _with_grid(
    study: Study,
    drive: tuple[float, tuple[float, float]],
    a: Sequence[Observation],
    b: Sequence[Observation],
    legs: Mapping[str, Leg],
) -> GridEnergy | None:
    """Drive and wall energy together; the wall meter counts as good to 2 %."""
    km = [sum(o.true_km for o in side) for side in (a, b)]
    wall = [[legs[name].grid_kwh for o in side for name in o.legs] for side in (a, b)]
    known = [[1000.0 * w for w in side if w is not None] for side in wall]
    if not known[0] and not known[1]:
        return None
    per_km = [sum(side) / d for side, d in zip(known, km, strict=True)]
    level = sum(o.energy_wh for o in a) / km[0]
    percent, (low, high) = drive
    spread = 0.0
    for side, d in zip(known, km, strict=True):
        scatter = len(side) * float(np.var(side, ddof=1)) if len(side) > 1 else 0.0
        spread += (scatter + (0.02 * sum(side)) ** 2) / d**2
    whole = float(level + per_km[0])
    extra = 100.0 * intervals.deviate(study.confidence) * math.sqrt(spread) / whole

    def with_wall(effect: float) -> float:
        return float((level * (1 + effect / 100) + per_km[1]) / whole - 1) * 100

    middle = with_wall(percent)
    below, above = middle - with_wall(low), with_wall(high) - middle
    return GridEnergy(
        per_km[0],
        per_km[1],
        middle,
        (middle - math.hypot(below, extra), middle + math.hypot(above, extra)),
    )


def _analyse_everyday(
    study: Study,
    view: View,
    conditions: Mapping[str, Conditions],
    every: Sequence[Observation],
    comparisons: list[Comparison],
    concerns: list[Concern],
    results: dict[str, LegResult],
    doubts: Sequence[Concern],
) -> None:
    """Weeks of trips: one regression over all of them."""
    legs = {leg.leg: leg for leg in study.legs}
    used = [o for o in every if all(legs[name].included for name in o.legs)]
    if not used:
        return
    own = [conditions[o.legs[0]] for o in used]
    warmth = study.reference.temperature_c
    speed = float(np.mean([c.speed_m_s for c in own]))
    if view == "study-mean":
        warmth = float(np.mean([c.temperature_c for c in own]))
    elif study.target_speed_kmh:
        speed = study.target_speed_kmh / 3.6
    fit = fit_everyday(study, own, used, warmth, speed)
    for o in every:
        name = o.legs[0]
        leg = legs[name]
        lines: dict[str, float] = {}
        corrected: float | None = None
        if name in fit.corrections:
            level = o.as_read_wh_per_km
            if view != "as-measured":
                lines["distance"] = o.true_wh_per_km - level
                level = o.true_wh_per_km
                for line, shift in fit.corrections[name].items():
                    lines[line] = level * math.expm1(shift)
                    level += lines[line]
            corrected = level
        results[name] = LegResult(
            leg=name,
            run=leg.run or name,
            configuration=leg.configuration,
            direction=leg.direction or "loop",
            included=leg.included,
            reason=leg.reason,
            instrument=o.readings[0].instrument,
            shown=o.readings[0].shown,
            measured_wh_per_km=o.as_read_wh_per_km,
            corrected_wh_per_km=corrected,
            corrections_wh_per_km=lines,
            sd_percent=100.0 * fit.trip_sd.get(name, o.relative_sd),
            others=tuple((r.instrument, r.energy_wh / o.shown_km) for r in o.readings[1:]),
        )
    stand_in = _Regression(tuple(own), fit.scatter_share)
    for trial, effect in fit.effects.items():
        a = [o for o in used if legs[o.legs[0]].configuration == study.baseline.id]
        b = [o for o in used if legs[o.legs[0]].configuration == trial]
        if not a or not b:
            continue

        def without(line: Regressor, trial: str = trial, effect: Effect = effect) -> float | None:
            other = fit_everyday(study, own, used, warmth, speed, frozenset({line})).effects.get(trial)
            return None if other is None else effect.percent - other.percent

        found = [*doubts, *fairness.check_everyday(study, trial, own, used, effect, without)]
        concerns += found
        comparisons.append(
            _comparison(study, view, stand_in, effect, a, b, every, legs, results, found, None, conditions)
        )


def _between_gates(o: Observation, logs: Logs) -> Observation:
    """Give a logged observation its energy and distance between the gates."""
    log = logs.of(o.legs[0]) if len(o.legs) == 1 else None
    if log is None or o.readings[0].instrument != "logger":
        return o
    energy, metres = log.energy_wh, log.length_m
    if energy is None or energy <= 0 or metres <= 0:
        return o
    return replace(o, gated_wh=energy, gated_km=metres / 1000.0)


def _as_gated(
    conditions: Mapping[str, Conditions],
    every: Sequence[Observation],
    logs: Mapping[str, Logs],
    study: Study,
) -> list[Conditions]:
    """Distance and speed of logged legs between their gates."""
    gated = {o.legs[0]: o for o in every if o.gated_km is not None}
    result = []
    for name, c in conditions.items():
        o, log = gated.get(name), logs[study.leg(name).sector].of(name)
        if o is not None and log is not None and o.gated_km:
            t = log.at(np.array([log.start_m, log.end_m]))[0]
            stopped = log.stopped_s
            moving = max(float(t[1] - t[0]) - stopped, 1.0)
            c = replace(
                c,
                true_m=1000.0 * o.gated_km,
                speed_m_s=1000.0 * o.gated_km / moving,
                moving_s=moving,
                stopped_s=stopped,
            )
        result.append(c)
    return result


def _missing(study: Study, every: Sequence[Observation]) -> str:
    driven = {study.leg(o.legs[0]).configuration for o in every if study.leg(o.legs[0]).included}
    if not study.trials:
        return "Add a trial configuration to compare with the baseline."
    if not driven:
        return "No readings yet. Type the first leg's reading in Drive."
    if study.baseline.id not in driven:
        return f"No baseline leg ({study.baseline.label}) has a reading yet."
    return f"Only {study.baseline.label} has readings. Drive the first leg with {study.trials[0].label}."


def _analyse_group(
    study: Study,
    logs: Logs,
    view: View,
    options: FitOptions,
    conditions: Mapping[str, Conditions],
    members: Sequence[Observation],
    sector: str | None,
    comparisons: list[Comparison],
    concerns: list[Concern],
    results: dict[str, LegResult],
    evidence: list[tuple[float, ...]],
    doubts: Sequence[Concern],
) -> None:
    legs = {leg.leg: leg for leg in study.legs}
    used = [o for o in members if all(legs[name].included for name in o.legs)]

    def refit(
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
        legs_kept = [table[name] for o in kept for name in o.legs]
        return fit_study(other_study or study, legs_kept, kept, logs, how, start=fit)

    def with_left_out() -> Fit | None:
        return fit_study(
            study, [conditions[name] for o in members for name in o.legs], members, logs, options
        )

    fit: Fit | None = None
    lines: dict[str, dict[str, float]] = {}
    if used:
        used_conditions = [conditions[name] for o in used for name in o.legs]
        fit = refit(options, used_conditions)
        assert fit is not None
        if len({c.configuration for c in used_conditions}) > 1:
            evidence.append(fit.scatter_evidence)
        if view != "as-measured":
            lines = corrections(study, fit, options, used_conditions, used)
    for o in members:
        for name in o.legs:
            leg = legs[name]
            own = lines.get(name, {})
            corrected: float | None = None
            if name in lines or (view == "as-measured" and leg.included):
                corrected = o.as_read_wh_per_km + sum(own.values())
            results[name] = LegResult(
                leg=name,
                run=leg.run or name,
                configuration=leg.configuration,
                direction=leg.direction or ("loop" if study.method in {"loop", "laps"} else "out"),
                included=leg.included,
                reason=leg.reason,
                instrument=o.readings[0].instrument,
                shown=o.readings[0].shown,
                measured_wh_per_km=o.as_read_wh_per_km,
                corrected_wh_per_km=corrected,
                corrections_wh_per_km=own,
                sd_percent=100.0 * fit.leg_sd.get(name, o.relative_sd) if fit else 100.0 * o.relative_sd,
                others=tuple((r.instrument, r.energy_wh / o.shown_km) for r in o.readings[1:]),
                cut_km=_cut_km(logs, o),
                gap_percent=_gap_percent(logs, o),
            )
    if fit is None:
        return
    gaps = {o.legs[0]: _gap_percent(logs, o) / 100.0 for o in used}
    for trial, effect in fit.effects.items():
        a = [o for o in used if legs[o.legs[0]].configuration == study.baseline.id]
        b = [o for o in used if legs[o.legs[0]].configuration == trial]
        if not a or not b:
            continue
        case = Case(study, trial, fit.conditions, used, fit, effect, options, refit, with_left_out, gaps)
        found = [*fairness.check(case), *doubts]
        concerns += found
        made = _comparison(study, view, fit, effect, a, b, members, legs, results, found, sector, conditions)
        if view != "as-measured":
            made = replace(made, directions=_by_direction(case, a, b))
        comparisons.append(made)


def _plain(a: Sequence[Observation], b: Sequence[Observation]) -> tuple[float, float]:
    """Total energy over total shown distance of each configuration. [Wh/km]"""
    return (
        sum(o.energy_wh for o in a) / sum(o.shown_km for o in a),
        sum(o.energy_wh for o in b) / sum(o.shown_km for o in b),
    )


def _comparison(
    study: Study,
    view: View,
    fit: Fit | _Regression,
    effect: Effect,
    a: Sequence[Observation],
    b: Sequence[Observation],
    members: Sequence[Observation],
    legs: Mapping[str, Leg],
    results: Mapping[str, LegResult],
    found: Sequence[Concern],
    sector: str | None,
    conditions: Mapping[str, Conditions],
) -> Comparison:
    deviate = intervals.deviate(study.confidence)
    plain_a, plain_b = _plain([o for o in a if legs[o.legs[0]].vehicle != "control"] or a, b)
    as_measured = (plain_b / plain_a - 1) * 100
    ratio = math.exp(effect.log_ratio)
    systematic = 100 * ratio * math.sqrt(effect.systematic_variance)
    random = 100 * ratio * math.sqrt(effect.random_variance)
    if view == "as-measured":
        percent, interval, random, systematic = _as_measured(study, fit.conditions, a, b, as_measured)
        level_a, level_b = plain_a, plain_b
    else:
        percent, interval = effect.percent, effect.interval_percent(study.confidence)
        # The level follows the corrected legs; the ratio follows the fit.
        level_a = effect.baseline_wh_per_km
        level_b = level_a * (1 + percent / 100)
    count = min(len({legs[o.legs[0]].run or o.legs[0] for o in side}) for side in (a, b))
    step = math.sqrt(12.0) * float(np.mean([o.relative_sd for o in (*a, *b)]))
    open_charge = fairness.open_charge(found)
    blocked = [c for c in found if c.severity == "blocks"]
    judged = verdict.word(percent, interval, study.smallest_effect_percent, bool(blocked), open_charge)
    needed = verdict.pairs_needed(
        count,
        percent,
        math.hypot(systematic, open_charge / 2),
        random,
        study.smallest_effect_percent,
        deviate,
    )
    if judged == "not a fair comparison" and blocked:
        needed = None
    drives = [
        Drive(
            leg=o.legs[0],
            run=legs[o.legs[0]].run,
            block=legs[o.legs[0]].block,
            configuration=legs[o.legs[0]].configuration,
            direction="run" if len(o.legs) > 1 else results[o.legs[0]].direction,
            order=conditions[o.legs[0]].started_s or float(i),
            included=results[o.legs[0]].included,
            reason=results[o.legs[0]].reason,
            measured=results[o.legs[0]].measured_wh_per_km,
            corrected=_observation_corrected(o, results),
            sd_share=results[o.legs[0]].sd_percent / 100,
        )
        for i, o in enumerate(members)
        if legs[o.legs[0]].vehicle != "control"
    ]
    pairs = make_pairs(drives, study.baseline.id, effect.trial, deviate)
    good = [p.corrected_percent for p in pairs if p.included and p.corrected_percent is not None]
    speed = study.target_speed_kmh
    if fit.as_driven or not speed or fairness.is_technique(study):
        speed = 3.6 * float(np.mean([c.speed_m_s for c in fit.conditions]))
    return Comparison(
        baseline=study.baseline.id,
        trial=effect.trial,
        speed_kmh=float(speed),
        sector=sector,
        as_measured_percent=as_measured,
        effect_percent=percent,
        interval_percent=interval,
        confidence=study.confidence,
        baseline_wh_per_km=level_a,
        trial_wh_per_km=level_b,
        verdict=judged,
        reason=_reason(judged, percent, interval, study, blocked, found, open_charge, count, needed),
        pairs=count,
        pairs_needed=needed,
        range_change_percent=range_change_percent(percent),
        pair_list=tuple(pairs),
        plain_paired=paired_interval(good, study.confidence),
        step_percent=display_noise_percent(step, max(1, min(len(a), len(b))), study.confidence),
        scatter_percent=100 * fit.scatter_share,
        margin_budget=tuple(
            (name, 100 * ratio * deviate * math.sqrt(variance))
            for name, variance in effect.budget
            if variance > 1e-10
        ),
        open_charge_percent=open_charge,
        legs_used=len(a) + len(b),
        trip_time=_trip_time(a, b, conditions, legs, results),
        grid=_with_grid(study, (percent, interval), a, b, legs),
        as_driven=fit.as_driven,
    )


def _observation_corrected(o: Observation, results: Mapping[str, LegResult]) -> float | None:
    values = [results[name].corrected_wh_per_km for name in o.legs]
    known = [v for v in values if v is not None]
    return float(np.mean(known)) if len(known) == len(values) else None


def _as_measured(
    study: Study,
    conditions: Sequence[Conditions],
    a: Sequence[Observation],
    b: Sequence[Observation],
    percent: float,
) -> tuple[float, tuple[float, float], float, float]:
    """Interval of the uncorrected difference: t, with what weather adds unseen in its prior scatter."""
    from scipy.special import stdtrit  # only for this view

    legs = {leg.leg: leg for leg in study.legs}

    def logs(side: Sequence[Observation]) -> dict[str, list[float]]:
        out: dict[str, list[float]] = {}
        for o in side:
            out.setdefault(legs[o.legs[0]].direction, []).append(math.log(o.as_read_wh_per_km))
        return out

    squares, freedom = 0.0, 0
    for side in (logs(a), logs(b)):
        for values in side.values():
            squares += float(np.sum((np.array(values) - np.mean(values)) ** 2))
            freedom += len(values) - 1
    prior_freedom = 4.0
    variance = (prior_freedom * AS_MEASURED_SCATTER**2 + squares) / (prior_freedom + freedom)
    reading = float(np.mean([o.relative_sd**2 for o in (*a, *b)]))
    days = [{c.day for c in conditions if c.leg in {n for o in side for n in o.legs}} for side in (a, b)]
    apart = 0.0 if days[0] & days[1] else 0.02
    se = math.sqrt((variance + reading) * (1 / len(a) + 1 / len(b)) + 2 * apart**2)
    half = float(stdtrit(prior_freedom + freedom, 0.5 + study.confidence / 2)) * se
    ratio = 1 + percent / 100
    interval = ((ratio * math.exp(-half) - 1) * 100, (ratio * math.exp(half) - 1) * 100)
    random = 100 * ratio * math.sqrt(max(se**2 - 2 * apart**2, 0.0))
    return percent, interval, random, 100 * ratio * apart * math.sqrt(2)


def _reason(
    judged: str,
    percent: float,
    interval: tuple[float, float],
    study: Study,
    blocked: Sequence[Concern],
    found: Sequence[Concern],
    open_charge: float,
    pairs: int,
    needed: int | None,
) -> str:
    level = f"{100 * study.confidence:g} %"
    smallest = study.smallest_effect_percent
    if blocked:
        return f"{blocked[0].title}: no margin can cover that. {blocked[0].next_step}"
    if judged == "not a fair comparison":
        worst = max(
            (c for c in found if not c.covered and c.charge_percent), key=lambda c: abs(c.charge_percent or 0)
        )
        return f"{worst.title} may be worth {open_charge:.1f} %, more than the effect. {worst.next_step}"
    if judged in {"uses more", "uses less"}:
        extra = f" even with {open_charge:.1f} % of open concerns added" if open_charge > 0.05 else ""
        return f"The whole {level} interval lies on one side of zero{extra}."
    if judged == "no difference that matters":
        return f"The whole {level} interval lies within ±{smallest:g} %, the smallest effect that matters."
    more = (
        f"About {needed - pairs} more pair{'s' if needed - pairs != 1 else ''} would settle it."
        if needed is not None and needed > pairs
        else "One more pair may settle it."
        if needed is not None
        else "More pairs like these cannot settle it: what limits the margin is not scatter."
    )
    if interval[0] > 0 or interval[1] < 0:
        return f"The {level} interval lies on one side of zero, but open concerns worth {open_charge:.1f} % could undo it."
    ends = f"{interval[0]:+.1f} to {interval[1]:+.1f} %".replace("-", "\u2212")
    return f"The {level} interval ({ends}) holds both zero and effects that matter. {more}"
