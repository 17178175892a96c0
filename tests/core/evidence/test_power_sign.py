"""Which way round a log counts power is decided by what driving means, or nothing is decided."""

from dataclasses import replace

import numpy as np
import pytest
from benchmarks.truths.field import FieldDay, field_day

from fairmargin.core.evidence.power_sign import power_sign
from fairmargin.core.study import Trace
from fairmargin.simulation import DayPlan, simulate


def other_way(trace):
    return replace(trace, power_kw=-trace.power_kw)


TOWN = {"town": True, "speed_kmh": 45, "length_km": 6, "method": "laps"}


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize("plan", [{}, TOWN, {"relief_m": 150}])
def test_whoever_drives_is_never_told_the_wrong_way_round(seed, plan):
    for trace in field_day(seed, FieldDay(instrument="logger", **plan)).traces.values():
        assert power_sign(trace) == 1
        assert power_sign(other_way(trace)) <= 0
        if plan is TOWN:
            assert power_sign(other_way(trace)) == -1


@pytest.mark.parametrize("seed", range(2))
def test_heights_and_places_say_who_paid(seed):
    for trace in simulate(seed, DayPlan(samples=True, instrument="logger")).traces.values():
        assert (power_sign(trace), power_sign(other_way(trace))) == (1, -1)


def steady(power=-15.0, **more):
    t = np.arange(720.0)
    return Trace(time_s=t, speed_kmh=np.full(720, 90.0), power_kw=np.full(720, power), **more)


def ramp(a, b):
    return np.linspace(a, b, 720)


@pytest.mark.parametrize(
    "more, sign",
    [
        ({}, 0),  # a long fall, for all anybody knows
        ({"soc_percent": ramp(80, 72)}, -1),
        ({"soc_percent": ramp(72, 80)}, 0),  # it really gained
        ({"soc_percent": ramp(80, 79.5), "elevation_m": ramp(40, 35)}, -1),
        ({"elevation_m": ramp(900, 20)}, 0),
        ({"latitude": 52 + 0.05 * np.sin(ramp(0, np.pi)), "longitude": np.full(720, 0.1)}, -1),  # there and back
        ({"latitude": ramp(52, 52.1), "longitude": np.full(720, 0.1)}, 0),
    ],
)
def test_a_held_speed_is_decided_by_charge_height_or_place(more, sign):
    assert power_sign(steady(**more)) == sign
    assert power_sign(steady(15.0, **more)) == 1


def test_too_little_says_nothing():
    short = Trace(time_s=np.arange(10.0), speed_kmh=np.full(10, 50.0), power_kw=np.full(10, -9.0))
    assert power_sign(short) == 0 and power_sign(replace(short, power_kw=None)) == 0
    stood = Trace(time_s=np.arange(600.0), speed_kmh=np.zeros(600), power_kw=np.full(600, -0.4))
    assert power_sign(stood) == 0
