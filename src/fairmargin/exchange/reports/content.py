"""What a report says, before it is HTML or PDF: headline, verdicts, figures, facts, tables, concerns."""

from __future__ import annotations

import base64
import re
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from fairmargin import __version__
from fairmargin.core import units as u
from fairmargin.core.conditions import registry
from fairmargin.core.fairness.registered import prediction_words
from fairmargin.core.result.corrections import line_words
from fairmargin.core.result.margin import square_parts
from fairmargin.core.result.sides import further_percent
from fairmargin.core.result.types import Analysis, Comparison
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.attachments import PLACES
from fairmargin.core.study.cells import vehicle_label
from fairmargin.core.study.entry import show_readings
from fairmargin.core.study.runs import way_words
from fairmargin.core.study.values import Instrument
from fairmargin.core.words import sentence, signed
from fairmargin.exchange.reports.figures import figures
from fairmargin.exchange.reports.use import ReportUse, use_figures, use_tables
from fairmargin.exchange.words.across import remembered_lines
from fairmargin.exchange.words.answers import answers
from fairmargin.exchange.words.figures import adding_factor, adding_unit, consumption_words, distance_words, span_words
from fairmargin.exchange.words.names import comparison_name, result_name, side_words, stated_speed, units_of
from fairmargin.exchange.words.results import (
    beside,
    capacity_line,
    climb_lines,
    coast_lines,
    conditions_words,
    forecast_lines,
    if_words,
    level_words,
    may_not,
    may_say,
    said_lines,
    scatter_words,
    way_lines,
)


@dataclass(frozen=True, slots=True)
class Table:
    """A table of the report."""

    title: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numeric_from: int = 1

    def is_figures(self, i: int) -> bool:
        """Whether a column holds figures, which stand under each other from the right."""
        return i >= self.numeric_from and all(_FIGURE.match(r[i]) for r in self.rows if r[i])


@dataclass(frozen=True, slots=True)
class Photo:
    """A photograph that belongs to the study."""

    caption: str
    mime: str
    data: bytes

    @property
    def as_base64(self) -> str:
        """For a page that needs nothing else."""
        return base64.b64encode(self.data).decode()


_FIGURE: Final = re.compile(r"[+\u2212\u00b1-]?\d")
#: Kinds of pictures that any reader shows, by how their files begin.
PICTURES: Final = {b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg"}


@dataclass(frozen=True, slots=True)
class Content:
    """Everything a report says, in order."""

    title: str
    headline: str
    facts: tuple[tuple[str, str], ...]
    verdicts: tuple[tuple[str, str, str], ...]  # may say, reason, may not
    figures: tuple[tuple[str, str], ...]  # caption, SVG
    tables: tuple[Table, ...]
    concerns: tuple[tuple[str, str, str, str, str], ...]  # severity, title, charge, message, next step
    left_out: tuple[str, ...]
    notes: str
    made: str
    by: str = ""  # its tester
    photos: tuple[Photo, ...] = ()


def content(
    study: Study, analysis: Analysis, choice: u.UnitChoice, now: datetime, use: ReportUse | None = None
) -> Content:
    """Gather what the report says; of range, money and a trip what `use` has."""
    use = use or ReportUse()
    own = choice
    choice = choice.for_vehicle(study.vehicle.energy != "electric", study.vehicle.heating_value)
    headline = analysis.missing
    alone = ""
    if not analysis.comparisons and not analysis.missing:
        told = [f"{a.line}." for a in answers(study, analysis, None, own)]
        alone = "\n".join([*coast_lines(study, analysis, own), *told])
    if alone:
        headline = "Consumption and range of one configuration"
    if analysis.comparisons:
        c = analysis.comparisons[0]
        headline = f"{side_words(study, c.trial, choice)}: {c.verdict}"
        if c.verdict in {"uses more", "uses less"}:
            headline = f"{side_words(study, c.trial, choice)} {c.verdict}: {signed(c.effect_percent)} %"
    return Content(
        title=study.title or "Study",
        headline=headline,
        facts=_facts(study, analysis, choice),
        verdicts=tuple(
            (
                may_say(study, c, choice),
                " ".join(
                    [
                        u.in_units(_with_prediction(study, c), choice),
                        if_words(c.if_answered()),
                        u.in_units(c.standing.sentence, choice),
                        *(f"{a.line}." for a in answers(study, analysis, c, own)),
                        *beside(study, analysis, c, choice),
                        *said_lines(study, analysis, c, choice),
                        capacity_line(analysis),
                    ]
                ).strip(),
                may_not(study, analysis, c, choice),
            )
            for c in analysis.comparisons
        )
        or (
            (
                (
                    alone,
                    " ".join([*way_lines(study, own), *forecast_lines(study), capacity_line(analysis)]).strip(),
                    "Nothing about a change: nothing is compared.",
                ),
            )
            if alone
            else ()
        ),
        figures=(*figures(study, analysis, choice), *use_figures(study, use, own)),
        tables=(
            *_instruments(study, analysis),
            _readings(study, choice, {leg.leg for leg in analysis.legs}),
            _corrections(study, analysis, choice),
            *([_results(study, analysis, choice)] if analysis.comparisons else []),
            *([_took(study, analysis, own)] if analysis.results else []),
            *(_margin(study, c, len(analysis.comparisons) > 1, choice) for c in analysis.comparisons),
            *(Table(*titled) for titled in use_tables(study, analysis, use, own)),
        ),
        concerns=tuple(
            (
                x.severity,
                u.in_units(x.title, choice),
                "not priced"
                if x.bias_percent is None
                else f"{signed(x.bias_percent) if x.signed else f'±{abs(x.bias_percent):.1f}'} %",
                u.in_units(x.message, choice),
                u.in_units(x.next_step, choice),
            )
            for x in analysis.concerns
        ),
        left_out=_left_out(study, choice),
        notes=study.notes,
        made=f"Made by Fair Margin {__version__} on {now:%Y-%m-%d %H:%M}. Positive: the trial uses more energy per distance; "
        "per cent of the baseline's consumption.",
        by=study.tester,
        photos=tuple(_photos(study)),
    )


def _left_out(study: Study, choice: u.UnitChoice) -> tuple[str, ...]:
    """Legs and stretches that do not count, and why."""
    return tuple(
        f"{leg.leg} ({study.configuration(leg.configuration).label}): {leg.reason or 'no reason given'}"
        + (" Left out after the result was seen." if leg.left_out_after_result else "")
        for leg in study.legs
        if not leg.included
    ) + tuple(
        f"The road from {choice.show('distance', x.from_m / 1000):.2f} to {choice.show('distance', x.to_m / 1000):.2f} "
        f"{choice.distance}, out of every logged leg: {x.reason}"
        + (" Left out after the result was seen." if x.after_result else "")
        for x in study.left_out_stretches
    )


def _took(study: Study, analysis: Analysis, choice: u.UnitChoice) -> Table:
    """What each configuration took: as driven, at reference, range; each vehicle in its own unit."""
    rows = []
    for r in analysis.results:
        own = units_of(study, r.vehicle, choice)

        def figure(value: float | None, span: tuple[float, float] | None, own: u.UnitChoice = own) -> str:
            if value is None or span is None:
                return ""
            return f"{consumption_words(value, own)} ({span_words(span, own)})"

        ends = r.range_interval_km
        reach = ""
        if r.range_km is not None and ends is not None:
            low, high = (choice.show("distance", v) for v in ends)
            reach = f"{distance_words(r.range_km, choice)} ({low:.0f} to {high:.0f})"
        ways = "; ".join(
            f"{d.direction} {consumption_words(d.as_driven_wh_per_km, own)}"
            + ("" if d.range_km is None else f", {distance_words(d.range_km, choice)}")
            for d in r.directions
        )
        rows.append(
            (
                result_name(study, r, choice),
                figure(r.as_driven_wh_per_km, r.as_driven_interval),
                figure(r.wh_per_km, r.interval_wh_per_km),
                reach,
                ways,
            )
        )
    heads = (
        "",
        "As driven (by the steps)",
        f"{sentence(level_words(study, analysis.results[0], choice))} ({100 * study.confidence:g} %)",
        "Range as driven, to empty",
        "Each way",
    )
    return Table("What each took, and how far it goes", heads, tuple(rows), 1)


def _margin(study: Study, c: Comparison, several: bool, choice: u.UnitChoice) -> Table:
    which = f": {comparison_name(study, c, choice)}" if several else ""
    return Table(
        f"What makes the margin of ±{c.half_width_percent:.1f} %{which}",
        ("Source", "±, %", "Of its square, %", "Because", "What would help"),
        tuple(
            (
                x.line.source,
                f"{x.line.half_width_percent:.1f}",
                str(x.percent_of_square),
                f"{x.line.cause} ({', '.join(x.line.legs[:4])}{' …' if len(x.line.legs) > 4 else ''})"
                if x.line.legs
                else x.line.cause,
                u.in_units(x.line.remedy, choice),
            )
            for x in square_parts(c.margin)
        ),
        numeric_from=5,
    )


def _with_prediction(study: Study, c: Comparison) -> str:
    words = c.reason
    said = study.change.prediction_percent
    if said is not None:
        when = f" ({prediction_words(study)})"
        inside = c.interval_percent[0] <= said <= c.interval_percent[1]
        words += f" Predicted: {signed(said)} %{when}, {'inside' if inside else 'outside'} the interval."
    return words


def _facts(study: Study, analysis: Analysis, choice: u.UnitChoice) -> tuple[tuple[str, str], ...]:
    v, k = study.vehicle, study.vehicle.constants()
    days = sorted({leg.started_at.date() for leg in study.legs if leg.started_at})
    mark = dict.fromkeys(k.assumed, " (assumed from its class)")
    facts = [
        ("Question", f"{study.trials[0].label if study.trials else 'no trial'} against {study.baseline.label} ({study.change.kind}, works through {' and '.join(study.change.mechanisms)})"),
        *([("Tester", study.tester)] if study.tester else []),
        *([("Place", place)] if (place := _place(study)) else []),
        ("Method", f"{study.method}, order {study.order or 'none'}"),
        ("Route", study.route_name or "not named"),
        ("Driven", ", ".join(f"{d:%d %B %Y}" for d in days) or "not dated"),
        ("Stated for", conditions_words(study, analysis.comparisons[0], analysis.view, choice) if analysis.comparisons else "no comparison yet"),
        *(("Climb", line) for line in climb_lines(study, analysis)),
        ("Run-to-run scatter", scatter_words(analysis.scatter_prior, choice)),
        ("Smallest effect that matters", f"{study.smallest_effect_percent:g} %"),
        ("Vehicle", f"{v.name or 'not named'}, {v.energy}, {choice.show('mass', k.mass_kg):.0f} {choice.mass}{mark.get('mass_kg', '')}, "
                    f"drag area {k.drag_area_m2:g} m²{mark.get('drag_area_m2', '')}, rolling coefficient {k.rolling_coefficient:g}{mark.get('rolling_coefficient', '')}"),
        *_beforehand(study, choice),
        ("Wind", _wind_words(study, choice)),
        *([("Said of all legs", _said_once(study))] if _said_once(study) else []),
        *([("Attached", _attached_words(study))] if study.attachments else []),
    ]  # fmt: skip
    return tuple(facts)


#: What circumstances are called; the others by their key.
_SAID: Final = {
    "outing": "outings", "speed_held": "speed held by", "warm_up_min": "minutes driven before", "climate": "heating and cooling",
}  # fmt: skip
_VALUES: Final = {"one": "one", "days": "on different days", "weeks": "weeks apart"}


def _said_once(study: Study) -> str:
    """What somebody said once for all legs, as it was answered."""
    told = study.circumstances.model_dump(exclude={"not_known"}, exclude_none=True)
    return "; ".join(
        f"{_SAID.get(key, key)} {_VALUES.get(str(value), value) if key == 'outing' else f'{value:g}' if isinstance(value, float) else value}"
        for key, value in told.items()
    )


def _attached_words(study: Study) -> str:
    """What is attached to what; the files travel in the package that the page carries."""
    return "; ".join(f"{x.file} ({PLACES.get(x.of, x.of)}{', ' + x.note if x.note else ''})" for x in study.attachments)


def _wind_words(study: Study, choice: u.UnitChoice) -> str:
    """Where the wind was measured, and over what land it came to the road."""
    km, setup = study.wind.station_km, study.wind
    way = "not said how far off" if km is None else f"{choice.show('distance', km):.3g} {choice.distance} off"
    return f"measured at {setup.measured_at_m:g} m, {way}; {setup.terrain} land along the road"


def _beforehand(study: Study, choice: u.UnitChoice) -> list[tuple[str, str]]:
    """What earlier studies of the vehicle know, where the study begins with it."""
    known = study.remembered
    if known is None or not known.values:
        return []
    until = f", the last driven {known.as_of:%d %B %Y}" if known.as_of else ""
    words = f"what {known.studies} earlier studies of the vehicle say{until}: {'; '.join(remembered_lines(known))}"
    return [("Thought beforehand", u.in_units(words, choice))]


def shown_reading(leg: Leg) -> str:
    """Write every reading of a leg as it was read."""
    return show_readings(leg).replace("; ", ", ")


def _readings(study: Study, choice: u.UnitChoice, read: set[str]) -> Table:
    def show(quantity: str, value: float | None, decimals: int) -> str:
        return "" if value is None else f"{choice.show(quantity, value):.{decimals}f}"

    rows = []
    for leg in study.legs:
        wind = show("wind", leg.wind_speed_ms, 1)
        if wind and leg.wind_from_deg is not None:
            wind += f" / {leg.wind_from_deg:.0f}°"
        duration = u.show_duration(leg.duration_s)
        state = "left out" if not leg.included else "driven" if leg.leg in read else leg.state
        rows.append(
            (
                leg.leg,
                study.configuration(leg.configuration).label,
                way_words(study, leg),
                f"{leg.clock:%H:%M}" if leg.clock else "",
                shown_reading(leg),
                show("distance", leg.distance_km, 2),
                duration,
                show("temperature", leg.temperature_c, 1),
                wind,
                show("pressure", leg.pressure_hpa, 0 if choice.pressure == "hPa" else 2),
                state + (f": {leg.note}" if leg.note else ""),
            )
        )
    heads = ("Leg", "Configuration", "Way", "Start", "Reading", f"Distance, {choice.distance}", "Time, min:s",
             f"Air, {choice.temperature}", f"Wind, {choice.wind} / from", f"Pressure, {choice.pressure}", "State and note")  # fmt: skip
    return Table("Readings as read", heads, tuple(rows), 3)


def _corrections(study: Study, analysis: Analysis, choice: u.UnitChoice) -> Table:
    factor, unit = adding_factor(choice), adding_unit(choice)
    decimals = 2 if factor < 0.1 else 1
    legs = [leg for leg in analysis.legs if leg.corrected_wh_per_km is not None]
    names = [n for n in registry.lines() if any(abs(leg.corrections_wh_per_km.get(n, 0.0)) >= 0.05 for leg in legs)]
    rows = tuple(
        (
            leg.leg,
            study.configuration(leg.configuration).label,
            f"{leg.measured_wh_per_km * factor:.{decimals}f}",
            *(signed(leg.corrections_wh_per_km.get(n, 0.0) * factor, decimals) for n in names),
            f"{(leg.corrected_wh_per_km or 0.0) * factor:.{decimals}f}",
        )
        for leg in legs
    )
    heads = ("Leg", "Configuration", "As read", *(line_words(n) for n in names), "Corrected")
    return Table(f"Corrections, {unit}", heads, rows, 2)


def _instruments(study: Study, analysis: Analysis) -> list[Table]:
    """What was read from, and what is known of it."""
    known_of: Mapping[str, Instrument] = {str(k): v for k, v in study.instruments.items()}
    used = Counter(leg.instrument for leg in analysis.legs if leg.included)
    names = list(dict.fromkeys([*used, *study.instruments]))
    rows = []
    for name in names:
        own = known_of.get(name, Instrument())
        step = "as its figures show" if own.step is None else f"{own.step:g} {own.unit or ''}".strip()
        known = [
            w
            for w, so in (
                ("cuts off instead of rounding", own.truncates),
                ("not trusted: kept, does not count", not own.trusted),
            )
            if so
        ]
        rows.append((name, str(used.get(name, 0)), step, "; ".join(known)))
    return (
        [Table("Instruments", ("Instrument", "Counts for legs", "Step", "Known of it"), tuple(rows), 4)] if rows else []
    )


def _place(study: Study) -> str:
    """Where it was driven, as somebody said it or the track says."""
    if study.plan.place:
        return study.plan.place
    first = next((p for p in study.route if p.latitude is not None and p.longitude is not None), None)
    return f"near {first.latitude:.2f}°, {first.longitude:.2f}°" if first is not None else ""


def _photos(study: Study) -> Iterator[Photo]:
    """Attached pictures, with what they are of."""
    for x in study.attachments:
        data = x.content
        mime = next((m for begins, m in PICTURES.items() if data.startswith(begins)), "")
        if mime:
            yield Photo(f"{PLACES.get(x.of, x.of)}{': ' + x.note if x.note else ''}", mime, data)


def _results(study: Study, analysis: Analysis, choice: u.UnitChoice) -> Table:
    rows = []
    for c in analysis.comparisons:
        low, high = c.interval_percent
        rows.append(
            (
                (f"{vehicle_label(study, c.vehicle)}: " if c.vehicle else "")
                + f"{side_words(study, c.trial, choice)} / {side_words(study, c.baseline, choice)}",
                stated_speed(study, c, choice) + (f", {c.sector}" if c.sector else ""),
                signed(c.as_measured_percent),
                signed(c.effect_percent),
                f"{signed(low)} to {signed(high)}",
                consumption_words(c.baseline_wh_per_km, units_of(study, c.vehicle, choice)),
                consumption_words(c.trial_wh_per_km, units_of(study, c.vehicle, choice)),
                ""
                if (further := further_percent(study, c)) is None or c.verdict == "not a fair comparison"
                else signed(further),
                str(c.pairs) + (f" of {c.pairs_needed}" if c.pairs_needed and c.pairs_needed > c.pairs else ""),
                c.verdict,
            )
        )
    level = f"{100 * study.confidence:g} %"
    heads = ("Trial / baseline", "At", "As read, %", "Effect, %", f"Interval ({level}), %", "Baseline", "Trial",
             "Range, %", "Pairs", "Verdict")  # fmt: skip
    return Table("Result", heads, tuple(rows), 2)
