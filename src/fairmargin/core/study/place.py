"""Where on earth a study is driven: for daylight, and nothing else."""

from __future__ import annotations

import re
from typing import Final

from fairmargin.core.study.values import Study
from fairmargin.core.units import read_number

#: Where a road that was only typed is drawn; nobody said where it lies.
MADE_UP: Final = (52.0, 0.0)
_SIDES: Final = {"N": 1.0, "S": -1.0, "E": 1.0, "W": -1.0}


def place_of(study: Study) -> tuple[float, float] | None:
    """Latitude and longitude of where it is driven: as told in the plan, else where its track begins; None where neither tells."""
    plan = study.plan
    if plan.place_latitude is not None and plan.place_longitude is not None:
        return float(plan.place_latitude), float(plan.place_longitude)
    first = next(((p.latitude, p.longitude) for p in study.route if p.latitude is not None), None)
    if first is None or first[0] is None or first[1] is None or first == MADE_UP:
        return None
    return float(first[0]), float(first[1])


def read_place(text: str) -> tuple[float, float]:
    """Read coordinates, or the name of a larger town.

    Parameters
    ----------
    text : str
        ``52.6, 0.1``, ``33.9 S 151.2 E``, or a town that the almanac (package astral) knows.

    Returns
    -------
    tuple of float
        Latitude and longitude. [degrees]

    Raises
    ------
    ValueError
        If it is neither.

    Examples
    --------
    >>> read_place("33.87 S, 151.21 E"), read_place("52,6; 0,1"), read_place("Sydney")
    ((-33.87, 151.21), (52.6, 0.1), (-33.8833, 151.2167))
    """
    figures = re.fullmatch(r"\s*([-−+]?[\d.,]+)\s*°?\s*([NSns]?)\s*[,; ]\s*([-−+]?[\d.,]+)\s*°?\s*([EWew]?)\s*", text)
    if figures is not None:
        north, east = (
            read_number(figures[i].rstrip(",")).value * _SIDES.get(figures[i + 1].upper(), 1.0) for i in (1, 3)
        )
        if not (-90 <= north <= 90 and -180 <= east <= 180):
            raise ValueError(f'"{text}" lies nowhere; expected a latitude to 90 and a longitude to 180 degrees')
        return north, east
    from astral.geocoder import database, lookup

    try:
        found = lookup(text.strip(), database())
    except KeyError:
        raise ValueError(f'"{text}" is no town that is known here; expected coordinates such as 52.6, 0.1') from None
    if isinstance(found, dict):
        raise ValueError(f'"{text}" is larger than a town; expected one of its towns, or coordinates such as 52.6, 0.1')
    town = found
    return round(float(town.latitude), 4), round(float(town.longitude), 4)
