"""Road load along stretches, with the derivatives the fit needs.

    F = m_e a + m g sin θ + m g C_rr cos θ + ½ ρ C_dA(ψ) v_r u

with u the air speed along the road and v_r the whole air speed at the car; C_dA grows with the yaw angle ψ.

References
----------
.. [1] UN GTR No. 15, Annex 4 (road load); force terms as in any vehicle dynamics text.
.. [2] ISO 28580:2018: rolling resistance against ambient temperature, K_t = 0.008 in the laboratory; on the
   road about 0.006 per kelvin (common practice).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

GRAVITY_M_S2: Final = 9.80665
ROTATING_MASS_SHARE: Final = 0.04  # of the mass, for wheels and motor; common practice
YAW_SLOPE_PER_DEG: Final = 0.012  # C_dA per degree of yaw, ± 0.006; common practice
YAW_LIMIT_DEG: Final = 15.0
TYRE_TEMPERATURE_PER_K: Final = 0.006  # ± 0.002 [2]
TYRE_REFERENCE_C: Final = 20.0
DRIVELINE_TEMPERATURE_PER_K: Final = 0.0007  # of total consumption, ± the same; common practice
CLIMATE_W_PER_K: Final = 55.0  # electrical, per kelvin between cabin setting and outside; ± half
WARM_UP_S: Final = 700.0  # time constant of the tyres' warming; common practice
PRESSURE_EXPONENT: Final = -0.4  # C_rr against inflation pressure; common practice


@dataclass(frozen=True, eq=False, slots=True)
class AeroTerm:
    """½ ρ v_r u (1 + s ψ), and its derivatives by head wind, cross wind (both at the car) and s."""

    value: Array
    by_head: Array
    by_cross: Array
    by_yaw_slope: Array


def aero_term(
    speed_m_s: ArrayLike,
    head_m_s: ArrayLike,
    cross_m_s: ArrayLike,
    turbulence_m_s: ArrayLike,
    density_kg_m3: ArrayLike,
    yaw_slope_per_deg: ArrayLike,
) -> AeroTerm:
    r"""Aerodynamic force per drag area, with gusts averaged in. [N/m²]

    Gusts of standard deviation σ add σ² to the mean square of the air speed along the road, and blur the
    kink of \\|ψ\\| at zero: the yaw angle is that of √(cross² + 0.64 σ²) (mean of \\|x\\| of a normal deviate
    is 0.8 σ). Beyond 15° the yaw effect no longer grows.

    Returns
    -------
    AeroTerm
        Arrays of the broadcast shape.
    """
    v = np.asarray(speed_m_s, dtype=float)
    sigma2 = np.asarray(turbulence_m_s, dtype=float) ** 2
    half = 0.5 * np.asarray(density_kg_m3, dtype=float)
    u = v + np.asarray(head_m_s, dtype=float)
    c = np.asarray(cross_m_s, dtype=float)
    vr = np.sqrt(u * u + c * c + 1e-9)
    blurred = np.sqrt(c * c + 0.64 * sigma2 + 1e-9)
    deg = 180.0 / np.pi
    psi = np.arctan2(blurred, np.abs(u)) * deg
    capped = psi >= YAW_LIMIT_DEG
    psi = np.minimum(psi, YAW_LIMIT_DEG)
    yaw = np.asarray(yaw_slope_per_deg, dtype=float)
    gain = 1 + yaw * psi
    r2 = u * u + blurred * blurred
    psi_u = np.where(capped, 0.0, -blurred * np.sign(u) / r2 * deg)
    psi_c = np.where(capped, 0.0, np.abs(u) / r2 * (c / blurred) * deg)
    base = vr * u + sigma2 * np.sign(u)
    return AeroTerm(
        value=half * gain * base,
        by_head=half * (gain * (vr + u * u / vr) + yaw * psi_u * base),
        by_cross=half * (gain * u * c / vr + yaw * psi_c * base),
        by_yaw_slope=half * psi * base,
    )


def tyre_factor(temperature_c: ArrayLike, per_k: ArrayLike) -> Array:
    """C_rr at an air temperature relative to 20 °C, exp(−k (T − 20)) [2]_."""
    return np.asarray(
        np.exp(-np.asarray(per_k) * (np.asarray(temperature_c, dtype=float) - TYRE_REFERENCE_C))
    )
