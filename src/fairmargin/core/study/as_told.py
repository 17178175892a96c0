"""A study with what was said once laid on its legs: an empty cell takes its outing's word, else the study's."""

from __future__ import annotations

from datetime import datetime, time
from typing import Any

from fairmargin.core.study.circumstances import BEAUFORT_M_S, Circumstances, Outing
from fairmargin.core.study.leg import Leg
from fairmargin.core.study.values import Study

#: Fields of a leg that a circumstance of the same name stands for.
OF_LEGS = ("road", "climate", "speed_held")
#: Who drove, where somebody said that it was the same person and gave no name.
SAME_DRIVER = "the same driver"


def outing_block(outing: Outing) -> str:
    """Block of the legs that somebody said were driven in one outing."""
    return f"outing {outing.id}"


def as_told(study: Study) -> Study:
    """Lay what was alike on the legs that do not say it themselves.

    A word for the wind is its speed in the middle of what it stands for, from no known side; where the station reported, or a
    leg has a wind of its own, that counts.

    Parameters
    ----------
    study : Study

    Returns
    -------
    Study
        The same study where nothing was said once.
    """
    if study.circumstances == Circumstances() and not study.outings:
        return study
    drivers = {leg.driver for leg in study.legs if leg.driver}
    # One name that some legs have is that of all; where nobody gave one, that they are the same is enough.
    driver = drivers.pop() if len(drivers) == 1 else "" if drivers else SAME_DRIVER
    return study.with_legs([_told(study, leg, driver) for leg in study.legs])


def _told(study: Study, leg: Leg, driver: str) -> Leg:
    outing = next((o for o in study.outings if (leg.run or leg.leg) in o.runs), None)
    levels: tuple[Circumstances, ...] = (study.circumstances,) if outing is None else (outing, study.circumstances)

    def said(name: str) -> Any:
        return next((v for level in levels if (v := getattr(level, name)) is not None), None)

    changes: dict[str, Any] = {}
    for name in OF_LEGS:
        value = said(name)
        if value is not None and not getattr(leg, name):
            changes[name] = value
    if said("driver") == "alike" and not leg.driver and driver:
        changes["driver"] = driver
    wind = said("wind")
    if wind is not None and leg.wind_speed_ms is None and not study.weather:
        low, high = BEAUFORT_M_S[wind]
        changes["wind_speed_ms"] = round((low + high) / 2, 1)
    if outing is not None:
        if leg.started_at is None and outing.date is not None:
            changes |= {"started_at": datetime.combine(outing.date, time()), "dated_only": True}
        if leg.block != outing_block(outing):
            changes["block"] = outing_block(outing)
    return leg.with_(**changes) if changes else leg
