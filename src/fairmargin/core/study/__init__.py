"""What a study is: one question and all the evidence for it, as immutable validated values."""

from fairmargin.core.study.circumstances import Circumstances, Outing
from fairmargin.core.study.leg import Leg
from fairmargin.core.study.registration import Registration
from fairmargin.core.study.statements import Asked, Claim, KnownDifference, Prediction, Side, WayReading
from fairmargin.core.study.trace import Trace
from fairmargin.core.study.values import (
    Change,
    Configuration,
    Event,
    Reference,
    RoutePoint,
    Stretch,
    Study,
    WeatherRow,
    WindSetup,
    new_study,
)
from fairmargin.core.study.vehicle import CLASS_PRESETS, NamedVehicle, Vehicle, VehicleConstants
from fairmargin.core.study.vocabulary import EVENT_KINDS, INSTRUMENTS, METHODS, ROADS, SUBJECTS, LegState

__all__ = [
    "CLASS_PRESETS",
    "EVENT_KINDS",
    "INSTRUMENTS",
    "METHODS",
    "ROADS",
    "SUBJECTS",
    "Asked",
    "Change",
    "Circumstances",
    "Claim",
    "Configuration",
    "Event",
    "KnownDifference",
    "Leg",
    "LegState",
    "NamedVehicle",
    "Outing",
    "Prediction",
    "Reference",
    "Registration",
    "RoutePoint",
    "Side",
    "Stretch",
    "Study",
    "Trace",
    "Vehicle",
    "VehicleConstants",
    "WayReading",
    "WeatherRow",
    "WindSetup",
    "new_study",
]
