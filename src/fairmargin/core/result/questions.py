"""What to ask next: the answers that would narrow a margin most, each by what it is worth.

Every question is one that whoever drove can answer at once for the whole study; what each answer would leave of the margin is
worked out by the fit itself. What is worth less than a twentieth of the margin is not asked, nor what somebody said not to know.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from fairmargin.core.result import verdict
from fairmargin.core.result.asked import Asked, IfAnswered
from fairmargin.core.result.types import Comparison
from fairmargin.core.study import Study

#: What an answer is in the study's circumstances: a word, or minutes.
Value = str | float
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

    code: str  # key of `Circumstances`
    text: str
    answers: tuple[Answer, ...]
    open_when: Callable[[Study], bool]


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


def _two_vehicles(study: Study) -> bool:
    return len({leg.vehicle for leg in study.legs}) > 1 and study.change.subject != "vehicle"


QUESTIONS: Final = (
    Question(
        "outing",
        "Were all legs driven in one outing?",
        (Answer("one outing", "one", 0.6), Answer("different days", "days", 0.3), Answer("weeks apart", "weeks", 0.1)),
        _undated,
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
        "vehicles",
        "Are the vehicles of one model, year and tyres?",
        (Answer("yes, alike", "alike", 1.0),),
        _two_vehicles,
    ),
)


def open_questions(study: Study) -> tuple[Question, ...]:
    """Questions that nobody answered of a study, by a circumstance, a note, or by not knowing."""
    said = study.circumstances
    return tuple(
        q for q in QUESTIONS if getattr(said, q.code) is None and q.code not in said.not_known and q.open_when(study)
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
    now, found = c.half_width_percent, []
    for q in open_questions(study):
        halves: list[tuple[str, float]] = []
        worth = 0.0
        for i, a in enumerate(q.answers):
            if i == 1 and KNOWN * (now - halves[0][1]) < LEAST_WORTH * now:
                break  # the first answer narrows most: the others are worth less
            told = c.with_told(study.circumstances.with_(**{q.code: a.value}))
            if told is None:
                return ()
            half = (told[1][1] - told[1][0]) / 2.0
            halves.append((a.words, half))
            worth += a.chance * max(now - half, 0.0)
        if len(halves) == len(q.answers) and KNOWN * worth >= LEAST_WORTH * now:
            found.append(Asked(q.code, q.text, KNOWN * worth, tuple(halves)))
    return tuple(sorted(found, key=lambda x: -x.worth_percent))


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
            told = c.with_told(study.circumstances.with_(**{q.code: a.value}))
            if told is None:
                return ()
            said = verdict.word(
                told[0], told[1], study.smallest_effect_percent, blocked, c.open_charge_percent, unsettled
            )
            found.append(IfAnswered(a.words, told[0], told[1], said))
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


def answered(study: Study, code: str, value: Value | None) -> Study:
    """A study with a question answered once for all of it; None: it is not known."""
    told = study.circumstances
    if value is None:
        return study.with_(circumstances=told.with_(not_known=(*told.not_known, code)))
    left = tuple(x for x in told.not_known if x != code)
    return study.with_(circumstances=told.with_(**{code: value, "not_known": left}))
