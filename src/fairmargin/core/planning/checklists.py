"""What to take along and to look at, per kind of change. Common practice; every line can be edited."""

from __future__ import annotations

from typing import Final

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
    (
        "each leg",
        "Read off at the same landmark, at speed, before lifting off; the passenger reads, the driver drives",
    ),
    ("each leg", "Wind, gusts, temperature and pressure from the nearest station"),
    ("swap", "Write down the time and who did what; nothing else changes"),
    ("afterwards", "Photographs of displays and receipts; readings typed the same evening"),
)
_KINDS: Final[dict[str, tuple[tuple[CheckWhen, str], ...]]] = {
    "wheels": (
        (
            "before the day",
            "Torque wrench, jack, gloves; both sets weighed, diameter, width and offset written down",
        ),
        ("swap", "Bolts to the handbook's torque, and again after the first kilometres"),
        ("swap", "Same tyre make, age and pressure on both sets, or it is two changes"),
    ),
    "aero covers": (
        ("swap", "Every cover pulled at by hand: a loose one can fly off and hurt someone"),
        ("swap", "Covers that are off travel inside, so that only the shape differs"),
    ),
    "tyres": (
        ("before the day", "Tread depth and date of each tyre written down; new tyres run in for 300 km"),
        ("swap", "Wheel bolts to the handbook's torque, and again after the first kilometres"),
        ("each run", "GPS distance of one leg in each configuration: the odometer follows the tyre"),
    ),
    "cargo": (
        ("before the day", "Roof limit looked up; straps and edge protectors"),
        ("swap", "The thing travels inside on baseline runs: mass stays, shape changes"),
        ("each run", "Straps tight, checked after the first kilometres"),
    ),
    "payload": (
        ("before the day", "Load weighed, payload left looked up on the plate"),
        ("swap", "Load strapped, nothing above the cab, liquids in full tanks (they slosh)"),
        ("each run", "Tyre pressures for the load as the handbook says, the same in both or noted"),
    ),
    "towing": (
        ("before the day", "Trailer weighed, nose weight measured, limits read from all plates"),
        ("swap", "Coupling locked, safety chain, plug, lights, brakes, jockey wheel up"),
        ("each run", "Nose weight unchanged; load strapped; brakes cool after descents"),
    ),
    "preconditioning": (
        ("before the day", "Energy meter on the wall socket"),
        (
            "each run",
            "Wall meter before and after; cabin and battery temperature at departure; frost written down",
        ),
    ),
    "technique": (
        ("each run", "Say before the leg how it is driven; note the time it took"),
        ("each run", "Same driver for both, or drivers swapped half way"),
    ),
}
CAUTIONS: Final[dict[str, str]] = {
    "wheels": "Lift only on firm level ground with stands; bolts to the handbook's torque, again after the first kilometres.",
    "tyres": "Lift only on firm level ground with stands; bolts to the handbook's torque, again after the first kilometres.",
    "aero covers": "A loose cover can come off at speed: pull at every one before each run.",
    "cargo": "Stay under the roof limit; check straps after the first kilometres; mind low bridges.",
    "payload": "Stay under the plate; strap the load; half-full tanks slosh.",
    "towing": "Plates, handbook and law first. Hitch, chain, brakes and lights before every run; hot brakes on descents.",
    "preconditioning": "Use a socket and cable rated for hours of load.",
    "technique": "Keep with the traffic: a slow vehicle is a hazard too. Never follow closely to test.",
    "other": "Keep to limits and with the traffic.",
}
GENERAL_CAUTION: Final = (
    "The driver drives: a passenger or a stop for the notes. Keep to limits and with the traffic."
)


def checklist(kind: str) -> tuple[CheckItem, ...]:
    """Checklist for a kind of change, in the order of the day."""
    order: tuple[CheckWhen, ...] = ("before the day", "arrival", "each run", "each leg", "swap", "afterwards")
    items = [*_EVERY, *_KINDS.get(kind, ())]
    return tuple(CheckItem(text=text, when=when) for at in order for when, text in items if when == at)
