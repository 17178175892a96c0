"""Energy of every leg at once, and its derivative by every parameter of the model.

Legs are flattened into one array of stretches (or samples, for logged legs), so that one pass of array
arithmetic evaluates the whole study. The rules themselves stand in `fairmargin.core.laws`.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.laws import aero, air, auxiliaries, disturbance, driveline, rolling, wind
from fairmargin.core.laws.factor import Factor
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.model.paths import LegTable, Paths
from fairmargin.core.study import VehicleConstants

Array = NDArray[np.float64]


#: Of the air's part, at most so much is taken off for the ramps of stops: more of them were shorter.
MOST_RAMPS: Final = 0.4


@dataclass(frozen=True, eq=False, slots=True)
class Energies:
    """Modelled energy per leg [Wh] and its derivative by each slot, shape (n, parameters)."""

    wh: Array
    by_parameter: Array | None


@dataclass(frozen=True, eq=False, slots=True)
class RoadModel:
    """Everything fixed about the model of n legs; `energies` evaluates it."""

    constants: VehicleConstants
    height_factor: float
    paths: Paths
    legs: LegTable
    configuration_mass_kg: Array  # declared, per leg

    def by_leg(self, row_leg: NDArray[np.intp]) -> RoadModel:
        """Return the same model with the rows of each leg taken together (rows of a leg lie side by side).

        Parameters
        ----------
        row_leg : numpy.ndarray of int
            Leg of each row, shape (rows,).
        """
        first = np.flatnonzero(np.diff(row_leg, prepend=-1))
        paths = replace(
            self.paths,
            starts=self.paths.starts[first],
            counts=np.add.reduceat(self.paths.counts, first),
            heading_known=self.paths.heading_known[first],
            stops=np.add.reduceat(self.paths.stops, first),
        )
        weight = self.paths.total(self.paths.length_m)
        whole = np.add.reduceat(weight, first)
        legs = replace(
            self.legs,
            **{
                name: np.add.reduceat(getattr(self.legs, name) * weight, first) / whole
                for name in LegTable.__dataclass_fields__
                if name != "stopped_s"
            },
            stopped_s=np.add.reduceat(self.legs.stopped_s, first),
        )
        return replace(self, paths=paths, legs=legs, configuration_mass_kg=self.configuration_mass_kg[first])

    def followed_by(self, *others: RoadModel) -> RoadModel:
        """The rows of this model and, after them, those of others of the same vehicle: one pass evaluates all."""
        every = (self, *others)
        legs = {name: np.concatenate([getattr(m.legs, name) for m in every]) for name in LegTable.__dataclass_fields__}
        masses = np.concatenate([m.configuration_mass_kg for m in every])
        paths = self.paths.followed_by(*(m.paths for m in others))
        return replace(self, paths=paths, legs=LegTable(**legs), configuration_mass_kg=masses)

    def replaced(self, **changes: Array) -> RoadModel:
        """Return the model with some per-leg conditions exchanged."""
        return replace(self, legs=replace(self.legs, **changes))

    def energies(self, local: Array, derivatives: bool) -> Energies:
        """Energy of every leg.

        Parameters
        ----------
        local : numpy.ndarray, shape (n, parameters)
            Deviation of each parameter from its middle value.
        derivatives : bool
            Whether to return the derivatives as well.

        Returns
        -------
        Energies
            Battery (or tank) energy in Wh; derivatives in Wh per unit of the parameter.
        """
        t = self._terms(local)
        factor = np.exp(local[:, Parameter.TOTAL]) * t.cold.value
        wh = (t.wh_air + t.wh_tyres + t.wh_rest + t.regained + t.watts * t.hours) * factor
        return Energies(wh, self._derivatives(t, wh, factor) if derivatives else None)

    def _terms(self, local: Array) -> _Terms:
        """Lay every law over the legs."""
        k, p, legs = self.constants, self.paths, self.legs
        outside_c = legs.temperature_c + local[:, Parameter.WARMER_K]
        density = legs.density * (air.ZERO_C_K + legs.temperature_c) / (air.ZERO_C_K + outside_c)
        crr, warmth, warm_up, pressure = self._rolling(local, outside_c)
        cold = driveline.temperature_factor(
            outside_c, driveline.TEMPERATURE_PER_K + local[:, Parameter.DRIVELINE_PER_K]
        )
        declared = k.mass_kg + self.configuration_mass_kg + legs.mass_delta_kg
        mass = declared * np.exp(local[:, Parameter.MASS])
        eta = k.drive_efficiency * np.exp(local[:, Parameter.EFFICIENCY])
        regen = k.regen_efficiency * np.exp(local[:, Parameter.REGENERATION])
        speed = p.speed_m_s * p.spread(np.exp(local[:, Parameter.SPEED]))
        yaw_slope = aero.yaw_slope(local[:, Parameter.YAW_SLOPE])
        height, head, cross, flow = self._air(local, speed, density, yaw_slope.value)

        drag_area, mass_s = p.spread(k.drag_area_m2 * np.exp(local[:, Parameter.DRAG])), p.spread(mass)
        f_air, f_tyres = drag_area * flow.value, rolling.force_n(mass_s, p.spread(crr), p.slope_cos)
        slope_sin = p.slope_sin + p.spread(local[:, Parameter.GRADIENT])
        f_rest = disturbance.climb_n(mass_s, slope_sin) + disturbance.inertia_n(mass_s, p.acceleration)
        force = f_air + f_tyres + f_rest
        driving = force > 0
        # Energy per newton of force: drawn through the driveline, or given back by regeneration.
        weight = np.where(driving, p.spread(1.0 / eta), p.spread(regen)) * p.length_m / 3600.0

        seconds = p.total(p.length_m / speed)
        mean_speed = p.total(p.length_m) / seconds
        air_cut, tyre_cut, back, grows = self._ramps(mean_speed, eta, regen)
        all_air, all_tyres = p.total(weight * f_air), p.total(weight * f_tyres)
        per_k = auxiliaries.CLIMATE_W_PER_K + local[:, Parameter.CLIMATE_W_PER_K]
        return _Terms(
            warmth=warmth,
            warm_up=warm_up,
            pressure=pressure,
            cold=cold,
            height=height,
            head_mast=head,
            cross_mast=cross,
            speed=speed,
            air=flow,
            yaw_slope=yaw_slope,
            by_kelvin=rolling.TEMPERATURE_PER_K + local[:, Parameter.TYRE_PER_K],
            cold_by_kelvin=driveline.TEMPERATURE_PER_K + local[:, Parameter.DRIVELINE_PER_K],
            outside_k=air.ZERO_C_K + outside_c,
            weight=weight,
            drag_weight=weight * drag_area * p.spread(1.0 - air_cut),
            mass_s=mass_s,
            wh=weight * force,
            wh_air=all_air * (1.0 - air_cut),
            cut=all_air * air_cut + all_tyres * tyre_cut,
            cut_back=(0.5 * all_air + all_tyres) * back * grows,
            grows=grows,
            wh_tyres=all_tyres * (1.0 - tyre_cut),
            wh_rest=p.total(weight * f_rest),
            regained=p.stops * disturbance.regained_wh(mass, mean_speed, 0.0, eta, regen),
            regained_drawn=p.stops * disturbance.regained_wh(mass, mean_speed, 0.0, eta, 0.0),
            watts=auxiliaries.power_w(k.auxiliary_w + local[:, Parameter.AUXILIARY_W], per_k, legs.climate_k),
            moving_h=seconds / 3600.0,
            hours=(seconds + legs.stopped_s) / 3600.0,
        )

    def _ramps(self, mean_speed: Array, eta: Array, regen: Array) -> tuple[Array, Array, Array, Array]:
        """Shares of the air's part and of the tyres' that the ramps of stops save: they take less there, and brake for nothing.

        Beside them what of it regeneration would have brought back, and whether the ramps grow with the speed.
        """
        p = self.paths
        cuts = np.stack(disturbance.ramp_cuts(mean_speed, eta, regen)) * p.stops / p.total(p.length_m)
        held = np.minimum(1.0, MOST_RAMPS / np.maximum(cuts[0], 1e-9))
        air_cut, tyre_cut, back = cuts * held
        return air_cut, tyre_cut, back, (held == 1.0).astype(float)

    def _rolling(self, local: Array, outside_c: Array) -> tuple[Array, Factor, Factor, Factor]:
        """Rolling coefficient of every leg, and what warmth, cold tyres and pressure do to it."""
        legs = self.legs
        warmth = rolling.temperature_factor(outside_c, rolling.TEMPERATURE_PER_K + local[:, Parameter.TYRE_PER_K])
        warm_up = rolling.warm_up_factor(legs.cold_share, local[:, Parameter.WARM_UP])
        pressure = rolling.pressure_factor(
            legs.pressure_ratio, rolling.PRESSURE_EXPONENT + local[:, Parameter.PRESSURE_EXPONENT]
        )
        crr = self.constants.rolling_coefficient * np.exp(local[:, Parameter.ROLLING])
        return crr * warmth.value * warm_up.value * pressure.value, warmth, warm_up, pressure

    def _air(
        self, local: Array, speed: Array, density: Array, yaw_slope: Array
    ) -> tuple[Array, Array, Array, aero.AeroTerm]:
        """Height factor, head and cross wind at the mast, and the force of the air; per stretch."""
        p, legs = self.paths, self.legs
        height = p.spread(self.height_factor * np.exp(local[:, Parameter.HEIGHT_FACTOR]))
        head, cross = wind.resolved(
            p.spread(legs.from_north + local[:, Parameter.WIND_NORTH]),
            p.spread(legs.from_east + local[:, Parameter.WIND_EAST]),
            p.heading_cos,
            p.heading_sin,
        )
        flow = aero.aero_term(
            speed,
            height * head,
            height * cross,
            p.spread(wind.CAR_TURBULENCE_SHARE * legs.turbulence),
            p.spread(density),
            p.spread(yaw_slope),
        )
        return height, head, cross, flow

    def _derivatives(self, t: _Terms, wh: Array, factor: Array) -> Array:
        """Derivative of each leg's energy by each parameter, shape (n, parameters)."""
        p = self.paths
        drawn = np.maximum(t.wh, 0.0)
        by = np.empty((len(wh), len(Parameter)))
        by[:, Parameter.DRAG] = t.wh_air
        by[:, Parameter.ROLLING] = t.wh_tyres
        by[:, Parameter.MASS] = t.wh_tyres + t.wh_rest + t.regained
        by[:, Parameter.EFFICIENCY] = -p.total(drawn) + t.cut + t.cut_back - t.regained_drawn
        by[:, Parameter.AUXILIARY_W] = t.hours
        by_head, by_cross = t.drag_weight * t.air.by_head, t.drag_weight * t.air.by_cross
        by[:, Parameter.HEIGHT_FACTOR] = p.total(t.height * (by_head * t.head_mast + by_cross * t.cross_mast))
        by[:, Parameter.YAW_SLOPE] = p.total(t.drag_weight * t.air.by_yaw_slope) * (
            t.yaw_slope.value * t.yaw_slope.log_by_coefficient
        )
        by[:, Parameter.TYRE_PER_K] = t.wh_tyres * t.warmth.log_by_coefficient
        by[:, Parameter.DRIVELINE_PER_K] = wh / factor * t.cold.log_by_coefficient
        by[:, Parameter.WARM_UP] = t.wh_tyres * t.warm_up.log_by_coefficient
        by[:, Parameter.CLIMATE_W_PER_K] = t.hours * self.legs.climate_k
        by[:, Parameter.WIND_NORTH] = p.total(t.height * (by_head * p.heading_cos - by_cross * p.heading_sin))
        by[:, Parameter.WIND_EAST] = p.total(t.height * (by_head * p.heading_sin + by_cross * p.heading_cos))
        by[:, Parameter.TOTAL] = wh / factor
        by[:, Parameter.SPEED] = (
            p.total(by_head * t.speed) - 2.0 * t.cut * t.grows + 2.0 * t.regained - t.watts * t.moving_h
        )
        by[:, Parameter.WARMER_K] = -t.wh_air / t.outside_k - t.wh_tyres * t.by_kelvin - wh / factor * t.cold_by_kelvin
        by[:, Parameter.REGENERATION] = p.total(t.wh - drawn) + t.cut_back + t.regained - t.regained_drawn
        by[:, Parameter.GRADIENT] = p.total(t.weight * disturbance.climb_n(t.mass_s, 1.0))
        by[:, Parameter.PRESSURE_EXPONENT] = t.wh_tyres * t.pressure.log_by_coefficient
        return np.asarray(by * factor[:, None])


@dataclass(eq=False, slots=True)
class _Terms:
    """What one evaluation of the model works out on the way; per leg, or per stretch where said."""

    warmth: Factor
    warm_up: Factor
    pressure: Factor
    cold: Factor
    height: Array  # per stretch, factor from mast to car
    head_mast: Array  # per stretch
    cross_mast: Array  # per stretch
    speed: Array  # per stretch
    air: aero.AeroTerm  # per stretch
    drag_weight: Array  # per stretch, Wh for each N/m² of air
    weight: Array  # per stretch, Wh for each newton
    wh: Array  # per stretch, of all forces
    mass_s: Array  # per stretch
    yaw_slope: Factor
    by_kelvin: Array
    cold_by_kelvin: Array
    outside_k: Array
    wh_air: Array
    cut: Array  # of air and tyres, on the ramps of stops
    cut_back: Array  # of that, what regeneration would have brought back anyway
    grows: Array  # whether the ramps grow with the speed: one, or zero where stops fill the way
    wh_tyres: Array
    wh_rest: Array
    regained: Array
    regained_drawn: Array
    watts: Array
    moving_h: Array
    hours: Array
