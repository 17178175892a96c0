"""Units and terms that results are said in: units are the person's, terms are chosen once for each logbook."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Final

from PySide6.QtCore import QSettings

from fairmargin.core.units import UNIT_CHOICES
from fairmargin.core.units.quantities import ALSO, ALSO_USUAL, UnitChoice
from fairmargin.logbook.store import Logbook

#: Under which a logbook keeps its terms, as JSON ``{"also": [...], "year_km": ...}``.
TERMS: Final = "terms"
USUAL_YEAR_KM: Final = UNIT_CHOICES["metric"].year_km
NAMES: Final = ("consumption", "distance", "speed", "wind", "temperature", "pressure", "tyre", "mass")


def kept_units(settings: QSettings) -> UnitChoice:
    """Return the units that a person chose, with the terms of logbooks that have none of their own."""
    chosen = settings.value("said also")
    also = ALSO_USUAL if chosen is None else _known(str(chosen).split("|"))
    try:
        year_km = float(str(settings.value("said also, year", USUAL_YEAR_KM)))
    except ValueError:
        year_km = USUAL_YEAR_KM
    return replace(_units(settings), also=also, year_km=year_km)


def of_logbook(choice: UnitChoice, book: Logbook | None) -> UnitChoice:
    """Return the units in the terms that a logbook chose; as they are where it chose none."""
    told = book.choice(TERMS) if book is not None else None
    if told is None:
        return choice
    try:
        body = json.loads(told)
        also, year_km = _known(body["also"]), float(body["year_km"])
    except (ValueError, TypeError, KeyError):
        return choice
    return replace(choice, also=also, year_km=year_km)


def keep_units(choice: UnitChoice, settings: QSettings) -> None:
    """Keep the units alone."""
    key = next((k for k, v in UNIT_CHOICES.items() if v == choice.bare), None)
    settings.setValue("units", key or "|".join(getattr(choice, name) for name in NAMES))


def keep_terms(choice: UnitChoice, settings: QSettings, book: Logbook | None) -> None:
    """Keep the terms in the logbook; with the person's settings where it may not be written, or there is none.

    Raises
    ------
    LogbookFault
        If the logbook cannot be written.
    """
    if book is not None and not book.read_only:
        book.set_choice(TERMS, json.dumps({"also": list(choice.also), "year_km": choice.year_km}))
        return
    settings.setValue("said also", "|".join(choice.also))
    settings.setValue("said also, year", choice.year_km)


def _known(names: list[str]) -> tuple[str, ...]:
    return tuple(x for x in ALSO if x in names)


def _units(settings: QSettings) -> UnitChoice:
    choice = str(settings.value("units", "metric"))
    if choice in UNIT_CHOICES:
        return UNIT_CHOICES[choice]
    parts = choice.split("|")
    try:
        made = UnitChoice("Custom", *parts)  # type: ignore[arg-type]
        made.show_consumption(100.0)
        for quantity in ("distance", "speed", "wind", "temperature", "pressure", "tyre", "mass"):
            made.show(quantity, 1.0)
        return made
    except (TypeError, ValueError):
        return UNIT_CHOICES["metric"]
