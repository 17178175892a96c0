"""Sentences about a result, the same on the screen and in the report."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from typing import Final

from fairmargin.core.evidence.climb import Part, leg_parts, unplaced_parts
from fairmargin.core.fairness.registered import prediction_words
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.intervals import USUAL
from fairmargin.core.result.asked import IfAnswered
from fairmargin.core.result.claims import prediction_result
from fairmargin.core.result.looks import wrong_when_looked
from fairmargin.core.result.margin import MarginLine, square_parts
from fairmargin.core.result.results import WHOLE, Result
from fairmargin.core.result.sides import between_vehicles, ranges_km
from fairmargin.core.result.types import Analysis, Comparison
from fairmargin.core.result.verdict import SETTLED
from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_label, vehicle_of
from fairmargin.core.units import UnitChoice, in_units, label, said_range
from fairmargin.core.words import sentence, signed
from fairmargin.exchange.words.figures import (
    consumption_words,
    distance_words,
    span_words,
    temperature_words,
    volume_words,
    wind_words,
)
from fairmargin.exchange.words.names import place_words, quoted, side_words, stated_speed, units_of
from fairmargin.exchange.words.steps import DISTANCE_PER_ENERGY, pencil_unit, steps_line, usual_words


def _reference_wind(study: Study, units: UnitChoice) -> str:
    speed = study.reference.wind_speed_ms
    return "calm" if speed == 0 else f"wind {wind_words(speed, units)}"


def level_words(study: Study, r: Result, units: UnitChoice) -> str:
    """Say what the corrected consumption of one configuration holds for, as a part of a line."""
    if r.method == "plain":
        return "not corrected"
    air = "in the air of the drives" if r.temperature_c is None else f"at {temperature_words(r.temperature_c, units)}"
    return f"{air}, {_reference_wind(study, units)}"


def conditions_words(study: Study, c: Comparison, view: str, units: UnitChoice) -> str:
    """Say what the legs were corrected to."""
    speed = stated_speed(study, c, units)
    if view == "as-measured":
        return f"as measured, nothing corrected, {speed}"
    if c.method == "plain":
        return f"not corrected, no model explains it, {speed}"
    if view == "study-mean":
        return f"corrected to the study's mean conditions, {speed}"
    wind = _reference_wind(study, units)
    if c.temperature_c is None:
        return f"corrected to the air of the drives, {wind}, {speed}"
    driven = " as driven" if study.change.is_warming else ""
    return f"corrected to {temperature_words(c.temperature_c, units)}{driven}, {wind}, {speed}"


def may_say(study: Study, c: Comparison, units: UnitChoice) -> str:
    """Word what the evidence carries: speed, route, effect, interval, size, confidence."""
    trial, base = side_words(study, c.trial, units), side_words(study, c.baseline, units)
    name = vehicle_label(study, c.vehicle) if c.vehicle else study.vehicle.name or "the vehicle"
    at = "at the speeds driven, mean " if c.as_driven else "at "
    on, used = ("By coasting runs on", "would use") if c.coasted else ("On", "used")
    where = f"{on} {place_words(study)} {at}{stated_speed(study, c, units)}"
    if c.sector:
        where += ", over the whole route," if c.sector == WHOLE else f", {c.sector},"
    low, high = c.interval_percent
    level = c.level_words
    size = abs(c.effect_percent)
    # Of two vehicles each is its own subject: neither is "the vehicle" that used something with the other.
    apart = between_vehicles(study, c)
    if c.verdict in {"uses more", "uses less"}:
        word = "more" if c.verdict == "uses more" else "less"
        ends = (low, high) if low > 0 else (-high, -low)
        more = f"{used} {size:.1f} % {word}"
        who = (
            f"{quoted(trial)} {more} than {quoted(base)}"
            if apart
            else f"{name} {more} with {quoted(trial)} than with {quoted(base)}"
        )
        return " ".join(
            (
                f"{where} {who} ({level}: {ends[0]:.1f} to {ends[1]:.1f} % {word}){both_ways(study, c, units)}.",
                usual_words(c),
            )
        ).strip()
    if c.verdict == "no difference that matters":
        who = (
            f"{quoted(trial)} and {quoted(base)} did not differ by what matters"
            if apart
            else f"{quoted(trial)} made no difference that matters to {name}"
        )
        return (
            f"{where} {who}: less than {study.smallest_effect_percent:g} % either way ({level}: {_range(low, high)})."
        )
    if c.verdict == "not settled" and (low > 0 or high < 0):
        # The interval alone would settle it; what keeps it open is the reason that stands below.
        word, ends = ("more", (low, high)) if low > 0 else ("less", (-high, -low))
        than = (
            f"{quoted(trial)} uses {word} than {quoted(base)}" if apart else f"{name} uses {word} with {quoted(trial)}"
        )
        return (
            f"{where} it is not settled yet, for the reason below, that {than}, though all of the interval says so ({level}: {ends[0]:.1f} to "
            f"{ends[1]:.1f} % {word}). {usual_words(c)}"
        ).strip()
    if c.verdict == "not settled":
        what = (
            f"{quoted(trial)} uses more or less than {quoted(base)}"
            if apart
            else f"{quoted(trial)} makes a difference to {name}"
        )
        return f"{where} it is not settled whether {what} ({level}: {_range(low, high)}). {usual_words(c)}".strip()
    return f"Nothing about {quoted(trial)} yet: these runs are not a fair comparison."


def difference_words(wh_per_km: float, units: UnitChoice) -> str:
    """A difference of consumptions, in the person's unit of energy over distance."""
    unit, factor = pencil_unit(units)
    value = wh_per_km * factor
    decimals = 0 if value >= 10 else 1 if value >= 0.15 else 2
    return f"{value:.{decimals}f} {label(unit)}"


def example_words(units: UnitChoice) -> tuple[str, str, str]:
    """Figures as a tester would type them: a consumption, a range of it, a known difference."""
    name = label(units.consumption)
    unit, factor = pencil_unit(units)
    middle, open_by = 7.0 * factor, 3.0 * factor
    decimals = 0 if middle >= 3 else 1 if middle >= 0.3 else 2
    return (
        consumption_words(160.0, units),
        f"{span_words((150.0, 160.0), units)} {name}",
        f"{middle:.{decimals}f} \u00b1 {open_by:.{decimals}f} {label(unit)}",
    )


def both_ways(study: Study, c: Comparison, units: UnitChoice) -> str:
    """The same in the tester's own terms, those chosen beside per cent of consumption (see `units.ALSO`)."""
    own, vehicle = units_of(study, c.vehicle, units), vehicle_of(study, c.vehicle)
    difference = c.trial_wh_per_km - c.baseline_wh_per_km
    out = []
    if "difference" in units.also:
        out.append(f"about {difference_words(abs(difference), own)}")
    if "per distance per energy" in units.also and own.consumption in DISTANCE_PER_ENERGY:
        out.append(f"{signed(c.range_change_percent)} % of {label(own.consumption)}")
    reach = ranges_km(study, c)
    if "range" in units.also and reach is not None:
        further = reach[1] - reach[0]
        on = "charge" if vehicle.energy == "electric" else "tank"
        # The distance's own unit, in whole ones: no figure is surer than the effect.
        far = f"{units.show('distance', abs(further)):.0f} {units.distance}"
        out.append(f"about {far} {'further' if further > 0 else 'less'} on a full {on}")
    if "year" in units.also:
        per = 1000.0 if vehicle.energy == "electric" else vehicle.heating_value
        much = abs(difference) * units.year_km / per
        amount = f"{much:.0f} kWh" if vehicle.energy == "electric" else volume_words(much, units)
        year = f"{units.show('distance', units.year_km):.0f} {units.distance}"
        out.append(f"about {amount} {'more' if difference > 0 else 'less'} over a year of {year}")
    return "".join(f", {x}" for x in out)


def _range(low: float, high: float) -> str:
    def side(value: float) -> str:
        return f"{abs(value):.1f} % {'less' if value < 0 else 'more'}"

    return f"{side(low)} to {side(high)}"


def reason_words(study: Study, c: Comparison) -> str:
    """Reason of the verdict, with the prediction beside the result."""
    said = study.change.prediction_percent
    if said is None:
        return c.reason
    figure = f"{signed(said, 0 if said == round(said) else 1)} %"
    where = "inside" if c.interval_percent[0] <= said <= c.interval_percent[1] else "outside"
    return f"{c.reason} You said {figure} ({prediction_words(study)}): {where} the interval."


def climb_lines(study: Study, analysis: Analysis, leave: Collection[str] = ()) -> list[str]:
    """Share of the energy returned, for each configuration driven up and down, but for those to `leave`."""
    lines = []
    for climb in analysis.climbs:
        if climb.configuration in leave:
            continue
        low, high = climb.interval_percent
        by_step = (climb.step_interval_percent[1] - climb.step_interval_percent[0]) / 2
        name = study.configuration(climb.configuration).label
        if climb.by_charge_alone:
            lines.append(
                f"{name}: {climb.returned_percent:.0f} % of the charge returned ({low:.0f} to {high:.0f} %; the gauge's steps "
                f"alone are worth \u00b1{by_step:.0f}). Enter the usable capacity for the energies."
            )
            continue
        step = (
            f"; one step of the gauge is {climb.step_wh / 1000:.2f} kWh, worth \u00b1{by_step:.0f} here"
            if climb.step_wh
            else ""
        )
        lines.append(
            f"{name}: {climb.up_wh / 1000:.2f} kWh up, "
            f"{climb.down_wh / 1000:.2f} kWh back: {climb.returned_percent:.0f} % returned "
            f"({low:.0f} to {high:.0f} %{step})."
        )
    return lines


def coast_lines(study: Study, analysis: Analysis, units: UnitChoice) -> list[str]:
    """Road load of each configuration by its coasting runs: what slows it, and how surely."""
    lines = []
    for x in analysis.coast_downs:
        name = study.configuration(x.configuration).label
        text = (
            f"{name}, {x.pairs} pair{'s' if x.pairs != 1 else ''} of coasting runs: drag area {x.drag_area_m2:.3f} \u00b1 "
            f"{1.96 * x.drag_area_sd_m2:.3f} m\u00b2, rolling {x.rolling:.5f} \u00b1 {1.96 * x.rolling_sd:.5f}"
        )
        if x.load is not None:
            text += (
                f"; by mean times of opposite runs F = {x.load.f0_n:.0f} N {signed(x.load.f1_n_s_m / 3.6, 2)} N/(km/h) \u00b7 v "
                f"{signed(x.load.f2_n_s2_m2 / 12.96, 4)} N/(km/h)\u00b2 \u00b7 v\u00b2"
            )
        if math.isfinite(x.precision):
            text += f", to {100 * x.precision:.1f} % at worst"
        lines.append(f"{text}.")
    return lines


def beside(study: Study, analysis: Analysis, c: Comparison, units: UnitChoice) -> list[str]:
    """Figures that stand beside the effect where the data carry them: directions, wall, time, climbs."""
    lines = []
    if len(c.directions) == 2:
        parts = [
            f"{d.direction} {signed(d.effect_percent)} % ({signed(d.interval_percent[0])} to "
            f"{signed(d.interval_percent[1])}), as read {signed(d.as_measured_percent)} %"
            for d in c.directions
        ]
        lines.append(f"Each direction alone: {'; '.join(parts)}.")
    if c.paired is not None:
        count, mean, low, high = c.paired
        ends = c.interval_percent
        agree = ends[0] <= mean <= ends[1]
        lines.append(
            f"The {count} corrected pairs {'agree with it' if agree else 'do not agree with it'}: their mean is {signed(mean)} "
            f"\u00b1 {(high - low) / 2:.1f} % (what they share, such as wind, aside)."
        )
    if c.instruments:
        told = "; ".join(
            f"{x.instrument} {signed(x.effect_percent)} % ({signed(x.interval_percent[0])} to {signed(x.interval_percent[1])}), "
            f"as read {signed(x.as_measured_percent)} %"
            for x in c.instruments
        )
        own = [x.effect_percent for x in c.instruments]
        lines.append(f"By each instrument: {told}. They range from {signed(min(own))} to {signed(max(own))} %.")
    if c.grid is not None:
        g = c.grid
        if not study.change.is_warming:  # there it is what was asked
            lines.append(
                f"Drive alone {signed(c.effect_percent)} %; drive and wall together {signed(g.effect_percent)} % "
                f"({signed(g.interval_percent[0])} to {signed(g.interval_percent[1])}): the wall gave "
                f"{in_units(said_range(g.baseline_wh_per_km, g.trial_wh_per_km, 'Wh/km', word='and'), units)} driven (baseline, trial)."
            )
        if g.if_nothing_percent is not None and g.if_alike_percent is not None:
            legs = ", ".join(g.unread[:4]) + (" and others" if len(g.unread) > 4 else "")
            lines.append(
                f"Nobody read the wall for {legs}: unknown, not nothing. As read, drive and wall together would be "
                f"{signed(g.if_nothing_percent)} % if it was nothing, {signed(g.if_alike_percent)} % if it was "
                f"{g.alike_kwh:.1f} kWh a leg, as on the others."
            )
    if c.trip_time is not None:
        t, mile = c.trip_time, 1.0 / units.show("distance", 1.0)
        lines.append(
            f"Time on the road: {t.trial_min * mile:.0f} against {t.baseline_min * mile:.0f} min per 100 {units.distance} "
            f"({signed(t.change_percent)} %)."
        )
    return lines + coast_lines(study, analysis, units) + way_lines(study, units) + forecast_lines(study)


def said_lines(study: Study, analysis: Analysis, c: Comparison, units: UnitChoice, *, steps: bool = True) -> list[str]:
    """What became of a claim and of a predicted consumption, and what explains the difference as read."""
    lines = []
    if analysis.claim is not None:
        lines.append(f"Claim {analysis.claim.verdict}. {in_units(analysis.claim.reason, units)}")
    trial = next(
        (r for r in analysis.results if (r.configuration, r.vehicle) == (c.trial, c.vehicle) and r.sector == c.sector),
        None,
    )
    found = prediction_result(study, trial.as_driven_wh_per_km if trial else None)
    if found is not None:
        span = f"{found.low:g}" if found.low == found.high else f"{found.low:g} to {found.high:g}"
        where = {"inside": "inside what you said", "above": "above it", "below": "below it"}[found.word]
        lines.append(f"You said {span} {label(found.unit)}: it took {found.found:.2f}, {where}.")
    lines += split_lines(study, analysis, c, steps=steps)
    return lines


#: A declared difference of mass is worth a word from this size on. [%]
LEAST_TOLD: Final = 0.15


def split_lines(study: Study, analysis: Analysis, c: Comparison, *, steps: bool = True) -> list[str]:
    """The way from as read to the effect, and what the declared mass alone explains of it."""
    if analysis.view == "as-measured":
        return []
    lines = [steps_line(c)] if steps and c.steps and c.method == "model" else []
    if abs(c.declared_mass_percent) >= LEAST_TOLD and study.asked_side(c.trial) is None:
        left = c.effect_percent - c.declared_mass_percent
        lines.append(
            f"The declared difference of mass alone explains {signed(c.declared_mass_percent)} % of it; "
            f"{signed(left)} % is left for everything else, such as shape."
        )
    return lines


#: How an instrument that was read on the way is called.
_ON_THE_WAY: Final = {
    "state of charge": "the gauge",
    "trip average": "the average shown",
    "trip energy": "the energy shown",
}


def way_lines(study: Study, units: UnitChoice) -> list[str]:
    """Energy of each leg part by part, and what that is over its distance, where an instrument was read on the way."""
    lines = []
    for leg in study.legs:
        own = units_of(study, leg.vehicle, units)
        for instrument, parts in leg_parts(study, leg).items():
            told = "; ".join(_part_words(part, own) for part in parts)
            lines.append(f"{leg.leg} by {_ON_THE_WAY[instrument]} on the way: {told}.")
        for r, until, rest in unplaced_parts(study, leg):
            read = f"{r.value:g} {r.unit}"
            after = "" if rest is None else f", {signed(rest / 1000, 2)} kWh from there to the end"
            lines.append(
                f"{leg.leg} by {_ON_THE_WAY[r.instrument]}, {read} at a place that nobody noted: {signed(until / 1000, 2)} kWh until then{after}."
            )
    return lines


def _part_words(part: Part, units: UnitChoice) -> str:
    where = f"{units.show('distance', part.from_km):.1f} to {units.show('distance', part.to_km):.1f} {units.distance}"
    level = part.wh / (part.to_km - part.from_km)
    took = f" ({consumption_words(level, units)})" if level > 0 else ""
    return f"{where} {signed(part.wh / 1000, 2)} kWh{took}"


def foretold_words(analysis: Analysis | None, confidence: float) -> str:
    """How many readings lie where the other legs foretell them, and which does so least."""
    known = [(x.foretold, x) for x in (analysis.legs if analysis is not None else ()) if x.foretold is not None]
    if not known:
        return "The other legs foretell a leg from four drives on."
    inside = sum(f.low <= x.measured_wh_per_km <= f.high for f, x in known)
    furthest, leg = min(known, key=lambda k: k[0].tail)
    off = 100.0 * (leg.measured_wh_per_km / furthest.middle - 1.0)
    return (
        f"{inside} of {len(known)} readings within their {100 * confidence:g} % band \u00b7 furthest: {leg.leg}, "
        f"{abs(off):.1f} % {'above' if off > 0 else 'below'} its middle"
    )


def forecast_lines(study: Study) -> list[str]:
    """What the car promised for the end of a leg, and what was found; in energy where the capacity is known."""
    lines = []
    for leg in study.legs:
        if leg.forecast_end_percent is None or leg.soc_end_percent is None:
            continue
        short = leg.forecast_end_percent - leg.soc_end_percent
        words = f"{leg.leg}: forecast {leg.forecast_end_percent:g} % at the end, found {leg.soc_end_percent:g} %"
        capacity = vehicle_of(study, leg.vehicle).capacity_kwh
        if short and capacity:
            words += f": {abs(short) * capacity / 100:.1f} kWh {'more' if short > 0 else 'less'} than was forecast"
        elif short:
            words += f": {abs(short):g} % {'more' if short > 0 else 'less'} than was forecast"
        lines.append(words + ".")
    return lines


def capacity_line(analysis: Analysis) -> str:
    """What the battery holds by its readings; empty where they do not say."""
    found = analysis.capacity
    if found is None:
        return ""
    legs = ", ".join(f"{leg} {kwh:.1f} ± {half:.1f}" for leg, kwh, half in found.by_leg[:6])
    return (
        f"Usable capacity by charge and energy: {found.estimate:.1f} kWh ({found.interval[0]:.1f} to "
        f"{found.interval[1]:.1f}; {legs})."
    )


def scatter_words(prior: ScatterPrior | None, units: UnitChoice) -> str:
    """Say where the run-to-run scatter that the margin starts from comes from."""
    if prior is None or prior.studies == 0:
        return "Scatter starts from common practice; it becomes your own as studies are driven."
    word = "study" if prior.studies == 1 else "studies"
    days = " What days differ by comes from them, too." if prior.days else ""
    whose = "its tester's" if prior.travelled else "your own"
    return f"Scatter starts from {whose} {prior.studies} other {word}: {100 * prior.share:.1f} % for a leg of {distance_words(30.0, units)}.{days}"


def margin_words(c: Comparison) -> str:
    """Say in a line what makes the margin and what would make it smaller."""
    remedy = c.margin[0].remedy if c.margin else ""
    return f"margin \u00b1{c.half_width_percent:.1f} %: {square_words(c.margin)}. {remedy}"


def if_words(found: Sequence[IfAnswered]) -> str:
    """The result for each answer of a question that decides and is open; "" where there is none."""
    parts = [
        f"{x.answer}: {x.verdict}, {signed(x.effect_percent)} % ({signed(x.interval_percent[0])} to "
        f"{signed(x.interval_percent[1])})"
        for x in found
    ]
    told = sentence("; ".join(parts))
    return f"Until somebody says how it was, each of these holds. {told}." if parts else ""


def square_words(margin: Sequence[MarginLine]) -> str:
    """Lines of a margin, each with what it would be alone and its part of the square; the parts add up to 100 %."""
    told = [
        f"{x.line.source} \u00b1{x.line.half_width_percent:.1f} ({x.percent_of_square} %" for x in square_parts(margin)
    ]
    return ", ".join(f"{x} of the square)" if i == 0 else f"{x})" for i, x in enumerate(told))


#: Slower than this on average, a drive was one through towns. [km/h]
TOWN_KMH = 55.0


def may_not(study: Study, analysis: Analysis, c: Comparison, units: UnitChoice) -> str:
    """Word what the evidence does not carry."""
    parts = []
    speeds = sorted({x.speed_kmh for x in analysis.comparisons})
    if len(speeds) == 1 and study.method not in {"everyday", "laps"}:
        town = ", or town driving" if speeds[0] > TOWN_KMH and not c.as_driven else ""
        parts.append(f"Nothing about speeds far from {stated_speed(study, c, units)}{town}: not driven.")
    elif study.method == "laps":
        parts.append("Nothing about open roads: not driven.")
    if c.verdict in {"uses more", "uses less"}:
        smaller = min(abs(v) for v in c.interval_percent)
        parts.append(
            f"Not that the effect is {abs(c.effect_percent):.1f} % exactly: it may be as small as {smaller:.1f} %."
        )
    elif c.verdict == "not settled":
        parts.append("Not that there is no difference: the interval is too wide for that.")
    if (
        c.verdict in SETTLED
        and study.registration is None
        and c.pairs > 1
        and c.confidence == USUAL
        and study.method != "everyday"
    ):
        parts.append(
            f"Not that it was decided beforehand when to stop: nobody sealed a number of pairs. Who looks after each of {c.pairs} and "
            f"stops once it is settled finds a difference where there is none in {100 * wrong_when_looked(c.pairs):.0f} % of studies, "
            "not in 5 %."
        )
    many = len(analysis.comparisons)
    if c.verdict in {"uses more", "uses less"} and many > 1:
        parts.append(
            f"Not that all {many} comparisons hold at once: each is held to its own {100 * c.confidence:g} %, and of {many} without any "
            f"effect at least one would be called a difference in up to {100 * (1 - c.confidence**many):.0f} %."
        )
    if c.method == "plain":
        parts.insert(
            0,
            "Not that wind, warmth and hills are taken out: the model does not explain what was read. See the ledger.",
        )
    blocking = [x for x in c.concerns if x.severity == "blocks"]
    if blocking:
        parts.append(in_units(blocking[0].message, units))
    if analysis.assumed:
        parts.append(f"{len(analysis.assumed)} vehicle constants are assumed from its class.")
    return " ".join(parts)
