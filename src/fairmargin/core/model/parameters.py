"""The parameters of the road-load model that an uncertain quantity may act on."""

from __future__ import annotations

from enum import IntEnum


class Parameter(IntEnum):
    """One parameter of the model, per leg. Deviations are logarithmic unless a unit is given."""

    DRAG = 0
    ROLLING = 1
    MASS = 2
    EFFICIENCY = 3
    AUXILIARY_W = 4
    HEIGHT_FACTOR = 5
    YAW_SLOPE = 6
    TYRE_PER_K = 7  # per kelvin
    DRIVELINE_PER_K = 8  # per kelvin
    WARM_UP = 9  # added share of C_rr when cold
    CLIMATE_W_PER_K = 10
    WIND_NORTH = 11  # m/s at the mast
    WIND_EAST = 12  # m/s at the mast
    TOTAL = 13
    SPEED = 14
    PRESSURE_EXPONENT = 15
    WARMER_K = 16  # kelvin that the outside air is warmer than noted
    REGENERATION = 17
    GRADIENT = 18  # sine of a slope on top of the road's
