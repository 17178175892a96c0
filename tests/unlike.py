"""Studies by hand in which one thing is not fair at a time, on a road that runs north-east over a hill.

Each is named after the concern that it must raise; the regression set and the tests of the concerns share them.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from functools import cache

import numpy as np

from fairmargin.core.study import Event, RoutePoint, Study, Trace, new_study
from fairmargin.core.study.registration import seal_of
from fairmargin.simulation.coasting import CoastPlan, simulate_coasts
from fairmargin.simulation.vehicle import TrueVehicle
from tests.conftest import VAN

Made = tuple[Study, dict[str, Trace]]
KM = 18.4
#: Headings: 50° clockwise from north, so that no component of wind or road is zero.
NORTH, EAST = float(np.cos(np.radians(50.0))), float(np.sin(np.radians(50.0)))


def oblique_route() -> tuple[RoutePoint, ...]:
    """A straight road of 18.4 km at 50° over a hill of 40 m, ending 12 m higher."""
    return tuple(
        RoutePoint(
            distance_m=float(d),
            latitude=52.0 + d * NORTH / 111_250.0,
            longitude=0.1 + d * EAST / 68_600.0,
            elevation_m=10.0 + 12.0 * d / 18_400.0 + 40.0 * float(np.sin(np.pi * d / 18_400.0)) ** 2,
        )
        for d in range(0, 18_401, 200)
    )


def calm(order: str = "ABBA", effect: float = 0.95, **fields) -> Study:
    """A day with a light oblique wind in which everything was noted and nothing is unlike."""
    kind = fields.pop("kind", "aero covers")
    method = fields.pop("method", "out-and-back")
    study = new_study(title="One thing", kind=kind, order=order, method=method, speed_kmh=90, vehicle=VAN)
    study = study.with_(**{"route": oblique_route(), **fields})
    start = datetime(2026, 5, 2, 9, 0)
    for i, leg in enumerate(study.legs):
        uphill = 1.02 if leg.direction == "out" else 0.98
        ripple = 1.0 + 0.004 * np.cos(2.1 * i)  # legs are not exactly alike
        study = study.with_leg(
            leg.leg,
            average_shown=round(float(170.0 * uphill * ripple * (effect if leg.configuration == "B" else 1.0)), 1),
            average_unit="Wh/km",
            average_step=0.1,
            distance_km=KM,
            duration_s=736.0,
            started_at=start + timedelta(minutes=90 + 18 * i),
            temperature_c=15.0,
            pressure_hpa=1013.25,
            humidity_percent=60.0,
            wind_speed_ms=2.0,
            wind_from_deg=110.0,
            climate="off",
            road="dry",
            tyre_pressure_kpa=280.0,
            battery_temperature_c=22.0,
            mass_delta_kg=0.0,
        )
    return study


def on_trial(study: Study, **fields) -> Study:
    """The same with some fields of every trial leg exchanged."""
    return study.with_legs(leg.with_(**fields) if leg.configuration == "B" else leg for leg in study.legs)


def on_legs(study: Study, change: Callable[..., dict]) -> Study:
    """The same with each leg changed by what `change(index, leg)` gives."""
    return study.with_legs(leg.with_(**change(i, leg)) for i, leg in enumerate(study.legs))


def with_event(study: Study, leg: str, kind: str, **fields) -> Study:
    """The same with something noted on a leg."""
    return study.with_(events=(*study.events, Event(leg=leg, kind=kind, **fields)))


def _logged(study: Study, hole: bool) -> Made:
    rng = np.random.default_rng(5)
    traces = {}
    for i, leg in enumerate(study.legs):
        n = 736
        t = np.arange(0.0, n + 1.0)
        speed = 90.0 + 1.5 * np.sin(t / 17.0 + i)
        power = 15.3 * (0.95 if leg.configuration == "B" else 1.0) * (1 + 0.02 * rng.normal(size=t.size))
        keep = np.ones(t.size, dtype=bool)
        if hole and i in (2, 3):
            keep[300:345] = False
        traces[leg.leg] = Trace(time_s=t[keep], speed_kmh=speed[keep], power_kw=power[keep])
    return study, traces


@cache
def unlike() -> dict[str, Made]:
    """Every study, by the code of the concern it is made for."""
    made: dict[str, Study] = {}
    base = calm()
    made["none"] = base
    made["direction-confounded"] = base.with_legs(
        leg for leg in base.legs if (leg.direction == "out") == (leg.configuration == "A")
    )
    beside = calm("AABB", method="side-by-side")
    made["vehicle-confounded"] = on_legs(
        beside, lambda i, leg: {"vehicle": "control" if leg.configuration == "A" else "test"}
    )
    both = [
        leg.with_(
            leg=f"{'T' if vehicle == 'test' else 'C'}{leg.leg[1:]}",
            run=f"{leg.run}{vehicle[0]}",
            vehicle=vehicle,
            configuration=leg.configuration if vehicle == "test" else "A",
            average_shown=leg.average_shown if vehicle == "test" else 181.0,
        )
        for leg in calm("ABBA", method="side-by-side").legs
        for vehicle in ("test", "control")
    ]
    made["control-ratios"] = beside.with_legs(both)
    made["days-apart"] = on_legs(
        base, lambda i, leg: {"started_at": leg.started_at + timedelta(days=21 if leg.configuration == "B" else 0)}
    )
    made["reading-doubtful"] = base.with_leg("L03", average_shown=1646.0)
    made["reading-unconfirmed"] = on_trial(calm("AB", method="loop"), average_shown=140.0)
    made["model-contradicted"] = on_legs(
        base,
        lambda i, leg: {
            "wind_speed_ms": 9.0,
            "wind_from_deg": 50.0,
            "average_shown": round((135.0, 230.0)[i % 2] * (0.95 if leg.configuration == "B" else 1.0), 1),
        },
    )
    made["order-drift"] = on_legs(
        calm("AABB"), lambda i, leg: {"average_shown": round(leg.average_shown * (1 + 0.003 * i), 1)}
    )
    made["one-pair-only"] = calm("AB")
    made["outside-tested-speed"] = base.with_(target_speed_kmh=110.0)
    made["weather-unlike"] = on_trial(base, temperature_c=8.0, wind_speed_ms=4.5)
    made["colder"] = on_trial(base, temperature_c=8.0)
    made["wind-unknown"] = on_legs(base, lambda i, leg: {"wind_speed_ms": None, "wind_from_deg": None})
    made["road-unknown"] = base.with_(route=())
    made["wind-strong"] = on_legs(base, lambda i, leg: {"wind_speed_ms": 9.0})
    made["gusts"] = on_trial(base, wind_gust_ms=11.0)
    made["wet-road"] = on_legs(base, lambda i, leg: {"road": "wet" if i in (2, 3) else "dry"})
    made["wet-alike"] = on_legs(base, lambda i, leg: {"road": "damp"})
    made["snow"] = on_legs(base, lambda i, leg: {"road": "snow" if i in (2, 3, 5) else "damp"})
    made["speed-unlike"] = on_trial(base, duration_s=700.0)
    made["slower-leg"] = base.with_leg("L03", duration_s=800.0)
    made["distance-unlike"] = base.with_leg("L03", distance_km=19.4)
    made["cold-tyres"] = calm("ABAB")
    made["slow-traffic"] = with_event(
        base.with_leg("L03", duration_s=800.0), "L03", "slow-traffic", at_km=6.0, duration_s=180.0, speed_kmh=60.0
    )
    for kind in ("following-closely", "reset-doubtful", "lift-off", "rain", "wrong-turn"):
        made[kind] = with_event(base, "L04", kind, duration_s=300.0)
    made["rain-all"] = with_event(with_event(calm("AB"), "L03", "rain"), "L04", "rain")
    made["following-all"] = with_event(with_event(calm("AB"), "L03", "following-closely"), "L04", "following-closely")
    made["stopped-with-car-on"] = with_event(
        with_event(base.with_leg("L03", stopped_s=95.0, duration_s=850.0), "L03", "stop", duration_s=50.0),
        "L03",
        "stop",
        duration_s=45.0,
    )
    made["stopped-unnoted"] = on_trial(base, stopped_s=70.0, duration_s=816.0)
    made["display-too-coarse"] = on_legs(
        base, lambda i, leg: {"average_shown": round(leg.average_shown / 10, 0) * 10, "average_step": 10.0}
    )
    made["gauge-too-coarse"] = on_legs(
        base,
        lambda i, leg: {
            "average_shown": None, "average_unit": None, "average_step": None,
            "soc_start_percent": 80.0, "soc_end_percent": 80.0 - round(leg.average_shown * KM / 520.0),
        },
    )  # fmt: skip
    made["charge-back"] = on_legs(
        base,
        lambda i, leg: {
            "average_shown": None, "average_unit": None, "average_step": None,
            "charger_kwh": round(leg.average_shown * KM / 900.0, 2),
        },
    )  # fmt: skip
    made["trip-energy"] = on_legs(
        base,
        lambda i, leg: {
            "average_shown": None, "average_unit": None, "average_step": None,
            "energy_kwh": round(leg.average_shown * KM / 1000.0, 1), "energy_step_kwh": 0.1,
        },
    )  # fmt: skip
    made["instruments-disagree"] = base.with_leg("L03", charger_kwh=5.2)
    made["rolling-circumference-changed"] = calm(kind="tyres")
    made["grid-energy-left-out"] = calm(kind="preconditioning")
    pre = calm(kind="preconditioning")
    made["grid-energy"] = on_trial(pre, grid_kwh=0.8).with_leg("L01", grid_kwh=0.0)
    made["tyre-pressure-unlike"] = on_trial(base, tyre_pressure_kpa=240.0)
    made["climate-unlike"] = on_legs(
        base, lambda i, leg: {"climate": "off" if leg.configuration == "A" else "21", "temperature_c": 5.0}
    )
    made["battery-temperature-unlike"] = on_trial(base, battery_temperature_c=8.0)
    made["charge-window-unlike"] = on_legs(
        base,
        lambda i, leg: {
            "soc_start_percent": 95.0 if leg.configuration == "A" else 50.0,
            "soc_end_percent": 89.0 if leg.configuration == "A" else 44.0,
        },
    )
    made["mass-unlike"] = on_trial(base, mass_delta_kg=75.0)
    a, b = base.configurations
    made["second-change"] = base.with_(configurations=(a, b.with_(mass_delta_kg=90.0)))
    made["second-wheels"] = base.with_(configurations=(a, b.with_(circumference_change_percent=1.5)))
    made["driver-or-mode-changed"] = on_legs(
        base, lambda i, leg: {"driver": "Bram" if leg.configuration == "A" else "Ines", "mode": "eco"}
    )
    made["driver-mixed"] = on_legs(base, lambda i, leg: {"mode": "eco" if i % 3 else "sport"})
    load = calm(kind="payload", effect=1.06)
    la, lb = load.configurations
    made["extra-frontal-area"] = load.with_(
        configurations=(la, lb.with_(mass_delta_kg=200.0, frontal_area_delta_m2=0.3))
    )
    made["load-beyond-mass"] = load.with_(configurations=(la, lb.with_(mass_delta_kg=60.0)))
    made["sun-load"] = on_legs(
        base,
        lambda i, leg: {
            "climate": "21", "temperature_c": 27.0,
            "started_at": leg.started_at.replace(hour=19 if leg.configuration == "A" else 12),
        },
    )  # fmt: skip
    made["sun-cold"] = on_legs(
        base,
        lambda i, leg: {
            "climate": "21", "temperature_c": 3.0,
            "started_at": leg.started_at.replace(hour=19 if leg.configuration == "A" else 12),
        },
    )  # fmt: skip
    made["one-leg-decides"] = base.with_leg("L03", average_shown=184.0)
    made["scatter-large"] = on_legs(
        calm("ABBAABBA"), lambda i, leg: {"average_shown": round(leg.average_shown * (1 + 0.06 * np.sin(5.3 * i)), 1)}
    )
    made["left-out-after-result"] = base.with_leg("L03", included=False, reason="Held up", left_out_after_result=True)
    seal = seal_of(base, datetime(2026, 5, 2, 7), 2)
    made["sealed-changed"] = base.with_(registration=seal, smallest_effect_percent=9.0)
    made["seal-broken"] = base.with_(registration=seal.with_(pairs=3))
    made["said-afterwards"] = base.with_(smallest_effect_percent=2.0, said_afterwards=("smallest effect that matters",))
    made["instruments-apart"] = on_legs(
        base,
        lambda i, leg: {
            "energy_kwh": round(leg.average_shown * KM / 1000 * (0.97 if leg.configuration == "B" else 1.0), 3),
            "energy_step_kwh": 0.001,
        },
    )
    made["change-varies"] = on_legs(
        calm("ABBAABBA"),
        lambda i, leg: {
            "average_shown": round(
                leg.average_shown * (1 + (leg.configuration == "B") * (-0.04 if leg.direction == "back" else 0.04)), 1
            )
        },
    )
    made["technique"] = calm(kind="technique").with_leg("L03", duration_s=760.0)
    for name, change in (
        ("everyday", {}),
        ("everyday-apart", {"temperature_c": 2.0, "duration_s": 620.0, "distance_km": 12.0}),
        ("everyday-wet", {"road": "wet"}),
        ("everyday-snow", {"road": "snow"}),
    ):
        log = calm("ABABAB", method="everyday", route=())
        log = on_legs(
            log,
            lambda i, leg: {
                "started_at": datetime(2026, 3, 1, 8) + timedelta(days=i), "direction": "",
                "temperature_c": 6.0 + 0.7 * i, "distance_km": KM + 0.4 * (i % 3), "duration_s": 736.0 + 9 * i,
            },
        )  # fmt: skip
        made[name] = on_trial(log, **change) if change else log
    first, second = made["everyday"].legs[0], made["everyday"].legs[1]
    made["few-trips"] = made["everyday"].with_legs((first, *made["everyday"].legs[2:4]))
    made["one-trip"] = made["everyday"].with_legs((first, second))
    both: dict[str, Made] = {name: (study, {}) for name, study in made.items()}
    both["logged"] = _logged(base, hole=False)
    both["log-gaps"] = _logged(base, hole=True)
    for name, plan in (
        ("coasted", CoastPlan()),
        ("coast-one-way", CoastPlan(both_ways=False)),
        ("coast-precision", CoastPlan(scatter=0.03)),
    ):
        coasted = simulate_coasts(1, plan, TrueVehicle(), VAN)
        both[name] = (coasted.study, dict(coasted.traces))
    blown = on_legs(both["coasted"][0], lambda i, leg: {"wind_speed_ms": 7.0, "wind_from_deg": 90.0})
    both["coast-wind"] = (blown, both["coasted"][1])
    return both
