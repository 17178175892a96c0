"""What to take along and to look at, by what is driven and how. Common practice; every line can be edited."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, get_args

from fairmargin.core.kinds import change_kind
from fairmargin.core.study import Study
from fairmargin.core.study.layout import ways
from fairmargin.core.study.plan import CheckItem, CheckWhen

_Line = tuple[CheckWhen, str]
GENERAL_CAUTION: Final = "The driver drives: a passenger or a stop for the notes. Keep to limits and with the traffic."


def caution(kind: str) -> str:
    """What may hurt somebody, in general and with a kind of change."""
    own = change_kind(kind).caution
    return GENERAL_CAUTION if own in GENERAL_CAUTION else f"{GENERAL_CAUTION} {own}"


def _energy(study: Study) -> list[_Line]:
    """Charging, or filling up."""
    fleet = [v.energy for v in study.vehicles] or [study.vehicle.energy]
    lines: list[_Line] = []
    if "electric" in fleet:
        lines.append(("before the day", "Charge to the top of the chosen band; charging card"))
        lines.append(("each run", "Charge level inside the band; drive mode and regeneration level unchanged"))
        lines.append(("arrival", "Drive mode and regeneration level noted"))
    if set(fleet) - {"electric"}:
        lines.append(("before the day", "Filled up at one pump, to the same click of the nozzle; receipts kept"))
        lines.append(("each run", "Drive mode and gears unchanged"))
        lines.append(("arrival", "Drive mode noted; engine warm before the first leg"))
    return lines


def _pressures(study: Study) -> _Line:
    """Cold pressures: alike, or as the handbook has them for what each carries."""
    about = study.change.about
    if about.hitched or about.mass_alone:
        return "arrival", "Tyre pressures, cold, for the load as the handbook says: alike in both, or noted for each"
    return "arrival", "Tyre pressures, cold, the same in both configurations"


def _cabin(study: Study) -> _Line:
    """Climate: off where nothing speaks against it."""
    if study.change.about.from_the_wall:
        return "arrival", "Cabin set alike for both, as on any such morning; windows shut"
    return "arrival", "Climate off, or one setting for all legs; windows shut"


def _reading(study: Study) -> list[_Line]:
    """Resetting and reading off: at speed past a landmark, or where a round or a cold start begins."""
    cold = study.change.about.from_the_wall
    if study.method == "everyday":
        return [("each leg", "Trip meter reset before the trip, read off at its end; date, time and temperature")]
    if cold:
        return [
            ("each leg", "Trip meter reset before the wheels turn; check that it took"),
            ("each leg", "Read off at the same place, standing; the passenger reads, the driver drives"),
        ]
    if ways(study.method) == ("loop",):
        return [
            (
                "each leg",
                "Trip meter reset at the line of the round, at the same speed or standing each time; check that it took",
            ),
            ("each leg", "Read off at the same line, before lifting off; the passenger reads, the driver drives"),
        ]
    return [
        ("each leg", "Trip meter reset at the landmark, at speed; check that it took"),
        (
            "each leg",
            "Read off at the same landmark, at speed, before lifting off; the passenger reads, the driver drives",
        ),
    ]


def _swapping(study: Study) -> list[_Line]:
    """A swap, where something is swapped."""
    if not study.trials:
        return []
    return [("swap", "Write down the time and who did what; nothing else changes")]


def checklist(study: Study) -> tuple[CheckItem, ...]:
    """Checklist of a study, in the order of the day: by its kind, its vehicles and how it is driven."""
    lines: list[tuple[str, str]] = [
        ("before the day", "Pressure gauge, GPS or phone holder, notebook, pen that writes in the cold"),
        *_energy(study),
        ("before the day", "Same people and things aboard for every run, apart from the change"),
        _pressures(study),
        _cabin(study),
        *_reading(study),
        ("each leg", "Wind, gusts, temperature and pressure from the nearest station"),
        *_swapping(study),
        ("afterwards", "Photographs of displays and receipts; readings typed the same evening"),
        *(line for line in change_kind(study.change.kind).checklist if study.trials or line[0] != "swap"),
    ]
    return tuple(CheckItem(text=text, when=at) for at in get_args(CheckWhen) for when, text in lines if when == at)


def kit(study: Study) -> tuple[CheckItem, ...]:
    """The study's own list, or the usual one of such a study."""
    return study.plan.checklist or checklist(study)


def carried_over(items: Sequence[CheckItem], before: Study, after: Study) -> tuple[CheckItem, ...]:
    """A list that somebody edited, for a study that has become another: usual lines change, own lines and ticks stay.

    Parameters
    ----------
    items : sequence of CheckItem
        As edited for `before`; empty where nobody did.
    before, after : Study

    Returns
    -------
    tuple of CheckItem
        In the order of the day; lines that were taken off the list stay off.
    """
    if not items:
        return ()
    usual_before, usual = ({i.text: i for i in checklist(s)} for s in (before, after))
    kept = [i for i in items if i.text not in usual_before or i.text in usual]
    new = [i for text, i in usual.items() if text not in usual_before]
    order = {when: at for at, when in enumerate(get_args(CheckWhen))}
    return tuple(sorted([*kept, *new], key=lambda i: order[i.when]))
