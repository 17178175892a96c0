"""What each configuration took: as driven, and at the reference conditions; by direction, by sector, over the whole route."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.conditions.instruments import INSTRUMENT
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.indirect import CHARGE, RANGE_LEFT, RATED, RATED_UNTOLD, scale_told, wh_per_rated_km
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.figures import Size
from fairmargin.core.inference.levels import Level, calibration
from fairmargin.core.result.margin import MarginLine, margin_lines
from fairmargin.core.study import Study, Vehicle

Array = NDArray[np.float64]
WHOLE: Final = "whole"  # sector of a result or comparison over all sectors

Interval = tuple[float, float]
RATED_CAPACITY: Final = Size(
    0.06, "log", "a battery by its rated figures, which may hold what charging loses, or leave a buffer out"
)


@dataclass(frozen=True, slots=True)
class DirectionResult:
    """What was used one way, as driven."""

    direction: str
    as_driven_wh_per_km: float
    as_driven_interval: Interval
    range_km: float | None
    km: float


@dataclass(frozen=True, slots=True)
class ReadBy:
    """Legs of a result that one instrument counts for, and their consumption as driven."""

    instrument: str
    legs: tuple[str, ...]
    wh_per_km: float


@dataclass(frozen=True, slots=True)
class Result:
    """Consumption of one vehicle and configuration at one speed in one sector.

    `as_driven` is total energy over true distance, its interval from the instruments alone; `wh_per_km` is at the
    reference conditions. Both are None where no instrument tells energy (charge without a capacity). Range is that of a
    full battery or tank at the consumption as driven.
    """

    vehicle: str
    configuration: str
    speed_kmh: float | None
    sector: str | None
    as_driven_wh_per_km: float | None
    as_driven_interval: Interval | None
    wh_per_km: float | None
    interval_wh_per_km: Interval | None
    range_km: float | None
    range_interval_km: Interval | None
    legs: tuple[str, ...]
    km: float = 0.0
    directions: tuple[DirectionResult, ...] = ()
    instruments: tuple[str, ...] = ()
    share_random: float = 0.0  # standard deviation of the logarithm that other sectors do not share
    share_alike: float = 0.0  # and that they do
    method: str = "model"
    margin: tuple[MarginLine, ...] = ()  # of the consumption at reference, per cent of it
    read_by: tuple[ReadBy, ...] = ()  # where a level rests on one instrument for one leg and on another for the next
    temperature_c: float | None = None  # of the air at reference; none where nothing was corrected, or nobody noted any


def reading_sd(observations: Sequence[Observation]) -> float:
    """Standard deviation of a sum of readings, as a share of it; what is rounded alike does not average out."""
    own = sum((1.0 - o.rounded_alike) * o.readings[0].sd_wh ** 2 for o in observations)
    alike = sum(math.sqrt(o.rounded_alike) * o.readings[0].sd_wh for o in observations) ** 2
    return math.sqrt(own + alike) / abs(sum(o.energy_wh for o in observations))


def result_of(
    study: Study,
    vehicle: str,
    configuration: str,
    speed_kmh: float | None,
    sector: str,
    observations: Sequence[Observation],
    level: Level | None,
    method: str,
    conditions: Sequence[Conditions] = (),
) -> Result:
    """State one result.

    Parameters
    ----------
    study : Study
        Of that vehicle.
    vehicle, configuration : str
        Their ids.
    speed_kmh : float or None
    sector : str
    observations : sequence of Observation
        Readings of that configuration, included ones only; at least one.
    level : Level or None
        At the reference conditions; None where nothing is corrected.
    method : {'model', 'plain'}
    conditions : sequence of Conditions, optional
        Of the legs, for what the ledger says of them.

    Returns
    -------
    Result
    """
    energy, km = sum(o.energy_wh for o in observations), sum(o.true_km for o in observations)
    as_driven, sd = energy / km, reading_sd(observations)
    deviate = intervals.deviate(study.confidence)
    capacity_sd = _capacity_sd(study.vehicle, observations)
    full = range_wh(study.vehicle, observations)
    told = tells_energy(study.vehicle, observations)
    reach = None if full is None else full / as_driven
    around = math.hypot(sd, capacity_sd)
    if level is None:
        random, alike = sd, calibration(observations)
        half = deviate * math.hypot(random, alike)
        at_reference, interval = as_driven, _spread(as_driven, half)
    else:
        at_reference, interval = level.wh_per_km, level.interval(study.confidence)
        random = min(sd, math.sqrt(level.variance))
        alike = math.sqrt(max(level.variance - random**2, 0.0))
    return Result(
        vehicle=vehicle,
        configuration=configuration,
        speed_kmh=speed_kmh,
        sector=sector or None,
        as_driven_wh_per_km=as_driven if told else None,
        as_driven_interval=_spread(as_driven, deviate * sd) if told else None,
        wh_per_km=at_reference if told else None,
        interval_wh_per_km=interval if told else None,
        range_km=reach,
        range_interval_km=None if reach is None else _spread(reach, deviate * around),
        legs=tuple(name for o in observations for name in o.legs),
        km=km,
        directions=_directions(study, observations, full if told else None, deviate) if told else (),
        instruments=tuple(dict.fromkeys(o.readings[0].instrument for o in observations)),
        read_by=_read_by(observations) if told else (),
        share_random=random,
        share_alike=alike,
        method=method,
        margin=() if level is None else _margin(level, interval, study.confidence, conditions),
    )


def _read_by(observations: Sequence[Observation]) -> tuple[ReadBy, ...]:
    """What each instrument counts for; nothing where one does for all."""
    of: dict[str, list[Observation]] = {}
    for o in observations:
        of.setdefault(o.readings[0].instrument, []).append(o)
    if len(of) < 2:
        return ()
    return tuple(
        ReadBy(
            kind,
            tuple(name for o in own for name in o.legs),
            sum(o.energy_wh for o in own) / sum(o.true_km for o in own),
        )
        for kind, own in of.items()
    )


def _margin(
    level: Level, interval: Interval, confidence: float, conditions: Sequence[Conditions]
) -> tuple[MarginLine, ...]:
    """What makes the margin of a level, in per cent of it."""
    low, high = (100.0 * (end / level.wh_per_km - 1.0) for end in interval)
    if not level.budget:
        return ()
    return margin_lines(level.budget, {}, 0.0, (low, high), confidence, conditions)


def tells_energy(vehicle: Vehicle, observations: Sequence[Observation]) -> bool:
    """Whether the readings tell energy: shares of a battery do only where its capacity is known."""
    return all(scale_told(vehicle, o.readings[0].instrument) for o in observations)


def range_wh(vehicle: Vehicle, observations: Sequence[Observation]) -> float | None:
    """Energy of a full battery or tank in the same measure as the readings: any capacity will do for shares of it."""
    kinds = {o.readings[0].instrument for o in observations}
    if kinds == {CHARGE} and vehicle.capacity_kwh is None:
        return 50000.0  # what a share of an unknown battery was taken for
    if kinds and kinds <= {RATED, RANGE_LEFT} and wh_per_rated_km(vehicle) is None:
        return vehicle.rated_range_km * float(RATED_UNTOLD) if vehicle.rated_range_km else None
    return vehicle.stored_wh


def _capacity_sd(vehicle: Vehicle, observations: Sequence[Observation]) -> float:
    """How well a capacity is known: shares of the battery need none; rated figures may hold what charging loses."""
    kinds = {o.readings[0].instrument for o in observations}
    if kinds and kinds <= {CHARGE, RATED, RANGE_LEFT}:
        return 0.0
    by_rating = vehicle.usable_capacity_kwh is None and vehicle.rated_capacity_kwh is not None
    return float(RATED_CAPACITY) if by_rating else INSTRUMENT["state of charge"].sd


def _spread(middle: float, half: float) -> Interval:
    """Interval around a figure whose logarithm has that half-width."""
    ends = middle * math.exp(-half), middle * math.exp(half)
    return min(ends), max(ends)


def _directions(
    study: Study, observations: Sequence[Observation], full_wh: float | None, deviate: float
) -> tuple[DirectionResult, ...]:
    """As driven out and back; nothing where only one way was driven, or runs count as a whole."""
    ways: dict[str, list[Observation]] = {}
    for o in observations:
        ways.setdefault(study.leg(o.legs[0]).direction, []).append(o)
    if not {"out", "back"} <= set(ways) or any(len(o.legs) > 1 for o in observations):
        return ()
    out = []
    for way in ("out", "back"):
        km = sum(o.true_km for o in ways[way])
        level = sum(o.energy_wh for o in ways[way]) / km
        spread = _spread(level, deviate * reading_sd(ways[way]))
        out.append(DirectionResult(way, level, spread, None if full_wh is None else full_wh / level, km))
    return tuple(out)


def sector_lengths(study: Study, results: Sequence[Result]) -> Mapping[str, float]:
    """Length that each sector counts with on the whole route: as typed, or as driven. [km]"""
    driven: dict[str, list[float]] = {}
    for r in results:
        if r.sector and r.sector != WHOLE:
            runs = {study.leg(name).run or name for name in r.legs}
            driven.setdefault(r.sector, []).append(r.km / max(len(runs), 1))
    return {s: study.sector_weights_km.get(s, float(np.mean(km))) for s, km in driven.items()}


def whole_results(study: Study, results: Sequence[Result]) -> list[Result]:
    """Results over all sectors: total energy over total distance, for what was driven in every sector.

    Readings of different sectors are independent; everything else is taken as shared.
    """
    lengths = sector_lengths(study, results)
    if len(lengths) < 2:
        return []
    deviate = intervals.deviate(study.confidence)
    made = []
    for parts in _complete(results, set(lengths)):
        driven = [r.as_driven_wh_per_km for r in parts]
        if None not in driven:
            made.append(_over_sectors(parts, np.array([lengths[r.sector or ""] for r in parts]), deviate))
    return made


def _over_sectors(parts: Sequence[Result], km: Array, deviate: float) -> Result:
    """One configuration's result over the whole route; `km` are the lengths of its sectors."""

    def column(of: Callable[[Result], float | None]) -> Array:
        return np.array([of(r) or 0.0 for r in parts])

    whole_km = float(km.sum())
    driven = column(lambda r: r.as_driven_wh_per_km)
    energy, at = km * driven, km * column(lambda r: r.wh_per_km)
    sds = np.array([_log_sd(r, deviate) for r in parts])
    sd = float(np.hypot.reduce(energy * sds) / energy.sum())
    random = float(np.hypot.reduce(at * column(lambda r: r.share_random)) / at.sum())
    alike = float((at * column(lambda r: r.share_alike)).sum() / at.sum())
    as_driven, level = float(energy.sum()) / whole_km, float(at.sum()) / whole_km
    reach = None
    if all(r.range_km is not None for r in parts):
        reach = whole_km / sum(k / r.range_km for k, r in zip(km.tolist(), parts, strict=True) if r.range_km)
    by_charge = math.hypot(sd, INSTRUMENT["state of charge"].sd)
    speeds = {r.speed_kmh for r in parts}
    return Result(
        vehicle=parts[0].vehicle,
        configuration=parts[0].configuration,
        speed_kmh=speeds.pop() if len(speeds) == 1 else None,
        sector=WHOLE,
        as_driven_wh_per_km=as_driven,
        as_driven_interval=_spread(as_driven, deviate * sd),
        wh_per_km=level,
        interval_wh_per_km=_spread(level, deviate * math.hypot(random, alike)),
        range_km=reach,
        range_interval_km=None if reach is None else _spread(reach, deviate * by_charge),
        legs=tuple(name for r in parts for name in r.legs),
        km=whole_km,
        instruments=tuple(dict.fromkeys(name for r in parts for name in r.instruments)),
        share_random=random,
        share_alike=alike,
        method="plain" if any(r.method == "plain" for r in parts) else "model",
    )


def _log_sd(r: Result, deviate: float) -> float:
    """Relative standard deviation of a result as driven; 0 where nothing was told of it."""
    if not r.as_driven_interval or not r.as_driven_wh_per_km:
        return 0.0
    return math.log(r.as_driven_interval[1] / r.as_driven_wh_per_km) / deviate


def _complete(results: Sequence[Result], sectors: set[str]) -> list[list[Result]]:
    """Results of one vehicle and configuration that make up the whole route: one of each sector.

    A sector driven at several speeds gives a whole for each speed that all sectors were driven at.
    """
    groups: dict[tuple[str, str], list[Result]] = {}
    for r in results:
        groups.setdefault((r.vehicle, r.configuration), []).append(r)
    found = []
    for own in groups.values():
        if {r.sector for r in own} != sectors:
            continue
        if len(own) == len(sectors):
            found.append(own)
            continue
        for speed in dict.fromkeys(r.speed_kmh for r in own):
            alike = [r for r in own if r.speed_kmh == speed]
            if {r.sector for r in alike} == sectors:
                found.append(alike)
    return found
