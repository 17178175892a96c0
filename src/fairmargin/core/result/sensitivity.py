"""Whether a verdict stands when its priors are others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fairmargin.core.result.verdict import VerdictWord


@dataclass(frozen=True, slots=True)
class PriorMoved:
    """A comparison with one family of priors changed."""

    prior: str
    change: str
    effect_percent: float
    interval_percent: tuple[float, float]
    verdict: VerdictWord


def survival_words(said: VerdictWord, rows: Sequence[PriorMoved]) -> str:
    """Say in one line whether a verdict stands under all of them, and which it falls with."""
    if not rows:
        return "It rests on no priors."
    falls = [r for r in rows if r.verdict != said]
    if not falls:
        return f"\u201c{said}\u201d stands under all {len(rows)} changes of what is believed beforehand."
    first = max(falls, key=lambda r: abs(r.effect_percent))
    named = dict.fromkeys(f"{r.prior} {r.change}" for r in falls)
    some = ", ".join(list(named)[:3]) + (f" and {len(named) - 3} more" if len(named) > 3 else "")
    return f"\u201c{said}\u201d falls with {len(falls)} of {len(rows)} changes of what is believed beforehand: {some} (then: {first.verdict})."
