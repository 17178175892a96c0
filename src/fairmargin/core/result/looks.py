"""What looking at the result on the way costs, and how wide an interval must be so that it costs nothing.

Whoever looks after every pair and stops once it is settled has that many chances to be wrong. Where the number of pairs was
sealed, the chance is spent little by little: an interval before the last pair is so wide that all looks together are wrong as
often as the one at the end (K. K. G. Lan, D. L. DeMets, Biometrika 70 (1983) 659, with their spending function after O'Brien and
Fleming; from memory). At the sealed number of pairs, and beyond it, the ordinary interval stands.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from statistics import NormalDist
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Study

Array = NDArray[np.float64]
_NORMAL: Final = NormalDist()
GRID: Final = 601  # points of the sum's density
LEAST: Final = 1e-250  # of a tail
MOST_SURE: Final = 1.0 - 1e-9  # of an interval: nothing is said with more
REACH: Final = 6.5  # of it, in standard deviations at the end
#: How often a null is called a difference when looked at, with an interval of 95 %, after each of so many equal parts
#: (P. Armitage, C. K. McPherson, B. C. Rowe, J. R. Stat. Soc. A 132 (1969) 235, table 2; from memory).
LOOKED_EACH_TIME: Final = {1: 0.050, 2: 0.083, 3: 0.107, 4: 0.126, 5: 0.142, 10: 0.193, 20: 0.248}


@dataclass(frozen=True, slots=True)
class Look:
    """A look at the result before all sealed pairs were driven."""

    level: float  # confidence of its interval
    pairs: int
    of_pairs: int

    @property
    def level_words(self) -> str:
        """Confidence in words, with as many nines as it has."""
        doubt = 100.0 * (1.0 - self.level)
        return f"{100.0 - doubt:.{max(0, math.ceil(-math.log10(max(doubt, 1e-7))) + (doubt < 1))}f} %"


def look_words(look: Look) -> str:
    """Say why the interval is wider than it would be."""
    return (
        f"{look.pairs} of {look.of_pairs} sealed pairs are driven: until then the interval is one of {look.level_words}, so that "
        "looking on the way makes no verdict too easily."
    )


def spent(share: float, alpha: float) -> float:
    """Chance of error that is spent when a share of the pairs is driven: half of it on either side, each by 2 − 2 Φ(z/√t)."""
    return 2.0 * math.erfc(_NORMAL.inv_cdf(1.0 - alpha / 4.0) / math.sqrt(2.0 * share))


@lru_cache(maxsize=64)
def boundaries(pairs: int, confidence: float) -> tuple[float, ...]:
    """Normal deviates that the effect must exceed after each pair, looked at after every one of them.

    By recursive integration of the density of what has not crossed yet (Armitage et al. 1969, from memory).

    Parameters
    ----------
    pairs : int
        Sealed number.
    confidence : float

    Returns
    -------
    tuple of float
        One for each pair.

    Examples
    --------
    >>> [round(z, 2) for z in boundaries(4, 0.95)]
    [4.33, 2.96, 2.36, 2.01]
    """
    alpha, step = 1.0 - confidence, math.sqrt(1.0 / pairs)
    x = np.linspace(-REACH, REACH, GRID)
    dx = float(x[1] - x[0])
    density = np.exp(-0.5 * (x / step) ** 2) / (step * math.sqrt(2.0 * math.pi))
    kernel = np.exp(-0.5 * ((x[:, None] - x[None, :]) / step) ** 2) / (step * math.sqrt(2.0 * math.pi)) * dx
    out: list[float] = []
    gone = 0.0
    for k in range(1, pairs + 1):
        room = max(spent(k / pairs, alpha) - gone, 0.0)
        edge = _edge(x, density, room / 2.0) if k > 1 else -step * _NORMAL.inv_cdf(max(room / 2.0, LEAST))
        out.append(edge / math.sqrt(k / pairs))
        gone += room
        inside = np.clip((edge - np.abs(x)) / dx + 0.5, 0.0, 1.0)  # the cell at the edge counts in part
        density = kernel @ (density * inside)
    return tuple(out)


def _edge(x: Array, density: Array, tail: float) -> float:
    """Where the upper tail of a symmetric density holds so much."""
    dx = float(x[1] - x[0])
    upper = np.concatenate([[0.0], np.cumsum(0.5 * (density[::-1][1:] + density[::-1][:-1])) * dx])[::-1]
    return float(np.interp(-tail, -upper, x))


def level_at(study: Study, pairs: int) -> float:
    """Confidence of the interval after so many pairs: the study's, or a higher one before the sealed number is driven."""
    registration = study.registration
    if registration is None or registration.pairs is None or not 1 <= pairs < registration.pairs:
        return study.confidence
    z = boundaries(registration.pairs, study.confidence)[pairs - 1]
    return min(1.0 - math.erfc(z / math.sqrt(2.0)), MOST_SURE)


def wrong_when_looked(pairs: int) -> float:
    """How often a null is called a difference by who looks after each pair and stops when it is settled, of a 95 % interval."""
    counts = sorted(LOOKED_EACH_TIME)
    return float(np.interp(math.log(pairs), np.log(counts), [LOOKED_EACH_TIME[k] for k in counts]))
