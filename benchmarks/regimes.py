"""Regimes of the coverage benchmark: what is driven, and what of it is noted."""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any, Final

import numpy as np
from truths.field import FieldDay, Weeks, field_day, field_speeds, field_weeks
from truths.field.days import EVERYTHING

from fairmargin.core.study import Study, new_study
from fairmargin.simulation import DayPlan, simulate

ORDERS: Final = ("ABBA", "ABAB", "AABB", "AB", "ABBABAAB")
SIZES: Final = {
    "aero covers": -4.0, "tyres": 3.0, "payload": 5.0, "cargo": 12.0, "towing": 60.0, "wheels": 4.0, "other": -6.0,
}  # fmt: skip
KINDS: Final = tuple(SIZES)
VAN_KINDS: Final = ("aero covers", "tyres", "payload", "cargo", "towing")
WEATHER: Final = frozenset({"wind", "temperature", "pressure"})

#: A study, its logs and the true effect.
Made = tuple[Study, Any, float]


def _careful(**fixed: Any) -> Callable[[int], Made]:
    """The virtual test day: a van, a flat road, complete notes."""

    def make(seed: int) -> Made:
        kind = VAN_KINDS[seed % len(VAN_KINDS)]
        plan: dict[str, Any] = {
            "kind": kind,
            "effect_percent": SIZES[kind],
            "order": ORDERS[(seed // len(VAN_KINDS)) % len(ORDERS)],
            "speed_kmh": (80.0, 90.0, 100.0, 110.0)[seed % 4],
            "step": (0.1, 0.5)[seed % 3 == 0],
        } | fixed
        made = simulate(10_000 + seed, DayPlan(**plan))
        return made.study, made.traces, float(made.truth["effect_percent"])  # type: ignore[arg-type]

    return make


def _field(**fixed: Any) -> Callable[[int], Made]:
    """A field day."""

    def make(seed: int) -> Made:
        kind = str(fixed.get("kind", KINDS[seed % len(KINDS)]))
        plan: dict[str, Any] = {
            "kind": kind,
            "effect_percent": SIZES.get(kind, -6.0),
            "order": ORDERS[(seed // len(KINDS)) % len(ORDERS)],
            "speed_kmh": (80.0, 95.0, 105.0, 120.0)[seed % 4],
            "sort": ("car", "city", "tall", "van", "truck")[(seed // 3) % 5],
            "step": (0.1, 0.1, 0.5)[seed % 3],
        } | fixed
        if plan["effect_percent"] == "large":
            plan["effect_percent"] = 60.0 + 60.0 * ((seed * 37) % 100) / 100
        made = field_day(20_000 + seed, FieldDay(**plan))
        return made.study, made.traces, made.truth_percent

    return make


def _speeds(
    speeds: tuple[float, ...], sectors: tuple[str, ...] = (), own_roads: bool = False, **fixed: Any
) -> Callable[[int], Made]:
    """A field day of several speeds or sectors; the truth is that of one of them, in turn, whose comparison comes first."""

    def make(seed: int) -> Made:
        kind = ("aero covers", "wheels", "towing", "cargo")[seed % 4]
        plan = FieldDay(**{"kind": kind, "effect_percent": SIZES[kind], "length_km": 12.0, **fixed})
        turned = speeds if seed % 2 else speeds[::-1]
        made = field_speeds(60_000 + seed, plan, turned, sectors if seed % 2 else sectors[::-1], own_roads)
        return made.study, made.traces, made.truth_percent[turned[0]]

    return make


def _running(step: float, every: int = 1, **fixed: Any) -> Callable[[int], Made]:
    """A field day read by one average since its first reset, after each leg or each run of `every` legs."""
    make = _field(**{"step": 0.001, **fixed})

    def running(seed: int) -> Made:
        study, traces, truth = make(seed)
        unit = study.legs[0].average_unit
        legs, energy, km = [], 0.0, 0.0
        for i, leg in enumerate(study.legs):
            own = leg.distance_km or fixed.get("length_km", 20.0)
            energy, km = energy + float(leg.average_shown or 0.0) * own, km + own
            bare = {"average_shown": None, "average_unit": None, "average_step": None}
            if (i + 1) % every == 0:
                shown = round(round(energy / km / step) * step, 6)
                bare |= {
                    "running_shown": shown, "running_unit": unit, "running_step": step, "running_since": study.legs[0].leg
                }  # fmt: skip
            legs.append(leg.with_(**bare))
        return study.with_legs(legs), traces, truth

    return running


def _read_once(step: float = 0.1, **fixed: Any) -> Callable[[int], Made]:
    """A field day out and back of which each run was read once, over both ways."""
    make = _field(**{"step": 0.001, **fixed})

    def once(seed: int) -> Made:
        study, traces, truth = make(seed)
        legs = []
        for _, (out, back) in study.runs():
            km = [leg.distance_km or fixed.get("length_km", 20.0) for leg in (out, back)]
            mean = sum(float(leg.average_shown or 0.0) * d for leg, d in zip((out, back), km, strict=True)) / sum(km)
            times = [out.duration_s, back.duration_s]
            legs.append(
                out.with_(
                    average_shown=round(round(mean / step) * step, 4), average_step=step, direction="loop",
                    distance_km=None if out.distance_km is None else round(sum(km), 1), gps_distance_km=None,
                    duration_s=None if None in times else sum(float(t or 0.0) for t in times), stopped_s=None,
                )
            )  # fmt: skip
        names = {leg.leg for leg in legs}
        events = [e for e in study.events if e.leg in names]
        return study.with_(events=events).with_legs(legs), traces, truth

    return once


def _noise(spread: float, order: str) -> Callable[[int], Made]:
    """Readings that differ by nothing anybody could note: a test day of 25 km legs in 1 m/s, or everyday trips."""
    everyday = order == "A9B9"

    def make(seed: int) -> Made:
        rng = np.random.default_rng(seed)
        method = "everyday" if everyday else "out-and-back"
        study = new_study(
            title="Noise", kind="aero covers", order="A" * 18 + "B" * 18 if everyday else order, method=method
        )
        start, step = datetime(2026, 5, 2, 9), timedelta(days=1) if everyday else timedelta(minutes=25)
        noted = {"average_unit": "Wh/km", "average_step": 0.1, "distance_km": 25.0, "duration_s": 1000, "temperature_c": 15.0,
                 "wind_speed_ms": 1.0, "wind_from_deg": 40.0, "climate": "off", "road": "dry"}  # fmt: skip
        legs = [
            leg.with_(
                average_shown=round(170 * math.exp(spread * rng.normal()), 1), started_at=start + i * step, **noted
            )
            for i, leg in enumerate(study.legs)
        ]
        return study.with_legs(legs), {}, 0.0

    return make


def _days_of_their_own(spread: float) -> Callable[[int], Made]:
    """Three days of each configuration, a run out and back on each; what days do to all their legs, and 0.8 % for each leg."""

    def make(seed: int) -> Made:
        rng = np.random.default_rng(50_000 + seed)
        study = new_study(title="Days", kind="aero covers", order="ABABAB", method="out-and-back")
        of_day = spread * rng.normal(size=6)
        legs = []
        for i, leg in enumerate(study.legs):
            shown = 170 * math.exp(of_day[i // 2] + 0.008 * rng.normal())
            start = datetime(2026, 5, 2, 9) + timedelta(days=i // 2, minutes=25 * (i % 2))
            noted = {"average_unit": "Wh/km", "average_step": 0.1, "distance_km": 25.0, "duration_s": 1000, "temperature_c": 15.0,
                     "pressure_hpa": 1013.0, "wind_speed_ms": 0.0, "climate": "off", "road": "dry"}  # fmt: skip
            legs.append(leg.with_(average_shown=round(shown, 1), started_at=start, **noted))
        return study.with_legs(legs), {}, 0.0

    return make


def _mornings(air_c: float, order: str) -> Callable[[int], Made]:
    """A commute of 41 km that begins with a cabin, or cabin and battery, warmed from the wall; the truth is of this air.

    A watt per kelvin keeps the cabin, what is not warm yet costs more per kelvin below 20 °C: constants are drawn anew for
    each study from ranges of common practice.
    """

    def make(seed: int) -> Made:
        rng = np.random.default_rng(40_000 + seed)
        study = new_study(title="Mornings", kind="preconditioning", order=order, method="one-way")
        km, hours = 41.0, 0.62
        rolling = rng.uniform(125.0, 165.0)  # Wh/km
        keeping, cold = rng.uniform(25.0, 80.0), rng.uniform(8.0, 24.0)  # W/K, Wh/K
        scatter, day = rng.uniform(0.008, 0.02), rng.uniform(0.008, 0.015)

        def wh_per_km(t: float, warmed: bool) -> float:
            air = rolling * (1.0 + 0.008 * (15.0 - t))
            return air + (keeping * hours * (21.0 - t) + (0.0 if warmed else cold * (20.0 - t))) / km

        legs, temperatures = [], []
        for i, leg in enumerate(study.legs):
            t = air_c + 2.0 * rng.normal()
            temperatures.append(t)
            noise = math.hypot(scatter, day) * rng.normal()
            shown = wh_per_km(t, leg.configuration != study.baseline.id) * math.exp(noise)
            legs.append(
                leg.with_(
                    average_shown=round(shown), average_unit="Wh/km", average_step=1.0, distance_km=km, temperature_c=round(t),
                    started_at=datetime(2026, 1, 12, 7, 10) + i * timedelta(days=1), duration_s=3600 * hours, climate="21",
                    road="dry", wind_speed_ms=0.0,
                )
            )  # fmt: skip
        mean = float(np.mean(temperatures))
        truth = 100.0 * (wh_per_km(mean, True) / wh_per_km(mean, False) - 1.0)
        return study.with_(target_speed_kmh=None).with_legs(legs), {}, truth

    return make


def _weeks(**fixed: Any) -> Callable[[int], Made]:
    def make(seed: int) -> Made:
        kind = ("tyres", "aero covers", "wheels")[seed % 3]
        plan: dict[str, Any] = {"kind": kind, "effect_percent": SIZES[kind], "sort": ("car", "city", "tall")[seed % 3]}
        made = field_weeks(30_000 + seed, Weeks(**(plan | fixed)))
        return made.study, made.traces, made.truth_percent

    return make


def _drifting(per_leg: float, order: str) -> Callable[[int], Made]:
    """A null whose readings rise by so much from leg to leg."""
    made = _field(order=order, effect_percent=0.0, kind="aero covers", traffic=0.0)

    def make(seed: int) -> Made:
        study, traces, truth = made(seed)
        legs = [
            leg.with_(average_shown=round((leg.average_shown or 0.0) * (1 + per_leg * i), 1))
            for i, leg in enumerate(study.legs)
        ]
        return study.with_legs(legs), traces, truth

    return make


def _that_matters(percent: float, made: Callable[[int], Made]) -> Callable[[int], Made]:
    """The same where no smaller effect matters."""

    def make(seed: int) -> Made:
        study, traces, truth = made(seed)
        return study.with_(smallest_effect_percent=percent), traces, truth

    return make


APART: Final = {"days": 2, "order": "AABB"}
LATER: Final = {"days": 2, "order": "AABB", "day_gap": 21, "warmer_k": -7.0}
LOGGED: Final = {"instrument": "logger"}
ONE_PAIR: Final = {"order": "AB"}
BARE: Final = {"forget": EVERYTHING}
NULL: Final = {"effect_percent": 0.0}

#: Name, how a study is made, and how many of the benchmark's studies (logs are slow).
REGIMES: Final[dict[str, Callable[[int], Made]]] = {
    # complete notes, the virtual test day
    "van calm": _careful(wind="calm"),
    "van mixed": _careful(wind="mixed"),
    "van windy": _careful(wind="windy"),
    "van two days": _careful(wind="mixed", days=2, order="AABB"),
    "van weeks apart, colder": _careful(days=2, day_gap=21, day_warmer_k=-8.0, order="AABB"),
    "van null": _careful(effect_percent=0.0),
    "van null, two days": _careful(effect_percent=0.0, days=2, order="AABB"),
    "van steadier": _careful(scatter=0.005),
    "van less steady": _careful(scatter=0.013),
    "van loop": _careful(method="loop", speed_kmh=70.0),
    "van logged": _careful(samples=True, instrument="logger"),
    "van logged, two days": _careful(samples=True, instrument="logger", days=2, order="AABB"),
    # complete notes, any vehicle
    "calm": _field(wind="calm"),
    "mixed": _field(),
    "windy": _field(wind="windy"),
    "two days": _field(**APART),
    "weeks apart, colder": _field(**LATER),
    "null": _field(**NULL),
    "null, two days": _field(**NULL, **APART),
    "null, balanced": _field(**NULL, order="ABBABAAB"),
    "balanced calm": _field(order="ABBA", wind="calm"),
    "null, eight steady pairs, 2 % matters": _that_matters(
        2.0, _field(**NULL, order="ABBABAABABBABAAB", scatter=0.005, step=0.1)
    ),
    # wind as it is: strong, from afar, of another hour
    "strong wind, ABBA": _field(wind="strong", order="ABBA"),
    "strong wind, null": _field(wind="strong", order="ABBA", **NULL),
    "stormy, ABBA": _field(wind="stormy", order="ABBA"),
    "stormy, null": _field(wind="stormy", order="ABBA", **NULL),
    "stormy, one way ABAB": _field(wind="stormy", order="ABAB", method="one-way"),
    "windy, station 20 km off": _field(wind="windy", station_km=20.0, order="ABBA"),
    "windy, station 20 km off, told": _field(wind="windy", station_km=20.0, tells_station=True, order="ABBA"),
    "windy, station 2 km off, told": _field(wind="windy", station_km=2.0, tells_station=True, order="ABBA"),
    "windy, report two hours off": _field(wind="windy", report_minutes_late=120.0),
    "mixed, report two hours off": _field(report_minutes_late=120.0),
    "loop": _field(method="loop"),
    "one way": _field(method="one-way"),
    "no warm-up drive": _field(warm_up_drive=False),
    "coarse display": _field(step=0.5),
    "display cuts off": _field(step=0.5, truncates=True),
    "times to the minute": _field(to_the_minute=True),
    "energy counter": _field(instrument="energy"),
    "charge gauge": _field(instrument="soc", length_km=40.0),
    "charged back": _field(instrument="charge", length_km=35.0),
    "station 30 km off": _field(station_km=30.0),
    "city car": _field(sort="city"),
    "light truck": _field(sort="truck"),
    "petrol": _field(sort="petrol"),
    "diesel": _field(sort="diesel"),
    "diesel, litres": _field(sort="diesel", instrument="fuel", length_km=45.0),
    "diesel, two days": _field(sort="diesel", **APART),
    # large changes
    "large trailer": _field(kind="towing", effect_percent="large"),
    "large trailer, two days": _field(kind="towing", effect_percent="large", **APART),
    "large trailer, one pair, bare": _field(kind="towing", effect_percent="large", **ONE_PAIR, **BARE),
    "large trailer, logged": _field(kind="towing", effect_percent="large", **LOGGED),
    # logged
    "logged calm": _field(wind="calm", **LOGGED),
    "logged": _field(**LOGGED),
    "logged windy": _field(wind="windy", **LOGGED),
    "logged, two days": _field(**LOGGED, **APART),
    "logged, no wind": _field(**LOGGED, forget=frozenset({"wind"})),
    "logged, 300 m of hills": _field(**LOGGED, relief_m=300.0),
    "logged town laps": _field(**LOGGED, method="laps", town=True, length_km=6.2, speed_kmh=50.0),
    "logged loop": _field(**LOGGED, method="loop"),
    "logged, one pair": _field(**LOGGED, **ONE_PAIR),
    "logged, no route": _field(**LOGGED, forget=frozenset({"route"})),
    "logged, slow traffic not noted": _field(**LOGGED, traffic=0.5, forget=frozenset({"traffic"})),
    "logged, bare": _field(**LOGGED, **BARE),
    "logged, bare, two days": _field(**LOGGED, **BARE, **APART),
    "logged 3 km legs": _field(**LOGGED, length_km=3.0),
    # sparse notes
    "no wind": _field(forget=frozenset({"wind"})),
    "no wind, two days": _field(forget=frozenset({"wind"}), **APART),
    "no temperature, two days": _field(forget=frozenset({"temperature"}), **LATER),
    "no route": _field(forget=frozenset({"route"})),
    "no route, two days": _field(forget=frozenset({"route"}), **APART),
    "no times": _field(forget=frozenset({"times"})),
    "no clock": _field(forget=frozenset({"clock"})),
    "no weather": _field(forget=WEATHER),
    "no weather, two days": _field(forget=WEATHER, **APART),
    "no weather, null, two days": _field(forget=WEATHER, **APART, **NULL),
    "bare": _field(**BARE),
    "bare, two days": _field(**BARE, **APART),
    "bare, null": _field(**BARE, **NULL),
    "bare, null, two days": _field(**BARE, **NULL, **APART),
    "bare loop": _field(**BARE, method="loop"),
    "one pair": _field(**ONE_PAIR),
    "one pair, bare": _field(**ONE_PAIR, **BARE),
    "one pair, bare, null": _field(**ONE_PAIR, **BARE, **NULL),
    "one pair, two days": _field(days=2, **ONE_PAIR),
    "one pair, bare, two days": _field(days=2, **ONE_PAIR, **BARE),
    # a stop of half a minute in every trial leg
    **{
        f"a stop in trial legs, {'noted' if noted else 'not noted'}, {v} km/h, {km} km": _field(
            trial_stop_s=30.0,
            notes_stop=noted,
            speed_kmh=float(v),
            length_km=float(km),
            order="ABBA",
            kind="aero covers",
            traffic=0.0,
            **NULL,
        )
        for noted in (True, False)
        for v in (90, 110)
        for km in (10, 25)
    },
    # what runs on over the day
    **{
        f"drift of {p} % a leg, {order}": _drifting(p / 100, order)
        for p in (0.15, 0.3)
        for order in ("AABB", "ABAB", "ABBA", "ABBABAAB")
    },
    # other wheels roll further, and nobody has a GPS
    **{
        f"wheels roll {100 * turn:+.0f} %, {'told' if told else 'not told'}{'' if timed else ', no times'}": _field(
            kind="tyres",
            order="ABBA",
            turn=turn,
            tells_turn=told,
            forget=frozenset({"gps"} if timed else {"gps", "times"}),
            **NULL,
        )
        for turn in (-0.01, 0.01)
        for told in (True, False)
        for timed in (True, False)
    },
    "wheels roll +2 %, told, no times": _field(
        kind="tyres", order="ABBA", turn=0.02, tells_turn=True, forget=frozenset({"gps", "times"}), **NULL
    ),
    # one fitting differs from the next
    **{
        f"runs vary by {100 * run} %, {order}": _field(
            order=order, fitting_sd=run, scatter=leg, kind="aero covers", **NULL
        )
        for run, leg in ((0.008, 0.0075), (0.010, 0.005))
        for order in ("ABBA", "ABBABAAB")
    },
    # what the change does goes with something else
    "change by direction, 16 legs": _field(order="ABBAABBA", by_direction=0.08, kind="aero covers", **NULL),
    "wet trial": _field(order="ABBA", rain_trial=0.05, kind="aero covers"),
    "wet trial, null": _field(order="ABBA", rain_trial=0.05, kind="aero covers", **NULL),
    "trial grows faster over yaw, windy": _field(order="ABBA", wind="windy", kind="cargo", trial_yaw=1.25),
    **{
        f"one wild leg of {100 * wild:.0f} %, {order}": _field(order=order, wild=wild, kind="aero covers", **NULL)
        for wild in (0.05, 0.1, 0.2)
        for order in ("ABBA", "ABBABAAB")
    },
    "first leg from cold, null": _field(order="ABBA", warm_up_drive=False, kind="aero covers", **NULL),
    # roads
    "300 m of hills": _field(relief_m=300.0),
    "800 m of hills": _field(relief_m=800.0, climb_m=500.0),
    "800 m of hills, no route": _field(relief_m=800.0, climb_m=500.0, forget=frozenset({"route"})),
    "3 km legs": _field(length_km=3.0),
    "town laps": _field(method="laps", town=True, length_km=6.2, speed_kmh=50.0),
    # traffic, cold, heat, rain
    "slow traffic noted": _field(traffic=0.5),
    "slow traffic not noted": _field(traffic=0.5, forget=frozenset({"traffic"})),
    "halts not noted": _field(halts=0.3, forget=frozenset({"traffic"})),
    "halts not noted, one pair": _field(halts=0.3, forget=frozenset({"traffic"}), **ONE_PAIR),
    "halts and slow traffic not noted": _field(halts=0.2, traffic=0.2, forget=frozenset({"traffic"})),
    "slow traffic, bare": _field(traffic=0.5, **BARE),
    "frost, heated": _field(temperature_c=-13.0, heating_c=21.0),
    "frost, heating not noted": _field(temperature_c=-13.0, heating_c=21.0, forget=frozenset({"climate"})),
    "frost, two days": _field(temperature_c=-13.0, heating_c=21.0, **APART),
    "frost, from cold": _field(temperature_c=-13.0, heating_c=21.0, warm_up_drive=False),
    "frost, from cold, heating not noted, one pair": _field(
        temperature_c=-13.0, heating_c=21.0, warm_up_drive=False, forget=frozenset({"climate"}), **ONE_PAIR
    ),
    "petrol, frost, from cold": _field(sort="petrol", temperature_c=-13.0, heating_c=21.0, warm_up_drive=False),
    "heat, cooling not noted": _field(temperature_c=37.0, heating_c=21.0, forget=frozenset({"climate"})),
    "heat, two days, not noted": _field(temperature_c=35.0, heating_c=21.0, forget=frozenset({"climate"}), **APART),
    "rain not noted": _field(rain_last_day=0.05, forget=frozenset({"rain"}), **APART),
    # testers and stations at the end of what is published
    "scatter of 2 %": _field(scatter=0.02),
    "scatter of 2 %, one pair": _field(scatter=0.02, **ONE_PAIR),
    "windy, two days, station 30 km off": _field(station_km=30.0, wind="windy", **APART),
    "large trailer, 800 m of hills, bare": _field(
        kind="towing", effect_percent="large", relief_m=800.0, climb_m=500.0, **BARE
    ),
    "diesel, 800 m of hills": _field(sort="diesel", relief_m=800.0, climb_m=500.0),
    # several speeds or sectors, each told by all
    "two speeds": _speeds((80.0, 110.0)),
    "two speeds, windy": _speeds((80.0, 110.0), wind="windy"),
    "two speeds, one pair each": _speeds((80.0, 110.0), order="AB", length_km=6.0),
    "two speeds, null": _speeds((80.0, 110.0), **NULL),
    "two sectors, no road given": _speeds((60.0, 95.0), ("lanes", "trunk"), forget=frozenset({"route"})),
    "two sectors, one road given": _speeds((60.0, 95.0), ("lanes", "trunk")),
    "two sectors, roads of their own": _speeds((60.0, 95.0), ("lanes", "trunk"), True),
    "two sectors, roads of their own, windy": _speeds((60.0, 95.0), ("lanes", "trunk"), True, wind="windy"),
    "two sectors, roads logged": _speeds(
        (60.0, 95.0), ("lanes", "trunk"), True, instrument="logger", forget=frozenset({"route"})
    ),
    "two sectors, bare": _speeds((60.0, 95.0), ("lanes", "trunk"), **BARE),
    # one average since the first reset, unrolled into legs
    "running average": _running(0.1),
    "running average, hundredths": _running(0.01),
    "running average, after each run": _running(0.1, 2),
    "running average, long day": _running(0.1, order="ABBABAAB"),
    # out and back, read once over both ways
    "there and back, read once": _read_once(),
    "there and back, read once, windy": _read_once(wind="windy"),
    "there and back, read once, bare": _read_once(**BARE),
    # nothing but noise: no simulator, no change
    **{
        f"noise of {p} %, {order}": _noise(p / 100, order)
        for p in (1, 3, 5, 8, 12)
        for order in ("ABBA", "AABB", "ABBAABBA", "A9B9")
    },
    # days that differ, three of each configuration: no simulator, no change
    **{f"three days of each that differ by {p} %": _days_of_their_own(p / 100) for p in (0, 1, 2.5)},
    # warmed from the wall, on mornings of that air
    **{
        f"warmed at {c} °C, {order}": _mornings(c, order)
        for c, order in ((2, "ABABABAB"), (2, "ABAB"), (-8, "ABABABAB"), (15, "ABABABAB"))
    },
    # everyday
    "everyday, steady season": _weeks(),
    "everyday, in turn": _weeks(order="weekly"),
    "everyday, cooling": _weeks(first_c=17.0, last_c=6.0),
    "everyday, autumn": _weeks(first_c=18.0, last_c=1.0, weeks=10),
    "everyday, autumn, null": _weeks(first_c=18.0, last_c=1.0, weeks=10, **NULL),
    "everyday, rain not noted": _weeks(rain=0.4),
    "everyday, climbing out": _weeks(climb_m=160.0, first_c=14.0, last_c=6.0),
    "everyday, no temperature": _weeks(first_c=16.0, last_c=8.0, forget=frozenset({"temperature"})),
    "everyday, null": _weeks(**NULL),
    "everyday, +30 %": _weeks(kind="towing", effect_percent=30.0, sort="car"),
    "everyday, two weeks": _weeks(weeks=2, first_c=12.0, last_c=8.0),
    "everyday, short trips": _weeks(length_km=6.0),
}
