"""Sentences about a result, the same on the screen and in the report."""

from __future__ import annotations

import unicodedata

from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.result.results import WHOLE, Result
from fairmargin.core.result.types import Analysis, Comparison
from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_label, vehicle_of
from fairmargin.core.units import UnitChoice, label


def framed(name: str) -> str:
    """A name for the middle of a sentence: one that runs from right to left leaves the sentence as it runs."""
    turned = any(unicodedata.bidirectional(c) in {"R", "AL"} for c in name)
    return f"\u200e{name}\u200e" if turned else name


def quoted(name: str) -> str:
    """A name in quotes (see `framed`)."""
    return framed(f"\u201c{name}\u201d")


def signed(value: float, decimals: int = 1) -> str:
    """Write a signed number with a true minus sign; what rounds to zero has none."""
    text = f"{abs(value):.{decimals}f}"
    if float(text) == 0:
        return text
    mark = "\u2212" if value < 0 else "+"
    return mark + text


def speed_words(kmh: float, units: UnitChoice) -> str:
    """Write a speed in the person's unit."""
    return f"{units.show('speed', kmh):.0f} {units.speed}"


def temperature_words(celsius: float, units: UnitChoice) -> str:
    """Write a temperature in the person's unit."""
    return f"{units.show('temperature', celsius):.0f} {units.temperature}"


def consumption_words(wh_per_km: float, units: UnitChoice) -> str:
    """Write a consumption in the person's unit with sensible digits."""
    value = units.show_consumption(wh_per_km)
    decimals = 0 if value >= 100 else 1 if value >= 10 else 2
    return f"{value:.{decimals}f} {label(units.consumption)}"


def place_words(study: Study) -> str:
    """Name the route, or its kind."""
    if study.route_name:
        return f"the {study.route_name}"
    return {"loop": "this round", "laps": "these laps", "one-way": "this road"}.get(study.method, "this road")


def conditions_words(study: Study, c: Comparison, view: str, units: UnitChoice) -> str:
    """Say what the legs were corrected to."""
    speed = speed_words(c.speed_kmh, units)
    if view == "as-measured":
        return f"as measured, nothing corrected, {speed}"
    if c.method == "plain":
        return f"nothing corrected: the model does not explain the readings, {speed}"
    if view == "study-mean":
        return f"corrected to the study's mean conditions, {speed}"
    wind = "calm" if study.reference.wind_speed_ms == 0 else f"wind {study.reference.wind_speed_ms:g} m/s"
    return f"corrected to {temperature_words(study.reference.temperature_c, units)}, {wind}, {speed}"


def may_say(study: Study, c: Comparison, units: UnitChoice) -> str:
    """Word what the evidence carries: speed, route, effect, interval, size, confidence."""
    trial, base = study.side_label(c.trial), study.side_label(c.baseline)
    name = study.vehicle.name or "the vehicle"
    at = "at the speeds driven, mean " if c.as_driven else "at "
    where = f"On {place_words(study)} {at}{speed_words(c.speed_kmh, units)}"
    low, high = c.interval_percent
    level = f"{100 * c.confidence:g} %"
    size = abs(c.effect_percent)
    difference = abs(c.trial_wh_per_km - c.baseline_wh_per_km)
    if c.verdict in {"uses more", "uses less"}:
        word = "more" if c.verdict == "uses more" else "less"
        ends = (low, high) if low > 0 else (-high, -low)
        return (
            f"{where} {name} used {size:.1f} % {word} with {quoted(trial)} than with {quoted(base)} "
            f"({level}: {ends[0]:.1f} to {ends[1]:.1f} % {word}), about {difference:.0f} Wh/km."
        )
    if c.verdict == "no difference that matters":
        return (
            f"{where} {quoted(trial)} made no difference that matters to {name}: less than "
            f"{study.smallest_effect_percent:g} % either way ({level}: {_range(low, high)})."
        )
    if c.verdict == "not settled":
        return f"{where} it is not settled whether {quoted(trial)} makes a difference to {name} ({level}: {_range(low, high)})."
    return f"Nothing about {quoted(trial)} yet: these runs are not a fair comparison."


def _range(low: float, high: float) -> str:
    def side(value: float) -> str:
        return f"{abs(value):.1f} % {'less' if value < 0 else 'more'}"

    return f"{side(low)} to {side(high)}"


def climb_lines(study: Study, analysis: Analysis) -> list[str]:
    """Share of the energy returned, for each configuration driven up and down."""
    lines = []
    for climb in analysis.climbs:
        low, high = climb.interval_percent
        step = f"; one step of the gauge is {climb.step_wh / 1000:.2f} kWh" if climb.step_wh else ""
        lines.append(
            f"{study.configuration(climb.configuration).label}: {climb.up_wh / 1000:.2f} kWh up, "
            f"{climb.down_wh / 1000:.2f} kWh back: {climb.returned_percent:.0f} % returned "
            f"({low:.0f} to {high:.0f} %{step})."
        )
    return lines


def beside(study: Study, analysis: Analysis, c: Comparison) -> list[str]:
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
        lines.append(
            f"Corrected pairs alone, each counting once: {signed(mean)} % ({signed(low)} to {signed(high)}, t interval of "
            f"{count} pairs; what they share, such as wind, is not in it)."
        )
    if c.grid is not None:
        g = c.grid
        lines.append(
            f"Drive alone {signed(c.effect_percent)} %; drive and wall together {signed(g.effect_percent)} % "
            f"({signed(g.interval_percent[0])} to {signed(g.interval_percent[1])}): the wall gave "
            f"{g.baseline_wh_per_km:.0f} and {g.trial_wh_per_km:.0f} Wh per km driven (baseline, trial)."
        )
    if c.trip_time is not None and (study.change.is_technique or abs(c.trip_time.change_percent) > 2):
        t = c.trip_time
        lines.append(
            f"Time on the road: {t.trial_min:.0f} against {t.baseline_min:.0f} min per 100 km "
            f"({signed(t.change_percent)} %)."
        )
    return lines + climb_lines(study, analysis)


def result_name(study: Study, r: Result, units: UnitChoice) -> str:
    """What a result is of: its configuration, and what else tells it from the others."""
    parts = [study.configuration(r.configuration).label]
    if r.vehicle:
        parts.insert(0, vehicle_label(study, r.vehicle))
    if r.sector:
        parts.append("whole route" if r.sector == WHOLE else r.sector)
    if r.speed_kmh and study.method != "everyday":
        parts.append(speed_words(r.speed_kmh, units))
    return ", ".join(parts)


def span_words(interval: tuple[float, float], units: UnitChoice) -> str:
    """An interval of consumption, the smaller figure first, in the person's unit."""
    ends = sorted(units.show_consumption(v) for v in interval)
    decimals = 0 if ends[0] >= 100 else 1 if ends[0] >= 10 else 2
    return f"{ends[0]:.{decimals}f} to {ends[1]:.{decimals}f}"


def distance_words(km: float, units: UnitChoice) -> str:
    """A distance in the person's unit."""
    value = units.show("distance", km)
    return f"{value:.{0 if value >= 100 else 1}f} {units.distance}"


def result_lines(study: Study, r: Result, units: UnitChoice) -> list[str]:
    """What one configuration took: as driven, at reference, range, each direction."""
    units = units_of(study, r.vehicle, units)
    lines = []
    if r.as_driven_wh_per_km is not None and r.as_driven_interval is not None:
        lines.append(
            f"As driven {consumption_words(r.as_driven_wh_per_km, units)} "
            f"({span_words(r.as_driven_interval, units)} by the instruments' steps)."
        )
    if r.wh_per_km is not None and r.interval_wh_per_km is not None:
        what = "Not corrected, with what that leaves open" if r.method == "plain" else "At reference"
        lines.append(
            f"{what} {consumption_words(r.wh_per_km, units)} ({span_words(r.interval_wh_per_km, units)}, "
            f"{100 * study.confidence:g} %)."
        )
    if r.range_km is not None and r.range_interval_km is not None:
        low, high = (units.show("distance", v) for v in r.range_interval_km)
        lines.append(
            f"Range as driven, full to empty: {distance_words(r.range_km, units)} ({low:.0f} to {high:.0f} {units.distance})."
        )
    if r.directions:
        parts = []
        for d in r.directions:
            reach = "" if d.range_km is None else f", {distance_words(d.range_km, units)}"
            parts.append(f"{d.direction} {consumption_words(d.as_driven_wh_per_km, units)}{reach}")
        lines.append(
            f"Each way: {'; '.join(parts)}. The two differ by hill and wind; neither is the consumption of the road."
        )
    return lines


def units_of(study: Study, vehicle: str, units: UnitChoice) -> UnitChoice:
    """The person's units for one vehicle of a study: litres for one that burns them."""
    own = vehicle_of(study, vehicle)
    return units.for_vehicle(own.energy != "electric", own.heating_value)


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


def scatter_words(prior: ScatterPrior | None) -> str:
    """Say where the run-to-run scatter that the margin starts from comes from."""
    if prior is None or prior.studies == 0:
        return "Scatter starts from common practice; it becomes your own as studies are driven."
    word = "study" if prior.studies == 1 else "studies"
    return f"Scatter starts from your own {prior.studies} other {word}: {100 * prior.share:.1f} % for 30 km."


def margin_words(c: Comparison) -> str:
    """Say in a line what makes the margin and what would make it smaller."""
    told = ", ".join(
        f"{x.source} {x.half_width_percent:.1f}" for x in c.margin if x.half_width_percent >= 0.05
    )
    remedy = c.margin[0].remedy if c.margin else ""
    return f"margin \u00b1{c.half_width_percent:.1f} %, in squares: {told}. {remedy}"


def may_not(study: Study, analysis: Analysis, c: Comparison, units: UnitChoice) -> str:
    """Word what the evidence does not carry."""
    parts = []
    speeds = sorted({x.speed_kmh for x in analysis.comparisons})
    if len(speeds) == 1:
        parts.append(
            f"Nothing about speeds far from {speed_words(speeds[0], units)}, or town driving: not driven."
        )
    if c.verdict in {"uses more", "uses less"}:
        smaller = min(abs(v) for v in c.interval_percent)
        parts.append(
            f"Not that the effect is {abs(c.effect_percent):.1f} % exactly: it may be as small as {smaller:.1f} %."
        )
    elif c.verdict == "not settled":
        parts.append("Not that there is no difference: the interval is too wide for that.")
    if c.method == "plain":
        parts.insert(
            0,
            "Not that wind, warmth and hills are taken out: the model does not explain what was read. See the ledger.",
        )
    blocking = [x for x in c.concerns if x.severity == "blocks"]
    if blocking:
        parts.append(blocking[0].message)
    if analysis.assumed:
        parts.append(f"{len(analysis.assumed)} vehicle constants are assumed from its class.")
    return " ".join(parts)
