"""What a report says of use: range over speed, money, the trip; the same figures as on the screen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from fairmargin.core.inference.prediction import Circumstances
from fairmargin.core.outcome.asking import Asking, not_driven, of_vehicle, predict
from fairmargin.core.outcome.money import Prices, cost_per_km
from fairmargin.core.outcome.trips import Fuelled, TripPlan, WhatIf, fuelled, plan_trip, what_ifs
from fairmargin.core.result.results import WHOLE
from fairmargin.core.result.types import Analysis
from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_label, vehicle_of
from fairmargin.core.units import UnitChoice, in_units
from fairmargin.core.words import sentence
from fairmargin.exchange.reports.figures import STYLE, finished, with_type
from fairmargin.exchange.reports.style import BASELINE, INK, MUTED, TRIALS
from fairmargin.exchange.words.figures import consumption_words, distance_words, span_words, volume_words
from fairmargin.exchange.words.names import result_name, side_words, units_of
from fairmargin.exchange.words.outcomes import arrival_words, case_words, hours_words, money_words

SPEEDS_KMH: Final = (50.0, 70.0, 90.0, 110.0, 130.0)
SPEEDS_MPH: Final = (30.0, 40.0, 50.0, 60.0, 70.0, 80.0)


@dataclass(frozen=True, eq=False, slots=True)
class ReportUse:
    """What there is to say of use."""

    askings: Sequence[Asking] = ()
    reserve: float = 0.15  # share of full
    fade: float = 0.0
    prices: Prices = field(default_factory=Prices)
    km_per_year: float = 15000.0
    plan: TripPlan | None = None
    cases: Sequence[WhatIf] = ()
    beside: Fuelled | None = None


def report_use(
    study: Study,
    askings: Sequence[Asking],
    reserve: float = 0.15,
    fade: float = 0.0,
    prices: Prices | None = None,
    km_per_year: float = 15000.0,
) -> ReportUse:
    """Gather what a report can say of use: what can be asked, and the study's trip where it can be planned."""
    prices = prices or Prices()
    plan: TripPlan | None = None
    cases: tuple[WhatIf, ...] = ()
    beside: Fuelled | None = None
    asking = of_vehicle(askings, study.trip.vehicle if study.trip else "") or (askings[0] if askings else None)
    if study.trip is not None and study.trip.stretches and asking is not None:
        try:
            plan = plan_trip(study, asking, study.trip)
            cases, beside = what_ifs(study, asking, plan), fuelled(plan.trip)
        except (ArithmeticError, ValueError):
            plan = None  # what cannot be planned is told on its page
    return ReportUse(askings, reserve, fade, prices, km_per_year, plan, cases, beside)


Rows = tuple[tuple[str, ...], ...]
Titled = tuple[str, tuple[str, ...], Rows]  # title, heads, rows


def use_tables(study: Study, analysis: Analysis, use: ReportUse, choice: UnitChoice) -> list[Titled]:
    """Tables of range, money and the trip; those that have nothing to say are not there."""
    made = [_over_speed(study, a, use, choice) for a in use.askings]
    money = _money(study, analysis, use, choice)
    if money is not None:
        made.append(money)
    if use.plan is not None:
        made += _trip(study, use.plan, use, choice)
    return made


def _over_speed(study: Study, asking: Asking, use: ReportUse, choice: UnitChoice) -> Titled:
    """Consumption and range to the reserve of every configuration at round speeds."""
    units = units_of(study, asking.vehicle, choice)
    factor = units.show("speed", 1.0)
    low, high = asking.predictor.driven_kmh
    speeds = sorted({*(SPEEDS_MPH if units.speed == "mph" else SPEEDS_KMH), *(round(v * factor) for v in (low, high))})
    heads = ["speed"]
    for name in asking.configurations:
        heads += [
            f"{side_words(study, name, units)}, {units.consumption}",
            f"range to {100 * use.reserve:.0f} %, {units.distance}",
        ]
    rows = []
    for shown in speeds:
        asked = Circumstances(shown / factor)
        cells = [f"{shown:.0f} {units.speed}" + (" *" if not_driven(asking.predictor, asked) else "")]
        for p in predict(study, asking, asked, use.reserve, use.fade):
            cells.append(f"{units.show_consumption(p.wh_per_km):.3g} ({span_words(p.interval_wh_per_km, units)})")
            if p.reach is None:
                cells.append("capacity not known")
            else:
                near, far = (units.show("distance", v) for v in p.reach.interval_km)
                cells.append(f"{units.show('distance', p.reach.to_reserve_km):.0f} ({near:.0f} to {far:.0f})")
        rows.append(tuple(cells))
    of = ", ".join(x for x in (vehicle_label(study, asking.vehicle) if asking.vehicle else "", asking.sector) if x)
    title = f"Over speed{', ' + of if of else ''}, at the reference conditions (* was not driven; {100 * study.confidence:g} %)"
    return title, tuple(heads), tuple(rows)


def _money(study: Study, analysis: Analysis, use: ReportUse, choice: UnitChoice) -> Titled | None:
    """What each result costs; nothing without a price."""
    every = [r for r in analysis.results if r.wh_per_km or r.as_driven_wh_per_km]
    whole = [r for r in every if r.sector == WHOLE]
    rows = []
    hundred = 100.0 / choice.show("distance", 1.0)
    for r in whole or every:
        level = float(r.wh_per_km or r.as_driven_wh_per_km or 0.0)
        cost = cost_per_km(level, vehicle_of(study, r.vehicle), use.prices)
        if cost is not None:
            units = units_of(study, r.vehicle, choice)
            rows.append(
                (
                    result_name(study, r, units),
                    consumption_words(level, units),
                    f"{cost * hundred:.2f}",
                    f"{cost * use.km_per_year:.0f}",
                )
            )
    if not rows:
        return None
    year = distance_words(use.km_per_year, choice)
    return (
        "Cost, in the tester's money",
        ("", "consumption", f"100 {choice.distance}", f"a year of {year}"),
        tuple(rows),
    )


def _trip(study: Study, plan: TripPlan, use: ReportUse, choice: UnitChoice) -> list[Titled]:
    """The trip's stops, and what would change it."""
    rows = []
    for s in plan.stops:
        low, high = s.arrival.interval
        rows.append(
            (
                s.charger.name or in_units(s.charger.label, choice), distance_words(s.charger.at_km, choice), hours_words(s.at_h),
                f"{s.arrival.percent:.0f} % ({low:.0f} to {high:.0f})", f"{s.leave_percent:.0f} %", f"{s.kwh:.1f}",
                f"{s.charging_min:.0f} + {s.other_min + s.waiting_min:.0f}", "" if s.cost is None else f"{s.cost:.2f}",
            )
        )  # fmt: skip
    low, high = plan.arrival.interval
    rows.append(
        (
            "the end",
            distance_words(plan.trip.km, choice),
            hours_words(plan.total_h),
            f"{plan.arrival.percent:.0f} % ({low:.0f} to {high:.0f})",
            "",
            "",
            "",
            "",
        )
    )
    name = plan.trip.name or "A trip"
    title = f"{name} with {study.configuration(plan.configuration).label}: {distance_words(plan.trip.km, choice)} in {hours_words(plan.total_h)}"
    made: list[Titled] = [
        (title, ("stop", "at", "after", "arrive with", "leave with", "kWh", "min", "cost"), tuple(rows))
    ]
    cases = [(sentence(in_units(w.name, choice)), in_units(case_words(w), choice)) for w in use.cases]
    if use.beside is not None:
        cost = "" if use.beside.cost is None else f", {use.beside.cost:.2f}"
        cases.append(
            ("The fuel vehicle", f"{hours_words(use.beside.total_h)}, {volume_words(use.beside.litres, choice)}{cost}")
        )
    if cases:
        made.append(("What would change the trip", ("case", "it would be"), tuple(cases)))
    return made


def use_figures(study: Study, use: ReportUse, choice: UnitChoice) -> list[tuple[str, str]]:
    """The trip's charge along the way: caption and SVG text."""
    plan = use.plan
    if plan is None:
        return []
    from matplotlib.figure import Figure

    with with_type(STYLE):
        figure = Figure(figsize=(7.2, 2.4), layout="constrained")
        axes = figure.subplots()
        ids = [t.id for t in study.trials]
        colour = TRIALS[ids.index(plan.configuration) % len(TRIALS)] if plan.configuration in ids else BASELINE
        km = np.array([choice.show("distance", float(x)) for x in plan.profile.km])
        low, high = np.clip(plan.profile.low, 0, 100), np.clip(plan.profile.high, 0, 100)
        axes.fill_between(km, low, high, color=colour, alpha=0.2, lw=0)
        axes.plot(km, np.clip(plan.profile.percent, 0, 100), color=colour, lw=1.6)
        axes.axhline(plan.trip.reserve_percent, color=MUTED, lw=0.8, ls="--")
        used = {s.charger.at_km for s in plan.stops}
        for c in plan.trip.chargers:
            at = choice.show("distance", c.at_km)
            axes.plot(
                at,
                -4,
                "s" if c.working else "x",
                color=INK,
                ms=5,
                mfc=INK if c.at_km in used else "white",
                clip_on=False,
            )
        axes.set_ylim(0, 100)
        axes.set_xlim(0, float(km[-1]))
        axes.set_ylabel("charge, %")
        axes.set_xlabel(choice.distance, loc="right")
        made = finished(figure)
    low_kwh, high_kwh = plan.kwh_interval
    caption = (
        f"{in_units(arrival_words(plan), choice)} {plan.kwh:.0f} kWh ({low_kwh:.0f} to {high_kwh:.0f}){money_words(plan)}. Shaded: nine times in ten; dashed: the "
        "reserve at chargers; squares: chargers, filled where one stops."
    )
    return [(caption, made)]
