"""The words of the field that a study may use: kinds of change, mechanisms, methods, events, roads."""

from __future__ import annotations

from typing import Final, Literal, get_args

Kind = Literal[
    "wheels", "aero covers", "tyres", "cargo", "payload", "towing", "preconditioning", "technique", "other"
]
Mechanism = Literal[
    "aerodynamic", "rolling", "mass", "auxiliary", "driveline", "technique", "mixed", "unknown"
]
Method = Literal["out-and-back", "loop", "one-way", "laps", "side-by-side", "everyday", "climb"]
#: What the change is: a state of the vehicle, or the road's, the speed, the vehicle itself.
Subject = Literal["configuration", "road", "speed", "vehicle"]
Energy = Literal["electric", "petrol", "diesel"]
InstrumentName = Literal["trip average", "trip energy", "state of charge", "charge back", "fuel", "logger"]
EventKind = Literal[
    "slow-traffic",
    "following-closely",
    "stop",
    "overtaking",
    "wrong-turn",
    "rain",
    "gust",
    "lift-off",
    "reset-doubtful",
    "other",
]
LegState = Literal["planned", "driven", "left out"]
RoadState = Literal["dry", "damp", "wet", "snow"]
VehicleClass = Literal["small car", "car", "tall car", "van", "light truck"]

CHANGE_KINDS: Final[tuple[Kind, ...]] = get_args(Kind)
MECHANISMS: Final[tuple[Mechanism, ...]] = get_args(Mechanism)
METHODS: Final[tuple[Method, ...]] = get_args(Method)
EVENT_KINDS: Final[tuple[EventKind, ...]] = get_args(EventKind)
SUBJECTS: Final[tuple[Subject, ...]] = get_args(Subject)
INSTRUMENTS: Final[tuple[InstrumentName, ...]] = get_args(InstrumentName)
ROADS: Final[tuple[RoadState, ...]] = get_args(RoadState)


def default_mechanism(kind: str) -> Mechanism:
    """Return the mechanism a change of `kind` works through, unless its owner says otherwise."""
    table: dict[str, Mechanism] = {
        "wheels": "mixed",
        "aero covers": "aerodynamic",
        "tyres": "rolling",
        "cargo": "aerodynamic",
        "payload": "mass",
        "towing": "mixed",
        "preconditioning": "auxiliary",
        "technique": "technique",
    }
    return table.get(kind, "unknown")
