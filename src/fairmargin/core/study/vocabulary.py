"""The words of the field that a study may use: methods, instruments, events, roads."""

from __future__ import annotations

from typing import Final, Literal, get_args

Method = Literal["out-and-back", "loop", "one-way", "laps", "side-by-side", "everyday", "climb"]
#: What the change is: a state of the vehicle, or the road's, the speed, the vehicle itself.
Subject = Literal["configuration", "road", "speed", "vehicle"]
Energy = Literal["electric", "petrol", "diesel"]
InstrumentName = Literal[
    "trip average", "trip energy", "state of charge", "charge back", "fuel", "logger", "running average", "rated range used",
    "range left",
]  # fmt: skip
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

METHODS: Final[tuple[Method, ...]] = get_args(Method)
EVENT_KINDS: Final[tuple[EventKind, ...]] = get_args(EventKind)
SUBJECTS: Final[tuple[Subject, ...]] = get_args(Subject)
INSTRUMENTS: Final[tuple[InstrumentName, ...]] = get_args(InstrumentName)
ROADS: Final[tuple[RoadState, ...]] = get_args(RoadState)
