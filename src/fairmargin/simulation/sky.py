"""The sky of a virtual day: wind that wanders, air that warms, and a station that rounds and errs."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np


@dataclass(slots=True)
class Sky:
    """Wind at 10 m and air, wandering through a day."""

    speed: float
    angle: float
    temperature: float
    pressure_hpa: float
    wander: float
    rng: np.random.Generator

    def advance(self, seconds: float, calm: float) -> None:
        """Mean-reverting wander of speed and direction over minutes; the day warms by a kelvin an hour."""
        tau = 2400.0
        k = math.exp(-seconds / tau)
        noise = math.sqrt(1 - k * k)
        self.speed = max(0.1, calm + (self.speed - calm) * k + noise * self.wander * self.rng.normal())
        self.angle += noise * 0.22 * self.rng.normal()
        self.temperature += seconds / 3600.0 * 0.9


def air_density(temperature_c: float, pressure_hpa: float) -> float:
    """Moist air at 65 % humidity as an ideal mixture (Magnus vapour pressure)."""
    vapour = 0.65 * 611.2 * math.exp(17.62 * temperature_c / (243.12 + temperature_c))
    t = temperature_c + 273.15
    return (pressure_hpa * 100.0 - vapour) / (287.05 * t) + vapour / (461.5 * t)


@dataclass(frozen=True, slots=True)
class Report:
    """What a station says of one moment."""

    wind_speed_ms: float
    wind_from_deg: int
    temperature_c: float
    pressure_hpa: int


def reported(sky: Sky, north: float, east: float, bias: tuple[float, float], rng: np.random.Generator) -> Report:
    """The station's report of a wind: with the day's bias and an error of its own, rounded as stations round."""
    seen_n = north + bias[0] + 0.45 * rng.normal()
    seen_e = east + bias[1] + 0.45 * rng.normal()
    speed = math.hypot(seen_n, seen_e)
    return Report(
        round(speed * 2) / 2,
        (round(math.degrees(math.atan2(seen_e, seen_n)) / 10) * 10) % 360,
        round(sky.temperature * 2) / 2,
        round(sky.pressure_hpa),
    )
