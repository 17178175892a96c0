"""Moist air: density by CIPM-2007, and the standard atmosphere.

References
----------
.. [1] A. Picard, R. S. Davis, M. Gläser, K. Fujii, "Revised formula for the density of moist air
   (CIPM-2007)", Metrologia 45 (2008) 149-155; constants of Appendix A (written from memory and checked
   against CoolProp in the tests).
.. [2] ISO 2533:1975, "Standard Atmosphere" (troposphere, linear lapse; equation from memory).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

ZERO_C_K: Final = 273.15
STANDARD_PRESSURE_PA: Final = 101_325.0
STANDARD_TEMPERATURE_K: Final = 288.15
USUAL_HUMIDITY: Final = 0.6  # where nobody measured it; common practice (from 30 to 90 % the density moves by 0.3 %)
_LAPSE_K_M: Final = 0.0065
_R_DRY: Final = 287.05287  # J kg⁻¹ K⁻¹ [2]
_G0: Final = 9.80665  # m s⁻² [2]
_R_MOLAR: Final = 8.314472  # J mol⁻¹ K⁻¹, the value CIPM-2007 prescribes [1]
_M_DRY: Final = 28.96546e-3  # kg mol⁻¹ at 400 µmol/mol CO₂ [1]
_M_WATER: Final = 18.01528e-3  # kg mol⁻¹ [1]


def _positive(name: str, values: ArrayLike, hint: str) -> Array:
    array = np.asarray(values, dtype=float)
    bad = np.isinf(array) | (array <= 0)  # NaN passes: it means "missing"
    if bad.any():
        raise ValueError(
            f"{name} must be finite and > 0 ({hint}); got {array[bad].flat[0]:g}, {bad.sum()} of {array.size} bad"
        )
    return array


def moist_air_density(pressure_pa: ArrayLike, temperature_k: ArrayLike, humidity: ArrayLike) -> Array:
    """Density of moist air, CIPM-2007 [1]_ eq. (1) and appendix A.

    Parameters
    ----------
    pressure_pa : array_like
        Absolute pressure at the place. [Pa]
    temperature_k : array_like
        Air temperature. [K]
    humidity : array_like
        Relative humidity as a share of 1.

    Returns
    -------
    numpy.ndarray of float64, broadcast shape
        Density [kg m⁻³]; NaN wherever an input is NaN.

    Raises
    ------
    ValueError
        If a pressure or temperature is not positive and finite, or a humidity outside 0 to 1.
    """
    p = _positive("pressure_pa", pressure_pa, "absolute pascals")
    t = _positive("temperature_k", temperature_k, "kelvin, not °C")
    h = np.asarray(humidity, dtype=float)
    if np.any((h < 0) | (h > 1)):
        raise ValueError(f"humidity must be between 0 and 1 (a share, not %); got {h[(h < 0) | (h > 1)].flat[0]:g}")
    celsius = t - 273.15
    saturation = np.exp(1.2378847e-5 * t**2 - 1.9121316e-2 * t + 33.93711047 - 6.3431645e3 / t)
    enhancement = 1.00062 + 3.14e-8 * p + 5.6e-7 * celsius**2
    x = h * enhancement * saturation / p
    z = (
        1
        - p
        / t
        * (
            1.58123e-6
            - 2.9331e-8 * celsius
            + 1.1043e-10 * celsius**2
            + (5.707e-6 - 2.051e-8 * celsius) * x
            + (1.9898e-4 - 2.376e-6 * celsius) * x**2
        )
        + (p / t) ** 2 * (1.83e-11 - 0.765e-8 * x**2)
    )
    return np.asarray(p * _M_DRY / (z * _R_MOLAR * t) * (1 - x * (1 - _M_WATER / _M_DRY)))


def standard_pressure_pa(height_m: ArrayLike) -> Array:
    """Pressure of the standard atmosphere at a height below 11 km [2]_. [Pa]

    Parameters
    ----------
    height_m : array_like
        Above sea level. [m]

    Raises
    ------
    ValueError
        If a height is outside −1000 to 11 000 m.
    """
    h = np.asarray(height_m, dtype=float)
    if np.any((h < -1000) | (h > 11_000)):
        raise ValueError(f"height_m must be between -1000 and 11000; got {h[(h < -1000) | (h > 11000)].flat[0]:g}")
    exponent = _G0 / (_R_DRY * _LAPSE_K_M)
    return np.asarray(STANDARD_PRESSURE_PA * (1 - _LAPSE_K_M * h / STANDARD_TEMPERATURE_K) ** exponent)


@lru_cache(maxsize=4096)
def density_of_one(pressure_pa: float, temperature_k: float, humidity: float) -> float:
    """As `moist_air_density`, of one air; kept, since an edit is one leg's and the others' air is what it was. [kg/m³]"""
    return float(moist_air_density(pressure_pa, temperature_k, humidity))
