"""What each kind of question asks, answered line by line, the same on the screen, in the report and on the command line."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from fairmargin.core.result.corrections import line_words
from fairmargin.core.result.hills import Hill, Level, Way
from fairmargin.core.result.results import WHOLE, Result
from fairmargin.core.result.sides import between_vehicles
from fairmargin.core.result.types import Analysis, Comparison, LegResult
from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_label, vehicle_of
from fairmargin.core.units import UnitChoice, label
from fairmargin.core.units.quantities import unit_of
from fairmargin.core.words import sentence, signed
from fairmargin.exchange.words.figures import (
    consumption_words,
    distance_words,
    height_words,
    span_words,
    speed_words,
    temperature_words,
)
from fairmargin.exchange.words.names import quoted, result_name, side_words, units_of
from fairmargin.exchange.words.rated import rated_lines
from fairmargin.exchange.words.results import climb_lines, level_words
from fairmargin.exchange.words.steps import pencil_unit


@dataclass(frozen=True, slots=True)
class Answer:
    """One line: what it is of, and what is said of it."""

    name: str
    words: str

    @property
    def line(self) -> str:
        """Both in one line of text."""
        return f"{self.name}: {self.words}"


def answers(study: Study, analysis: Analysis, c: Comparison | None, units: UnitChoice) -> tuple[Answer, ...]:
    """What this kind of study asks; of one comparison where there is one."""
    if c is None:
        return (*hill_answers(study, analysis, units), *alone_answers(study, analysis, units), *shown_range(study))
    return (
        *hill_answers(study, analysis, units),
        *joint_answers(study, analysis, c, units),
        *wall_answers(study, c, units),
        *distance_answers(study, c, units),
        *range_answers(study, analysis, c, units),
    )


# ---------------------------------------------------------------- energy


def energy_words(wh: float, study: Study, vehicle: str) -> str:
    """An energy as a pencil has it: kWh, or litres where the vehicle burns them."""
    own = vehicle_of(study, vehicle)
    if own.energy != "electric":
        return f"{wh / own.heating_value:.2f} L"
    kwh = wh / 1000
    return f"{kwh:.{1 if abs(kwh) >= 100 else 2}f} kWh"


# ---------------------------------------------------------------- hills


def hill_answers(study: Study, analysis: Analysis, units: UnitChoice) -> list[Answer]:
    """Up, down and level road, what the hill costs and what of it comes back."""
    several = len(analysis.hills) > 1
    known = {h.configuration for h in analysis.hills}
    told = [line.split(": ", 1) for line in climb_lines(study, analysis, leave=known)]
    return [Answer(name, words.removesuffix(".")) for name, words in told] + [
        Answer(f"{study.configuration(h.configuration).label}, {a.name.lower()}" if several else a.name, a.words)
        for h in analysis.hills
        for a in _hill(study, analysis, h, units)
    ]


def _hill(study: Study, analysis: Analysis, h: Hill, units: UnitChoice) -> list[Answer]:
    own = units_of(study, h.vehicle, units)

    def took(way: Way) -> str:
        return f"over {distance_words(way.km, units)}: {consumption_words(way.wh_per_km, own)}"

    out = [Answer("Up", f"{energy_words(h.up.wh, study, h.vehicle)} {took(h.up)}")]
    if h.down.wh < 0:
        back = f"{energy_words(-h.down.wh, study, h.vehicle)} back over {distance_words(h.down.km, units)}"
        climb = next((x for x in analysis.climbs if x.configuration == h.configuration), None)
        if climb is not None:
            low, high = climb.interval_percent
            by_step = (climb.step_interval_percent[1] - climb.step_interval_percent[0]) / 2
            step = (
                f"; one step of the gauge is {climb.step_wh / 1000:.2f} kWh, worth \u00b1{by_step:.{0 if by_step >= 1 else 1}f}"
                if climb.step_wh
                else ""
            )
            digits = 0 if high - low >= 2.0 else 1
            share = f"{climb.returned_percent:.{digits}f} % returned of what the way up took"
            back += f": {share} ({low:.{digits}f} to {high:.{digits}f} %{step})"
        out.append(Answer("Down", back))
    else:
        out.append(Answer("Down", f"{energy_words(h.down.wh, study, h.vehicle)} {took(h.down)}"))
    both = h.both_wh / (h.up.km + h.down.km)
    out.append(
        Answer(
            "Both ways",
            f"{energy_words(h.both_wh, study, h.vehicle)} over {distance_words(h.up.km + h.down.km, units)}: "
            f"{consumption_words(both, own)}",
        )
    )
    return out + _against_level(study, analysis, h, own)


def _against_level(study: Study, analysis: Analysis, h: Hill, units: UnitChoice) -> list[Answer]:
    """The hill beside the level road; how that would be told, where it is not."""
    lift = ""
    if h.lift_wh is not None and h.rise_m is not None:
        mass = " (its mass is taken from its class)" if "mass_kg" in analysis.assumed else ""
        height = height_words(h.rise_m, units)
        lift = f"lifting it by {height} takes {energy_words(h.lift_wh, study, h.vehicle)}{mass}"
    level, ends = h.level, h.level_interval
    if level is None or ends is None:
        how = "it cannot be told from these two ways: drive a level leg (direction loop), or give the road's heights"
        return [Answer("Level road", "; ".join(x for x in (how, lift) if x))]
    flat = energy_words(level.wh_per_km * h.up.km, study, h.vehicle)
    out = [
        Answer(
            "Level road",
            f"{consumption_words(level.wh_per_km, units)} ({span_words(ends, units)}), {flat} one way: "
            f"{_level_source(study, h, level, lift)}",
        )
    ]
    if h.costs_wh is None or h.comes_back_wh is None or h.share_interval_percent is None or h.lost_wh is None:
        return out
    low, high = h.share_interval_percent
    electric = vehicle_of(study, h.vehicle).energy == "electric"
    where = "brakes, motor and battery as heat, and a way driven otherwise" if electric else "brakes and engine braking"
    costs, back, lost = (energy_words(x, study, h.vehicle) for x in (h.costs_wh, h.comes_back_wh, max(h.lost_wh, 0.0)))
    out.append(
        Answer(
            "The hill",
            f"costs {costs} beyond the level road; the way down takes {back} less than it: {h.share_percent:.0f} % comes back "
            f"({low:.0f} to {high:.0f} %). {lost} is lost: {where}",
        )
    )
    return out


def _level_source(study: Study, h: Hill, level: Level, lift: str) -> str:
    """Where the level road's figure is from; the sum where it is one."""
    if level.source == "read":
        return f"read on {', '.join(level.legs)}"
    up = energy_words(h.up.wh, study, h.vehicle)
    if level.source == "heights":
        return f"{up} less {lift}, at an efficiency of {100 * level.efficiency:.0f} % (common practice)"
    both = energy_words(h.both_wh, study, h.vehicle)
    share = f"{level.share:.2f}"
    steady = f"{both} / 2"
    if h.down.wh < 0:
        steady = f"({up} \u2212 {energy_words(-h.down.wh, study, h.vehicle)} / {share}) / 2"
    low, high = level.between or (level.wh_per_km, level.wh_per_km)
    least, most = (energy_words(x * h.up.km, study, h.vehicle) for x in (low, high))
    return (
        f"between {most}, {steady}, on one slope all the way, and {least}, braked wherever it goes down, with a share of {share} "
        "that comes back as usual (common practice); a level leg (direction loop) or the road's heights would tell"
    )


# ---------------------------------------------------------------- one configuration


def alone_answers(study: Study, analysis: Analysis, units: UnitChoice) -> list[Answer]:
    """Consumption and range of what is not compared; of the whole route where there are sectors."""
    told = [r for r in analysis.results if r.sector == WHOLE] or list(analysis.results)
    out = []
    for r in told:
        name = f"{result_name(study, r, units)}: " if len(told) > 1 else ""
        on_a_hill = any((h.vehicle, h.configuration) == (r.vehicle, r.configuration) for h in analysis.hills)
        if on_a_hill:  # as driven stands with the hill; what is corrected is of both ways, too
            name += "Both ways, "
        for a in result_answers(study, r, units, analysis.legs)[1 if on_a_hill else 0 :]:
            whole = (
                name if a.name.startswith(("At ", "In ", "Not ")) or not on_a_hill else name.removesuffix("Both ways, ")
            )
            out.append(Answer(f"{whole}{_small(a.name)}" if whole else a.name, a.words))
    return out


def _small(name: str) -> str:
    """A name as the middle of a longer one."""
    return name[:1].lower() + name[1:]


def _noted_lines(study: Study, r: Result) -> list[str]:
    """Lines between two ways that somebody noted what they hang on: the wind of every leg, the road's heights."""
    own = [study.leg(name) for name in r.legs]
    wind = bool(study.weather) or all(x.wind_speed_ms is not None and x.wind_from_deg is not None for x in own)
    heights = any(p.elevation_m is not None for p in study.route)
    return [*(["wind"] if wind else []), *(["elevation"] if heights else [])]


#: Of what two ways differ by, a part that is worth a word.
LEAST_PART: Final = 0.05


def why_ways_differ(study: Study, legs: Sequence[LegResult], r: Result, units: UnitChoice) -> str:
    """What makes one way take more than the other, as the legs were corrected; by what was noted, and by the rest."""
    ways: dict[str, list[LegResult]] = {"out": [], "back": []}
    for leg in legs:
        if leg.leg in r.legs and leg.included and leg.direction in ways:
            ways[leg.direction].append(leg)
    usual = "They differ by hill and wind; neither is the consumption of the road"
    if not all(ways.values()):
        return usual
    unit, factor = pencil_unit(units)

    def mean(way: str, line: str) -> float:
        own = [x.corrections_wh_per_km.get(line, 0.0) if line else x.measured_wh_per_km for x in ways[way]]
        return factor * sum(own) / len(own)

    between = mean("out", "") - mean("back", "")
    told = {line: mean("back", line) - mean("out", line) for line in _noted_lines(study, r)}
    told = {line: part for line, part in told.items() if abs(part) >= LEAST_PART * abs(between)}
    if not told or not between:
        return usual
    decimals = 0 if abs(between) >= 10 else 1 if abs(between) >= 1 else 2
    words = ", ".join(f"{line_words(line)} {signed(part, decimals)}" for line, part in told.items())
    rest = between - sum(told.values())
    return (
        f"Out takes {signed(between, decimals)} {label(unit)} against back: {words}, the rest {signed(rest, decimals)}; neither is the "
        "consumption of the road"
    )


def result_answers(study: Study, r: Result, units: UnitChoice, legs: Sequence[LegResult] = ()) -> list[Answer]:
    """What one configuration took: as driven and corrected first, where energy is told."""
    units = units_of(study, r.vehicle, units)
    out = []
    if r.as_driven_wh_per_km is not None and r.as_driven_interval is not None:
        out.append(
            Answer(
                "As driven",
                f"{consumption_words(r.as_driven_wh_per_km, units)} ({span_words(r.as_driven_interval, units)} by the instruments' "
                f"steps), {distance_words(r.km, units)} in all",
            )
        )
    if r.wh_per_km is not None and r.interval_wh_per_km is not None:
        what = "Not corrected" if r.method == "plain" else sentence(level_words(study, r, units))
        out.append(
            Answer(
                what,
                f"{consumption_words(r.wh_per_km, units)} ({span_words(r.interval_wh_per_km, units)}, {100 * study.confidence:g} %)",
            )
        )
    if r.range_km is not None and r.range_interval_km is not None:
        low, high = (units.show("distance", v) for v in r.range_interval_km)
        out.append(
            Answer("Range", f"{distance_words(r.range_km, units)} full to empty, as driven ({low:.0f} to {high:.0f})")
        )
    out += [Answer("Rated", words.removesuffix(".")) for words in rated_lines(vehicle_of(study, r.vehicle), r, units)]
    if r.directions:
        ways = "; ".join(
            f"{d.direction} {consumption_words(d.as_driven_wh_per_km, units)}"
            + ("" if d.range_km is None else f", {distance_words(d.range_km, units)}")
            for d in r.directions
        )
        out.append(Answer("Each way", f"{ways}. {why_ways_differ(study, legs, r, units)}"))
    if r.read_by:
        told = "; ".join(
            f"{x.instrument} {consumption_words(x.wh_per_km, units)} ({len(x.legs)} leg{'s' if len(x.legs) != 1 else ''})"
            for x in r.read_by
        )
        out.append(Answer("Read by", f"more than one instrument, each on its own legs: {told}"))
    return out


def shown_range(study: Study) -> list[Answer]:
    """The range that the car showed before and after each leg, against what was driven between."""
    told = []
    for leg in study.legs:
        before, after, km = leg.range_before, leg.range_after, leg.gps_distance_km or leg.distance_km
        if not leg.included or before is None or after is None or km is None:
            continue
        unit = leg.range_unit or "km"
        far = unit_of("distance", unit).from_base(float(km))
        gone = before - after
        times = f", {gone / far:.1f} times as far" if gone > 0 else ""
        told.append(f"{leg.leg} {before:g} \u2212 {after:g} = {gone:g} {unit} gone over {far:.1f} {unit} driven{times}")
    return [Answer("Range shown", "; ".join(told))] if told else []


def result_words(study: Study, r: Result, units: UnitChoice, legs: Sequence[LegResult] = ()) -> str:
    """The same as a paragraph."""
    return " ".join(f"{a.line}." for a in result_answers(study, r, units, legs))


# ---------------------------------------------------------------- several speeds or sectors

_FOUND: Final = {
    "uses more": "more",
    "uses less": "less",
    "no difference that matters": "no difference that matters",
    "not settled": "not settled",
    "not a fair comparison": "not a fair comparison",
}


def joint_answers(study: Study, analysis: Analysis, c: Comparison, units: UnitChoice) -> list[Answer]:
    """One verdict over all speeds or sectors of the same comparison, each with its own figures."""
    like = [
        x
        for x in analysis.comparisons
        if (x.baseline, x.trial, x.vehicle) == (c.baseline, c.trial, c.vehicle) and x.sector != WHOLE
    ]
    if len(like) < 2:
        return []
    sectors = len({x.sector for x in like}) > 1
    speeds = len({round(x.speed_kmh, 1) for x in like}) > 1 and not sectors

    def where(x: Comparison) -> str:
        return (x.sector or "") if sectors else speed_words(x.speed_kmh, units)

    kinds = list(dict.fromkeys(x.verdict for x in like))
    what = "sector" if sectors else "speed"
    if len(kinds) == 1:
        both = f"both {what}s" if len(like) == 2 else f"all {len(like)} {what}s"
        lead = f"{'in' if sectors else 'at'} {both} {_FOUND[kinds[0]]}"
    else:
        lead = "; ".join(
            f"{_FOUND[kind]} {'in' if sectors else 'at'} {' and '.join(where(x) for x in like if x.verdict == kind)}"
            for kind in kinds
        )
    each = "; ".join(
        f"{where(x)} {signed(x.effect_percent)} % ({signed(x.interval_percent[0])} to {signed(x.interval_percent[1])}), as read "
        f"{signed(x.as_measured_percent)} %"
        for x in like
    )
    return (
        [Answer("Every sector" if sectors else "Every speed", f"{lead}. {sentence(each)}")] if sectors or speeds else []
    )


# ---------------------------------------------------------------- from the wall


def wall_answers(study: Study, c: Comparison, units: UnitChoice) -> list[Answer]:
    """A warm-up as it was driven: on the road, from the wall and both, of one morning."""
    if not study.change.is_warming:
        return []
    km = _km_a_drive(study, c)
    road = c.trial_wh_per_km - c.baseline_wh_per_km
    if km is None:
        return []
    each = f"a drive of {distance_words(km, units)}"
    low, high = c.interval_percent
    out = _mornings(study, c, units)
    out += [
        Answer(
            "On the road",
            f"{signed(c.effect_percent)} % ({signed(low)} to {signed(high)}): {_more(road * km, study, c)} {each}, in the air and with the "
            "cabin of these mornings",
        )
    ]
    if c.grid is None:
        out.append(Answer("From the wall", "nobody read it: unknown, not nothing"))
        return out
    g = c.grid
    wall = [energy_words(x * km, study, c.vehicle) for x in (g.baseline_wh_per_km, g.trial_wh_per_km)]
    base, trial = (quoted(side_words(study, x, units)) for x in (c.baseline, c.trial))
    taken = f" ({', '.join(g.unread)}: not read, taken as usual)" if g.unread else ""
    out.append(Answer("From the wall", f"{wall[0]} with {base}, {wall[1]} with {trial}{taken}"))
    both = (road + g.trial_wh_per_km - g.baseline_wh_per_km) * km
    low, high = g.interval_percent
    minutes = warm_up_minutes(study)
    if minutes:
        spent = energy_words((g.trial_wh_per_km - g.baseline_wh_per_km) * km / minutes, study, c.vehicle)
        saved = _more(road * km / minutes, study, c)
        out.append(Answer("A minute of it", f"of {minutes:g} min: {spent} from the wall for {saved} on the road"))
    out.append(
        Answer(
            "Both", f"{signed(g.effect_percent)} % ({signed(low)} to {signed(high)}): {_more(both, study, c)} {each}"
        )
    )
    return out


def _mornings(study: Study, c: Comparison, units: UnitChoice) -> list[Answer]:
    """The air that these drives set off in, and how many of them in frost; nothing where nobody noted it."""
    own = {leg for p in c.pair_list for leg in (p.baseline_leg, p.trial_leg)}
    known = [x.temperature_c for x in study.legs if x.leg in own and x.temperature_c is not None]
    if not known:
        return []
    ends = [temperature_words(t, units) for t in (min(known), max(known))]
    air = ends[0] if ends[0] == ends[1] else f"{ends[0]} to {ends[1]}"
    frost = sum(t <= 0.0 for t in known)
    return [
        Answer(
            "These drives",
            f"air {air}; frost on {frost} of {len(known)}; what is said holds for such, and is not moved to others",
        )
    ]


def _more(wh: float, study: Study, c: Comparison) -> str:
    return f"{energy_words(abs(wh), study, c.vehicle)} {'more' if wh > 0 else 'less'}"


def warm_up_minutes(study: Study) -> float | None:
    """How long was warmed up, as the answer to what was warmed says it; None where it says nothing."""
    found = re.search(r"(\d+(?:[.,]\d+)?)\s*min", study.plan.details.get("what", ""))
    return float(found[1].replace(",", ".")) if found else None


def _km_a_drive(study: Study, c: Comparison) -> float | None:
    """Mean distance of a drive of either side."""
    own = {leg for p in c.pair_list for leg in (p.baseline_leg, p.trial_leg)}
    known = [float(km) for x in study.legs if x.leg in own and (km := x.gps_distance_km or x.distance_km)]
    return sum(known) / len(known) if known else None


# ---------------------------------------------------------------- two vehicles


def distance_answers(study: Study, c: Comparison, units: UnitChoice) -> list[Answer]:
    """How far each of two vehicles drove: one that drove further took another way, or counts otherwise."""
    if study.method != "side-by-side" and not between_vehicles(study, c):
        return []
    driven: dict[str, list[float | None]] = {}
    for leg in study.legs:
        if leg.included and leg.has_reading:
            driven.setdefault(leg.vehicle, []).append(leg.gps_distance_km or leg.distance_km)
    known = {name: sum(float(x) for x in km if x) for name, km in driven.items() if all(km)}
    if len(known) != 2 or len(driven) != 2:
        return []
    (first, a), (other, b) = known.items()
    names = [vehicle_label(study, x) if vehicle_of(study, x) is not study.vehicle else x for x in (first, other)]
    shown = [distance_words(x, units) for x in (a, b)]
    apart = abs(a - b)
    if shown[0] == shown[1]:
        return [Answer("Driven", f"{shown[0]} by both")]
    further = f"{units.show('distance', apart):.1f} {units.distance} further, {100 * apart / min(a, b):.1f} %"
    return [Answer("Driven", f"{shown[0]} by {names[0]}, {shown[1]} by {names[1]}: {further}")]


# ---------------------------------------------------------------- range


def range_answers(study: Study, analysis: Analysis, c: Comparison, units: UnitChoice) -> list[Answer]:
    """How far each goes by what was read, and by how much that differs; each direction beside it."""
    if c.verdict == "not a fair comparison":
        return []
    base, trial = (side_result(study, analysis.results, c, x) for x in (c.baseline, c.trial))
    if base is None or trial is None or not base.range_km or not trial.range_km:
        return []
    change = 100.0 * (trial.range_km / base.range_km - 1.0)
    names = [quoted(side_words(study, x, units)) for x in (c.baseline, c.trial)]
    words = f"{_two(base.range_km, trial.range_km, names, units)} ({signed(change)} %)"
    ways = {d.direction: d.range_km for d in base.directions if d.range_km}
    for d in trial.directions:
        if d.range_km and d.direction in ways:
            words += f"; {d.direction} {_two(ways[d.direction], d.range_km, (), units)}"
    return [Answer("Range as driven", words)]


def _two(base_km: float, trial_km: float, names: Sequence[str], units: UnitChoice) -> str:
    """Two ranges and their difference, which a pencil finds between them."""
    base, trial = (round(units.show("distance", km)) for km in (base_km, trial_km))
    word = "further" if trial > base else "less"
    by = f"{abs(trial - base)} {units.distance} {word}" if trial != base else "alike"
    if names:
        return f"{base} {units.distance} with {names[0]}, {trial} with {names[1]}: {by}"
    return f"{base} and {trial}, {by}"


def side_result(study: Study, results: Sequence[Result], c: Comparison, identifier: str) -> Result | None:
    """What one side of a comparison took; None where that is not one result."""
    side = study.asked_side(identifier)
    if side is not None:
        wanted = (side.vehicle, side.configuration, side.sector or None)
        found = [r for r in results if (r.vehicle, r.configuration, r.sector) == wanted]
        if side.speed_kmh is not None and len(found) > 1:
            found = [r for r in found if r.speed_kmh == side.speed_kmh]
    elif study.change.subject == "vehicle" and identifier in {v.id for v in study.vehicles}:
        found = [r for r in results if r.vehicle == identifier and r.sector == c.sector]
    else:
        found = [r for r in results if (r.configuration, r.vehicle, r.sector) == (identifier, c.vehicle, c.sector)]
    if len(found) > 1:
        found = [r for r in found if r.speed_kmh is not None and abs(r.speed_kmh - c.speed_kmh) < 0.5]
    return found[0] if len(found) == 1 else None
