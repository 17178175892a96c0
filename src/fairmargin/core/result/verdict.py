"""What may be said: the verdict from the interval, the smallest effect that matters and the concerns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist
from typing import Final, Literal

from fairmargin.core.conditions.concern import Concern
from fairmargin.core.study import Study

VerdictWord = Literal["uses more", "uses less", "no difference that matters", "not settled", "not a fair comparison"]
SETTLED: Final[tuple[VerdictWord, ...]] = ("uses more", "uses less", "no difference that matters")
POWER: Final = 0.8
POWER_DEVIATE: Final = 0.8416  # normal deviate of it, where one end of the interval may miss
_NORMAL: Final = NormalDist()
MAX_PAIRS: Final = 200


def word(
    effect_percent: float,
    interval_percent: tuple[float, float],
    smallest_percent: float,
    blocked: bool,
    open_charge_percent: float,
    unsettled: bool = False,
) -> VerdictWord:
    """Judge an effect.

    "No difference that matters" is an equivalence test: the whole interval must lie inside ± the smallest
    effect (two one-sided tests, D. J. Schuirmann, J. Pharmacokinet. Biopharm. 15 (1987) 657, from memory).
    `open_charge_percent` is what concerns that no correction and no margin covers may be worth together:
    it widens the interval on both sides, and beyond the effect's own size the comparison is not fair. `unsettled`: whether
    something has to be seen to before anything is said of which side of zero it lies on.
    """
    low, high = interval_percent
    if blocked or (open_charge_percent > max(abs(effect_percent), smallest_percent)):
        return "not a fair comparison"
    low, high = low - open_charge_percent, high + open_charge_percent
    if -smallest_percent < low and high < smallest_percent:
        return "no difference that matters"
    if low > 0 and not unsettled:
        return "uses more"
    if high < 0 and not unsettled:
        return "uses less"
    return "not settled"


def equivalence_sd(size_percent: float, smallest_percent: float, deviate: float) -> float:
    """Standard deviation at which an effect is told to be smaller than what matters with 80 % power; 0 where it is not.

    The whole interval has to lie inside, so both ends may miss: Φ((δ − e)/σ − z) + Φ((δ + e)/σ − z) − 1 = 0.8. At no
    effect that is δ/σ = z + 1.2816, not z + 0.8416 (two one-sided tests, Schuirmann 1987, from memory).

    Parameters
    ----------
    size_percent : float
        Size of the true effect.
    smallest_percent : float
        Smallest effect that matters.
    deviate : float
        Half of an interval over its standard deviation.

    Examples
    --------
    >>> [round(1.0 / equivalence_sd(e, 1.0, 1.96), 3) for e in (0.0, 0.5)]
    [3.242, 5.603]
    """
    if size_percent >= smallest_percent:
        return 0.0
    least, most = 0.0, smallest_percent
    for _ in range(60):
        sd = 0.5 * (least + most)
        inside = sum(_NORMAL.cdf((smallest_percent + way * size_percent) / sd - deviate) for way in (-1.0, 1.0)) - 1.0
        least, most = (sd, most) if inside > POWER else (least, sd)
    return least


def pairs_needed(
    pairs: int,
    effect_percent: float,
    systematic_sd_percent: float,
    random_sd_percent: float,
    smallest_percent: float,
    deviate: float,
    order_sd_percent: float = 0.0,
) -> int | None:
    """Pairs in all that would settle the question with 80 % power at the scatter seen.

    More pairs shrink the random part by 1/√n, what hangs on the order (a cold first leg, a drift) by 1/n, as pairs in turn take it
    back, and leave the systematic part (days apart, constants) alone. An effect counts as settled when it can be told from zero,
    or told to be smaller than what matters, whichever is easier. None when no number up to 200 pairs is enough.
    """
    if pairs < 1:
        return None
    size = abs(effect_percent)
    wanted_sd = max(size / (deviate + POWER_DEVIATE), equivalence_sd(size, smallest_percent, deviate))
    room = wanted_sd**2 - systematic_sd_percent**2

    def is_enough(n: int) -> bool:
        left = pairs / n
        return random_sd_percent**2 * left + order_sd_percent**2 * left**2 <= room * (1 + 1e-9)

    if not is_enough(MAX_PAIRS):
        return None
    return next(n for n in range(1, MAX_PAIRS + 1) if is_enough(n))


@dataclass(frozen=True, slots=True)
class Ruling:
    """A verdict and what it rests on."""

    word: VerdictWord
    percent: float
    interval_percent: tuple[float, float]
    open_charge_percent: float
    pairs: int
    pairs_needed: int | None
    limited_by: str = ""  # what makes most of the margin, but for scatter
    remedy: str = ""  # what would make that smaller

    @property
    def half_width_percent(self) -> float:
        """Half the interval's width."""
        return (self.interval_percent[1] - self.interval_percent[0]) / 2


def reason(study: Study, ruling: Ruling, found: Sequence[Concern]) -> str:
    """Say in a sentence or two why the verdict is what it is, and what would help."""
    level = f"{100 * study.confidence:g} %"
    smallest, open_percent = study.smallest_effect_percent, ruling.open_charge_percent
    blocked = next((c for c in found if c.severity == "blocks"), None)
    if blocked is not None:
        return f"{blocked.title}: no margin can cover that. {blocked.next_step}"
    if ruling.word == "not a fair comparison":
        worst = max((c for c in found if not c.covered and c.bias_percent), key=lambda c: abs(c.bias_percent or 0))
        return f"{worst.title} may be worth {open_percent:.1f} %, more than the effect. {worst.next_step}"
    if ruling.word in {"uses more", "uses less"}:
        extra = f" even with {open_percent:.1f} % of open concerns added" if open_percent > 0.05 else ""
        return f"The whole {level} interval lies on one side of zero{extra}."
    if ruling.word == "no difference that matters":
        return f"The whole {level} interval lies within ±{smallest:g} %, the smallest effect that matters."
    low, high = ruling.interval_percent
    waiting = next((c for c in found if c.unsettles), None)
    if waiting is not None and (low > 0 or high < 0):
        return f"{waiting.title}. {waiting.message} {waiting.next_step}"
    if low > 0 or high < 0:
        return f"The {level} interval lies on one side of zero, but open concerns worth {open_percent:.1f} % could undo it."
    ends = f"{low:+.1f} to {high:+.1f} %".replace("-", "\u2212")
    return f"The {level} interval ({ends}) holds both zero and effects that matter. " + pairs_words(
        ruling.word, ruling.pairs, ruling.pairs_needed, ruling.limited_by, ruling.remedy
    )


#: What sources and concerns ask for that more pairs would mend.
MORE_PAIRS: Final = "drive more pairs."


def agreeing(remedy: str, ruling: Ruling) -> str:
    """A remedy that does not ask for more pairs where the verdict says that they do not help.

    Examples
    --------
    >>> blocked = Ruling("not a fair comparison", 1.0, (-1.0, 3.0), 4.0, 2, None)
    >>> agreeing("Look for what differed, and note it; drive more pairs.", blocked)
    'Look for what differed, and note it.'
    """
    help_now = ruling.word == "not settled" and ruling.pairs_needed is not None
    if help_now or not remedy.lower().endswith(MORE_PAIRS):
        return remedy
    rest = remedy[: -len(MORE_PAIRS)].rstrip(" ;,")
    if rest:
        return f"{rest}."
    if ruling.word in SETTLED:
        return "Nothing is needed: it is settled. More pairs would narrow it."
    if ruling.word == "not a fair comparison":
        return "Nothing as long as it is not fair: more pairs like these would not make it so."
    return "More pairs would make this smaller, but alone they cannot settle it."


def pairs_words(said: VerdictWord, pairs: int, needed: int | None, limited_by: str = "", remedy: str = "") -> str:
    """Say what more pairs would do: the one statement about pairs, wherever one is made.

    Parameters
    ----------
    said : VerdictWord
        What may be said so far.
    pairs, needed : int
        Pairs driven, and in all that would settle it; None where no number would.
    limited_by, remedy : str, optional
        What makes most of the margin but for scatter, and what would make that smaller.

    Examples
    --------
    >>> pairs_words("not settled", 2, 5)
    'About 3 more pairs would settle it.'
    """
    if said == "not a fair comparison":
        return "More pairs like these would not make it fair."
    if said in SETTLED:
        return "It is settled: no more pairs are needed."
    if needed is None:
        because = f"what limits the margin is that {limited_by}. {remedy}"
        return f"More pairs like these cannot settle it: {because if limited_by else 'scatter is not what limits it.'}"
    more = needed - pairs
    if more <= 0:
        return "One more pair may settle it."
    return f"About {more} more pair{'s' if more != 1 else ''} would settle it."
