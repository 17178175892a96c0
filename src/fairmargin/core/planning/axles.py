"""Axles on a weighbridge against their limits, and tyres against what stands on them and how fast they are driven."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from fairmargin.core.planning.load import Check, State, against
from fairmargin.core.planning.tyres import TyreRating, tyre_rating
from fairmargin.core.study.plan import LimitSource, Load
from fairmargin.core.units import said

TYRES_OF_AN_AXLE: Final = 2


def axle_kg(load: Load, axle: str) -> float | None:
    """What an axle weighed, the heavier of alone and with the trailer hitched; ``front`` or ``rear``. [kg]"""
    known = [v for v in (getattr(load, f"{axle}_axle_kg"), getattr(load, f"{axle}_axle_towing_kg")) if v is not None]
    return max(known) if known else None


def check_axles(load: Load, speed_kmh: float | None = None) -> tuple[Check, ...]:
    """Hold weighed axles and tyres against limits and markings; only what was filled in is checked.

    Parameters
    ----------
    load : Load
    speed_kmh : float, optional
        The fastest that is planned.

    Returns
    -------
    tuple of Check

    Raises
    ------
    ValueError
        If a tyre's marking has a load index that there is not.
    """
    checks: list[Check] = []
    for axle in ("front", "rear"):
        weighed, limits = axle_kg(load, axle), getattr(load, f"{axle}_axle_limit")
        if weighed is not None or limits:
            checks.append(against(f"{axle} axle", weighed, limits, f"the {axle} axle on a weighbridge"))
    rating = tyre_rating(load.tyres) if load.tyres else None
    if rating is not None:
        for axle in ("front", "rear"):
            weighed = axle_kg(load, axle)
            if weighed is not None:
                checks.append(_tyres(f"{axle} tyres", weighed, rating))
        checks += _speed("tyres\u2019 speed", rating, speed_kmh)
    towed = tyre_rating(load.trailer_tyres) if load.trailer_tyres else None
    if towed is not None:
        if load.trailer_axles_kg is not None:
            checks.append(_tyres("trailer tyres", load.trailer_axles_kg / load.trailer_axle_count, towed))
        checks += _speed("trailer tyres\u2019 speed", towed, speed_kmh)
    return tuple(checks)


def _tyres(name: str, axle: float, rating: TyreRating) -> Check:
    """Two tyres against what stands on their axle."""
    limit = LimitSource(mass_kg=TYRES_OF_AN_AXLE * rating.load_kg, source=f"two tyres of load index {rating.index}")
    return against(name, axle, (limit,), "the axle on a weighbridge")


def _speed(name: str, rating: TyreRating, speed_kmh: float | None) -> Sequence[Check]:
    """A speed symbol against the plan's fastest; nothing where no speed is planned."""
    if speed_kmh is None:
        return ()
    slow = speed_kmh <= rating.speed_kmh
    state: State = "fine" if slow else "over"
    most = f"{said(rating.speed_kmh, 'km/h')} by their symbol {rating.symbol}"
    words = f"Planned {said(speed_kmh, 'km/h')}, at most {most}." + ("" if slow else " Do not drive that fast.")
    return (Check(name, state, None, None, None, f"symbol {rating.symbol}", words),)
