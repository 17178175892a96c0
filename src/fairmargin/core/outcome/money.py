"""What consumption costs: per distance, a year, and whether a purchase pays for itself.

References
----------
.. [1] R. A. Brealey, S. C. Myers, F. Allen, "Principles of Corporate Finance", ch. 2 and 5: annuity, net present value,
   discounted payback (from memory).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from fairmargin.core.study import Vehicle

DC_EFFICIENCY: Final = 0.95  # from the plug of a public rapid charger into the battery; common practice

Interval = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Prices:
    """Prices in the tester's own money. What is None is not known, and nothing is said that needs it.

    `energy` is per kWh from the wall at home, `public` per kWh dispensed elsewhere, and `public_share` the share of the
    energy charged there; `fuel` is per litre; `road` per kilometre whatever is burnt.
    """

    energy: float | None = None
    public: float | None = None
    public_share: float = 0.0
    fuel: float | None = None
    road: float = 0.0


def cost_per_km(wh_per_km: float, vehicle: Vehicle, prices: Prices) -> float | None:
    """Cost of a kilometre; None where a price that it needs is not known.

    A kilowatt-hour from the wall at home leaves its charging losses there; one from a rapid charger leaves fewer.

    Raises
    ------
    ValueError
        If the share charged elsewhere is no share.

    Examples
    --------
    180 Wh/km at 0.30 a kWh, of which 90 % arrives in the battery: 0.06 a kilometre.

    >>> round(cost_per_km(180.0, Vehicle(charging_efficiency=0.9), Prices(energy=0.3)), 4)
    0.06
    >>> round(cost_per_km(600.0, Vehicle(energy="diesel"), Prices(fuel=1.95)), 4)
    0.1174
    """
    if not 0 <= prices.public_share <= 1:
        raise ValueError(f"{prices.public_share:g} is no share; expected 0 to 1 charged elsewhere")
    if vehicle.energy != "electric":
        if prices.fuel is None:
            return None
        return wh_per_km / vehicle.heating_value * prices.fuel + prices.road
    at_home, elsewhere = 1.0 - prices.public_share, prices.public_share
    cost = prices.road
    if at_home > 0:
        if prices.energy is None:
            return None
        cost += at_home * wh_per_km / 1000.0 / vehicle.constants().charging_efficiency * prices.energy
    if elsewhere > 0:
        if prices.public is None:
            return None
        cost += elsewhere * wh_per_km / 1000.0 / DC_EFFICIENCY * prices.public
    return cost


@dataclass(frozen=True, slots=True)
class FromTheWall:
    """What a warm-up draws from the wall, of each kilometre driven, and drive and wall together. [Wh/km, %]"""

    baseline_wh_per_km: float
    trial_wh_per_km: float
    effect_percent: float
    interval_percent: Interval


def bought_wh_per_km(wh_per_km: float, vehicle: Vehicle, wall_wh_per_km: float = 0.0) -> float:
    """Energy of a kilometre as it is bought at home: what the drive takes and charging loses, and what a warm-up drew. [Wh/km]"""
    return wh_per_km / vehicle.constants().charging_efficiency + wall_wh_per_km


def saving_with_wall(
    levels: Interval, vehicle: Vehicle, wall: FromTheWall, price_per_kwh: float, km_per_year: float
) -> Saving:
    """What a warm-up is worth a year: drives get cheaper, and the wall is paid for; negative where it costs more.

    Parameters
    ----------
    levels : tuple of float
        Consumption of baseline and trial on the road. [Wh/km]
    vehicle : Vehicle
        Of whose charging some is lost; what the warm-up drew came from the wall as it was read.
    wall : FromTheWall
    price_per_kwh : float
    km_per_year : float

    Examples
    --------
    200 and 180 Wh/km charged at 90 %, and 50 Wh/km from the wall for the warmer one: 222.2 and 250 Wh/km bought.

    >>> wall = FromTheWall(0.0, 50.0, 15.0, (5.0, 25.0))
    >>> round(saving_with_wall((200.0, 180.0), Vehicle(charging_efficiency=0.9), wall, 0.3, 10_000).per_year, 2)
    -83.33
    """
    base, trial = levels
    bought = [
        bought_wh_per_km(wh, vehicle, w) for wh, w in ((base, wall.baseline_wh_per_km), (trial, wall.trial_wh_per_km))
    ]
    middle = bought[1] - bought[0]
    # What drive and wall together leave open, as it is paid for: the drive's part passes through charging.
    per_percent = (base + wall.baseline_wh_per_km) / vehicle.constants().charging_efficiency / 100.0
    ends = [middle + (p - wall.effect_percent) * per_percent for p in wall.interval_percent]

    def worth(wh_per_km: float) -> float:
        return round(-wh_per_km / 1000.0 * price_per_kwh * km_per_year, 10)

    return Saving(worth(middle), (worth(ends[1]), worth(ends[0])))


@dataclass(frozen=True, slots=True)
class Saving:
    """What the trial saves a year against the baseline; negative where it costs more."""

    per_year: float
    interval: Interval


def saving_per_year(
    baseline_per_km: float, share_percent: float, interval_percent: Interval, road_per_km: float, km_per_year: float
) -> Saving:
    """What an effect is worth a year.

    Parameters
    ----------
    baseline_per_km : float
        Cost of a kilometre in the baseline, road charge included.
    share_percent, interval_percent : float
        Effect on consumption and its interval, per cent of the baseline.
    road_per_km : float
        Of that cost, what does not depend on consumption.
    km_per_year : float

    Examples
    --------
    −5 % (−7 to −3) of 0.06 a kilometre over 20 000 km:

    >>> saving_per_year(0.06, -5.0, (-7.0, -3.0), 0.0, 20_000)
    Saving(per_year=60.0, interval=(36.0, 84.0))
    """
    energy = (baseline_per_km - road_per_km) * km_per_year
    low, high = interval_percent

    def worth(percent: float) -> float:
        return round(-energy * percent / 100.0, 10)

    return Saving(worth(share_percent), (worth(high), worth(low)))


def payback_years(price: float, saving_per_year: float, rate: float = 0.0) -> float | None:
    """Years until savings at the end of each year have paid a price, discounted at a rate [1]_; None: never.

    n = −ln(1 − P r / S) / ln(1 + r), and P / S without interest.

    Raises
    ------
    ValueError
        If the price or the rate is negative.

    Examples
    --------
    >>> payback_years(300.0, 60.0), payback_years(300.0, -5.0), payback_years(300.0, 10.0, 0.04)
    (5.0, None, None)
    """
    if price < 0 or rate < 0:
        raise ValueError(f"expected a price and a rate of 0 or more; got {price:g} and {rate:g}")
    if price == 0:
        return 0.0
    if saving_per_year <= 0 or price * rate >= saving_per_year:
        return None
    if rate == 0:
        return price / saving_per_year
    return -math.log1p(-price * rate / saving_per_year) / math.log1p(rate)


@dataclass(frozen=True, slots=True)
class Payback:
    """Years until a purchase has paid for itself, by the effect and by the ends of its interval; None: never."""

    years: float | None
    soonest: float | None
    latest: float | None

    def words(self, lifetime_years: float | None = None) -> str:
        """In one sentence; a lifetime says whether it does so in time."""
        if self.soonest is None:
            return "It never pays for itself, at either end of the margin."
        if self.years is None:
            return f"It never pays for itself by the best guess; after {_years(self.soonest)} at the hopeful end of the margin."
        late = "never" if self.latest is None else f"after {_years(self.latest)}"
        text = f"It pays for itself after about {_years(self.years)} ({_years(self.soonest)} at the hopeful end of the margin, {late} at the other)."
        if lifetime_years is not None and self.years > lifetime_years:
            text += f" That is longer than the {lifetime_years:g} years it is kept."
        return text


def payback(price: float, saving: Saving, rate: float = 0.0) -> Payback:
    """Payback of a purchase by a saving and the ends of its interval."""
    return Payback(
        payback_years(price, saving.per_year, rate),
        payback_years(price, saving.interval[1], rate),
        payback_years(price, saving.interval[0], rate),
    )


def _years(value: float) -> str:
    if value < 1.5:
        return f"{12 * value:.0f} months"
    return f"{value:.0f} years" if value >= 10 else f"{value:.1f} years"
