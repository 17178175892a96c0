"""Practice cases in words and as JSON: what was noted, what an answer was worth, how well intervals hold."""

from __future__ import annotations

from fairmargin.core.memory.practice import FLAWS, Answer, Calibration
from fairmargin.core.memory.road import road_knowledge
from fairmargin.core.study import Study
from fairmargin.core.units import UnitChoice
from fairmargin.core.units import label as unit_label
from fairmargin.core.words import signed
from fairmargin.exchange.words.across import JsonValue, number, pair
from fairmargin.exchange.words.figures import speed_words


def case_words(study: Study, units: UnitChoice) -> str:
    """How a practice case was driven, in a sentence."""
    first = study.legs[0].started_at
    lies = road_knowledge(study.route_name, (study,)).bearing_deg
    words = f"{study.order}, {study.method}, aimed at {speed_words(float(study.target_speed_kmh or 0), units)}"
    words += f", from {first:%d %B %Y}" if first else ""
    return words + (f"; out lies at {lies:.0f}\u00b0." if lies is not None else ".")


def case_columns(study: Study, units: UnitChoice) -> list[str]:
    """What the table of a practice case has."""
    unit = unit_label(study.legs[0].average_unit or units.consumption)
    made = [
        "leg", "with", "way", "set off", "driven", units.distance, f"shown, {unit}", f"air, {units.temperature}", f"wind, {units.wind}",
    ]  # fmt: skip
    if any(leg.tyre_pressure_kpa for leg in study.legs):
        made.append(f"tyres, {units.tyre}")
    return [*made, "note"]


def case_rows(study: Study, units: UnitChoice) -> list[list[str]]:
    """What was noted of a practice case, a row a leg."""
    tyres = any(leg.tyre_pressure_kpa for leg in study.legs)
    events = {e.leg: e for e in study.events}
    rows = []
    days = {leg.started_at.date() for leg in study.legs if leg.started_at}
    for leg in study.legs:
        step = leg.average_step or 0.1
        shown = "" if leg.average_shown is None else f"{leg.average_shown:.{0 if step >= 1 else 1}f}"
        at = (
            ""
            if leg.started_at is None
            else f"{leg.started_at:%H:%M}"
            if len(days) == 1
            else f"{leg.started_at:%d %b %H:%M}"
        )
        km = leg.distance_km or leg.gps_distance_km
        seconds = int(leg.duration_s or 0)
        wind = (
            ""
            if leg.wind_speed_ms is None
            else f"{units.show('wind', leg.wind_speed_ms):.1f} from {leg.wind_from_deg or 0:.0f}\u00b0"
        )
        row = [
            leg.leg, study.configuration(leg.configuration).label, leg.direction, at, f"{seconds // 60}:{seconds % 60:02d}",
            "" if km is None else f"{units.show('distance', km):.1f}", shown,
            "" if leg.temperature_c is None else f"{units.show('temperature', leg.temperature_c):.0f}", wind,
        ]  # fmt: skip
        if tyres:
            pressure = leg.tyre_pressure_kpa
            row.append("" if pressure is None else f"{units.show('tyre', pressure):.2f}")
        event = events.get(leg.leg)
        noted = [leg.note] if leg.note else []
        if event is not None:
            noted.append(event.kind.replace("-", " "))
        rows.append([*row, ", ".join(noted)])
    return rows


def answer_lines(a: Answer, explained: str) -> list[str]:
    """What an answer was worth."""
    held = "holds it" if a.holds else "does not hold it"
    flaw = "You saw that." if a.right_flaw else f"You said: {FLAWS[a.flaw][0].lower()}{FLAWS[a.flaw][1:]}."
    verdict = (
        f"\u201c{a.verdict}\u201d is what the evidence carries."
        if a.right_verdict
        else f"You said \u201c{a.verdict}\u201d; the evidence carries \u201c{a.carried[0]}\u201d."
    )
    return [
        f"The change alone does {signed(a.truth)} %. Your interval, {signed(a.low)} to {signed(a.high)} %, {held}: score {a.score:.1f}, smaller is better.",
        f"{FLAWS[a.true_flaw]}. {explained} {flaw}",
        verdict,
    ]


def answer_json(a: Answer, explained: str) -> JsonValue:
    """A practice answer, the truth, and what it was worth."""
    return {
        "case": a.case, "verdict": a.verdict, "flaw": a.flaw, "interval_percent": [a.low, a.high], "truth_percent": a.truth,
        "true_flaw": a.true_flaw, "carried": list(a.carried), "holds": a.holds, "right_flaw": a.right_flaw,
        "right_verdict": a.right_verdict, "interval_score": number(a.score), "explained": explained,
    }  # fmt: skip


def calibration_json(c: Calibration) -> JsonValue:
    """How well a tester's intervals hold."""
    return {
        "answers": c.answers, "holding": c.holding, "share": number(c.share) if c.answers else None,
        "interval": pair(c.interval), "mean_interval_score": number(c.mean_score) if c.answers else None,
        "widen": number(c.widen), "right_flaws": c.right_flaws, "right_verdicts": c.right_verdicts, "words": c.words,
    }  # fmt: skip
