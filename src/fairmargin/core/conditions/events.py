"""What happens on the way: traffic, a wake, rain, a doubtful reset, a moved read-off."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import replace
from statistics import median
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case
from fairmargin.core.conditions.distance import of_another_length
from fairmargin.core.conditions.room import Condition
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.readings import TRIP_METERS
from fairmargin.core.figures import SMALL
from fairmargin.core.laws import disturbance
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study.vocabulary import EventKind

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()


def noted(case: Case, kind: EventKind) -> tuple[str, ...]:
    """Legs of the comparison on which something was noted."""
    ours = {c.leg for c in case.conditions}
    return tuple(dict.fromkeys(e.leg for e in case.study.events if e.kind == kind and e.leg in ours))


@CONCERNS.rule("slow-traffic", stage="examine", needs="a note, with place, duration and speed", covered=None)
def slow_traffic(case: Case) -> Iterator[Finding]:
    """Held up by traffic: priced as if nobody had been, since the leg's own time already slows the model down."""
    legs = noted(case, "slow-traffic")
    if not legs:
        return
    if case.study.change.is_technique:
        yield Finding(
            "caution",
            case.dropping(legs),
            legs,
            "Slow traffic",
            "Held up by traffic: how much of it is the traffic's and how much the way of driving, nobody can tell.",
            "Drive the leg again, or leave it out with the reason.",
            signed=True,
            covered=False,
        )
        return
    told = {e.leg for e in case.study.events if e.kind == "slow-traffic" and (e.duration_s or e.speed_kmh)}
    timed = {c.leg for c in case.conditions if c.timed or c.logged}
    untold = tuple(leg for leg in legs if leg not in told and leg not in timed)
    if untold:
        yield Finding(
            "caution",
            None,
            untold,
            "Slow traffic, nobody knows how much",
            "Neither how long nor how slow was noted, and the leg was not timed: nothing of it is corrected; the margin holds "
            "what it may have been.",
            "Note how long and how slow, or the leg's time; or leave the leg out with the reason.",
            covered=False,
        )
    legs = tuple(leg for leg in legs if leg not in untold)
    if not legs:
        return
    free = median([c.speed_m_s for c in case.conditions])
    bias = case.held_up_by_nothing([replace(c, speed_m_s=free) for c in case.conditions if c.leg in legs])
    yield Finding(
        "note" if abs(bias or 0.0) < SMALL else "caution",
        bias,
        legs,
        "Slow traffic",
        "Held up by traffic. The slower stretch is in the model; restarts are not, and count as scatter.",
        "Corrected. Drive the leg again if it was long.",
        signed=True,
        covered=True,
    )


def _spoilt(
    case: Case,
    kind: EventKind,
    usual_share: Callable[[], float] | None,
    title: str,
    message: str,
    step: str,
    told_already: Collection[str] = (),
) -> Iterator[Finding]:
    """A leg spoilt by something that nothing corrects: priced by leaving it out, else by what it usually does."""
    legs = tuple(leg for leg in noted(case, kind) if leg not in told_already)
    if kind == "rain":
        legs = tuple(c.leg for c in case.conditions if c.leg in legs and not disturbance.road_share(c.road))
    if not legs:
        return
    bias = case.dropping(legs)
    if bias is None and usual_share is not None:
        bias = as_usual(case, legs, usual_share())
    covered = bias is not None and abs(bias) < SMALL
    yield Finding("note" if covered else "caution", bias, legs, title, message, step, signed=True, covered=covered)


def as_usual(case: Case, legs: Sequence[str], usual_share: float) -> float:
    """What a thing usually does to legs that cannot be left out, as a difference of means (common practice)."""
    shares = [sum(c.leg in legs for c in side) / max(len(side), 1) for side in case.both]
    return 100.0 * usual_share * (shares[1] - shares[0])


@CONCERNS.rule("following-closely", stage="examine", needs="a note", covered=None)
def following_closely(case: Case) -> Iterator[Finding]:
    """Driven in the wake of a vehicle ahead."""
    yield from _spoilt(
        case,
        "following-closely",
        lambda: -disturbance.WAKE_SHARE * case.energy_share(Parameter.DRAG),
        "Followed another vehicle closely",
        "The wake of a vehicle ahead lowers the drag, by 10 to 20 % at motorway distances (common practice).",
        "Never follow closely to test. Leave the leg out with the reason, or drive it again.",
    )


@CONCERNS.rule("trip-meter-not-reset", stage="examine", needs="a note", covered=None)
def trip_meter_not_reset(case: Case) -> Iterator[Finding]:
    """The reset may not have taken: it blocks its leg, unless another meter was read."""
    noted_on = noted(case, "reset-doubtful")
    counted = {name: o.readings[0].instrument for o in case.observations for name in o.legs}
    by_trip = tuple(name for name in noted_on if counted.get(name) in TRIP_METERS)
    if by_trip:
        bias = case.dropping(by_trip)
        small = bias is not None and abs(bias) < SMALL
        yield Finding(
            "note" if small else "blocks",
            bias,
            by_trip,
            "Trip meter reset doubtful",
            "If the reset did not take, the average belongs to a longer drive.",
            "Check distance against the route; leave the leg out if they differ."
            if small
            else "Read another meter for this leg, or leave it out with the reason.",
            signed=True,
            covered=small,
        )
    elif noted_on:
        yield Finding(
            "note",
            0.0,
            noted_on,
            "Trip meter reset doubtful, another meter counts",
            "The trip meter of this leg does not count; what another instrument read does.",
            "Nothing to do.",
            signed=True,
            covered=True,
        )


@CONCERNS.rule("wrong-turn", stage="examine", needs="a note", covered=None)
def wrong_turn(case: Case) -> Iterator[Finding]:
    """Off the road for a while, slower and turned twice; a leg that is clearly longer for it is told by its length."""
    if not noted(case, "wrong-turn"):
        return
    yield from _spoilt(
        case,
        "wrong-turn",
        None,
        "Wrong turn on the leg",
        "The way round, its turns and its slower stretch are in the reading, and are not what the others drove.",
        "Leave the leg out with the reason, or drive it again.",
        told_already=[c.leg for c in of_another_length(case)],
    )


@CONCERNS.rule("read-off-point-moved", stage="examine", needs="a note", covered=None)
def read_off_point_moved(case: Case) -> Iterator[Finding]:
    """Coasted before the read-off."""
    yield from _spoilt(
        case,
        "lift-off",
        None,
        "Lifted off before the read-off",
        "Coasting before the read-off leaves kinetic energy out of the reading.",
        "Read off at the landmark, at speed; drive the leg again.",
    )


@CONCERNS.rule("wet-road", stage="examine", needs="a note", covered=None)
def rain(case: Case) -> Iterator[Finding]:
    """Rain noted on a leg whose road is not noted as wet, which is corrected."""
    yield from _spoilt(
        case,
        "rain",
        lambda: disturbance.road_share("wet"),
        "Rain on the leg",
        "Rain costs up to 10 % and is not corrected (common practice); a leg whose road is noted as wet is.",
        "Leave the leg out with the reason, or drive it again in the dry.",
    )


CONDITION: Final = Condition("events", concerns=CONCERNS.rules)
