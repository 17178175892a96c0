"""How well a tester judges: intervals scored by a proper rule, flaws and verdicts, and calibration over many cases."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any, Final, Literal, cast

from fairmargin.core.laws.wind import along_and_across, from_vector
from fairmargin.core.memory.road import road_bearing
from fairmargin.core.result.verdict import SETTLED, VerdictWord
from fairmargin.core.study import Leg, Study

#: How sure the tester's interval is meant to be.
PRACTISED: Final = 0.8
FlawName = Literal[
    "none", "order drift", "wind", "reset did not take", "cold first leg", "following", "coarse display", "two changes"
]
#: Every flaw that a case may hide, in words of the trade. Common practice.
FLAWS: Final[Mapping[FlawName, str]] = {
    "none": "Nothing is wrong with it",
    "order drift": "The order: what drifts over the day falls on one side",
    "wind": "The wind: it was not alike, and nothing cancels it",
    "reset did not take": "A reset that did not take: one leg holds the leg before",
    "cold first leg": "A cold first leg: tyres and driveline were not warm",
    "following": "Somebody was followed closely",
    "coarse display": "The display is too coarse for the question",
    "two changes": "Two things changed at once",
}
#: Flaws that leave no direction to be claimed, however clear the figures look.
FATAL: Final = frozenset({"wind", "reset did not take", "following", "two changes"})
FAR: Final = 6.0  # per cent: an effect whose direction no single such flaw turns
LEAST_ANSWERS: Final = 5  # before anything is said of calibration


@dataclass(frozen=True, slots=True)
class Solution:
    """What is true of a case.

    Attributes
    ----------
    effect_percent : float
        Of the change alone.
    flaw : str
    carried : tuple of str
        Verdicts that the evidence carries.
    told_by : tuple of str
        Legs whose figures give the flaw away.
    clean : mapping of str to float
        What each leg would have shown without the flaw, in the unit of its own reading.
    """

    effect_percent: float
    flaw: FlawName
    carried: tuple[VerdictWord, ...]
    told_by: tuple[str, ...] = ()
    clean: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Beside:
    """What an answer is held against: the program's own, and what can be said of such a change without reading a leg.

    Attributes
    ----------
    low, high : float
        Interval that the program gives, as sure as the tester's is meant to be. [%]
    verdict : str
        Verdict that it gives.
    unread : float
        Half-width of the interval that such changes usually lie in, around nought. [%]
    """

    low: float
    high: float
    verdict: VerdictWord
    unread: float


@dataclass(frozen=True, slots=True)
class Answer:
    """What was said of a case before its truth was shown, the truth, and what it is held against."""

    case: str
    at: str  # ISO 8601
    verdict: VerdictWord
    flaw: FlawName
    low: float
    high: float
    truth: float
    true_flaw: FlawName
    carried: tuple[VerdictWord, ...]
    beside: Beside | None = None  # None in answers of before it was kept

    @property
    def program_score(self) -> float | None:
        """Score of the program's own interval; None where it was not kept."""
        return None if self.beside is None else interval_score(self.beside.low, self.beside.high, self.truth)

    @property
    def unread_score(self) -> float | None:
        """Score of what can be said without reading a leg; None where it was not kept."""
        return None if self.beside is None else interval_score(-self.beside.unread, self.beside.unread, self.truth)

    @property
    def well_said(self) -> bool:
        """Whether the flaw was seen, and an interval given that holds the truth and says more than the kind of change does."""
        unread = self.unread_score
        return self.right_flaw and self.holds and (unread is None or self.score < unread)

    @property
    def holds(self) -> bool:
        """Whether the interval holds the truth."""
        return self.low <= self.truth <= self.high

    @property
    def score(self) -> float:
        """Interval score of the interval, in per cent; smaller is better."""
        return interval_score(self.low, self.high, self.truth)

    @property
    def right_flaw(self) -> bool:
        """Whether the flaw was seen, or that there is none."""
        return self.flaw == self.true_flaw

    @property
    def right_verdict(self) -> bool:
        """Whether the evidence carries the verdict."""
        return self.verdict in self.carried

    @property
    def misses_by(self) -> float:
        """How far the truth lies from the interval's middle, in its half-widths."""
        half = (self.high - self.low) / 2
        return abs(self.truth - (self.low + self.high) / 2) / half if half > 0 else math.inf


def interval_score(low: float, high: float, truth: float, confidence: float = PRACTISED) -> float:
    """Score of an interval: its width, and 2/α times what it misses the truth by; smaller is better.

    A proper rule: nobody gains by an interval wider or narrower than he believes (T. Gneiting, A. E. Raftery, "Strictly proper
    scoring rules, prediction, and estimation", J. Am. Stat. Assoc. 102 (2007) 359, eq. 43).

    Raises
    ------
    ValueError
        If the interval is the wrong way round, or not finite.

    Examples
    --------
    >>> round(interval_score(-5.0, -1.0, -3.0), 6), round(interval_score(-5.0, -1.0, 0.0), 6)
    (4.0, 14.0)
    """
    if not (math.isfinite(low) and math.isfinite(high)) or low > high:
        raise ValueError(f"expected an interval from low to high; got {low:g} to {high:g}")
    missed = max(low - truth, 0.0) + max(truth - high, 0.0)
    return (high - low) + 2.0 / (1.0 - confidence) * missed


def answer_to(
    case: str, solution: Solution, at: str, verdict: VerdictWord, flaw: FlawName, low: float, high: float
) -> Answer:
    """Hold an answer against the truth.

    Raises
    ------
    ValueError
        If the interval is the wrong way round, the verdict no verdict or the flaw no flaw.
    """
    interval_score(low, high, 0.0)
    if flaw not in FLAWS:
        raise ValueError(f'"{flaw}" is not a flaw; expected one of {", ".join(FLAWS)}')
    if verdict not in VERDICTS:
        raise ValueError(f'"{verdict}" is not a verdict; expected one of {", ".join(VERDICTS)}')
    return Answer(case, at, verdict, flaw, low, high, solution.effect_percent, solution.flaw, solution.carried)


VERDICTS: Final[tuple[VerdictWord, ...]] = (*SETTLED, "not settled", "not a fair comparison")


def head_wind(study: Study, leg: Leg) -> float:
    """Head wind of a leg, as reported; less than nothing from behind, nothing where none was reported. [m/s]"""
    bearing = road_bearing(study.route)
    if bearing is None or leg.wind_speed_ms is None or leg.wind_from_deg is None:
        return 0.0
    heading = math.radians(bearing + (180.0 if leg.direction == "back" else 0.0))
    along, _ = along_and_across(*from_vector(leg.wind_speed_ms, leg.wind_from_deg), heading)
    return float(along)


def like_leg(study: Study, leg: Leg) -> Leg | None:
    """The nearest other leg with the same configuration, the same way."""
    at = study.legs.index(leg)
    others = [
        (abs(i - at), x)
        for i, x in enumerate(study.legs)
        if i != at and (x.configuration, x.direction) == (leg.configuration, leg.direction)
    ]
    return min(others, key=lambda o: o[0])[1] if others else None


def unread_half(usual_effect: float) -> float:
    """Half-width of the interval that a kind of change usually lies in, as sure as a tester's is meant to be. [%]

    Examples
    --------
    >>> round(unread_half(0.06), 1)
    8.0
    """
    from fairmargin.core import intervals

    return 100.0 * math.expm1(usual_effect * intervals.deviate(PRACTISED))


def carried_by(flaw: FlawName, verdict: VerdictWord, effect: float, smallest: float) -> tuple[VerdictWord, ...]:
    """Verdicts that a case carries.

    Where a flaw leaves no direction to be claimed: none, unless the effect is far larger than such flaws are worth. Else what the
    readings say once all that was noted is corrected, and "not settled" where that would say a direction which is not the truth's.
    """
    true: VerdictWord = (
        "no difference that matters" if abs(effect) < smallest else "uses more" if effect > 0 else "uses less"
    )
    if flaw in FATAL:
        plain: tuple[VerdictWord, ...] = ("not settled", "not a fair comparison")
        return (*plain, true) if abs(effect) >= FAR and verdict == true else plain
    if verdict in SETTLED and verdict != true:
        return ("not settled",)
    return (verdict,) if verdict in {*SETTLED, "not settled"} else (verdict, "not settled")


@dataclass(frozen=True, slots=True)
class Calibration:
    """How often the tester's intervals hold, and what that says."""

    answers: int
    holding: int
    interval: tuple[float, float]  # of the share, 95 %
    mean_score: float
    program_score: float | None  # the program's own over the same cases; None where not all were kept with it
    unread_score: float | None  # of whoever reads no leg
    widen: float | None  # factor that would make them hold as often as meant; None with few answers
    right_flaws: int
    right_verdicts: int

    @property
    def share(self) -> float:
        """Share of the intervals that hold."""
        return self.holding / self.answers if self.answers else math.nan

    @property
    def words(self) -> str:
        """In a sentence or two."""
        if not self.answers:
            return "No case answered yet."
        told = (
            f"Your {100 * PRACTISED:.0f} % hold {100 * self.share:.0f} % ({self.holding} of {self.answers}). "
            f"Flaw seen in {self.right_flaws}, verdict carried in {self.right_verdicts}. Mean score {self.mean_score:.1f}"
        )
        if self.program_score is None or self.unread_score is None:
            told += " (smaller is better)."
        else:
            told += f"; the program's own {self.program_score:.1f}, without reading a leg {self.unread_score:.1f} (smaller is better)."
            if self.mean_score >= self.unread_score:
                told += " So far your intervals say no more than whoever reads no leg."
        if self.answers < LEAST_ANSWERS or self.widen is None:
            return f"{told} A few more cases, and it can be said whether they are too narrow."
        low, high = self.interval
        if high < PRACTISED:
            return f"{told} They are too narrow: make them about {self.widen:.1f} times as wide."
        if low > PRACTISED:
            return f"{told} They are wider than they need to be: {self.widen:.1f} times as wide would do."
        return f"{told} So many cases do not tell them from {100 * PRACTISED:.0f} %."


def calibration(answers: Sequence[Answer]) -> Calibration:
    """Judge all answers; of a case that was answered again only the first counts, since its truth was seen."""
    first = first_answers(answers)
    n, k = len(first), sum(a.holds for a in first)
    return Calibration(
        n,
        k,
        wilson(k, n),
        sum(a.score for a in first) / n if n else math.nan,
        _mean([a.program_score for a in first]),
        _mean([a.unread_score for a in first]),
        _widen([a.misses_by for a in first]),
        sum(a.right_flaw for a in first),
        sum(a.right_verdict for a in first),
    )


def _mean(scores: Sequence[float | None]) -> float | None:
    known = [s for s in scores if s is not None]
    return sum(known) / len(known) if known and len(known) == len(scores) else None


def first_answers(answers: Sequence[Answer]) -> list[Answer]:
    """The first answer to each case, in the order they were given."""
    seen: dict[str, Answer] = {}
    for a in answers:
        seen.setdefault(a.case, a)
    return list(seen.values())


def over_time(answers: Sequence[Answer]) -> list[float]:
    """Share of the intervals that held after each answer."""
    held, out = 0, []
    for n, a in enumerate(first_answers(answers), start=1):
        held += a.holds
        out.append(held / n)
    return out


def _widen(misses: Sequence[float]) -> float | None:
    """Factor on the half-widths that would make them hold as often as meant."""
    if len(misses) < LEAST_ANSWERS:
        return None
    at = min(math.ceil(PRACTISED * len(misses)), len(misses)) - 1
    found = sorted(misses)[at]
    return found if math.isfinite(found) else None


def wilson(k: int, n: int, confidence: float = 0.95) -> tuple[float, float]:
    """Interval of a share of `k` in `n` (E. B. Wilson, J. Am. Stat. Assoc. 22 (1927) 209, from memory).

    Examples
    --------
    >>> [round(v, 3) for v in wilson(11, 20)]
    [0.342, 0.742]
    """
    from fairmargin.core import intervals

    if not n:
        return 0.0, 1.0
    z = intervals.deviate(confidence)
    p, scale = k / n, 1 + z * z / n
    middle = (p + z * z / (2 * n)) / scale
    half = z / scale * math.sqrt(p * (1 - p) / n + z * z / (4 * n * n))
    return max(middle - half, 0.0), min(middle + half, 1.0)


def as_record(a: Answer) -> dict[str, Any]:
    """An answer as JSON values."""
    return asdict(a) | {"carried": list(a.carried)}


def from_record(value: Mapping[str, Any]) -> Answer:
    """An answer from its JSON values.

    Raises
    ------
    ValueError, TypeError, KeyError
        If they are not that.
    """
    low, high, truth = (float(value[k]) for k in ("low", "high", "truth"))
    interval_score(low, high, truth)
    verdict, flaw, true_flaw = (str(value[k]) for k in ("verdict", "flaw", "true_flaw"))
    if verdict not in VERDICTS or flaw not in FLAWS or true_flaw not in FLAWS:
        raise ValueError("expected a verdict and two flaws")
    carried = tuple(str(v) for v in value["carried"])
    return Answer(
        case=str(value["case"]),
        at=str(value["at"]),
        verdict=verdict,
        flaw=cast(FlawName, flaw),
        low=low,
        high=high,
        truth=truth,
        true_flaw=cast(FlawName, true_flaw),
        carried=cast(tuple[VerdictWord, ...], carried),
        beside=_beside(value.get("beside")),
    )


def _beside(value: Mapping[str, Any] | None) -> Beside | None:
    if value is None:
        return None
    low, high, unread = (float(value[k]) for k in ("low", "high", "unread"))
    interval_score(low, high, 0.0)
    interval_score(-unread, unread, 0.0)
    verdict = str(value["verdict"])
    if verdict not in VERDICTS:
        raise ValueError("expected a verdict")
    return Beside(low, high, verdict, unread)
