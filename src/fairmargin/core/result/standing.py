"""Whether a comparison may be called fair: it has to be earned, and what is in the way is said."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

from fairmargin.core.conditions.concern import Concern
from fairmargin.core.result.verdict import Ruling

StandingWord = Literal["fair", "with reservations", "not fair"]
#: Concerns that no price makes good: something has to be driven, or looked into, first.
RESERVATIONS: Final = {
    "one-pair-only": "One pair has nothing to check it against: drive another.",
    "one-leg-decides": "One leg decides it: drive that leg again.",
    "instruments-disagree": "The instruments do not agree, and nothing says which is right.",
    "instruments-apart": "The instruments tell different effects, and nothing says which is right.",
    "control-ratios": "No three ratios of test to control agree within 2 %: drive more runs of both together.",
    "slower-leg": "All legs of one side were slower than their like, and nobody said why: held up, or driven slower?",
    "order-drift": "The order keeps a drift of the day in it: add runs the other way round.",
    "vehicle-confounded": "Two vehicles were not swapped: their difference is in it.",
}
OPEN_PERCENT: Final = 0.05  # open concerns below this are nothing


@dataclass(frozen=True, slots=True)
class Standing:
    """How a comparison stands, and why."""

    word: StandingWord
    sentence: str


def standing(ruling: Ruling, method: str, as_measured_percent: float, found: Sequence[Concern]) -> Standing:
    """Say whether the comparison is fair.

    Parameters
    ----------
    ruling : Ruling
    method : {'model', 'plain'}
    as_measured_percent : float
    found : sequence of Concern
        Of this comparison.

    Returns
    -------
    Standing
    """
    codes = {c.code for c in found if c.severity != "note" or c.code in {"one-pair-only"}}
    if any(c.severity == "blocks" for c in found) or ruling.word == "not a fair comparison":
        return Standing("not fair", "Not a fair comparison: see the first entry.")
    if method == "plain":
        return Standing("with reservations", "The model does not explain the readings: this is the plain difference.")
    if ruling.open_charge_percent > OPEN_PERCENT:
        return Standing(
            "with reservations", f"{ruling.open_charge_percent:.1f} % of it is neither corrected nor in the margin."
        )
    unpriced = [c for c in found if c.bias_percent is None]
    if unpriced:
        return Standing("with reservations", f"{unpriced[0].title}: no price can be put on it.")
    for code, sentence in RESERVATIONS.items():
        if code in codes:
            return Standing("with reservations", sentence)
    correction = abs(ruling.percent - as_measured_percent)
    # An effect that its corrections made may not be what they are measured by: of read and corrected the smaller counts.
    if correction > max(min(abs(ruling.percent), abs(as_measured_percent)), ruling.half_width_percent):
        return Standing("with reservations", f"The corrections ({correction:.1f} %) are larger than the effect itself.")
    if ruling.word == "not settled":
        return Standing("fair", "All of it is corrected or in the margin; the margin is too wide to settle it.")
    return Standing("fair", "All corrected or in the margin. The comparison is fair.")
