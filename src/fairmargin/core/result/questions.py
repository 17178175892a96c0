"""What to ask next: the answers that would narrow a margin most, each by what it is worth.

Every question is one that whoever drove can answer at once for the whole study; what each answer would leave of the margin is
worked out by the fit itself. What is worth less than a twentieth of the margin is not asked, nor what somebody said not to know.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

from fairmargin.core.result import verdict
from fairmargin.core.result.asked import Asked, IfAnswered
from fairmargin.core.result.types import Comparison
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.leg import Span
from fairmargin.core.study.runs import joined
from fairmargin.core.units import plain, said, said_range

#: What an answer is in the study's circumstances: a word, or minutes.
Value = str | float
#: Question of a column of the legs, asked of one day after another.
AIR_COLUMN: Final = "temperature_c"
#: Question of a column that says which way readings were taken over.
DIRECTION_COLUMN: Final = "direction"
#: Question of legs out and back that are too unlike in length to be one road.
DESTINATIONS: Final = "sector"
#: Ways that differ by more than this in length go to two places, or one of them was a detour.
UNLIKE_LENGTH: Final = 1.25
#: Of the margin, what an answer has to be worth to be asked for.
LEAST_WORTH: Final = 0.05
#: How likely somebody who drove knows the answer; what is not known narrows nothing.
KNOWN: Final = 0.9


@dataclass(frozen=True, slots=True)
class Answer:
    """What may be answered: its words, what it is in the study's circumstances, and how often it is the answer."""

    words: str
    value: Value
    chance: float


@dataclass(frozen=True, slots=True)
class Question:
    """One thing to ask of a whole study; `open_when` says where nobody said it yet."""

    code: str  # key of `Circumstances`, or a column of the legs
    text: str | Callable[[Study], str]
    answers: tuple[Answer, ...]
    open_when: Callable[[Study], bool]
    probe: int = 0  # the answer that narrows at least as much as any other, or all of them alike
    noted_only: bool = False  # kept with the study and corrected for nothing: never worth asking for
    must: bool = False  # asked whatever it is worth: it says what is compared with what

    def words(self, study: Study) -> str:
        """What is asked of a study."""
        return self.text if isinstance(self.text, str) else self.text(study)


def _lacking(field: str) -> Callable[[Study], bool]:
    """Whether legs with a reading lack a field."""

    def test(study: Study) -> bool:
        return any(leg.has_reading and leg.included and getattr(leg, field) in {None, ""} for leg in study.legs)

    return test


def _undated(study: Study) -> bool:
    return study.method != "everyday" and _lacking("started_at")(study)


def _warm_up(study: Study) -> bool:
    return study.method not in {"everyday", "climb"} and all(leg.driven_before_s is None for leg in study.legs)


def _calm_unknown(study: Study) -> bool:
    return not study.weather and _lacking("wind_speed_ms")(study)


def _airless(study: Study) -> list[list[Leg]]:
    """Legs whose temperature nobody noted: of each date; where no dates are told, of each configuration, the baseline's first."""
    lacking = [leg for leg in study.legs if leg.has_reading and leg.included and leg.temperature_c is None]
    alike = study.circumstances.outing == "one"
    dated = all(leg.started_at is not None for leg in lacking)
    groups: dict[object, list[Leg]] = {}
    for leg in lacking:
        key = (
            ""
            if alike
            else leg.started_at.date()
            if dated and leg.started_at
            else leg.configuration != study.baseline.id
        )
        groups.setdefault(key, []).append(leg)
    return [groups[key] for key in sorted(groups, key=str)]


def _air_unknown(study: Study) -> bool:
    return study.method != "climb" and not study.weather and bool(_airless(study))


def _air_words(study: Study) -> str:
    """Of which legs the temperature is asked."""
    groups = _airless(study)
    first = groups[0][0]
    others = " (The others next; \u00b1 is with all of them answered.)" if len(groups) > 1 else ""
    if len(groups) == 1 and study.circumstances.outing == "one":
        return "About how warm was the air?"
    if first.started_at is not None:
        return f"About how warm was the air on {first.started_at.day} {first.started_at:%B}?{others}"
    if study.method == "everyday":  # totals of weeks or a year: their season
        return f"About how warm was it on the whole with \u201c{study.configuration(first.configuration).label}\u201d?{others}"
    return f"About how warm was the air with \u201c{study.configuration(first.configuration).label}\u201d?{others}"


def _with_air(study: Study, low: float, high: float, legs: Sequence[Leg], as_read: str) -> Study:
    """The study with an interval noted as the temperature of some legs."""
    span = Span(field=AIR_COLUMN, low=low, high=high, said=as_read or plain(said_range(low, high, "°C")))
    for leg in legs:
        study = study.with_leg(leg.leg, temperature_c=span.middle, spans=(*leg.spans, span))
    return study


def _silent(study: Study, leg: Leg) -> bool:
    """Whether nothing was noted of a leg."""
    noted = (leg.distance_km, leg.gps_distance_km, leg.duration_s, leg.started_at, leg.soc_start_percent)
    return not leg.has_reading and not any(noted) and not any(e.leg == leg.leg for e in study.events)


def _read_once(study: Study) -> bool:
    """Whether every run of a road out and back has one reading, and nothing says whether it covers both ways."""
    runs = [legs for _, legs in study.runs()]
    if study.method != "out-and-back" or len(runs) < 2:
        return False
    for legs in runs:
        read = [leg for leg in legs if leg.has_reading]
        silent = [leg for leg in legs if _silent(study, leg)]
        if len(read) != 1 or len(read) + len(silent) < len(legs) or read[0].direction not in {"", "out"}:
            return False
        if not silent and read[0].direction:
            return False
    return True


def _with_ways(study: Study, direction: str) -> Study:
    """The study with the ways that its readings cover told; legs of which nothing was noted were never legs of their own."""
    if direction == "loop":
        for run, _ in study.runs():
            study = joined(study, run)
        return study
    kept = [leg for leg in study.legs if not _silent(study, leg)]
    return study.with_legs([leg.with_(direction=direction) for leg in kept])


def _ways_km(study: Study) -> tuple[float, float] | None:
    """Mean length of the legs out and of those back; None where one way tells none. [km]"""
    found = []
    for way in ("out", "back"):
        own = [leg.gps_distance_km or leg.distance_km for leg in study.legs if leg.direction == way and leg.included]
        known = [float(km) for km in own if km]
        if not known:
            return None
        found.append(sum(known) / len(known))
    return found[0], found[1]


def _unlike_ways(study: Study) -> bool:
    """Whether the way back is so much longer or shorter that it may be another road, and nobody said."""
    if study.method != "out-and-back" or any(leg.sector for leg in study.legs):
        return False
    ways = _ways_km(study)
    return ways is not None and max(ways) > UNLIKE_LENGTH * min(ways)


def _unlike_words(study: Study) -> str:
    out, back = _ways_km(study) or (0.0, 0.0)
    return f"Out are {said(out, 'km', 1)}, back {said(back, 'km', 1)}: one road there and back, or two destinations?"


def _two_destinations(study: Study) -> Study:
    """The study with its legs out and back as drives to two places, each compared with its like."""
    names = {"out": "first destination", "back": "second destination"}
    return study.with_legs(
        [
            leg.with_(sector=names.get(leg.direction, ""), direction="out" if leg.direction in names else leg.direction)
            for leg in study.legs
        ]
    )


def _two_vehicles(study: Study) -> bool:
    return len({leg.vehicle for leg in study.legs}) > 1 and study.change.subject != "vehicle"


#: Intervals of the air that somebody remembers. [°C]
BANDS: Final = ((-10.0, 0.0), (0.0, 7.0), (7.0, 14.0), (14.0, 21.0), (21.0, 28.0), (28.0, 38.0))
_CHANCES: Final = (0.05, 0.2, 0.3, 0.3, 0.1, 0.05)
AIR: Final = tuple(
    Answer(
        f"below {said(high, '°C')}"
        if i == 0
        else f"above {said(low, '°C')}"
        if i == len(BANDS) - 1
        else said_range(low, high, "°C"),
        f"{low:g}..{high:g}",
        chance,
    )
    for i, ((low, high), chance) in enumerate(zip(BANDS, _CHANCES, strict=True))
)

QUESTIONS: Final = (
    Question(
        DESTINATIONS,
        _unlike_words,
        (Answer("two destinations", "two", 0.7), Answer("there and back", "one", 0.3)),
        _unlike_ways,
        must=True,
    ),
    Question(
        "outing",
        "Were all legs driven in one outing?",
        (Answer("one outing", "one", 0.6), Answer("different days", "days", 0.3), Answer("weeks apart", "weeks", 0.1)),
        _undated,
    ),
    Question(
        DIRECTION_COLUMN,
        "Each run has one reading: over the way there and back, or one way?",
        (Answer("there and back", "loop", 0.7), Answer("one way", "out", 0.3)),
        _read_once,
    ),
    Question(
        "road",
        "Was the road dry all the time?",
        (Answer("dry", "dry", 0.85), Answer("damp", "damp", 0.05), Answer("wet", "wet", 0.1)),
        _lacking("road"),
    ),
    Question(
        "climate",
        "Heating and cooling?",
        (Answer("off", "off", 0.5), Answer("auto, alike", "auto", 0.5)),
        _lacking("climate"),
    ),
    Question(
        "warm_up_min",
        "What was driven just before the first leg?",
        (Answer("20 minutes or more", 20.0, 0.45), Answer("10 minutes", 10.0, 0.3), Answer("nothing", 0.0, 0.25)),
        _warm_up,
    ),
    Question(
        "wind",
        "How was the wind?",
        (
            Answer("still", "still", 0.3),
            Answer("light", "light", 0.45),
            Answer("moderate", "moderate", 0.15),
            Answer("fresh", "fresh", 0.06),
            Answer("strong", "strong", 0.04),
        ),
        _calm_unknown,
    ),
    Question(
        "speed_held",
        "What held the speed?",
        (Answer("cruise control", "cruise", 0.7), Answer("the foot", "foot", 0.3)),
        lambda study: study.method not in {"everyday", "laps"} and _lacking("speed_held")(study),
    ),
    Question("temperature_c", _air_words, AIR, _air_unknown, 2),
    Question(
        "tyres",
        "Were tyre pressures set alike, cold?",
        (Answer("yes, alike", "alike", 1.0),),
        _lacking("tyre_pressure_kpa"),
    ),
    Question(
        "load",
        "The same people and things aboard on all legs?",
        (Answer("yes, alike", "alike", 1.0),),
        _lacking("mass_delta_kg"),
    ),
    Question(
        "driver",
        "Did the same person drive all legs?",
        (Answer("yes, the same", "alike", 1.0),),
        lambda study: not study.change.is_technique and _lacking("driver")(study),
    ),
    Question(
        "windows",
        "Windows and roof?",
        (Answer("closed all the time", "closed", 0.9), Answer("open all the time", "open", 0.1)),
        lambda study: any(leg.has_reading for leg in study.legs),
        noted_only=True,
    ),
    Question(
        "sun",
        "The sun?",
        (
            Answer("clear sky", "clear", 0.4),
            Answer("clouds all the time", "cloud", 0.3),
            Answer("changing", "changing", 0.3),
        ),
        lambda study: any(leg.has_reading for leg in study.legs),
        noted_only=True,
    ),
    Question(
        "vehicles",
        "Are the vehicles of one model, year and tyres?",
        (Answer("yes, alike", "alike", 1.0),),
        _two_vehicles,
    ),
)


def open_questions(study: Study) -> tuple[Question, ...]:
    """Questions that nobody answered of a study, by a circumstance, a note, or by not knowing."""
    told = study.circumstances
    return tuple(
        q
        for q in QUESTIONS
        if getattr(told, q.code, None) is None and q.code not in told.not_known and q.open_when(study)
    )


def questions(study: Study, c: Comparison) -> tuple[Asked, ...]:
    """Questions that are worth asking, the most worth first.

    Parameters
    ----------
    study : Study
    c : Comparison
        Of its analysis.

    Returns
    -------
    tuple of Asked
    """
    now = c.half_width_percent
    found: list[Asked] = []
    first: list[Asked] = []
    for q in open_questions(study):
        if q.noted_only:
            continue
        if q.must:
            first.append(Asked(q.code, q.words(study), 0.0, tuple((a.words, now) for a in q.answers)))
            continue
        halves: dict[str, float] = {}
        for i in sorted(range(len(q.answers)), key=lambda i: i != q.probe):
            told = c.with_told(_all_told(study, q.code, q.answers[i].value))
            if told is None:
                return tuple(first)
            halves[q.answers[i].words] = (told[1][1] - told[1][0]) / 2.0
            if i == q.probe and KNOWN * (now - halves[q.answers[i].words]) < LEAST_WORTH * now:
                break  # the others are worth less
        worth = sum(a.chance * max(now - halves.get(a.words, now), 0.0) for a in q.answers)
        if len(halves) == len(q.answers) and KNOWN * worth >= LEAST_WORTH * now:
            answers = tuple((a.words, halves[a.words]) for a in q.answers)
            found.append(Asked(q.code, q.words(study), KNOWN * worth, answers))
    return (*first, *sorted(found, key=lambda x: -x.worth_percent))


def _all_told(study: Study, code: str, value: Value) -> Study:
    """The study with an answer; of the air, with the like of it for all legs: what their days differ by is what counts."""
    while code == AIR_COLUMN and len(_airless(study)) > 1:
        study = answered(study, code, value)
    return answered(study, code, value)


#: Questions whose answers may each be as likely: until one is given, the result is said for each.
DECIDING: Final = ("outing",)


def if_answered(study: Study, c: Comparison) -> tuple[IfAnswered, ...]:
    """The result for each answer of a question that is open and would turn the verdict; nothing where none does."""
    blocked = any(x.severity == "blocks" for x in c.concerns)
    unsettled = any(x.unsettles for x in c.concerns)
    for q in open_questions(study):
        if q.code not in DECIDING:
            continue
        found = []
        for a in q.answers:
            told = c.with_told(answered(study, q.code, a.value))
            if told is None:
                return ()
            says = verdict.word(
                told[0], told[1], study.smallest_effect_percent, blocked, c.open_charge_percent, unsettled
            )
            found.append(IfAnswered(a.words, told[0], told[1], says))
        if len({x.verdict for x in found}) > 1:
            return tuple(found)
    return ()


def value_of(code: str, words: str) -> Value:
    """What an answer is in the study's circumstances.

    Raises
    ------
    KeyError
        If nobody asks that, or it is none of its answers.
    """
    for q in QUESTIONS:
        for a in q.answers:
            if (q.code, a.words) == (code, words):
                return a.value
    raise KeyError(f"{code}: {words}")


def answered(study: Study, code: str, value: Value | None, said: str = "") -> Study:
    """A study with a question answered once for all of it; None: it is not known.

    Parameters
    ----------
    study : Study
    code : str
    value : str, float or None
        As in the question's answers.
    said : str, optional
        The answer as somebody read it, in their units, where the legs keep it.
    """
    told = study.circumstances
    if code == DESTINATIONS:
        if value == "two":
            return _two_destinations(study)
        value = None  # one road, with a detour: nothing more to ask
    if code == DIRECTION_COLUMN and isinstance(value, str):
        return _with_ways(study, value)
    if code == AIR_COLUMN and isinstance(value, str):
        low, high = (float(x) for x in value.split(".."))
        return _with_air(study, low, high, _airless(study)[0], said)
    if value is None:
        return study.with_(circumstances=told.with_(not_known=(*told.not_known, code)))
    left = tuple(x for x in told.not_known if x != code)
    return study.with_(circumstances=told.with_(**{code: value, "not_known": left}))
