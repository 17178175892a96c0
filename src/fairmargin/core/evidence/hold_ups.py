"""What may have made a leg slower than its like, where nobody noted it: each way takes another energy.

A leg that stood at a gate drove as fast as the others and had to regain its speed: it took a little more. One that was slow
on a stretch saved air there. One that was slower all the way saved air all the way. Which it was the readings often say;
before they do, each is as likely as it is on the road.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from fairmargin.core.figures import Size
from fairmargin.core.study import Study

#: 67 Wh for a stop from 90 km/h, of 170 Wh/km that change by 1.3 per cent for each of speed.
STOP_M: Final = Size(
    300.0, "m", "speed that a leg counts as above its like where it stood, over its length: regaining the speed"
)
STOP_SD: Final = Size(0.7, "of it", "how far that is open")
STRETCH: Final = Size(0.5, "of what it was slower", "that a slow stretch counts as faster than the mean")
STRETCH_SD: Final = Size(0.25, "of what it was slower", "how far that is open")
ALL_THE_WAY_SD: Final = Size(0.1, "of what it was slower", "how far it is open where it was slower all the way")
#: How often a leg is driven slower all the way, at a speed lower by `NOTABLE` and at one lower by `MUCH`: nobody misses an aim
#: by much. Common practice.
NOTABLE: Final = 0.015
MUCH: Final = 0.06
ALL_THE_WAY: Final = (0.6, 0.1)
#: The same where all legs of a configuration were slower, by so much: of two, and of more. What makes it so made it so on all
#: of them: it does not average out.
ALL_SLOWER: Final = (0.015, 0.03, 0.05, 0.08, 0.2)
BOTH: Final = (0.75, 0.55, 0.35, 0.2, 0.1)
ALL_OF_THEM: Final = (0.9, 0.7, 0.4, 0.25, 0.15)
#: Of the others, how many stood: half of those that were slower by `NOTABLE`, most at `FAR`, which would take slow traffic
#: over a good part of the road.
STOOD: Final = (0.5, 0.75)
FAR: Final = 0.12


NOTABLE_STOP_S: Final = 5.0  # standing for less is no full stop
LAPS_STOP_S: Final = 20.0  # that each stop of laps takes, where nobody counted them; common practice


def full_stops(study: Study, leg: str, stopped_s: float) -> float:
    """Full stops of a leg: those noted, else by how long it stood: one, or on laps as many as such a time usually takes.

    Parameters
    ----------
    study : Study
    leg : str
        Its name.
    stopped_s : float
        How long it stood. [s]
    """
    noted = sum(e.kind == "stop" and e.leg == leg for e in study.events)
    if noted:
        return float(noted)
    if stopped_s <= NOTABLE_STOP_S:
        return 0.0
    return max(stopped_s / LAPS_STOP_S, 1.0) if study.method == "laps" else 1.0


def noted_standing_s(study: Study, leg: str) -> float | None:
    """How long the stops noted of a leg took together; None where none says. [s]"""
    told = [e.duration_s for e in study.events if e.kind == "stop" and e.leg == leg and e.duration_s]
    return sum(told) if told else None


@dataclass(frozen=True, slots=True)
class Explanation:
    """One way in which a leg may have been slower: how likely, and the speed that it then counts as.

    Attributes
    ----------
    what : str
    share : float
        Probability before the reading is looked at.
    off : float
        By what share the leg counts as faster than its mean speed.
    sd : float
    """

    what: str
    share: float
    off: float
    sd: float


def explanations(slower: float, metres: float, others: Sequence[float]) -> tuple[Explanation, ...]:
    """Ways in which a leg may have been slower than its like.

    Parameters
    ----------
    slower : float
        Share by which its mean speed was lower.
    metres : float
        Its length.
    others : sequence of float
        By what the other legs of its configuration and aim were slower, in either direction; not positive where they were not.

    Examples
    --------
    >>> [(e.what, round(e.share, 2), round(e.off, 3)) for e in explanations(0.06, 25_000.0, (0.0,) * 3)]
    [('stood', 0.55, 0.072), ('a slow stretch', 0.35, 0.03), ('slower all the way', 0.1, 0.0)]
    """
    throughout = float(np.interp(slower, (NOTABLE, MUCH), ALL_THE_WAY))
    if others and min(others) > NOTABLE:
        throughout = float(np.interp(slower, ALL_SLOWER, ALL_OF_THEM if len(others) > 1 else BOTH))
    stood = (1.0 - throughout) * float(np.interp(slower, (NOTABLE, FAR), STOOD))
    stop = STOP_M / max(metres, STOP_M)
    return (
        Explanation("stood", stood, slower + stop, STOP_SD * stop + ALL_THE_WAY_SD * slower),
        Explanation("a slow stretch", 1.0 - throughout - stood, STRETCH * slower, STRETCH_SD * slower),
        Explanation("slower all the way", throughout, 0.0, ALL_THE_WAY_SD * slower),
    )


def moments(ways: Sequence[Explanation], weights: Sequence[float] | None = None) -> tuple[float, float]:
    """Mean and standard deviation of what a leg counts as faster by, over its explanations."""
    w = np.array([e.share for e in ways] if weights is None else weights)
    off, sd = np.array([e.off for e in ways]), np.array([e.sd for e in ways])
    mean = float(w @ off)
    return mean, float(np.sqrt(w @ (sd**2 + (off - mean) ** 2)))
