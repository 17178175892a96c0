"""What the model corrects for, and what makes a margin: the names of causes and sources."""

from __future__ import annotations

from enum import StrEnum


class Cause(StrEnum):
    """Something that the model corrects for, and that a fit can be asked to leave out."""

    WIND = "wind"
    GUSTS = "gusts"
    AIR = "air"
    TYRES = "tyres"
    WARM_UP = "warm-up"
    CLIMATE = "climate"
    EVENTS = "events"
    PRESSURE = "pressure"
    MASS = "mass"


class Regressor(StrEnum):
    """A line of the regression of everyday logs."""

    TEMPERATURE = "temperature"
    SPEED = "speed"
    TRIP_LENGTH = "trip_length"
    DIRECTION = "direction"


class Group(StrEnum):
    """Source of a margin, as the budget names it."""

    VEHICLE = "vehicle"
    WIND = "wind"
    WIND_OF_RUNS = "wind of runs"  # told as wind; random from run to run
    TEMPERATURE = "temperature"
    WARM_UP = "warm-up"
    CLIMATE = "climate"
    TYRES = "tyres"
    LOAD = "load"
    DRIVER = "driver"
    DISPLAY_STEP = "display step"
    INSTRUMENTS = "instruments"
    DAY = "day"
    DRIFT = "drift"
    RUNS = "runs"  # told as scatter
    SPEED = "speed"
    SPEED_ALIKE = "speed of all"
    DIRECTION = "direction"
    ROAD = "road"
    VEHICLES = "vehicles"
    CIRCUMFERENCE = "circumference"
    CHANGE = "change"
    KNOWN = "known difference"
    CALIBRATION = "calibration"  # of instruments: in a level, not in a comparison
    UNCORRECTED = "not corrected"  # what the recorded conditions are worth, where the model is not used
    SCATTER = "scatter"
    SPREAD = "spread"  # what like drives differ by beyond what the model lets them
