"""Every prior of the fit in one table: what it is, its size, its unit, and where the size comes from.

docs/method.md tells the reader of each; a size changes here and nowhere else.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from fairmargin.core.evidence.readings import SCATTER_KM, USUAL_SCATTER
from fairmargin.core.laws import wind

PRACTICE: Final = "common practice"


@dataclass(frozen=True, slots=True)
class Prior:
    """One prior: standard deviation around a mean."""

    sd: float
    unit: str
    what: str
    mean: float = 0.0
    source: str = PRACTICE


# ---------------------------------------------------------------- scatter from run to run

SCATTER_SHARE: Final = USUAL_SCATTER
SCATTER_FREEDOM: Final = 6.0  # weight of that opinion, in degrees of freedom
SCATTER_REACH: Final = (0.7, 3.2)  # multiples of it that short and long drives are held within

# ---------------------------------------------------------------- the vehicle and the change

LEVEL: Final = Prior(1.0, "log", "level of the model against the vehicle")
CONTROL: Final = Prior(0.10, "log", "level of a control vehicle against the test vehicle")
CHANGE: Final = Prior(0.7, "log", "what the change does to its parameter")
CHANGE_ROLLING: Final = Prior(0.35, "log", "what a change of many parts does to rolling resistance")
CHANGE_MIXED: Final = Prior(0.03, "log", "what a change of many parts does to all of the consumption alike")
CHANGE_UNKNOWN: Final = Prior(0.10, "log", "the same, where nobody knows how the change works")
CHANGE_AUXILIARY: Final = Prior(2500.0, "W", "what the change does to auxiliary power")
CIRCUMFERENCE: Final = Prior(0.005, "log", "rolling circumference of other wheels that nobody measured")

# ---------------------------------------------------------------- wind

HEIGHT_FACTOR: Final = Prior(
    wind.HEIGHT_FACTOR_SD, "log", "share of the mast's wind at the car, over its terrain's"
)
YAW_SLOPE: Final = Prior(0.5, "1", "growth of the drag area with yaw, see `aero.yaw_slope`")
WIND_DAY: Final = Prior(0.4, "m/s", "what all reports of a day share: the mast is not the road")
WIND_WITHIN_LEG: Final = Prior(0.3, "m/s", "wind from the first half of a leg to the second")
WIND_OF_LEG: Final = Prior(1.0, "1", "wind of a leg, in units of what its reports leave open")
SHELTER: Final = Prior(0.15, "log", "share of the mast's wind at one place of the road, over the road's")
WIND_GROWTH: Final = (0.55, 0.13)  # wind errors times this much, plus this much per m/s of reported wind
MOST_WIND_GROWTH: Final = 1.6
USUAL_WIND_M_S: Final = 3.5  # where nobody reported any
UNTOLD_STRENGTH: Final = 0.8  # of the drag that an unreported wind adds: how far a day's own may lie off
TOLD_STRENGTH: Final = 0.55  # the same where its speed was noted but it cannot be laid along the road
STRENGTH_WITHIN_DAY: Final = 0.2  # of it, from one run to the next

# ---------------------------------------------------------------- warmth

TYRE_PER_K: Final = Prior(0.0016, "1/K", "rolling resistance per kelvin of outside air")
DRIVELINE_PER_K: Final = Prior(0.0005, "1/K", "consumption per kelvin of outside air, battery and driveline")
WARM_UP: Final = Prior(0.06, "1", "rise of rolling resistance on wholly cold tyres", mean=0.04)
CLIMATE: Final = Prior(40.0, "W/K", "climate load per kelvin between cabin and outside")
CHARGING_PER_K: Final = Prior(0.001, "1/K", "charging losses per kelvin")

# ---------------------------------------------------------------- drives that were not driven

SPEED_AWAY: Final = Prior(0.06, "log per log of speed", "the model away from the speeds driven")
WARMTH_AWAY: Final = Prior(0.0012, "1/K", "the model away from the temperatures driven")
SCATTER_OF_KM: Final = SCATTER_KM

# ---------------------------------------------------------------- what nobody noted

SEASON_UNNOTED: Final = Prior(8.0, "K", "temperature of a study that noted none, all days alike")
DAY_UNNOTED: Final = Prior(4.0, "K", "temperature of a day that noted none")
SEASON_COURSE: Final = Prior(0.25, "K/day", "the same, as the season moves on")
WARMING_UNNOTED: Final = Prior(0.9, "K/h", "how such a day warms or cools")
LEG_UNNOTED: Final = Prior(1.0, "K", "temperature of a leg that noted none, over its day's")
CLIMATE_UNNOTED: Final = Prior(65.0, "W/K", "climate that nobody noted, all legs alike")
CLIMATE_UNNOTED_DAY: Final = Prior(18.0, "W/K", "the same, from day to day")
CLIMATE_UNNOTED_RUN: Final = Prior(5.0, "W/K", "the same, from run to run")
CLIMATE_SETTING_C: Final = 21.0  # what cabins are usually held at
LEAST_CLIMATE_K: Final = 4.0  # blowers and windows in mild air
UNNOTED_CLIMATE_K: Final = 9.0  # where nobody noted the temperature either
PULL_DOWN: Final = Prior(
    2200.0, "W", "power that brings a cabin to its setting, on a wholly cold start", mean=1000.0
)
MILD_K: Final = 5.0  # off what cabins are held at, where hardly anybody heats or cools at once
PULL_DOWN_UNNOTED: Final = Prior(3600.0, "W", "the same, where nobody noted the climate")
COLD_ENGINE: Final = Prior(0.08, "log", "what a wholly cold engine burns more", mean=0.03)
ROAD_UNNOTED: Final = Prior(0.024, "log", "state of the road on a day that noted none")
LOAD_UNNOTED: Final = Prior(8.0, "kg", "people, luggage and fluids of a run that noted no load")
TYRES_UNNOTED: Final = Prior(0.008, "log", "rolling resistance by tyre pressures of a day that noted none")
TYRES_UNNOTED_SWAP: Final = Prior(0.012, "log", "the same, of other wheels or tyres")
MASS_UNDECLARED: Final = {
    "towing": Prior(0.25, "log", "mass of a trailer that nobody declared"),
    "cargo": Prior(0.03, "log", "mass of a load that nobody declared"),
    "payload": Prior(0.10, "log", "mass of a payload that nobody declared"),
}
REGENERATION: Final = Prior(0.18, "log", "share of braking that comes back")

# ---------------------------------------------------------------- road, day, tyres

PRESSURE_EXPONENT: Final = Prior(0.15, "1", "exponent of rolling resistance against tyre pressure")
DIRECTION: Final = Prior(0.015, "log", "what the model gets wrong in one direction")
DIRECTION_UNTOLD: Final = Prior(0.05, "log", "the same where nobody gave the road's heights")
GRADIENT_UNTOLD: Final = Prior(
    0.01, "1", "mean slope of a road whose heights nobody gave, up one way and down the other"
)
DAY: Final = Prior(0.008, "log", "what a day does to all its legs")
PRESSURE_MISSING: Final = Prior(0.005, "log", "air pressure of a day that nobody noted")
SIDE_BY_SIDE: Final = Prior(0.02, "log", "what both vehicles of a moment share beyond the reported weather")
WET: Final = {
    "damp": Prior(0.02, "log", "a damp road"),
    "wet": Prior(0.05, "log", "a wet road"),
    "snow": Prior(0.10, "log", "a road with snow"),
}
PLACE_GRADIENT: Final = Prior(0.008, "1", "slope of one segment of a road whose heights nobody gave")
PLACE: Final = Prior(0.04, "log", "surface and height errors of one segment of the road")

# ---------------------------------------------------------------- instruments

#: Calibration of one kind of instrument against another, where legs were not all read with the same.
INSTRUMENT: Final = {
    "logger": Prior(0.01, "log", "calibration of a logger"),
    "trip energy": Prior(0.01, "log", "calibration of the car's energy counter"),
    "trip average": Prior(0.01, "log", "calibration of the car's average"),
    "fuel": Prior(0.02, "log", "fill of a tank"),
    "charge back": Prior(0.02, "log", "charging losses"),
    "state of charge": Prior(0.03, "log", "usable capacity"),
}
TRUNCATION: Final = Prior(0.25, "steps", "a display that cuts off instead of rounding is half a step low")
LOGGER_NOISE: Final = 0.0005  # of a segment's energy

# ---------------------------------------------------------------- logged legs

SEGMENT_SHARE: Final = 0.02  # noise of one kilometre of a logged leg
SEGMENT_FREEDOM: Final = 8.0  # weight of that opinion
GUST_PART: Final = 0.65  # of a segment's noise variance that is gusts, at GUST_TURBULENCE_M_S
GUST_TURBULENCE_M_S: Final = 0.65
GAP_SHARE: Final = 0.5  # standard deviation of a bridged gap, of its share


def wind_growth(reported_m_s: float | None) -> float:
    """A mast some way off errs more in a strong wind than in a light one: factor on the wind's priors."""
    speed = USUAL_WIND_M_S if reported_m_s is None else reported_m_s
    return min(WIND_GROWTH[0] + WIND_GROWTH[1] * speed, MOST_WIND_GROWTH)


def table() -> dict[str, Prior]:
    """Every prior by name."""
    found: dict[str, Prior] = {}
    for name, value in globals().items():
        if isinstance(value, Prior):
            found[name] = value
        elif isinstance(value, dict) and all(isinstance(v, Prior) for v in value.values()) and value:
            found |= {f"{name} {key}": v for key, v in value.items()}
    return found
