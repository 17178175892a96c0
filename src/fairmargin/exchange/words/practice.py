"""Practice cases in words and as JSON: what was noted, what an answer was worth, how well intervals hold."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Final

from fairmargin.core.conditions.typed import show_leg_field
from fairmargin.core.memory.practice import FLAWS, Answer, Calibration, FlawName, Solution, head_wind, like_leg
from fairmargin.core.memory.road import road_knowledge
from fairmargin.core.study import Leg, Study
from fairmargin.core.units import UnitChoice
from fairmargin.core.units import label as unit_label
from fairmargin.core.words import signed
from fairmargin.exchange.words.across import JsonValue, number, pair
from fairmargin.exchange.words.figures import distance_words, speed_words, temperature_words, wind_words


def case_words(study: Study, units: UnitChoice) -> str:
    """How a practice case was driven, in a sentence."""
    first = study.legs[0].started_at
    lies = road_knowledge(study.route_name, (study,)).bearing_deg
    words = f"{study.vehicle.name}, {study.order}, {study.method}, aimed at {speed_words(float(study.target_speed_kmh or 0), units)}"
    words += f", from {first:%d %B %Y}" if first else ""
    return words + (f"; out lies at {lies:.0f}\u00b0." if lies is not None else ".")


def case_columns(study: Study, units: UnitChoice, clean: bool = False) -> list[str]:
    """What the table of a practice case has; once it was answered, what would have been shown without the flaw too."""
    unit = unit_label(study.legs[0].average_unit or units.consumption)
    made = [
        "leg", "with", "way", "set off", "driven", units.distance, f"shown, {unit}", *(("unspoilt",) if clean else ()), f"air, {units.temperature}", f"wind, {units.wind}",
    ]  # fmt: skip
    if any(leg.tyre_pressure_kpa for leg in study.legs):
        made.append(f"tyres, {units.tyre}")
    return [*made, "note"]


def case_rows(study: Study, units: UnitChoice, clean: Mapping[str, float] | None = None) -> list[list[str]]:
    """What was noted of a practice case, a row a leg; with what each would have shown without the flaw, where that is given."""
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
            "" if km is None else f"{units.show('distance', km):.1f}", shown, *([f"{clean[leg.leg]:.1f}"] if clean is not None else []),
            "" if leg.temperature_c is None else f"{units.show('temperature', leg.temperature_c):.0f}", wind,
        ]  # fmt: skip
        if tyres:
            row.append(show_leg_field("tyre_pressure_kpa", leg, units))
        event = events.get(leg.leg)
        noted = [leg.note] if leg.note else []
        if event is not None:
            noted.append(event.kind.replace("-", " "))
        rows.append([*row, ", ".join(noted)])
    return rows


#: Why a flaw leaves a direction open, or does not. Common practice.
WHY: Final[Mapping[FlawName, str]] = {
    "none": "",
    "order drift": "What drifts and what was changed went the same way, and nothing in these legs parts the two.",
    "wind": "Wind along the road at a tenth of the car's speed moves what the air takes by a fifth: more than most changes do.",
    "reset did not take": "One such leg moves its side by more than most changes do, and which way it went is chance.",
    "cold first leg": "Tyres take ten to twenty minutes to warm: leave the leg out, or count it for less.",
    "following": "A lorry's lee takes 5 to 15 % off a leg: nothing smaller can be claimed from a side that has one in it.",
    "coarse display": "What is smaller than a step is rounded away; a log, the charger or longer legs would tell.",
    "two changes": "Two causes, one difference: how much of it each has is not in these legs.",
}  # fmt: skip


def shown_words(leg: Leg, value: float | None = None) -> str:
    """A trip average as the display had it, in its own unit; or another value on that display."""
    figure = leg.average_shown if value is None else value
    return f"{figure:.1f} {unit_label(leg.average_unit or '')}" if figure is not None else "nothing"


def told_words(study: Study, solution: Solution, units: UnitChoice) -> str:
    """Which leg gives a flaw away, by which figure, and what it would have shown without."""
    legs = [leg for leg in study.legs if leg.leg in solution.told_by]
    if not legs:
        return _agreeing(study, units)
    return _TOLD[solution.flaw](study, legs, solution.clean, units)


_Clean = Mapping[str, float]


def _beside_like(study: Study, leg: Leg) -> str:
    other = like_leg(study, leg)
    beside = f"; {other.leg}, the same configuration the same way, {shown_words(other)}" if other else ""
    return f"{leg.leg} shows {shown_words(leg)}{beside}"


def _blew(study: Study, leg: Leg, units: UnitChoice) -> str:
    along = head_wind(study, leg)
    return f"{wind_words(abs(along), units)} {'against' if along >= 0 else 'behind'}"


def _agreeing(study: Study, units: UnitChoice) -> str:
    """How well like legs agree, where nothing is wrong."""
    spreads = []
    for leg in study.legs:
        other = like_leg(study, leg)
        if other and other.average_shown and leg.average_shown:
            spreads.append((abs(leg.average_shown / other.average_shown - 1), leg, other))
    if not spreads:
        return "Every leg is the only one of its kind: nothing repeats, so little can be claimed, but nothing is wrong."
    share, leg, other = max(spreads, key=lambda s: s[0])
    return (
        f"No leg stands out. Of legs of a kind {leg.leg} ({shown_words(leg)}, {_blew(study, leg, units)}) and {other.leg} "
        f"({shown_words(other)}, {_blew(study, other, units)}) are the most unlike, {100 * share:.1f} % apart."
    )


def _told_drift(study: Study, legs: Sequence[Leg], clean: _Clean, _units: UnitChoice) -> str:
    first, last = legs[0], legs[-1]
    other = like_leg(study, first)
    same = (
        f" {other.leg} of the same side and way shows {shown_words(other)}: the same thing takes less as the day goes on."
        if other
        else ""
    )
    return (
        f"{first.leg} shows {shown_words(first)}.{same} The sides came {study.order}, so that fall is in their difference. "
        f"Without it {last.leg} would have shown {shown_words(last, clean[last.leg])}, not {shown_words(last)}."
    )


def _told_wind(study: Study, legs: Sequence[Leg], clean: _Clean, units: UnitChoice) -> str:
    first, last = legs[0], legs[-1]
    return (
        f"Along the road {first.leg} had {_blew(study, first, units)} and {last.leg} {_blew(study, last, units)}, and no leg goes the other way. With next to no wind they "
        f"would have shown {shown_words(first, clean[first.leg])} and {shown_words(last, clean[last.leg])}, "
        f"not {shown_words(first)} and {shown_words(last)}."
    )


def _told_reset(study: Study, legs: Sequence[Leg], clean: _Clean, units: UnitChoice) -> str:
    leg = legs[0]
    before = study.legs[study.legs.index(leg) - 1]
    far = leg.distance_km is not None and before.distance_km is not None and leg.distance_km > 1.5 * before.distance_km
    trip = f" Its trip says {distance_words(leg.distance_km or 0.0, units)}, twice the road." if far else ""
    return (
        f"{leg.leg} shows {shown_words(leg)}, between {before.leg}'s {shown_words(before)} and the "
        f"{shown_words(leg, clean[leg.leg])} that it would have shown by itself.{trip}"
    )


def _told_cold(study: Study, legs: Sequence[Leg], clean: _Clean, units: UnitChoice) -> str:
    leg = legs[0]
    air = "" if leg.temperature_c is None else f" in air of {temperature_words(leg.temperature_c, units)}"
    return f"{_beside_like(study, leg)}. It was the day's first{air}: warm, it would have shown {shown_words(leg, clean[leg.leg])}."


def _told_following(study: Study, legs: Sequence[Leg], clean: _Clean, _units: UnitChoice) -> str:
    leg = legs[0]
    near = [x.leg for x in study.legs if x.note and x is not leg]
    others = f" The remark on {' and '.join(near)} is of nothing that shows in a figure." if near else ""
    return (
        f"{_beside_like(study, leg)}. Its remark, \u201c{leg.note}\u201d, goes with it: on a free road it would have shown "
        f"{shown_words(leg, clean[leg.leg])}.{others}"
    )


def _told_coarse(study: Study, legs: Sequence[Leg], clean: _Clean, _units: UnitChoice) -> str:
    leg = legs[0]
    step, mean = leg.average_step or 0.1, sum(x.average_shown or 0.0 for x in legs) / len(legs)
    would = ", ".join(f"{x.leg} {clean[x.leg]:.1f}" for x in legs[:4])
    return (
        f"Figures go by {shown_words(leg, step)}, {100 * step / mean:.1f} % of what is read. A display of 0.1 would have shown "
        f"{would}{' and so on' if len(legs) > 4 else ''}."
    )


def _told_two(study: Study, legs: Sequence[Leg], clean: _Clean, units: UnitChoice) -> str:
    soft = legs[0]
    firm = next(x for x in study.legs if x.configuration != soft.configuration)
    had, others = (f"{show_leg_field('tyre_pressure_kpa', leg, units)} {units.tyre}" for leg in (soft, firm))
    return (
        f"Tyres had {had} on {soft.leg} and {others} on {firm.leg}, and so with every leg of the two sides. "
        f"At the higher pressure {soft.leg} would have shown {shown_words(soft, clean[soft.leg])}, not {shown_words(soft)}."
    )


_TOLD: Final[Mapping[FlawName, Callable[[Study, Sequence[Leg], _Clean, UnitChoice], str]]] = {
    "order drift": _told_drift, "wind": _told_wind, "reset did not take": _told_reset, "cold first leg": _told_cold,
    "following": _told_following, "coarse display": _told_coarse, "two changes": _told_two,
}  # fmt: skip


def answer_lines(a: Answer, study: Study, solution: Solution, units: UnitChoice) -> list[str]:
    """What an answer was worth: truth and score, the flaw and what gives it away, the verdict, and the program's own beside it."""
    held = "holds it" if a.holds else "does not hold it"
    flaw = "You saw that." if a.right_flaw else f"You said: {FLAWS[a.flaw][0].lower()}{FLAWS[a.flaw][1:]}."
    lines = [
        f"The change alone does {signed(a.truth)} %. Your interval, {signed(a.low)} to {signed(a.high)} %, {held}: score {a.score:.1f}, smaller is better.",
        f"{FLAWS[a.true_flaw]}. {flaw} {told_words(study, solution, units)}",
        carried_words(a),
    ]
    if a.beside is not None and a.program_score is not None and a.unread_score is not None:
        b = a.beside
        lines.insert(
            1,
            f"The program, as sure: {signed(b.low)} to {signed(b.high)} %, score {a.program_score:.1f}. Whoever reads no leg "
            f"({signed(-b.unread)} to {signed(b.unread)} %, where such changes lie): {a.unread_score:.1f}.",
        )
    return lines


def carried_words(a: Answer) -> str:
    """Which verdict the evidence carries, why no other, and the program's beside it."""
    carried = " or ".join(f"\u201c{v}\u201d" for v in a.carried)
    yours = f"You said {carried if a.verdict == a.carried[0] and len(a.carried) == 1 else chr(0x201C) + a.verdict + chr(0x201D)}"
    told = f"{yours}, and that is carried." if a.right_verdict else f"{yours}; the evidence carries {carried}."
    why = WHY[a.true_flaw]
    if not why and "not settled" in a.carried:
        why = "The margin is wider than the effect: more pairs would settle it, not a bolder word."
    if a.beside is not None:
        same = " too" if a.beside.verdict == a.verdict else ""
        told += f" The program says \u201c{a.beside.verdict}\u201d{same}."
        if a.beside.verdict not in a.carried:
            told += " The program is taken in: a tester who looks need not be."
    return f"{told} {why}".rstrip()


def answer_json(a: Answer, study: Study, solution: Solution, units: UnitChoice) -> JsonValue:
    """A practice answer, the truth, and what it was worth."""
    return {
        "case": a.case, "verdict": a.verdict, "flaw": a.flaw, "interval_percent": [a.low, a.high], "truth_percent": a.truth,
        "true_flaw": a.true_flaw, "carried": list(a.carried), "holds": a.holds, "right_flaw": a.right_flaw,
        "right_verdict": a.right_verdict, "interval_score": number(a.score), "explained": told_words(study, solution, units),
        "told_by": list(solution.told_by), "would_have_shown": dict(solution.clean),
        "program": None if a.beside is None else {
            "interval_percent": [a.beside.low, a.beside.high], "verdict": a.beside.verdict,
            "interval_score": number(a.program_score),
        },
        "unread_interval_score": number(a.unread_score), "well_said": a.well_said,
    }  # fmt: skip


def calibration_json(c: Calibration) -> JsonValue:
    """How well a tester's intervals hold."""
    return {
        "answers": c.answers, "holding": c.holding, "share": number(c.share) if c.answers else None,
        "interval": pair(c.interval), "mean_interval_score": number(c.mean_score) if c.answers else None,
        "program_mean_interval_score": number(c.program_score), "unread_mean_interval_score": number(c.unread_score),
        "widen": number(c.widen), "right_flaws": c.right_flaws, "right_verdicts": c.right_verdicts, "words": c.words,
    }  # fmt: skip
