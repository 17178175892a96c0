"""A simulated weather station: METAR text for any moment, the same again for the same seed and moment."""

from __future__ import annotations

import math
from datetime import datetime

import numpy as np

KNOT_M_S = 1852.0 / 3600.0


def station_report(seed: int, moment: datetime) -> str:
    """Report of the simulated station at a moment, as a METAR (WMO Manual on Codes, FM 15; from memory).

    The wind wanders over hours and freshens towards the afternoon, the day warms until three o'clock, and now
    and then it rains. ZZZZ stands for a place without a code.

    Parameters
    ----------
    seed : int
    moment : datetime
        In the station's own clock.

    Returns
    -------
    str
    """
    day = np.random.default_rng([seed, moment.toordinal()])
    calm, angle = 1.0 + 3.0 * float(day.weibull(2.0)), float(day.uniform(0, 360))
    coolest = 8.0 + 7.0 * math.sin(2 * math.pi * (moment.timetuple().tm_yday - 105) / 365.0) + float(day.normal(0, 3))
    pressure, rainy = 1013.0 + float(day.normal(0, 8)), float(day.random()) < 0.2
    hours = moment.hour + moment.minute / 60.0
    phase = day.uniform(0, 2 * math.pi, 2)
    sun = max(0.0, math.sin(math.pi * (hours - 6.0) / 18.0))
    speed = max(0.0, calm * (0.7 + 0.6 * sun) + 0.8 * math.sin(2 * math.pi * hours / 3.1 + phase[0]))
    turned = (angle + 18.0 * math.sin(2 * math.pi * hours / 5.3 + phase[1])) % 360.0
    temperature = round(coolest + 8.0 * sun)
    knots, gust = round(speed / KNOT_M_S), round(1.6 * speed / KNOT_M_S)
    wind = f"{round(turned / 10) * 10 % 360 or 360:03d}{knots:02d}" if knots else "00000"
    if gust - knots >= 10:
        wind += f"G{gust:02d}"
    dew = temperature - 4
    both = "/".join(f"M{abs(t):02d}" if t < 0 else f"{t:02d}" for t in (temperature, dew))
    rain = " -RA" if rainy else ""
    return f"METAR ZZZZ {moment:%d%H%M}Z {wind}KT 9999{rain} {both} Q{round(pressure):04d}"
