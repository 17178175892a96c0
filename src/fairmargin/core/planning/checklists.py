"""What to take along and to look at, per kind of change. Common practice; every line can be edited."""

from __future__ import annotations

from typing import Final

from fairmargin.core.kinds import change_kind
from fairmargin.core.study.plan import CheckItem, CheckWhen

_EVERY: Final[tuple[tuple[CheckWhen, str], ...]] = (
    ("before the day", "Pressure gauge, GPS or phone holder, notebook, pen that writes in the cold"),
    ("before the day", "Charge to the top of the chosen band; charging card"),
    ("before the day", "Same people and things aboard for every run, apart from the change"),
    ("arrival", "Tyre pressures, cold, the same in both configurations"),
    ("arrival", "Climate off, or one setting for all legs; windows shut"),
    ("arrival", "Drive mode and regeneration level noted"),
    ("each run", "Charge level inside the band; drive mode and regeneration level unchanged"),
    ("each leg", "Trip meter reset at the landmark, at speed; check that it took"),
    ("each leg", "Read off at the same landmark, at speed, before lifting off; the passenger reads, the driver drives"),
    ("each leg", "Wind, gusts, temperature and pressure from the nearest station"),
    ("swap", "Write down the time and who did what; nothing else changes"),
    ("afterwards", "Photographs of displays and receipts; readings typed the same evening"),
)
GENERAL_CAUTION: Final = "The driver drives: a passenger or a stop for the notes. Keep to limits and with the traffic."


def caution(kind: str) -> str:
    """What may hurt somebody, in general and with a kind of change."""
    return f"{GENERAL_CAUTION} {change_kind(kind).caution}"


def checklist(kind: str) -> tuple[CheckItem, ...]:
    """Checklist for a kind of change, in the order of the day."""
    order: tuple[CheckWhen, ...] = ("before the day", "arrival", "each run", "each leg", "swap", "afterwards")
    items = [*_EVERY, *change_kind(kind).checklist]
    return tuple(CheckItem(text=text, when=when) for at in order for when, text in items if when == at)
