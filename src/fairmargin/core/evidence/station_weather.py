"""What a station's rows say of one moment."""

from __future__ import annotations

import math
from datetime import timedelta

import numpy as np

from fairmargin.core.evidence.clock import seconds_of
from fairmargin.core.study import WeatherRow


def weather_at(rows: tuple[WeatherRow, ...], second: float, offset: timedelta) -> dict[str, float]:
    """Station weather interpolated to a moment; the wind as a vector, and how old its report is. What is missing is left out."""
    if not rows:
        return {}
    order = sorted(rows, key=lambda r: seconds_of(r.time, offset))
    times = np.array([seconds_of(r.time, offset) for r in order])
    result: dict[str, float] = {}
    for name in ("temperature_c", "pressure_hpa", "humidity_percent", "wind_gust_ms"):
        values = np.array([np.nan if getattr(r, name) is None else getattr(r, name) for r in order], dtype=float)
        good = np.isfinite(values)
        if good.any():
            result[name] = float(np.interp(second, times[good], values[good]))
    speed = np.array([np.nan if r.wind_speed_ms is None else r.wind_speed_ms for r in order], dtype=float)
    angle = np.radians([np.nan if r.wind_from_deg is None else r.wind_from_deg for r in order])
    good = np.isfinite(speed) & np.isfinite(angle)
    if good.any():
        north = float(np.interp(second, times[good], (speed * np.cos(angle))[good]))
        east = float(np.interp(second, times[good], (speed * np.sin(angle))[good]))
        # The mean speed of a turning wind is that of the speeds, not the length of the mean vector.
        length = float(np.interp(second, times[good], speed[good]))
        scale = length / max(math.hypot(north, east), 1e-9)
        result["from_north"], result["from_east"] = north * scale, east * scale
        result["wind_age_s"] = float(np.min(np.abs(times[good] - second)))
    return result
