"""What each instrument says about a leg's energy, and how well it can say it.

A rounded reading is uniform over its step: standard deviation step/√12 (JCGM 100:2008, 4.3.7).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from statistics import median
from typing import Final

import numpy as np

from fairmargin.core import units
from fairmargin.core.evidence.distances import distance_ratios, leg_distances
from fairmargin.core.evidence.indirect import (
    AVERAGES,
    CHARGE,
    RUNNING,
    average_wh_per_km,
    charge_at_end,
    range_readings,
    running_over_several,
    running_readings,
    scale_told,
)
from fairmargin.core.evidence.reading import UNIFORM, Observation, Reading
from fairmargin.core.evidence.thinning import thin
from fairmargin.core.figures import Size
from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.study.indirect import show_indirect

CHARGER_REPEAT_KWH: Final = Size(0.10, "kWh", "repeatability of charging back to a level, beyond the shown step")
SOC_LAG_PERCENT: Final = Size(0.3, "% of charge", "lag of a gauge, beyond the shown step")
FUEL_FILL_L: Final = Size(0.10, "L", "repeatability of a tank's fill, beyond the shown step")
ODOMETER_STEP_KM: Final = 0.1
USUAL_SCATTER: Final = Size(0.0105, "log", "what repeats of a careful drive of `SCATTER_KM` scatter by (1 to 2 %)")
SCATTER_KM: Final = Size(30.0, "km", "way of that drive; scatter falls with the root of the distance")
ROUNDED: Final = frozenset({"trip average", "trip energy"})
#: Instruments that count from a reset; of a running average the roundings of like drives are not alike.
TRIP_METERS: Final = ROUNDED | {RUNNING}


def _reading(instrument: str, shown: str, energy_wh: float, relative_sd: float) -> Reading:
    return Reading(instrument, shown, energy_wh, relative_sd * abs(energy_wh))


#: Steps that displays have.
USUAL_STEPS: Final = (1.0, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01, 0.005, 0.001)


def _step(study: Study, leg: Leg, shown: str, step: str) -> float:
    """A display's step: as noted, else the coarsest usual one that every figure it showed is a multiple of."""
    fact = study.instruments.get("trip average" if shown == "average_shown" else "trip energy")
    noted: float | None = getattr(leg, step)
    if fact is not None and fact.step is not None and fact.unit in {None, leg.average_unit, "kWh"}:
        return float(fact.step)
    if noted is not None:
        return noted
    alike = [x for x in study.legs if getattr(x, step) is None and x.average_unit == leg.average_unit]
    values = np.array([v for x in alike if (v := getattr(x, shown)) is not None])
    for usual in USUAL_STEPS:
        if np.allclose(values / usual, np.round(values / usual), rtol=0.0, atol=1e-6 / usual):
            return usual
    return 0.0


def leg_readings(study: Study, leg: Leg, shown_km: float, trace: Trace | None) -> list[Reading]:
    """Every instrument's energy for one leg, most direct first (charge-back excluded); what came back is negative."""
    found: list[Reading] = []
    odometer = ODOMETER_STEP_KM * UNIFORM / shown_km
    log = thin(trace) if trace is not None else None
    if log is not None and log.energy_wh is not None and log.energy_wh[-1]:
        energy = float(log.energy_wh[-1])
        gaps = float(log.gap_s[-1] / (log.time_s[-1] - log.time_s[0]))
        found.append(_reading("logger", f"{energy / 1000:.3f} kWh", energy, 0.002 + 0.5 * gaps))
    if leg.energy_kwh is not None:
        energy = 1000.0 * leg.energy_kwh
        step = 1000.0 * _step(study, leg, "energy_kwh", "energy_step_kwh")
        sd = math.hypot(step * UNIFORM, odometer * abs(energy))
        found.append(Reading("trip energy", f"{leg.energy_kwh:g} kWh", energy, sd, step, step * UNIFORM))
    if leg.average_shown is not None and leg.average_unit is not None:
        shown, unit = leg.average_shown, leg.average_unit
        per_km, by_step = average_wh_per_km(shown, unit, study.vehicle.heating_value)
        step = _step(study, leg, "average_shown", "average_step") * by_step * shown_km
        sd = step * UNIFORM
        found.append(Reading("trip average", f"{shown:g} {units.label(unit)}", per_km * shown_km, sd, step, sd))
    if leg.fuel_l:
        sd = math.hypot(FUEL_FILL_L / leg.fuel_l, odometer)
        found.append(_reading("fuel", f"{leg.fuel_l:g} L", leg.fuel_l * study.vehicle.heating_value, sd))
    return [*found, *running_readings(study, leg), *range_readings(study, leg)]


def _charge_reading(study: Study, kwh: float, shown_km: float) -> Reading:
    efficiency = study.vehicle.constants().charging_efficiency
    sd = math.hypot(CHARGER_REPEAT_KWH / kwh, ODOMETER_STEP_KM * UNIFORM / shown_km, 0.005)
    return _reading("charge back", f"{kwh:g} kWh", kwh * efficiency * 1000.0, sd)


def _soc_reading(study: Study, leg: Leg) -> Reading | None:
    """Charge before and after; or what was put back of it."""
    end = charge_at_end(study, leg)
    if leg.charged_percent is not None:
        drop, shown = leg.charged_percent, show_indirect("put back", leg)
    elif leg.soc_start_percent is not None and end is not None:
        drop = leg.soc_start_percent - end[0]
        shown = f"{leg.soc_start_percent:g} to {end[0]:g} %{f' at the start of {end[1]}' if end[1] else ''}"
    else:
        return None
    capacity = study.vehicle.capacity_kwh or 50.0  # the ratio does not depend on it
    fact = study.instruments.get("state of charge")
    step = 1.0 if leg.soc_step_percent is None else leg.soc_step_percent
    if fact is not None and fact.step is not None:
        step = float(fact.step)
    by_step = step * UNIFORM * math.sqrt(2.0)  # two readings, each uniform over its step: JCGM 100:2008, 4.3.9
    point = 10.0 * capacity
    return Reading(
        CHARGE, shown, point * drop,
        point * math.hypot(by_step, SOC_LAG_PERCENT), point * step, point * by_step,
    )  # fmt: skip


def signed_readings(study: Study, legs: Sequence[Leg], traces: Mapping[str, Trace]) -> dict[str, Reading]:
    """What each leg took by itself, negative where energy came back; legs without a reading are left out.

    One instrument that all the legs were read with counts, the most certain of them; else the most certain of each leg. What
    needs no distance is read without one. Per cents of a battery whose capacity nobody told are set against their like only.
    """
    found: dict[str, dict[str, Reading]] = {}
    for leg in legs:
        shown = leg.distance_km or leg.gps_distance_km
        bare = leg if shown else leg.with_(average_shown=None)
        readings = leg_readings(study, bare, shown or math.inf, traces.get(leg.leg))
        charge = _soc_reading(study, leg)
        usable = [r for r in (*readings, *([charge] if charge else [])) if trusted(study, r.instrument)]
        if usable:
            found[leg.leg] = {r.instrument: r for r in usable}
    alike = set.intersection(*(set(own) for own in found.values())) if found else set()
    if alike:
        best = min(sorted(alike), key=lambda kind: sum(own[kind].sd_wh for own in found.values()))
        return {name: own[best] for name, own in found.items()}
    found = {
        name: rest
        for name, own in found.items()
        if (rest := {k: r for k, r in own.items() if scale_told(study.vehicle, k)})
    }
    return {name: min(own.values(), key=lambda r: r.sd_wh) for name, own in found.items()}


def every_reading(study: Study, leg: Leg, shown_km: float, trace: Trace | None) -> list[Reading]:
    """Every instrument's energy for one leg, charge-back and state of charge too."""
    readings = leg_readings(study, leg, shown_km, trace)
    if leg.charger_kwh:
        readings.append(_charge_reading(study, leg.charger_kwh, shown_km))
    soc = _soc_reading(study, leg)
    if soc is not None:
        readings.append(soc)
    return readings


def _round_trip(
    study: Study, legs: list[Leg], distances: Mapping[str, tuple[float, float] | None], traces: Mapping[str, Trace]
) -> Observation | None:
    """Climb and descent of one run together: what the whole took, by signed readings; None unless some was used."""
    parts = list(signed_readings(study, legs, traces).values())
    known = [d for d in distances.values() if d]
    if len(known) < len(legs) or len(parts) < len(legs) or not all(leg.included for leg in legs):
        return None
    energy = sum(p.energy_wh for p in parts)
    if energy <= 0:
        return None
    sd = math.sqrt(sum(p.sd_wh**2 for p in parts))
    kind = parts[0].instrument
    shown, true = sum(d[0] for d in known), sum(d[1] for d in known)
    reading = Reading(kind, f"{energy / 1000:.2f} kWh", energy, sd)
    return Observation(tuple(leg.leg for leg in legs), (reading,), shown, true, energy / shown)


#: A leg that took less than this of what legs usually took per distance is taken with its run: its logarithm says nothing.
LEAST_OF_USUAL: Final = 0.45


def observations(study: Study, traces: Mapping[str, Trace]) -> list[Observation]:
    """Every leg (or run that counts as a whole) with a usable reading, included or not, in file order."""
    ratios = distance_ratios(study)
    main = main_instruments(study, traces, ratios)
    several = running_over_several(study)
    by_run: list[tuple[list[Leg], list[Observation]]] = []
    for _, legs in study.runs():
        distances = {leg.leg: leg_distances(study, leg, ratios[leg.configuration], traces.get(leg.leg)) for leg in legs}
        if study.method == "climb" and len(legs) > 1:
            both = _round_trip(study, legs, distances, traces)
            by_run.append(([], [both] if both is not None else []))
            continue
        charged = _charged_back(study, legs, distances, traces)
        if charged is not None:
            by_run.append(([], [charged]))
            continue
        over = [
            Observation(x.legs, (x.reading,), x.shown_km, x.true_km, x.reading.energy_wh / x.shown_km)
            for leg in legs
            if (x := several.get(leg.leg)) is not None and trusted(study, RUNNING)
        ]
        own = over + [
            _observed(study, leg, distance, traces.get(leg.leg), ratios[leg.configuration], main)
            for leg in legs
            if (distance := distances[leg.leg]) is not None
        ]
        by_run.append((legs, [o for o in own if o is not None]))
    single = [o.as_read_wh_per_km for legs, own in by_run if legs for o in own]
    least = LEAST_OF_USUAL * median(single) if single else 0.0
    if study.method == "everyday":
        least = 0.0  # trips of a day need not belong together
    # One run taken as a whole has to be set against others taken so: a mean of logarithms is no logarithm of a mean.
    whole = least > 0 and any(o.as_read_wh_per_km <= least for legs, own in by_run if legs for o in own)
    result: list[Observation] = []
    for legs, found in by_run:
        result += _on_the_whole(study, legs, found) if legs and whole else [o for o in found if o.energy_wh > 0]
    return _rounded_alike(study, result)


def like_drives(study: Study, observations: Sequence[Observation]) -> dict[tuple[str, ...], list[int]]:
    """Observations that a display rounds alike if they hardly differ: of one configuration, direction and instrument."""
    found: dict[tuple[str, ...], list[int]] = {}
    for i, o in enumerate(observations):
        leg = study.leg(o.legs[0])
        if o.readings[0].instrument in ROUNDED:
            speed = f"{leg.speed_kmh or 0:g}"
            key = (leg.configuration, leg.direction, leg.vehicle, leg.sector, speed, o.readings[0].instrument)
            found.setdefault(key, []).append(i)
    return found


def _rounded_alike(study: Study, observations: list[Observation]) -> list[Observation]:
    """Readings that hardly vary are rounded the same way each time: repeating them does not average it out.

    The correlation of two roundings of values that scatter by σ with a step Δ is exp(−4π²σ²/Δ²) (first term of the
    characteristic function of the rounding error; B. Widrow, I. Kollár, "Quantization Noise" (2008), from memory).
    """
    made = list(observations)
    for members in like_drives(study, observations).values():
        if len(members) < 2:
            continue
        for i in members:
            o = made[i]
            step = o.relative_sd / UNIFORM
            scatter = USUAL_SCATTER * math.sqrt(SCATTER_KM / max(o.true_km, 1.0))
            alike = math.exp(-((2 * math.pi * scatter / step) ** 2)) if step > 0 else 0.0
            made[i] = replace(o, rounded_alike=alike)
    return made


def main_instruments(study: Study, traces: Mapping[str, Trace], ratios: Mapping[str, float]) -> tuple[str, ...]:
    """Instruments read on every leg of the study, the most certain first.

    One for all legs is worth more than the best of each: what it does wrong it does on all of them alike.
    """
    found: dict[str, list[float]] = {}
    count = 0
    for leg in study.legs:
        distance = leg_distances(study, leg, ratios[leg.configuration], traces.get(leg.leg))
        readings = every_reading(study, leg, distance[0], traces.get(leg.leg)) if distance else []
        count += bool(readings)
        for r in readings:
            found.setdefault(r.instrument, []).append(min(r.relative_sd, 1.0))
    whole = {name: sum(sds) / len(sds) for name, sds in found.items() if len(sds) == count and trusted(study, name)}
    return tuple(sorted(whole, key=lambda name: whole[name]))


def reset_doubtful(study: Study, leg: str) -> bool:
    """Whether somebody doubted that the trip meter was reset before a leg."""
    return any(e.leg == leg and e.kind == "reset-doubtful" for e in study.events)


def trusted(study: Study, instrument: str) -> bool:
    """Whether an instrument's readings count; those that do not are kept and shown."""
    return all(fact.trusted for name, fact in study.instruments.items() if name == instrument)


def _observed(
    study: Study, leg: Leg, distance: tuple[float, float], trace: Trace | None, ratio: float, main: Sequence[str]
) -> Observation | None:
    """A leg with its readings, the one that counts first: the study's most certain instrument, else the leg's."""
    shown, true = distance
    readings = every_reading(study, leg, shown, trace)
    if not any(trusted(study, r.instrument) for r in readings):
        return None
    rank = {name: i for i, name in enumerate(main)}
    doubtful = reset_doubtful(study, leg.leg)
    readings.sort(
        key=lambda r: (
            not trusted(study, r.instrument),
            doubtful and r.instrument in TRIP_METERS,  # another meter counts where this one may not have been reset
            rank.get(r.instrument, len(rank)),
            r.sd_wh,
        )
    )
    if readings[0].instrument in AVERAGES:
        # The display divides by the car's own distance; the true distance comes from the pooled ratio, not from
        # this leg's two rounded figures.
        true = shown / ratio
    return Observation((leg.leg,), tuple(readings), shown, true, readings[0].energy_wh / shown)


def _charged_back(
    study: Study, legs: Sequence[Leg], distances: Mapping[str, tuple[float, float] | None], traces: Mapping[str, Trace]
) -> Observation | None:
    """A run of several legs that was charged back once, at its end, and read in no other way."""
    charged = [leg for leg in legs if _put_back(leg)]
    often = any(sum(map(_put_back, run)) > 1 for _, run in study.runs())
    whole = (
        len(charged) == 1
        and not often  # where every leg is charged back, a cell that is empty is not a run's one charge
        and charged[0] is legs[-1]
        and len(legs) > 1
        and not any(leg_readings(study, leg, d[0], traces.get(leg.leg)) for leg in legs if (d := distances[leg.leg]))
        and all(distances.values())
        and all(leg.included for leg in legs)
    )
    if not whole:
        return None
    shown = sum(d[0] for d in distances.values() if d)
    true = sum(d[1] for d in distances.values() if d)
    kwh = charged[0].charger_kwh
    reading = _charge_reading(study, kwh, shown) if kwh else _soc_reading(study, charged[0])
    if reading is None:
        return None
    return Observation(tuple(leg.leg for leg in legs), (reading,), shown, true, reading.energy_wh / shown)


def _put_back(leg: Leg) -> bool:
    return bool(leg.charger_kwh or leg.charged_percent)


def _on_the_whole(study: Study, legs: Sequence[Leg], own: Sequence[Observation]) -> list[Observation]:
    """A run as one observation: legs that took next to nothing, or gave back, are data too."""
    km = sum(o.shown_km for o in own)
    energy = sum(o.energy_wh for o in own)
    used = [o for o in own if study.leg(o.legs[0]).included]
    kinds = {o.readings[0].instrument for o in used}
    if len(used) < 2 or len(used) < len(legs) or len(kinds) > 1 or energy <= 0:
        return [o for o in own if o.energy_wh > 0]
    sd = math.sqrt(sum(o.readings[0].sd_wh ** 2 for o in used))
    reading = Reading(kinds.pop(), f"{energy / 1000:.2f} kWh", energy, sd)
    names = tuple(name for o in used for name in o.legs)
    return [Observation(names, (reading,), km, sum(o.true_km for o in used), energy / km)]
