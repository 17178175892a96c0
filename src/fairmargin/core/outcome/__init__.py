"""What a result means in use: range, energy and money."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class RangeOutcome:
    """Range of a configuration, and its share of 1 held back as reserve."""

    full_km: float
    to_reserve_km: float
    reserve: float


def driving_range(usable_kwh: float, wh_per_km: float, reserve: float = 0.15) -> RangeOutcome:
    """Range from a usable capacity; plan to a reserve of 10 to 20 % (common practice).

    Raises
    ------
    ValueError
        If capacity or consumption is not positive, or the reserve not within 0 to 0.9.
    """
    if usable_kwh <= 0 or wh_per_km <= 0 or not 0 <= reserve <= 0.9:
        raise ValueError(
            f"expected a capacity and consumption above 0 and a reserve of 0 to 0.9; got {usable_kwh:g} kWh, "
            f"{wh_per_km:g} Wh/km, {reserve:g}"
        )
    full = usable_kwh * 1000.0 / wh_per_km
    return RangeOutcome(full, full * (1.0 - reserve), reserve)


def energy_per_year_kwh(wh_per_km: float, km_per_year: float) -> float:
    """Energy a year's driving takes at a consumption. [kWh]"""
    return wh_per_km * km_per_year / 1000.0
