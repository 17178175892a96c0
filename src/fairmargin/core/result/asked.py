"""What is asked of a study, and what is said until it is answered."""

from __future__ import annotations

from dataclasses import dataclass

from fairmargin.core.result.verdict import VerdictWord


@dataclass(frozen=True, slots=True)
class Asked:
    """A question, and what its answers would make of one comparison's margin."""

    code: str
    text: str
    worth_percent: float  # by how much half the interval is expected to narrow
    answers: tuple[tuple[str, float], ...]  # words, half-width after it


@dataclass(frozen=True, slots=True)
class IfAnswered:
    """What is said where a question that decides is answered one way."""

    answer: str
    effect_percent: float
    interval_percent: tuple[float, float]
    verdict: VerdictWord
