"""What a study is: one question and all the evidence for it, as immutable validated values."""

from fairmargin.core.study.kinds import (
    CHANGE_KINDS,
    EVENT_KINDS,
    MECHANISMS,
    METHODS,
    ROADS,
    LegState,
    default_mechanism,
)
from fairmargin.core.study.leg import Leg
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
from fairmargin.core.study.vehicle import CLASS_PRESETS, Vehicle, VehicleConstants

__all__ = [
    "CHANGE_KINDS",
    "CLASS_PRESETS",
    "EVENT_KINDS",
    "MECHANISMS",
    "METHODS",
    "ROADS",
    "Change",
    "Configuration",
    "Event",
    "Leg",
    "LegState",
    "Reference",
    "RoutePoint",
    "Stretch",
    "Study",
    "Trace",
    "Vehicle",
    "VehicleConstants",
    "WeatherRow",
    "WindSetup",
    "default_mechanism",
    "new_study",
]
