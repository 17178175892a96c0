"""Aerodynamic drag: F = ½ ρ C_dA(ψ) v_r u, with gusts averaged in, and its derivatives.

u is the air speed along the road and v_r the whole air speed at the car; C_dA grows with the yaw angle ψ: nearly with
its square up to 10°, then ever more slowly [2]_.

References
----------
.. [1] UN GTR No. 15, Annex 4 (road load); the force as in any vehicle dynamics text.
.. [2] SAE J1252, wind-averaged drag (from memory): drag over yaw is near a parabola to about 10°.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fairmargin.core.laws.factor import Factor

Array = NDArray[np.float64]

YAW_SLOPE_PER_DEG: Final = 0.012  # growth of C_dA per degree of yaw, on the mean up to 10°, ± 0.006; common practice
YAW_PARABOLA_DEG: Final = 10.0  # up to here C_dA grows with the square of the yaw angle
YAW_LIMIT_DEG: Final = 15.0  # beyond it C_dA no longer grows; common practice
#: Drag coefficient of a box that stands in the wind beside or above a cab. Common practice.
BOX_DRAG_COEFFICIENT: Final = 0.5
DEG: Final = 180.0 / np.pi
_KINK: Final = 1e-9  # keeps the roots differentiable at zero air speed


@dataclass(frozen=True, eq=False)
class AeroTerm:
    """½ ρ v_r u (1 + s g(ψ)), and its derivatives by head wind, cross wind (both at the car) and s, worked out when asked for.

    Attributes
    ----------
    along, across, gusts2 : numpy.ndarray
        Air speed along the road and across it, and the mean square of the gusts. [m/s, m²/s²]
    half_density : numpy.ndarray
        Half of the density. [kg/m³]
    yaw_slope : numpy.ndarray
        s. [1/°]
    """

    along: Array
    across: Array
    gusts2: Array
    half_density: Array
    yaw_slope: Array

    @cached_property
    def value(self) -> Array:
        """Force per drag area. [N/m²]"""
        return np.asarray(self.half_density * self._gain * self._base)

    @cached_property
    def by_head(self) -> Array:
        """Derivative by the head wind. [N s/m³]"""
        u = self.along
        # Nearer to the road's direction: less yaw.
        grown = self._steepness * (-self._blurred * np.sign(u) / self._square * DEG)
        own = self._gain * (self._air_speed + u * u / self._air_speed)
        return np.asarray(self.half_density * (own + self.yaw_slope * grown * self._base))

    @cached_property
    def by_cross(self) -> Array:
        """Derivative by the cross wind. [N s/m³]"""
        u, c = self.along, self.across
        grown = self._steepness * (np.abs(u) / self._square * (c / self._blurred) * DEG)
        own = self._gain * u * c / self._air_speed
        return np.asarray(self.half_density * (own + self.yaw_slope * grown * self._base))

    @cached_property
    def by_yaw_slope(self) -> Array:
        """Derivative by s. [N °/m²]"""
        return np.asarray(self.half_density * self._growth[0] * self._base)

    @cached_property
    def _air_speed(self) -> Array:
        return np.sqrt(self.along * self.along + self.across * self.across + _KINK)

    @cached_property
    def _blurred(self) -> Array:
        """Root mean square of the cross wind, gusts and all."""
        return np.sqrt(self.across * self.across + self.gusts2 + _KINK)

    @cached_property
    def _growth(self) -> tuple[Array, Array]:
        return _growth_by_yaw(np.arctan2(self._blurred, np.abs(self.along)) * DEG)

    @property
    def _steepness(self) -> Array:
        return self._growth[1]

    @cached_property
    def _gain(self) -> Array:
        return np.asarray(1 + self.yaw_slope * self._growth[0])

    @cached_property
    def _base(self) -> Array:
        return np.asarray(self._air_speed * self.along + self.gusts2 * np.sign(self.along))

    @cached_property
    def _square(self) -> Array:
        return np.asarray(self.along * self.along + self._blurred * self._blurred)


def aero_term(
    speed_m_s: ArrayLike,
    head_m_s: ArrayLike,
    cross_m_s: ArrayLike,
    turbulence_m_s: ArrayLike,
    density_kg_m3: ArrayLike,
    yaw_slope_per_deg: ArrayLike,
) -> AeroTerm:
    r"""Aerodynamic force per drag area, with gusts averaged in. [N/m²]

    Gusts of standard deviation σ add σ² to the mean square of the air speed along the road and to that of the cross
    wind (as from anywhere), on which the yaw effect depends: g(ψ) = ψ²/10° up to 10° [2]_, then bending over smoothly to 15°, from
    where it no longer grows.

    Parameters
    ----------
    speed_m_s : array_like
        True speed of the vehicle. [m/s]
    head_m_s : array_like
        Wind against the vehicle. [m/s]
    cross_m_s : array_like
        Wind from the side. [m/s]
    turbulence_m_s : array_like
        Standard deviation of the gusts at the car. [m/s]
    density_kg_m3 : array_like
        Of the air. [kg/m³]
    yaw_slope_per_deg : array_like
        Growth of the drag area per degree of yaw, on the mean up to 10°. [1/°]

    Returns
    -------
    AeroTerm
        Arrays of the broadcast shape.

    Examples
    --------
    100 km/h in still air of 1.2 kg/m³ and no gusts:

    >>> round(float(aero_term(100 / 3.6, 0.0, 0.0, 0.0, 1.2, 0.012).value), 2)
    462.96
    """
    v, head, cross, gusts, density, slope = (
        np.asarray(x, dtype=float)
        for x in (speed_m_s, head_m_s, cross_m_s, turbulence_m_s, density_kg_m3, yaw_slope_per_deg)
    )
    return AeroTerm(v + head, cross, gusts**2, 0.5 * density, slope)


def _growth_by_yaw(psi_deg: Array) -> tuple[Array, Array]:
    """Growth of the drag area over its slope, and its derivative by the yaw angle: a parabola, then its mirror image."""
    if psi_deg.size and float(psi_deg.max()) <= YAW_PARABOLA_DEG:  # as it nearly always is
        return psi_deg * psi_deg / YAW_PARABOLA_DEG, psi_deg * (2.0 / YAW_PARABOLA_DEG)
    past = np.clip(psi_deg - YAW_PARABOLA_DEG, 0.0, YAW_LIMIT_DEG - YAW_PARABOLA_DEG)
    below = np.minimum(psi_deg, YAW_PARABOLA_DEG)
    bend = YAW_LIMIT_DEG - YAW_PARABOLA_DEG
    growth = below * below / YAW_PARABOLA_DEG + 2.0 * past - past * past / bend
    return growth, 2.0 * below / YAW_PARABOLA_DEG - 2.0 * past / bend


def yaw_slope(deviation: ArrayLike) -> Factor:
    """Growth of the drag area per degree of yaw, between nothing and twice the usual; derivative by the deviation.

    A deviation of ±0.5 is what vehicles differ by (0.006 to 0.018 per degree, common practice).

    Parameters
    ----------
    deviation : array_like
        Of the growth, as a share of the usual one: 0 for the usual growth, ±0.5 what vehicles differ by.

    Examples
    --------
    >>> [round(float(yaw_slope(x).value), 4) for x in (-5.0, -0.5, 0.0, 0.5, 5.0)]
    [0.0, 0.0065, 0.012, 0.0175, 0.024]
    """
    share = 1.0 / (1.0 + np.exp(-2.0 * np.asarray(deviation, dtype=float)))
    return Factor(np.asarray(2.0 * YAW_SLOPE_PER_DEG * share), np.asarray(2.0 * (1.0 - share)))


def growth_by_wind(speed_m_s: ArrayLike, component_m_s: ArrayLike, turbulence_m_s: ArrayLike) -> Array:
    """Share by which a wind from anywhere adds to the drag, on the mean of all directions.

    `component_m_s` is the root mean square of either component at the car. Wind adds its square to the mean square of
    the air speed, and yaw to the drag area.

    Parameters
    ----------
    speed_m_s : array_like
        True speed of the vehicle. [m/s]
    component_m_s : array_like
        Root mean square of one component of the wind at the car. [m/s]
    turbulence_m_s : array_like
        Standard deviation of the gusts at the car. [m/s]

    Examples
    --------
    At 95 km/h in a wind whose components are 1.9 m/s each at the car:

    >>> round(float(growth_by_wind(95 / 3.6, 1.9, 0.3)), 3)
    0.026
    """
    gusts = np.asarray(turbulence_m_s, dtype=float)
    blown = np.hypot(gusts, component_m_s)
    calm, windy = (aero_term(speed_m_s, 0.0, 0.0, s, 1.0, YAW_SLOPE_PER_DEG).value for s in (gusts, blown))
    return np.asarray(windy / calm - 1.0)


def box_drag_area_m2(frontal_area_m2: float) -> float:
    """Drag area that a load adds by standing in the wind (common practice). [m²]

    Parameters
    ----------
    frontal_area_m2 : float
        Of what stands in the wind. [m²]
    """
    return BOX_DRAG_COEFFICIENT * frontal_area_m2
