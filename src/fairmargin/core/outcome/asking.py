"""Ask a study about drives that were not driven: consumption and range at any speed, in any weather, of what was driven."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.climate import CLIMATE_SETTING_C, LEAST_CLIMATE_K
from fairmargin.core.inference.prediction import Band, Circumstances, Predictor
from fairmargin.core.inference.priors import HELD_TO_COME
from fairmargin.core.inference.problem import speed_of_study
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.laws.battery import capacity_sd
from fairmargin.core.outcome.parts import EvidencePart, evidence_parts, fit_options
from fairmargin.core.result.results import Result
from fairmargin.core.result.types import View
from fairmargin.core.study import Study, Trace, Vehicle
from fairmargin.core.study.cells import aimed_kmh, vehicle_of
from fairmargin.core.units import said, said_range

#: Methods whose legs a road load is not fitted to.
NOT_ASKED: Final = frozenset({"everyday", "climb", "side-by-side"})
TANK_SHARE: Final = 0.01  # share by which a tank's volume is off
NEAR_SPEED: Final = 1.03  # a speed within this factor of those driven was driven
LEAST_SPREAD: Final = 0.8  # margins of what is foretold are at least this part of the result's, at most its inverse
NEAR_K: Final = 3.0  # and a temperature so near


@dataclass(frozen=True, slots=True)
class Stated:
    """What makes what is foretold at a speed what the study's result says of it: one figure for one thing."""

    kmh: float
    log_shift: float
    spread: float  # factor of the margin


def _held_to(
    stated: Sequence[Stated], asked: Sequence[Circumstances], km: NDArray[np.float64] | None
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Log shift and factor of margins of every drive asked about, between the speeds driven; of a sum, their mean."""
    speeds = [a.speed_kmh for a in asked]
    at = [s.kmh for s in stated]
    shift, spread = (np.interp(speeds, at, [getattr(s, n) for s in stated]) for n in ("log_shift", "spread"))
    if km is None:
        return shift, spread
    whole = km.sum(axis=1, keepdims=True)
    # A place that lies before a sector has nothing of it: no energy, and no margin to scale.
    share = np.divide(km, whole, out=np.zeros_like(km, dtype=float), where=whole > 0)
    return share @ shift, np.where(whole[:, 0] > 0, share @ spread, 1.0)


@dataclass(frozen=True, eq=False, slots=True)
class Asking:
    """One vehicle over one road, ready to be asked; anchored to what the study says of each configuration."""

    vehicle: str
    sector: str
    predictor: Predictor
    anchors: Mapping[
        str, tuple[float, float]
    ]  # of configurations that the model does not explain: log shift and its sd
    stated: Mapping[str, Sequence[Stated]] = field(default_factory=dict)  # of the others, by speed

    @property
    def configurations(self) -> tuple[str, ...]:
        """Configurations that were driven."""
        return self.predictor.configurations

    @property
    def reference_c(self) -> float:
        """Temperature of the reference. [°C]"""
        return self.predictor.reference_c

    @property
    def kmh(self) -> float:
        """How fast its legs were driven: as they were aimed at, else the middle of how fast they were. [km/h]"""
        aimed = {s.kmh for own in self.stated.values() for s in own}
        low, high = self.predictor.driven_kmh
        return aimed.pop() if len(aimed) == 1 else (low + high) / 2.0

    def air_c(self, asked: Circumstances) -> float:
        """Temperature of a drive asked about. [°C]"""
        return self.reference_c if asked.temperature_c is None else asked.temperature_c

    def not_driven(self, asked: Circumstances) -> tuple[str, ...]:
        """What is asked beyond what was driven, in words."""
        return not_driven(self.predictor, asked)

    def band(
        self,
        configuration: str,
        asked: Sequence[Circumstances],
        km: NDArray[np.float64] | None = None,
        to_come_km: Sequence[float] | None = None,
    ) -> Band:
        """As `Predictor.band`, held to the plain answer where the model was not believed."""
        found = self.predictor.band(configuration, asked, km, to_come_km)
        if self.stated.get(configuration):
            found = found.held_to(*_held_to(self.stated[configuration], asked, km))
        shift = self.anchors.get(configuration)
        return found if shift is None else found.shifted(*shift, "model contradicted")


@dataclass(frozen=True, eq=False, slots=True)
class SectorsAsking:
    """One vehicle over several sectors, each with its own fit.

    A drive is asked of the sector it names, else of that driven at the nearest speed. What the sectors' fits leave open is
    taken as shared by all of them.
    """

    vehicle: str
    parts: tuple[Asking, ...]

    @property
    def configurations(self) -> tuple[str, ...]:
        """Configurations that were driven in every sector."""
        return tuple(c for c in self.parts[0].configurations if all(c in p.configurations for p in self.parts))

    @property
    def reference_c(self) -> float:
        """Temperature of the reference. [°C]"""
        return self.parts[0].reference_c

    def _part(self, asked: Circumstances) -> int:
        named = [i for i, p in enumerate(self.parts) if asked.sector and p.sector == asked.sector]
        if named:
            return named[0]

        def away(i: int) -> float:
            low, high = self.parts[i].predictor.driven_kmh
            return max(low - asked.speed_kmh, asked.speed_kmh - high, 0.0)

        return min(range(len(self.parts)), key=away)

    def not_driven(self, asked: Circumstances) -> tuple[str, ...]:
        """What is asked beyond what was driven in its sector, in words."""
        return self.parts[self._part(asked)].not_driven(asked)

    def band(
        self,
        configuration: str,
        asked: Sequence[Circumstances],
        km: NDArray[np.float64] | None = None,
        to_come_km: Sequence[float] | None = None,
    ) -> Band:
        """As `Predictor.band`, each drive by its sector's fit."""
        km = np.eye(len(asked)) if km is None else km
        of = [self._part(a) for a in asked]
        made: list[Band] = []
        for i in sorted(set(of)):
            own = [j for j, part in enumerate(of) if part == i]
            made.append(self.parts[i].band(configuration, [asked[j] for j in own], km[:, own], to_come_km))
        if len(made) == 1:
            return made[0]
        wh, scale = (np.sum([getattr(b, name) for b in made], axis=0) for name in ("wh", "scale"))
        spread = [np.sqrt(b.weights @ (b.sds**2 + b.offsets**2)) * b.scale for b in made]
        names = dict.fromkeys(name for b in made for name in b.sources)
        none = np.zeros(len(wh))
        return Band(
            wh=wh,
            scale=scale,
            gives_back=np.any([b.gives_back for b in made], axis=0),
            weights=np.ones(1),
            offsets=np.zeros((1, len(wh))),
            sds=(np.sum(spread, axis=0) / scale)[None, :],
            sources={
                n: (np.sum([np.sqrt(b.sources.get(n, none)) * b.scale for b in made], axis=0) / scale) ** 2
                for n in names
            },
        )


Askable = Asking | SectorsAsking


def of_vehicle(every: Sequence[Asking], vehicle: str) -> Askable | None:
    """What can be asked of a vehicle over all its sectors; None where nothing can."""
    own = tuple(a for a in every if a.vehicle == vehicle)
    if len(own) < 2:
        return own[0] if own else None
    return SectorsAsking(vehicle, own)


def askings(
    study: Study,
    traces: Mapping[str, Trace] | None = None,
    results: Sequence[Result] = (),
    view: View = "reference",
    scatter: ScatterPrior | None = None,
) -> tuple[Asking, ...]:
    """Every vehicle and sector of a study, ready to be asked.

    Parameters
    ----------
    study : Study
    traces : mapping of leg name to Trace, optional
    results : sequence of Result, optional
        Of the study's analysis: a configuration that the model does not explain is held to its plain answer.
    view : {'reference', 'study-mean', 'as-measured'}
    scatter : ScatterPrior, optional

    Returns
    -------
    tuple of Asking
        Empty for methods that no road load is fitted to.
    """
    if study.method in NOT_ASKED:
        return ()
    options = fit_options(view, scatter)
    found = []
    for part in evidence_parts(study, traces):
        predictor = Predictor(part.study, part.conditions, part.observations, part.logs, options)
        own = [r for r in results if r.vehicle == part.vehicle and (r.sector or "") == part.sector]
        plain = {r.configuration: r for r in own if r.method == "plain"}
        anchors = {}
        for name in predictor.configurations:
            r = plain.get(name)
            if r is None or r.wh_per_km is None or r.interval_wh_per_km is None:
                continue
            speed = r.speed_kmh or part.study.target_speed_kmh or sum(predictor.driven_kmh) / 2
            at = predictor.band(name, [Circumstances(float(speed))])
            shift = math.log(r.wh_per_km / float(at.wh[0]))
            spread = math.log(r.interval_wh_per_km[1] / r.interval_wh_per_km[0]) / 4.0
            anchors[name] = (shift, math.hypot(shift, spread))
        stated = {name: _as_stated(predictor, part, name, own) for name in predictor.configurations}
        found.append(Asking(part.vehicle, part.sector, predictor, anchors, stated))
    return tuple(found)


def _as_stated(predictor: Predictor, part: EvidencePart, configuration: str, results: Sequence[Result]) -> list[Stated]:
    """A configuration's results by the model, as what is foretold is held to them.

    The two differ by tenths of a per cent: the study's fit is of one speed, what is asked about may be of several.
    """
    found = []
    for r in results:
        if r.configuration != configuration or r.method != "model" or not r.wh_per_km or not r.interval_wh_per_km:
            continue
        kmh = _stated_kmh(part, r)
        at = predictor.band(configuration, [Circumstances(kmh)])
        low, high = at.interval(0, part.study.confidence)
        width = math.log(r.interval_wh_per_km[1] / r.interval_wh_per_km[0]) / math.log(high / low)
        spread = min(max(width, LEAST_SPREAD), 1.0 / LEAST_SPREAD)
        found.append(Stated(kmh, math.log(r.wh_per_km / float(at.wh[0])), spread))
    return sorted(found, key=lambda s: s.kmh)


def _stated_kmh(part: EvidencePart, r: Result) -> float:
    """Speed that a result is stated for: the aim where it was driven, else what was."""
    study = part.study
    if study.change.subject == "speed" and r.speed_kmh:
        return float(r.speed_kmh)
    own = [c for c in part.conditions if aimed_kmh(study, study.leg(c.leg)) == r.speed_kmh] or part.conditions
    return 3.6 * speed_of_study(study.with_(target_speed_kmh=r.speed_kmh), own)


def held(asked: Circumstances) -> Circumstances:
    """The drive as somebody drives it who aims at its speed."""
    return replace(asked, speed_sd_share=HELD_TO_COME)


def with_capacity(band: Band, vehicle: Vehicle, temperature_c: float) -> Band:
    """Energies over what a full battery or tank gives: what that leaves open is in their margin."""
    return band.shifted(0.0, capacity_sd(temperature_c) if vehicle.energy == "electric" else TANK_SHARE, "capacity")


def reach_band(asking: Asking, vehicle: Vehicle, configuration: str, asked: Sequence[Circumstances]) -> Band:
    """Energies a kilometre that ranges follow from: with the speed really held, and what the battery gives; all in one air."""
    made = asking.band(configuration, [held(a) for a in asked])
    return with_capacity(made, vehicle, asking.air_c(asked[0]))


def cabin_k(temperature_c: float, climate: str) -> float:
    """Kelvin that the cabin's climate has to hold: nothing when "off"; of a usual setting at "auto"; or of a setting in °C.

    Examples
    --------
    >>> cabin_k(-5.0, "auto"), cabin_k(20.0, "auto"), cabin_k(-5.0, "off"), cabin_k(5.0, "19")
    (26.0, 4.0, 0.0, 14.0)
    """
    if climate == "off":
        return 0.0
    setting = CLIMATE_SETTING_C if climate == "auto" else float(climate)
    return max(abs(setting - temperature_c), LEAST_CLIMATE_K)


@dataclass(frozen=True, slots=True)
class Reach:
    """How far a full battery or tank goes: to empty and to the reserve, with the interval of the latter. [km]"""

    to_empty_km: float
    to_reserve_km: float
    interval_km: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Predicted:
    """What one configuration would take in circumstances asked about."""

    vehicle: str
    sector: str
    configuration: str
    wh_per_km: float
    interval_wh_per_km: tuple[float, float]
    reach: Reach | None
    mostly: str  # what makes most of the margin
    not_driven: tuple[str, ...]  # what was asked beyond what was driven, in words


def predict(
    study: Study,
    asking: Asking,
    asked: Circumstances,
    reserve: float = 0.15,
    fade: float = 0.0,
    confidence: float | None = None,
) -> tuple[Predicted, ...]:
    """Every configuration in the circumstances asked about.

    Parameters
    ----------
    study : Study
    asking : Asking
    asked : Circumstances
    reserve : float
        Share of a full battery or tank that is kept; 10 to 20 % is usual.
    fade : float
        Share of the usable capacity that is lost since it was told.
    confidence : float, optional
        Else the study's.

    Raises
    ------
    ValueError
        If the reserve or the fade is no share.
    """
    if not 0 <= reserve <= 0.9 or not 0 <= fade <= 0.9:
        raise ValueError(f"expected a reserve and a fade of 0 to 0.9; got {reserve:g} and {fade:g}")
    level = study.confidence if confidence is None else confidence
    vehicle = vehicle_of(study, asking.vehicle)
    stored = vehicle.stored_wh
    out = []
    for name in asking.configurations:
        band = asking.band(name, [asked])
        wh = float(band.wh[0])
        reach = None
        if stored is not None:
            low, high = reach_band(asking, vehicle, name, [asked]).interval(0, level)
            full = stored * (1 - fade)
            kept = full * (1 - reserve)
            reach = Reach(full / wh, kept / wh, (kept / high, kept / low))
        mostly = max(band.sources, key=lambda k: float(band.sources[k][0]))
        out.append(
            Predicted(
                asking.vehicle, asking.sector, name, wh, band.interval(0, level), reach, mostly,
                not_driven(asking.predictor, asked),
            )
        )  # fmt: skip
    return tuple(out)


def not_driven(predictor: Predictor, asked: Circumstances) -> tuple[str, ...]:
    """What is asked beyond what was driven, in words."""
    found = []
    low, high = predictor.driven_kmh
    if not low / NEAR_SPEED <= asked.speed_kmh <= high * NEAR_SPEED:
        driven = said((low + high) / 2, "km/h") if high - low < 4 else said_range(low, high, "km/h")
        found.append(f"{said(asked.speed_kmh, 'km/h')} was not driven ({driven} was)")
    cold, warm = predictor.driven_c
    t = predictor.reference_c if asked.temperature_c is None else asked.temperature_c
    if not cold - NEAR_K <= t <= warm + NEAR_K:
        driven = said((cold + warm) / 2, "°C") if warm - cold < 3 else said_range(cold, warm, "°C")
        found.append(f"{said(t, '°C')} was not driven ({driven} was)")
    if asked.road in {"damp", "wet", "snow"}:
        found.append(f"a {asked.road} road is common practice, not this vehicle" if asked.road != "snow" else
                     "snow is common practice, not this vehicle")  # fmt: skip
    return tuple(found)
