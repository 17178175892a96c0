"""What disturbs a leg: stops and slow traffic, hills, the wake of a vehicle ahead, water on the road; and a leg without."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fairmargin.core.laws.rolling import GRAVITY_M_S2

Array = NDArray[np.float64]

STANDARD_DENSITY_KG_M3: Final = 1.225  # ISO 2533:1975, sea level
ROTATING_MASS_SHARE: Final = 0.04  # of the mass, for wheels and motor; common practice
WAKE_SHARE: Final = 0.15  # of the drag that driving close behind another vehicle saves (10 to 20 %); common practice
#: Share of consumption that a road costs over a dry one, and its standard deviation: water only raises it, about 10 % in heavy
#: rain. Common practice.
ROAD_COST: Final = {"damp": (0.02, 0.01), "wet": (0.06, 0.03), "snow": (0.12, 0.06)}


#: How cars brake for a stop and pull away from it, on open roads: 0.8 to 2 m/s². Common practice. [m/s²]
ACCELERATES_M_S2: Final = 1.0
BRAKES_M_S2: Final = 1.0


def ramp_s_per_m_s() -> float:
    """Time that one stop costs beside the standing, for each m/s of the speed held: ½ (1/a + 1/b). [s²/m]"""
    return 0.5 * (1.0 / ACCELERATES_M_S2 + 1.0 / BRAKES_M_S2)


def ramp_cuts(
    speed_m_s: ArrayLike, drive_efficiency: ArrayLike, regen_efficiency: ArrayLike
) -> tuple[Array, Array, Array]:
    """Ways for which one stop saves the air's part, and the tyres', of what the same way takes at speed. [m]

    Pulling away over d_a = v²/2a the air takes half; braking over d_b = v²/2b air and tyres brake for nothing, and what the
    motor brakes comes back: air ½ d_a + d_b (1 − r η/2), tyres d_b (1 − r η). The energy of a stop is then `regained_wh`
    less what these ways take at speed (from a balance of energies over both ramps).

    Parameters
    ----------
    speed_m_s : array_like
        Speed held. [m/s]
    drive_efficiency : array_like
        From battery to wheel. [1]
    regen_efficiency : array_like
        Of braking energy, share that comes back. [1]

    Returns
    -------
    air, tyres, back : numpy.ndarray
        `back` is d_b r η, for derivatives.

    Examples
    --------
    From 25 m/s at 88 % and 60 %:

    >>> [round(float(x), 1) for x in ramp_cuts(25.0, 0.88, 0.6)]
    [386.2, 147.5, 165.0]
    """
    half = 0.5 * np.asarray(speed_m_s, dtype=float) ** 2
    away, down = half / ACCELERATES_M_S2, half / BRAKES_M_S2
    back = down * np.asarray(drive_efficiency) * np.asarray(regen_efficiency)
    return np.asarray(0.5 * away + down - 0.5 * back), np.asarray(down - back), np.asarray(back)


def cruise_m_s(metres: float, moving_s: float, stops: float) -> float:
    """Speed held between stops, from the mean one: the time moving holds the ramps, D = v (T − n v ½ (1/a + 1/b)). [m/s]

    Parameters
    ----------
    metres : float
        Way driven. [m]
    moving_s : float
        Time with the wheels turning. [s]
    stops : float
        Full stops.

    Examples
    --------
    18.4 km at 25 m/s with one stop take 25 s more than 736 s:

    >>> round(cruise_m_s(18_400.0, 761.0, 1.0), 3), round(cruise_m_s(18_400.0, 736.0, 0.0), 3)
    (25.0, 25.0)
    """
    mean = metres / moving_s
    lost = stops * ramp_s_per_m_s()
    if lost <= 0.0:
        return mean
    # More stops than fit into the time were shorter ones, from less than full speed.
    root = math.sqrt(max(moving_s**2 - 4.0 * lost * metres, 0.0))
    return min((moving_s - root) / (2.0 * lost), MOST_OVER_MEAN * mean)


#: A drive with stops holds at most so many times its mean moving speed.
MOST_OVER_MEAN: Final = 1.6


def regained_wh(
    mass_kg: ArrayLike,
    speed_m_s: ArrayLike,
    slowest_m_s: ArrayLike,
    drive_efficiency: ArrayLike,
    regen_efficiency: ArrayLike,
) -> Array:
    """Energy lost by slowing down and regaining the speed: what the motor gives less what braking gave back. [Wh]

    ½ m (1 + 4 %) (v² − v_low²) (1/η − r), with the rotating parts in the mass.

    Parameters
    ----------
    mass_kg : array_like
        Of the vehicle with its load. [kg]
    speed_m_s : array_like
        True speed of the vehicle. [m/s]
    slowest_m_s : array_like
        Speed it slows down to; 0 for a full stop. [m/s]
    drive_efficiency : array_like
        From battery to wheel. [1]
    regen_efficiency : array_like
        Of braking energy, share that comes back. [1]

    Examples
    --------
    A van of 2.1 t from 80 km/h to a stand and up again:

    >>> round(float(regained_wh(2100.0, 80 / 3.6, 0.0, 0.9, 0.6)), 1)
    76.6
    """
    v2 = np.asarray(speed_m_s, dtype=float) ** 2 - np.asarray(slowest_m_s, dtype=float) ** 2
    kinetic = 0.5 * np.asarray(mass_kg) * (1 + ROTATING_MASS_SHARE) * v2 / 3600.0
    return np.asarray(np.maximum(kinetic, 0.0) * (1.0 / np.asarray(drive_efficiency) - np.asarray(regen_efficiency)))


def road_share(road: str) -> float:
    """Share of consumption that the state of a road costs over a dry one; 0 for a dry or unknown one.

    Parameters
    ----------
    road : str
        State of the road: dry, damp, wet, snow; empty where nobody noted it.
    """
    return ROAD_COST[road][0] if road in ROAD_COST else 0.0


def climb_n(mass_kg: ArrayLike, slope_sin: ArrayLike) -> Array:
    """Force that a slope asks of a vehicle, m g sin θ. [N]

    Parameters
    ----------
    mass_kg : array_like
        Of the vehicle with its load. [kg]
    slope_sin : array_like
        Sine of the slope. [1]
    """
    return np.asarray(np.asarray(mass_kg) * (GRAVITY_M_S2 * np.asarray(slope_sin)))


def kept_by_hills_wh(mass_kg: float, climbed_m: float, drive_efficiency: float, regen_efficiency: float) -> float:
    """Energy that climbing and coming down again costs: m g h (1/η − r), what goes up does not come back whole. [Wh]

    Parameters
    ----------
    mass_kg : float
        Of the vehicle with its load. [kg]
    climbed_m : float
        Metres up, and down again. [m]
    drive_efficiency : float
        From battery to wheel. [1]
    regen_efficiency : float
        Of braking energy, share that comes back. [1]

    Examples
    --------
    1 700 kg over 100 m at 88 % and 60 %:

    >>> round(kept_by_hills_wh(1700.0, 100.0, 0.88, 0.6), 1)
    248.4
    """
    return mass_kg * GRAVITY_M_S2 * climbed_m / 3600.0 * (1.0 / drive_efficiency - regen_efficiency)


def level_wh_per_km(
    mass_kg: float,
    rolling_coefficient: float,
    drag_area_m2: float,
    drive_efficiency: float,
    auxiliary_w: float,
    speed_m_s: float,
) -> float:
    """Consumption on a level road in still standard air: (m g C_rr + ½ ρ C_dA v²)/η + P_aux/v. [Wh/km]

    Parameters
    ----------
    mass_kg : float
        Of the vehicle with its load. [kg]
    rolling_coefficient : float
        C_rr. [1]
    drag_area_m2 : float
        C_dA. [m²]
    drive_efficiency : float
        From battery to wheel. [1]
    auxiliary_w : float
        Power of the auxiliaries. [W]
    speed_m_s : float
        Steady speed. [m/s]

    Examples
    --------
    A van of 1 710 kg with 0.83 m² at 90 km/h: 159 N rolling, 318 N air.

    >>> round(level_wh_per_km(1710.0, 0.0095, 0.83, 0.88, 300.0, 25.0), 1)
    153.9
    """
    newtons = mass_kg * GRAVITY_M_S2 * rolling_coefficient + 0.5 * STANDARD_DENSITY_KG_M3 * drag_area_m2 * speed_m_s**2
    return newtons / 3.6 / drive_efficiency + auxiliary_w / (3.6 * speed_m_s)


def inertia_n(mass_kg: ArrayLike, acceleration_m_s2: ArrayLike) -> Array:
    """Force that accelerates a vehicle with its rotating parts. [N]

    Parameters
    ----------
    mass_kg : array_like
        Of the vehicle with its load. [kg]
    acceleration_m_s2 : array_like
        Of the vehicle. [m/s²]
    """
    return np.asarray((1 + ROTATING_MASS_SHARE) * np.asarray(mass_kg) * np.asarray(acceleration_m_s2))
