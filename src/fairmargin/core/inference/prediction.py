"""What any drive would take: the fit of a study, asked about speeds, weather and loads that were not driven.

The energies of the drives asked about, and sums of them (a trip is one), are functions of the same unknowns as the readings;
their margins carry what the readings leave open, what the circumstances themselves leave open, and what the model may get
wrong away from what was driven.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.conditions.causes import Cause
from fairmargin.core.conditions.climate import CLIMATE
from fairmargin.core.conditions.day import DAY
from fairmargin.core.conditions.road_state import WET
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference import priors
from fairmargin.core.inference.levels import calibration
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.posterior import mixture_quantile, posterior
from fairmargin.core.inference.problem import Problem, prepare, reference_model_of, reference_of, steady_drives
from fairmargin.core.inference.solver import solve
from fairmargin.core.laws import air, disturbance, wind
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Study

Array = NDArray[np.float64]

LEAST_WH: Final = 1e-6  # keeps a sum of nothing finite
MOST_KEPT: Final = 64  # askings whose drives are kept
#: Unknowns that lie on legs alone in a fit, and on a drive asked about as well: it meets the same law.
OF_LAWS: Final = frozenset({"climate", "tyre pressure"})


@dataclass(frozen=True, slots=True)
class Circumstances:
    """A steady drive to ask about. What is None is as at the study's reference.

    `cabin_k` is what heating or cooling has to hold between the cabin and outside; a head wind is that at the mast, all the
    way, negative from behind; `climb` is metres gained a kilometre; the standard deviations are what a forecast, and whoever
    aims at the speed, leave open.
    """

    speed_kmh: float
    temperature_c: float | None = None
    cabin_k: float = 0.0
    head_wind_ms: float | None = None
    cross_wind_ms: float = 0.0  # beside a head wind, at the mast as well
    road: str = ""
    climb_m_per_km: float = 0.0
    load_kg: float = 0.0
    temperature_sd_k: float = 0.0
    wind_sd_ms: float = 0.0
    speed_sd_share: float = 0.0
    sector: str = ""  # whose fit is asked, where a study has several


@dataclass(frozen=True, eq=False, slots=True)
class Band:
    """Energies of drives or of sums of them, each with its margin: mixtures over the scatter.

    Where every part takes energy, of the logarithm; where some give back (a long descent), of the energy itself.

    Attributes
    ----------
    wh : numpy.ndarray, shape (k,)
    scale : numpy.ndarray, shape (k,)
        What the parts take and give back, all counted as positive: `wh` where none gives back. [Wh]
    gives_back : numpy.ndarray of bool, shape (k,)
    weights : numpy.ndarray, shape (m,)
        Of the sizes of the scatter.
    offsets, sds : numpy.ndarray, shape (m, k)
        Of the mean from `wh`, and the standard deviation; as a share of `scale`.
    sources : mapping of str to numpy.ndarray, shape (k,)
        Variance by what makes it, as a share of `scale` squared.
    """

    wh: Array
    scale: Array
    gives_back: NDArray[np.bool_]
    weights: Array
    offsets: Array
    sds: Array
    sources: Mapping[str, Array]

    def quantile(self, which: int, q: float) -> float:
        """Energy that is not exceeded with probability `q`. [Wh]"""
        at = mixture_quantile(self.weights, self.offsets[:, which], self.sds[:, which], q)
        if self.gives_back[which]:
            return float(self.wh[which] + self.scale[which] * at)
        return float(self.wh[which]) * math.exp(at)

    def interval(self, which: int, confidence: float) -> tuple[float, float]:
        """Equal-tailed interval. [Wh]"""
        tail = (1.0 - confidence) / 2.0
        return self.quantile(which, tail), self.quantile(which, 1.0 - tail)

    def about(self, confidence: float) -> tuple[Array, Array]:
        """Both ends of every interval, as of normals of the same variance: quick, for drawing. [Wh]"""
        sd = np.sqrt(self.weights @ (self.sds**2 + self.offsets**2))
        off = intervals.deviate(confidence) * sd

        def end(sign: float) -> Array:
            return np.where(
                self.gives_back, self.wh + sign * off * self.scale, self.wh * np.exp(np.minimum(sign * off, 50.0))
            )

        return end(-1.0), end(1.0)

    def chance_within(self, which: int, wh: float) -> float:
        """Probability that no more than so much is taken."""
        if self.gives_back[which]:
            off = (wh - float(self.wh[which])) / float(self.scale[which])
        elif wh <= 0:
            return 0.0
        else:
            off = math.log(wh / float(self.wh[which]))
        z = (off - self.offsets[:, which]) / self.sds[:, which]
        return float(sum(w * 0.5 * math.erfc(-x * math.sqrt(0.5)) for w, x in zip(self.weights, z, strict=True)))

    def held_to(self, log_shift: Array, spread: Array) -> Band:
        """The same, each moved by a logarithm, with margins `spread` times as wide."""
        factor = np.exp(log_shift)
        return Band(
            self.wh * factor, self.scale * factor, self.gives_back, self.weights, self.offsets * spread, self.sds * spread,
            {name: variance * spread**2 for name, variance in self.sources.items()},
        )  # fmt: skip

    def shifted(self, log_shift: float, sd: float, source: str) -> Band:
        """The same, moved by a logarithm that is itself known to a standard deviation."""
        own = sd * np.abs(self.wh) / self.scale
        factor = math.exp(log_shift)
        return Band(
            self.wh * factor, self.scale * factor, self.gives_back, self.weights, self.offsets, np.hypot(self.sds, own),
            {**self.sources, source: own**2},
        )  # fmt: skip


@dataclass(frozen=True, eq=False, slots=True)
class Ratio:
    """One configuration's energy over another's, as a logarithm: a mixture over the scatter, arrays of shape (m,)."""

    weights: Array
    means: Array
    sds: Array

    @property
    def percent(self) -> float:
        """The trial against the baseline, of its consumption."""
        return 100.0 * math.expm1(float(self.weights @ self.means))

    def interval_percent(self, confidence: float) -> tuple[float, float]:
        """Equal-tailed interval."""
        tail = (1.0 - confidence) / 2.0
        low, high = (mixture_quantile(self.weights, self.means, self.sds, q) for q in (tail, 1.0 - tail))
        return 100.0 * math.expm1(low), 100.0 * math.expm1(high)


class Predictor:
    """The fit of one vehicle over one road, ready to be asked."""

    def __init__(
        self,
        study: Study,
        conditions: Sequence[Conditions],
        observations: Sequence[Observation],
        logs: Logs,
        options: FitOptions,
    ) -> None:
        """Fit all legs at once, whatever their speed; parameters as for `fit.fit_study`."""
        self.study, self.conditions, self.options = study, conditions, options
        self.problem: Problem = prepare(study, conditions, observations, logs, options)
        solution = solve(self.problem)
        self.theta = solution.theta
        self._evidence = self.problem.evidence(solution.at, solution.segment_share)
        self._innovation = self.problem.innovation(solution.at, solution.theta)
        self._reference = reference_of(study, conditions, options.view)
        self._calibration = {
            name: calibration([o for o in observations if study.leg(o.legs[0]).configuration == name])
            for name in self.problem.configurations
        }
        driven = {c.configuration for c in conditions}
        self.configurations = tuple(name for name in self.problem.configurations if name in driven)
        speeds = [3.6 * c.speed_m_s for c in conditions]
        self._taken: dict[tuple[str, tuple[Circumstances, ...]], tuple[Array, Array, Array]] = {}
        self.driven_kmh = (min(speeds), max(speeds))
        self.driven_c = (min(c.temperature_c for c in conditions), max(c.temperature_c for c in conditions))

    @property
    def reference_c(self) -> float:
        """Temperature of the reference. [°C]"""
        return self._reference.temperature_c

    def band(
        self,
        configuration: str,
        asked: Sequence[Circumstances],
        km: Array | None = None,
        to_come_km: Sequence[float] | None = None,
    ) -> Band:
        """Energies of drives of 1 km each, or of sums of drives.

        Parameters
        ----------
        configuration : str
        asked : sequence of Circumstances, length j
        km : numpy.ndarray, shape (k, j), optional
            Kilometres of each drive in each sum; else every drive by itself, 1 km long.
        to_come_km : sequence of float, length k, optional
            Length of each sum as one drive to come, which scatters as any drive does and has a day of its own; else the
            margin is that of the mean of many drives.

        Returns
        -------
        Band

        Raises
        ------
        ValueError
            If the configuration was not driven.
        """
        if configuration not in self.configurations:
            raise ValueError(f'"{configuration}" was not driven; expected one of {", ".join(self.configurations)}')
        km = np.eye(len(asked)) if km is None else km
        energies, gradients, extras = self._drives(configuration, asked)
        parts = km * energies
        wh, scale = parts.sum(axis=1), np.maximum(np.abs(parts).sum(axis=1), LEAST_WH)
        gives_back = (parts < 0).any(axis=1) | (wh <= 0)
        g = km @ gradients / scale[:, None]
        at = np.where(gives_back, wh / scale, np.log(np.where(gives_back, 1.0, wh)))
        origins = at + g @ (self.problem.prior_mean - self.theta)
        found = posterior(self._evidence, self._innovation, g, origins.tolist(), self.options.scatter_freedom)
        sources = {name: (km @ value / scale) ** 2 for name, value in extras.items()}
        sources["calibration"] = (self._calibration[configuration] * wh / scale) ** 2
        if to_come_km is not None:
            units = np.clip(np.sqrt(priors.SCATTER_OF_KM / np.maximum(to_come_km, 0.5)), *priors.SCATTER_REACH)
            sources["this drive"] = (self.options.scatter_share * units) ** 2
            sources["its day"] = np.full(len(wh), DAY.sd**2)
        sds = np.sqrt(found.sds**2 + sum(sources.values()))
        middle = found.weights @ found.means
        sources["what was read"] = found.weights @ (found.sds**2 + (found.means - middle) ** 2)
        wh = np.where(gives_back, scale * middle, np.exp(np.where(gives_back, 0.0, middle)))
        return Band(wh, np.where(gives_back, scale, wh), gives_back, found.weights, found.means - middle, sds, sources)

    def ratio(self, trial: str, baseline: str, asked: Sequence[Circumstances]) -> Ratio:
        """Energy of one configuration over another's, of drives of the same length taken together.

        Raises
        ------
        ValueError
            If either was not driven.
        """
        for name in (trial, baseline):
            if name not in self.configurations:
                raise ValueError(f'"{name}" was not driven; expected one of {", ".join(self.configurations)}')
        (e_t, g_t, _), (e_b, g_b, _) = (self._drives(name, asked) for name in (trial, baseline))
        at = math.log(float(e_t.sum()) / float(e_b.sum()))
        g = (g_t.sum(axis=0) / e_t.sum() - g_b.sum(axis=0) / e_b.sum())[None, :]
        origin = at + float(g[0] @ (self.problem.prior_mean - self.theta))
        found = posterior(self._evidence, self._innovation, g, [origin], self.options.scatter_freedom)
        return Ratio(found.weights, found.means[:, 0], found.sds[:, 0])

    def _drives(self, configuration: str, asked: Sequence[Circumstances]) -> tuple[Array, Array, dict[str, Array]]:
        """Energy a kilometre of each drive, its derivatives, and what is open besides the unknowns. [Wh/km]"""
        # What a drive takes is the same however surely its air and speed are known: it is asked both ways, and often.
        same = tuple(replace(a, temperature_sd_k=0.0, wind_sd_ms=0.0, speed_sd_share=0.0) for a in asked)
        taken = self._taken.get((configuration, same))
        if taken is None:
            if len(self._taken) >= MOST_KEPT:
                self._taken.clear()
            taken = self._taken[configuration, same] = self._energies(configuration, same)
        energy, by_unknown, by = taken
        return energy, by_unknown, self._open(asked, energy, by)

    def _energies(self, configuration: str, asked: Sequence[Circumstances]) -> tuple[Array, Array, Array]:
        """Energy a kilometre of each drive, its derivatives by the unknowns and by every parameter. [Wh/km]"""
        problem, n = self.problem, len(self.problem.rows.leg)
        drives = steady_drives(problem.road, self.conditions, [a.speed_kmh / 3.6 for a in asked])
        each = drives.each
        mass = next(float(c.mass_delta_kg or 0.0) for c in self.study.configurations if c.id == configuration)
        model = reference_model_of(problem.model, drives, self._reference, [mass] * (each * len(asked)))
        model = self._met(model, asked, each)
        weights = self._weights(configuration, drives.backwards, n)
        e = model.energies(problem.local_of(weights, self.theta), derivatives=True)
        assert e.by_parameter is not None
        by_unknown = (e.by_parameter[:, problem.parameters] * weights).reshape(len(asked), each, -1).sum(axis=1)
        wet = np.array([1.0 + disturbance.road_share(a.road) for a in asked])
        a_km = wet / drives.km
        energy = e.wh.reshape(len(asked), each).sum(axis=1) * a_km
        by = e.by_parameter.reshape(len(asked), each, -1).sum(axis=1) * a_km[:, None]
        return energy, by_unknown * a_km[:, None], by

    def _met(self, model: RoadModel, asked: Sequence[Circumstances], each: int) -> RoadModel:
        """The model in the circumstances asked about."""
        legs, paths, r = model.legs, model.paths, self._reference

        def every(values: Sequence[float]) -> Array:
            return np.repeat(np.array(values, dtype=float), each)

        temperature = every([r.temperature_c if a.temperature_c is None else a.temperature_c for a in asked])
        density = legs.density * (air.ZERO_C_K + legs.temperature_c) / (air.ZERO_C_K + temperature)
        told = every([a.head_wind_ms is not None for a in asked]).astype(bool)
        head, cross = every([a.head_wind_ms or 0.0 for a in asked]), every([a.cross_wind_ms for a in asked])
        legs = replace(
            legs,
            temperature_c=temperature,
            density=density,
            from_north=np.where(told, head, legs.from_north),
            from_east=np.where(told, cross, legs.from_east),
            turbulence=np.where(told, wind.turbulence_m_s(np.hypot(head, cross)), legs.turbulence),
            climate_k=every([a.cabin_k for a in asked]),
            mass_delta_kg=every([a.load_kg for a in asked]),
        )
        # A head wind is one all the way: the road then runs into it everywhere.
        along = paths.spread(told.astype(float)) > 0
        slope = np.arcsin(paths.slope_sin) + paths.spread(every([a.climb_m_per_km / 1000.0 for a in asked]))
        paths = replace(
            paths,
            heading_cos=np.where(along, 1.0, paths.heading_cos),
            heading_sin=np.where(along, 0.0, paths.heading_sin),
            slope_sin=np.sin(slope),
            slope_cos=np.cos(slope),
        )
        return replace(model, legs=legs, paths=paths)

    def _weights(self, configuration: str, backwards: Sequence[bool], first: int) -> Array:
        """What every unknown does on each drive asked about: what it does on the reference drive of the same way."""
        problem, r = self.problem, self.problem.reference
        begin = problem.configurations.index(configuration) * r.each
        ways = r.backwards[begin : begin + r.each]
        rows = [first + begin + (ways.index(b) if b in ways else 0) for b in backwards]
        # A speed that is asked about is known.
        weights = problem.weights[rows] * (problem.parameters != Parameter.SPEED)
        for i, u in enumerate(problem.unknowns):
            if u.name in OF_LAWS:
                weights[:, i] = 1.0
        return np.asarray(weights)

    def _open(self, asked: Sequence[Circumstances], energy: Array, by: Array) -> dict[str, Array]:
        """What is open besides the fit's unknowns: standard deviations of each drive by source. [Wh/km]"""

        def away(value: float, low: float, high: float) -> float:
            return max(low - value, value - high, 0.0)

        low, high = (math.log(v) for v in self.driven_kmh)
        out = {
            "speed not driven": energy
            * np.array([priors.SPEED_AWAY.sd * away(math.log(a.speed_kmh), low, high) for a in asked]),
            "temperature not driven": energy
            * np.array(
                [
                    priors.WARMTH_AWAY.sd
                    * away(self.reference_c if a.temperature_c is None else a.temperature_c, *self.driven_c)
                    for a in asked
                ]
            ),
            "road": energy * np.array([WET[a.road].sd if a.road in WET else 0.0 for a in asked]),
            "temperature forecast": by[:, Parameter.WARMER_K] * [a.temperature_sd_k for a in asked],
            "wind forecast": by[:, Parameter.WIND_NORTH] * [a.wind_sd_ms for a in asked],
            "speed really held": by[:, Parameter.SPEED] * [a.speed_sd_share for a in asked],
        }
        if Cause.CLIMATE not in self.options.ignore and not any(u.name == "climate" for u in self.problem.unknowns):
            out["climate"] = by[:, Parameter.CLIMATE_W_PER_K] * CLIMATE.sd
        return out
