"""The virtual test day: a time-stepped drive with a known truth, written apart from the correction model.

Its names are loaded when they are first wanted: whoever asks whether a study was rehearsed needs no simulator.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from fairmargin.simulation.day import DayPlan, SimulatedStudy, simulate
    from fairmargin.simulation.road import straight_road
    from fairmargin.simulation.vehicle import TrueVehicle

__all__ = ["DayPlan", "SimulatedStudy", "TrueVehicle", "simulate", "straight_road"]

_HOMES: Final = {
    "DayPlan": "day",
    "SimulatedStudy": "day",
    "TrueVehicle": "vehicle",
    "simulate": "day",
    "straight_road": "road",
}


def __getattr__(name: str) -> object:
    if name not in _HOMES:
        raise AttributeError(f"module {__name__} has no attribute {name}")
    return getattr(import_module(f"{__name__}.{_HOMES[name]}"), name)
