"""Rolling resistance, m g C_rr cos θ, and what C_rr does with warmth, pressure and the first minutes of a drive.

References
----------
.. [1] ISO 28580:2018: rolling resistance against ambient temperature, K_t = 0.008 per kelvin in the laboratory around 25 °C;
   the road correction of the WLTP has 0.0086 per kelvin of everything that is not air (both from memory). On the road, over
   a season and at one pressure, about 0.006 (common practice); the prior of 0.0016 has both within 1.6 of its deviations.
"""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fairmargin.core.laws.factor import Factor

Array = NDArray[np.float64]

GRAVITY_M_S2: Final = 9.80665
TEMPERATURE_PER_K: Final = 0.006  # C_rr falls by this per kelvin, ± 0.002 [1]
REFERENCE_C: Final = 20.0  # at which C_rr is stated
PRESSURE_EXPONENT: Final = -0.4  # of C_rr against inflation pressure; common practice
STANDARD_PRESSURE_KPA: Final = 101.325
ZERO_C_K: Final = 273.15
WARM_UP_S: Final = 700.0  # time constant of the tyres' warming while driving; common practice
COOL_DOWN_S: Final = 3600.0  # and of their cooling while standing; common practice


def temperature_factor(temperature_c: ArrayLike, per_k: ArrayLike = TEMPERATURE_PER_K) -> Factor:
    """C_rr at an air temperature relative to 20 °C, exp(−k (T − 20)) [1]_; derivative by k.

    Parameters
    ----------
    temperature_c : array_like
        Of the outside air. [°C]
    per_k : array_like, optional
        Change of the logarithm per kelvin. [1/K]

    Examples
    --------
    >>> round(float(temperature_factor(0.0).value), 4)
    1.1275
    """
    above = np.asarray(temperature_c, dtype=float) - REFERENCE_C
    return Factor(np.asarray(np.exp(-np.asarray(per_k) * above)), -above)


def pressure_factor(pressure_ratio: ArrayLike, exponent: ArrayLike = PRESSURE_EXPONENT) -> Factor:
    """C_rr at an inflation pressure relative to another, (p/p₀)ˣ; derivative by x (common practice).

    Parameters
    ----------
    pressure_ratio : array_like
        Inflation pressure over the other. [1]
    exponent : array_like, optional
        Of C_rr against inflation pressure. [1]

    Examples
    --------
    40 kPa above 260 kPa:

    >>> round(float(pressure_factor(300 / 260).value), 4)
    0.9444
    """
    log_ratio = np.log(np.asarray(pressure_ratio, dtype=float))
    return Factor(np.asarray(np.exp(np.asarray(exponent) * log_ratio)), log_ratio)


def pressure_at_kpa(gauge_kpa: float, set_c: float, now_c: float) -> float:
    """What a gauge shows of a tyre that was set cold at one temperature and stands at another: a gas of one volume.

    Parameters
    ----------
    gauge_kpa : float
        As it was set. [kPa over the outside air]
    set_c, now_c : float
        Of the tyre, cold, then and now. [°C]

    Examples
    --------
    About 1 kPa a kelvin (common practice: a tenth of a bar for ten):

    >>> round(pressure_at_kpa(250.0, 20.0, 10.0), 1)
    238.0
    """
    absolute = gauge_kpa + STANDARD_PRESSURE_KPA
    return absolute * (ZERO_C_K + now_c) / (ZERO_C_K + set_c) - STANDARD_PRESSURE_KPA


def warm_up_factor(cold_share: ArrayLike, rise: ArrayLike) -> Factor:
    """C_rr of tyres that are still cold by a share, 1 + r·share; derivative by the rise r of wholly cold ones.

    Parameters
    ----------
    cold_share : array_like
        1 for wholly cold tyres, 0 for warm ones.
    rise : array_like
        Of C_rr on wholly cold tyres. [1]
    """
    share = np.asarray(cold_share, dtype=float)
    value = 1.0 + np.asarray(rise, dtype=float) * share
    return Factor(value, share / value)


def force_n(mass_kg: ArrayLike, coefficient: ArrayLike, slope_cos: ArrayLike) -> Array:
    """Rolling resistance. [N]

    Parameters
    ----------
    mass_kg : array_like
        Of the vehicle with its load. [kg]
    coefficient : array_like
        C_rr. [1]
    slope_cos : array_like
        Cosine of the slope. [1]
    """
    return np.asarray(
        np.asarray(mass_kg) * np.asarray(coefficient) * (GRAVITY_M_S2 * np.asarray(slope_cos)), dtype=float
    )


# ---------------------------------------------------------------- how cold the tyres still are


def cold_share_after(share: float, driven_s: float) -> float:
    """Share by which tyres are still cold after driving, from `share` at the start: share·exp(−t/700 s).

    Parameters
    ----------
    share : float
        Cold share at the start: 1 wholly cold, 0 warm.
    driven_s : float
        Driving time. [s]
    """
    return share * math.exp(-driven_s / WARM_UP_S)


def cold_share_mean(share: float, driven_s: float) -> float:
    """Mean of the cold share over a drive that begins at `share`.

    Parameters
    ----------
    share : float
        Cold share at the start: 1 wholly cold, 0 warm.
    driven_s : float
        Driving time. [s]
    """
    return (share - cold_share_after(share, driven_s)) * WARM_UP_S / driven_s


def cold_share_at_start(mean: float, driven_s: float) -> float:
    """Cold share at the start of a drive whose mean is known: the inverse of `cold_share_mean`.

    Parameters
    ----------
    mean : float
        Mean cold share over the drive.
    driven_s : float
        Driving time. [s]
    """
    return mean * driven_s / WARM_UP_S / max(-math.expm1(-driven_s / WARM_UP_S), 1e-9)


def cold_share_between(share: float, from_s: float, to_s: float) -> float:
    """Mean of the cold share over a part of a drive that begins at `share`, in seconds since its start.

    Parameters
    ----------
    share : float
        Cold share at the start: 1 wholly cold, 0 warm.
    from_s : float
        Seconds since the start of the drive. [s]
    to_s : float
        Seconds since the start of the drive. [s]
    """
    passed = math.exp(-from_s / WARM_UP_S) - math.exp(-to_s / WARM_UP_S)
    return share * (passed * WARM_UP_S / max(to_s - from_s, 1.0))


def cold_share_kept(stood_s: float) -> float:
    """Share of a difference in warmth that standing leaves, exp(−t/3600 s).

    Parameters
    ----------
    stood_s : float
        Time standing. [s]
    """
    return math.exp(-stood_s / COOL_DOWN_S)


def cold_share_rested(share: float, stood_s: float) -> float:
    """Cold share after standing: what was warm cools with a time constant of an hour.

    Parameters
    ----------
    share : float
        Cold share at the start: 1 wholly cold, 0 warm.
    stood_s : float
        Time standing. [s]
    """
    return 1.0 - (1.0 - share) * math.exp(-stood_s / COOL_DOWN_S)
