"""The conditions each leg was driven in: weather, speed, warm-up, day; filled in and marked where not known."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import timedelta
from typing import Final

import numpy as np

from fairmargin.core.evidence.clock import common_offset, days_told, driven_days, seconds_of
from fairmargin.core.evidence.distances import distance_ratios, leg_distances
from fairmargin.core.evidence.driven_legs import legs_that_are
from fairmargin.core.evidence.hold_ups import NOTABLE as SLOWER
from fairmargin.core.evidence.hold_ups import Explanation, explanations, full_stops, moments, noted_standing_s
from fairmargin.core.evidence.station_weather import weather_at
from fairmargin.core.evidence.thinning import STANDING_M_S, thin
from fairmargin.core.figures import Size
from fairmargin.core.laws import air, auxiliaries, disturbance, rolling, wind
from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.study.as_told import outing_block
from fairmargin.core.study.cells import held_kmh, pace_of

HELD_ALIKE_SD: Final = Size(0.02, "of speed", "by what a driver misses the aim on all legs alike")
FOOT_SD: Final = Size(
    0.015, "of speed", "the same from one leg to the next, where the foot held it, not the cruise control"
)
HELD_SD: Final = Size(0.011, "of speed", "and where the cruise control did, hold-ups that nobody timed with it")
UNTOLD_ALIKE_SD: Final = Size(
    0.15, "of speed", "all legs alike, where neither a time nor an aim is known: of `USUAL_KMH`"
)
UNTOLD_SD: Final = Size(0.015, "of speed", "and from one leg to the next")
#: Of the speeds of like legs: what a leg that nothing held up drives, even where half of them were.
FREE_QUANTILE: Final = 0.75
HELD_UP_UNTOLD: Final = Size(
    0.06,
    "of the speed",
    "what slow traffic did to it that was noted without length or speed, on a leg that nobody timed",
)
NOTED_SD: Final = Size(0.12, "of it", "what a hold-up made a leg slower, where it was noted with place and speed")
JAM_M_S: Final = Size(3.5, "m/s", "speed of a crawl that nobody measured")
MOST_JAM: Final = Size(0.85, "of the leg's time", "the most that a crawl takes of it")
#: Of laps that noted no standing: the share of the time, its spread all laps alike, and from lap to lap.
LAPS_STAND: Final = Size(0.12, "of the time", "that laps stand, where nobody noted it")
LAPS_STAND_SD: Final = Size(0.06, "of the time", "by what that is off, all laps alike")
LAP_STANDS_SD: Final = Size(0.03, "of the time", "and from lap to lap")
SECOND_S: Final = Size(0.5, "s", "by what a time to the second is off at its two ends")
TIMED_SD: Final = Size(0.001, "of speed", "by what one from distance and time to the second is off")
AUTO_C: Final = 21.0  # what climate that regulates itself is usually set to
PAUSE_S: Final = 300.0  # between legs of unknown time
SWAP_S: Final = 1200.0  # the same, from one run to the next: something is changed there; common practice
ODOMETER_SD: Final = Size(0.018, "of distance", "by what cars count it wrongly, unmeasured")
ARRIVED_COLD: Final = Size(0.3, "of wholly cold", "how cold a first leg's tyres come: most testers drive to their road")
ARRIVED_COLD_SD: Final = Size(0.45, "of wholly cold", "by what that is off, where nobody says what was driven before")
USUAL_KMH: Final = 80.0  # where neither a time nor an aim is known


@dataclass(frozen=True, slots=True)
class Conditions:
    """One leg's conditions; SI but for °C. Wind vectors point to where the wind comes from, at the mast."""

    leg: str
    run: str
    day: int
    configuration: str
    control: bool
    backwards: bool
    speed_m_s: float
    speed_sd: float  # as a share
    speed_off: float  # as a share, by how much more it likely counts as, see `slower_by`
    #: What may have made it slower than its like; empty where nothing, or it was noted.
    slower_by: tuple[Explanation, ...]
    slower_alike: float  # by what share, where all legs of its configuration were slower, for one reason; else 0
    speed_alike_sd: float  # as a share, the same for all legs of the driver
    timed: bool  # its driving time is known
    logged: bool
    moving_s: float
    duration_s: float
    stopped_s: float
    idle_s: float  # stood with the car on beside the driving time
    true_m: float
    temperature_c: float
    temperature_known: bool
    density_kg_m3: float
    pressure_known: bool
    from_north: float
    from_east: float
    wind_known: bool
    wind_noted_m_s: float | None  # its speed, whether or not its direction is known
    wind_age_s: float | None  # of its report at the middle of the leg; None where nobody said
    turbulence_m_s: float
    climate_k: float | None  # |cabin setting − outside|; 0 when off; None when not known
    mass_delta_kg: float
    tyre_pressure_kpa: float | None
    road: str
    started_s: float | None
    placed_s: float  # the same; where it is not known, after the leg before it
    day_told: bool  # whether its day is known, not only likely
    jam_s: float = 0.0  # of the driving time, what a note says was spent crawling, at a speed that it does not say
    cold_if: float = 0.0  # mean cold share over the leg, had its tyres begun the day wholly cold; 0 = warm
    cold_open: float = (
        0.0  # of it, what nobody knows well: what was driven before the day's first leg, what a pause cools
    )
    warm_up_told: bool = (
        False  # whether somebody said what was driven before the day's first leg, and the leg's time is known
    )
    cold_share: float = 0.0  # the mean cold share as cars usually arrive, and as is known of swaps and pauses
    temperature_sd: float = 0.0  # what the air was noted as an interval leaves open [K]
    wind_sd: float = 0.0  # the same of the wind's speed [m/s]
    there_and_back: bool = False  # one reading over the road out and back again

    @property
    def wind_speed(self) -> float:
        """Reported wind at the mast. [m/s]"""
        return math.hypot(self.from_north, self.from_east)


@dataclass(frozen=True, slots=True)
class _Usual:
    """What stands for a note that is missing, and how the notes of this study are read."""

    offset: timedelta
    pressure_hpa: float
    temperature_c: float
    day_c: Mapping[int, float]  # mean of the temperatures noted on a day
    by_the_minute: bool  # all driving times are whole minutes
    timed: Mapping[
        object, tuple[float, float]
    ]  # mean speed of legs alike with a time [m/s], and by what share they differ
    standing: tuple[float, float, float]  # share of the time, its sd for all alike, and from leg to leg


def _usual(study: Study, day_of: Mapping[str, int]) -> _Usual:
    """From the other legs where they have it, else the standard atmosphere and the reference temperature."""
    height = float(np.mean([p.elevation_m for p in study.route if p.elevation_m is not None] or [0.0]))
    standard_hpa = float(air.standard_pressure_pa(np.clip(height, -900, 8000))) / 100.0
    pressures = [leg.pressure_hpa for leg in study.legs if leg.pressure_hpa is not None]
    temperatures = [leg.temperature_c for leg in study.legs if leg.temperature_c is not None]
    by_day: dict[int, list[float]] = {}
    for leg in study.legs:
        if leg.temperature_c is not None:
            by_day.setdefault(day_of[leg.leg], []).append(leg.temperature_c)
    durations = [leg.duration_s for leg in study.legs if leg.duration_s]
    return _Usual(
        common_offset(study),
        float(np.mean(pressures)) if pressures else standard_hpa,
        float(np.mean(temperatures)) if temperatures else study.reference.temperature_c,
        {day: float(np.mean(values)) for day, values in by_day.items()},
        bool(durations) and all(d % 60 == 0 for d in durations),
        _timed_speeds(study),
        _standing(study),
    )


def _standing(study: Study) -> tuple[float, float, float]:
    """Share of the time that legs stood which did not note it: as others did; on laps of a town an eighth or so."""
    noted = [leg.stopped_s / leg.duration_s for leg in study.legs if leg.duration_s and leg.stopped_s is not None]
    if 2 * len(noted) > len(study.legs):  # else only legs that stood were noted
        return float(np.mean(noted)), 0.0, 1.5 * float(np.std(noted))
    return (LAPS_STAND, LAPS_STAND_SD, LAP_STANDS_SD) if study.method == "laps" else (0.0, 0.0, 0.0)


def _timed_speeds(study: Study) -> dict[object, tuple[float, float]]:
    """Mean moving speed of legs with a distance and a time [m/s], and by what share they differ: by pace, and of all (None)."""
    ratios = distance_ratios(study)
    found: dict[object, list[tuple[float, float]]] = {}
    for leg in study.legs:
        distance = leg_distances(study, leg, ratios[leg.configuration], None)
        if leg.duration_s and distance:
            stopped = leg.stopped_s if leg.stopped_s is not None else noted_standing_s(study, leg.leg) or 0.0
            moving, way = max(leg.duration_s - stopped, 1.0), 1000.0 * distance[1]
            held = disturbance.cruise_m_s(way, moving, full_stops(study, leg.leg, stopped))
            for key in (pace_of(study, leg), None):
                found.setdefault(key, []).append((way, held))
    return {key: _mean_pace(legs) for key, legs in found.items()}


def _mean_pace(legs: Sequence[tuple[float, float]]) -> tuple[float, float]:
    """Metres over seconds of legs by (metres, speed), and by what share their speeds differ."""
    seconds = sum(way / held for way, held in legs)
    return sum(way for way, _ in legs) / seconds, float(np.std(np.log([held for _, held in legs])))


def leg_conditions(study: Study, traces: Mapping[str, Trace]) -> dict[str, Conditions]:
    """Conditions of every leg of the study, by leg name; what is not known is filled and flagged.

    Those of legs that were driven hang on such legs alone.
    """
    there = legs_that_are(study, traces)
    every = _conditions_of(study, traces)
    if not there or len(there) == len(study.legs):
        return every
    driven = _conditions_of(study.with_legs(leg for leg in study.legs if leg.leg in there), traces)
    return {name: driven.get(name, c) for name, c in every.items()}


def _conditions_of(study: Study, traces: Mapping[str, Trace]) -> dict[str, Conditions]:
    one = study.circumstances.outing == "one"
    day_of = driven_days(study.legs, common_offset(study), one)
    usual = _usual(study, day_of)
    told_days = days_told(study.legs, day_of, one, {outing_block(o) for o in study.outings})
    ratios = distance_ratios(study)
    measured = study.vehicle.distance_error_percent is not None or any(leg.gps_distance_km for leg in study.legs)
    raw: list[Conditions] = []
    days: dict[int, int] = {}  # numbered as they come
    for run, legs in study.runs():
        for leg in legs:
            trace = traces.get(leg.leg)
            distance = leg_distances(study, leg, ratios[leg.configuration], trace)
            true_m = distance[1] * 1000.0 if distance else 0.0
            started = seconds_of(leg.clock, usual.offset) if leg.clock is not None else None
            weather = _weather(study, leg, started, usual, day_of[leg.leg])
            # A car that holds its own speedometer drives truly faster on larger wheels.
            pace = _speed(study, leg, true_m, usual, trace, ratios[study.baseline.id] / ratios[leg.configuration])
            if trace is None and not leg.gps_distance_km and not measured:
                pace = replace(pace, alike_sd=math.hypot(pace.alike_sd, ODOMETER_SD))
            raw.append(
                Conditions(
                    leg=leg.leg,
                    run=run,
                    day=days.setdefault(day_of[leg.leg], len(days)),
                    configuration=leg.configuration,
                    control=leg.vehicle == "control",
                    backwards=leg.direction == "back",
                    there_and_back=leg.direction == "loop" and study.method == "out-and-back",
                    speed_m_s=pace.speed_m_s,
                    speed_sd=pace.sd,
                    speed_off=0.0,
                    slower_by=(),
                    slower_alike=0.0,
                    speed_alike_sd=pace.alike_sd,
                    timed=trace is not None or bool(leg.duration_s),
                    logged=trace is not None,
                    moving_s=pace.moving_s,
                    duration_s=pace.whole_s,
                    stopped_s=pace.stopped_s,
                    idle_s=leg.stopped_with_car_on_s or 0.0,
                    true_m=true_m,
                    climate_k=_climate_k(leg, weather.temperature_c),
                    mass_delta_kg=leg.mass_delta_kg or 0.0,
                    tyre_pressure_kpa=leg.tyre_pressure_kpa,
                    road=leg.road,
                    started_s=started,
                    placed_s=started or 0.0,
                    day_told=leg.leg in told_days,
                    temperature_sd=0.0 if (air_span := leg.span("temperature_c")) is None else air_span.sd,
                    wind_sd=0.0 if (wind_span := leg.span("wind_speed_ms")) is None else wind_span.sd,
                    **{name: getattr(weather, name) for name in _WEATHER},
                )
            )
    noted = {e.leg for e in study.events if e.kind in {"slow-traffic", "stop"}}
    held_up = _held_up(study, raw, noted, set(traces))
    return {c.leg: c for c in _with_warm_up(study, held_up, _placed(held_up))}


@dataclass(frozen=True, slots=True)
class _Weather:
    """Weather of one leg; names as in `Conditions`."""

    temperature_c: float
    temperature_known: bool
    density_kg_m3: float
    pressure_known: bool
    from_north: float
    from_east: float
    wind_known: bool
    wind_noted_m_s: float | None
    wind_age_s: float | None
    turbulence_m_s: float


_WEATHER: Final = tuple(f.name for f in fields(_Weather))


def _weather(study: Study, leg: Leg, started_s: float | None, usual: _Usual, day: int) -> _Weather:
    """What was noted on a leg, else what the station reported for its middle, else what is usual."""
    station: dict[str, float] = {}
    if started_s:
        station = weather_at(study.weather, started_s + (leg.duration_s or 0.0) / 2, usual.offset)

    def noted(name: str) -> float | None:
        value: float | None = getattr(leg, name)
        return station.get(name) if value is None else value

    temperature, pressure, humidity = (noted(n) for n in ("temperature_c", "pressure_hpa", "humidity_percent"))
    t = usual.day_c.get(day, usual.temperature_c) if temperature is None else temperature
    density = air.density_of_one(
        100.0 * (usual.pressure_hpa if pressure is None else pressure),
        t + 273.15,
        air.USUAL_HUMIDITY if humidity is None else humidity / 100.0,
    )
    north = east = 0.0
    known, age = True, leg.wind_age_s
    if leg.wind_speed_ms is not None and (leg.wind_from_deg is not None or leg.wind_speed_ms == 0):
        north, east = (float(x) for x in wind.from_vector(leg.wind_speed_ms, leg.wind_from_deg or 0.0))
    elif "from_north" in station:
        north, east = station["from_north"], station["from_east"]
        age = station["wind_age_s"]
    else:
        known = False
    sustained = leg.wind_speed_ms if leg.wind_speed_ms is not None else math.hypot(north, east)
    turbulence = float(wind.turbulence_m_s(sustained, noted("wind_gust_ms")))
    return _Weather(
        temperature_c=t,
        temperature_known=temperature is not None,
        density_kg_m3=density,
        pressure_known=pressure is not None,
        from_north=north,
        from_east=east,
        wind_known=known,
        wind_noted_m_s=sustained if known or leg.wind_speed_ms is not None else None,
        wind_age_s=age,
        turbulence_m_s=turbulence,
    )


def _climate_k(leg: Leg, outside_c: float) -> float | None:
    """Kelvin between cabin and outside; 0 when off, None when nobody noted it."""
    if leg.climate == "off":
        return 0.0
    if not leg.climate:
        return None
    setting = AUTO_C if leg.climate == "auto" else float(leg.climate.replace(",", "."))
    return auxiliaries.climate_k(setting, outside_c)


@dataclass(frozen=True, slots=True)
class _Pace:
    """Average moving speed of a leg, what it may be off by, and its times."""

    speed_m_s: float
    sd: float
    alike_sd: float
    moving_s: float
    whole_s: float
    stopped_s: float


def _speed(study: Study, leg: Leg, true_m: float, usual: _Usual, trace: Trace | None, rolls: float) -> _Pace:
    """From the log, else the time, else the aim, else what other legs took, else what is usual."""
    aimed_kmh = held_kmh(study, leg)
    alike_m_s, alike_sd = usual.timed.get(pace_of(study, leg)) or usual.timed.get(None) or (None, 0.0)
    if trace is not None:
        log = thin(trace)
        whole = float(log.time_s[-1] - log.time_s[0])
        dt = np.diff(log.time_s)
        stopped = float(dt[(log.speed_m_s[1:] + log.speed_m_s[:-1]) < 2 * STANDING_M_S].sum())
        moving = max(whole - stopped, 1.0)
        return _Pace(true_m / moving, 0.0, 0.0, moving, whole, stopped)
    share, share_alike, share_sd = usual.standing if leg.stopped_s is None else (0.0, 0.0, 0.0)
    standing = noted_standing_s(study, leg.leg) if leg.stopped_s is None else leg.stopped_s
    stopped = standing if standing is not None else share * (leg.duration_s or 0.0)
    if leg.duration_s and true_m:
        moving = max(leg.duration_s - stopped, 1.0)
        timed = disturbance.cruise_m_s(true_m, moving, full_stops(study, leg.leg, stopped))
        if not usual.by_the_minute:
            sd = math.hypot(TIMED_SD, SECOND_S / leg.duration_s, share_sd)
            return _Pace(timed, sd, share_alike, moving, leg.duration_s, stopped)
        # A time read to the minute says less of one leg than the mean of all does of a speed that was held.
        w_timed = (leg.duration_s * math.sqrt(12.0) / 60.0) ** 2
        w_held = 1.0 / HELD_SD**2 if aimed_kmh and alike_m_s else 0.0
        v = (w_timed * timed + w_held * (alike_m_s or 0.0)) / (w_timed + w_held)
        sd = math.hypot((w_timed + w_held) ** -0.5, share_sd)
        return _Pace(v, sd, share_alike, true_m / v, true_m / v + stopped, stopped)
    if aimed_kmh:
        by_foot = leg.speed_held == "foot"
        v, sd, alike = rolls * aimed_kmh / 3.6, FOOT_SD if by_foot else HELD_SD, HELD_ALIKE_SD
    elif alike_m_s:
        v, sd, alike = alike_m_s, math.hypot(UNTOLD_SD, alike_sd), HELD_ALIKE_SD
    else:
        held = HELD_SD if leg.speed_held == "cruise" else UNTOLD_SD
        v, sd, alike = USUAL_KMH / 3.6, held, UNTOLD_ALIKE_SD
    moving = true_m / v
    return _Pace(v, sd, alike, moving, moving + stopped, stopped)


def _jams(study: Study) -> dict[str, float | None]:
    """Legs whose notes say of slow traffic, but not how slow; how long it was, where they say that. [s]"""
    found: dict[str, float | None] = {}
    for e in study.events:
        if e.kind == "slow-traffic" and not (e.speed_kmh and e.duration_s and e.at_km is not None):
            before = found.get(e.leg)
            found[e.leg] = e.duration_s if before is None else before + (e.duration_s or 0.0)
    return found


def _held_up(study: Study, raw: list[Conditions], noted: set[str], logged: set[str]) -> list[Conditions]:
    """A leg slower than its like: held up somewhere, or slower all the way; a note says which, but not exactly."""
    legs = {leg.leg: leg for leg in study.legs}
    like = {c.leg: (*pace_of(study, legs[c.leg]), c.backwards, c.control) for c in raw}
    usual: dict[object, list[float]] = {}
    for c in raw:
        if c.leg not in noted:
            usual.setdefault(like[c.leg], []).append(c.speed_m_s)
    for c in raw:
        usual.setdefault(like[c.leg], [c.speed_m_s])  # where all were held up, each is its own measure
    free_of = {key: float(np.quantile(speeds, FREE_QUANTILE)) for key, speeds in usual.items()}
    were_slower: dict[object, dict[str, float]] = {}  # by what legs of a configuration and aim, in either direction
    for c in raw:
        group = *pace_of(study, legs[c.leg]), c.control, c.configuration
        were_slower.setdefault(group, {})[c.leg] = 1.0 - c.speed_m_s / free_of[like[c.leg]]
    jams = {leg: seconds for leg, seconds in _jams(study).items() if leg not in logged}
    result = []
    for c in raw:
        free = free_of[like[c.leg]]
        slower = 1.0 - c.speed_m_s / free
        aim = held_kmh(study, legs[c.leg])
        as_aimed = aim is not None and 3.6 * c.speed_m_s > (1.0 - SLOWER) * aim  # however fast the others went
        if slower > SLOWER and c.leg not in logged and not (as_aimed and c.leg not in noted):
            if c.leg in noted:
                c = replace(c, speed_sd=math.hypot(c.speed_sd, NOTED_SD * slower))
            else:
                own = were_slower[*pace_of(study, legs[c.leg]), c.control, c.configuration]
                others = [by for name, by in own.items() if name != c.leg]
                ways = explanations(slower, c.true_m, others)
                if others and min(others) > SLOWER:
                    c = replace(c, slower_by=ways, slower_alike=slower)
                else:
                    off, sd = moments(ways)
                    c = replace(c, speed_sd=math.hypot(c.speed_sd, sd), speed_off=off, slower_by=ways)
            if c.leg in jams and c.timed:
                # Time lost against the others is what a crawl cost; a note may say how long it was.
                lost = (c.moving_s - c.true_m / free) / max(1.0 - JAM_M_S / free, 0.1)
                told = jams[c.leg]
                jam = min(max(lost if told is None else told, 0.0), MOST_JAM * c.moving_s)
                c = replace(c, jam_s=jam)
        if c.leg in jams and not c.timed:
            told = jams[c.leg]
            if told is None:
                c = replace(c, speed_sd=math.hypot(c.speed_sd, HELD_UP_UNTOLD))
            else:
                c = replace(c, jam_s=min(told, MOST_JAM * c.moving_s))
        result.append(c)
    return result


def _placed(raw: list[Conditions]) -> dict[str, float]:
    """When each leg began; those of unknown time are placed after the leg before them of their day, or before the one after."""
    placed: dict[str, float] = {}
    for day in dict.fromkeys(c.day for c in raw):
        own = [c for c in raw if c.day == day]
        first = next((i for i, c in enumerate(own) if c.started_s is not None), 0)
        at, run = own[first].started_s or 0.0, own[first].run
        for c in own[:first][::-1]:
            at -= c.duration_s + (PAUSE_S if c.run == run else SWAP_S)
            placed[c.leg], run = at, c.run
        ended, run = own[first].started_s or 0.0, ""
        for c in own[first:]:
            after = 0.0 if not run else PAUSE_S if c.run == run else SWAP_S
            placed[c.leg] = c.started_s if c.started_s is not None else ended + after
            ended, run = placed[c.leg] + c.duration_s, c.run
    return placed


def _with_warm_up(study: Study, raw: list[Conditions], placed: Mapping[str, float]) -> list[Conditions]:
    """Set when each leg began and how cold its tyres were: their cold share decays while driving and comes back over an hour's pause.

    Other wheels or tyres have lain beside the car: they come on wholly cold, and warm by themselves.
    """
    result: list[Conditions] = []
    swaps = study.change.about.turns_wheels
    #: Vehicle, day and set of tyres -> what of its cold share is known, what is open, and when it was last driven.
    state: dict[tuple[bool, int, str], tuple[float, float, float]] = {}
    told: dict[tuple[bool, int], bool] = {}  # whether somebody said how the day's first leg came
    on: dict[tuple[bool, int], str] = {}  # the set that each vehicle drove last on a day
    for c in sorted(raw, key=lambda c: (c.day, placed[c.leg])):
        began = placed[c.leg]
        key = (c.control, c.day, c.configuration if swaps else "")
        lay = on.get(key[:2], key[2]) != key[2]
        known, maybe, ended = state.get(key, (1.0, 0.0, began) if lay else (0.0, 1.0, began))
        pause = max(0.0, began - ended)
        if c.started_s is None:
            pause = min(pause, PAUSE_S)  # driven on at once for all anybody knows, which sets runs apart most
        # Whatever lay beside the car has cooled; how much a pause on the wheels cools, nobody knows well.
        kept, whole = rolling.cold_share_kept(pause), rolling.cold_share_rested(known + maybe, pause)
        maybe = maybe * kept if lay else whole - known * kept
        known = whole - maybe
        first = (c.control, c.day) not in on
        before = study.driven_before_s(study.leg(c.leg)) if first else study.leg(c.leg).driven_before_s
        if first:
            told[c.control, c.day] = before is not None
        if before is not None:
            known, maybe = rolling.cold_share_after(1.0, before), 0.0
        duration = max(c.duration_s, 1.0)
        sure, extra = (rolling.cold_share_mean(x, duration) for x in (known, maybe))
        known_so_far = before is not None or (told[c.control, c.day] and c.started_s is not None)
        share = sure + ARRIVED_COLD * extra
        result.append(
            replace(
                c, placed_s=began, cold_if=sure + extra, cold_open=extra, cold_share=share, warm_up_told=known_so_far
            )
        )
        left = (rolling.cold_share_after(known, duration), rolling.cold_share_after(maybe, duration))
        state[key] = (*left, began + duration)
        on[key[:2]] = key[2]
    return result
