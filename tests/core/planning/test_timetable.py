"""The day's timetable, daylight, go or wait, checklists."""

import math
from datetime import date, datetime, time, timedelta

import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.kinds import change_kind, change_kinds
from fairmargin.core.planning import plan_day, planned
from fairmargin.core.planning.checklists import checklist
from fairmargin.core.planning.go import go_or_wait
from fairmargin.core.planning.timetable import charge_minutes, daylight
from fairmargin.core.study import RoutePoint, new_study
from fairmargin.core.study.plan import Forecast, Limits, Plan
from fairmargin.core.study.trip import Trip
from fairmargin.core.units import plain

DAY = date(2026, 3, 20)


def table(order="ABBA", study=None, **plan):
    study = study or driven_study("ABBA")
    return plan_day(study.with_(plan=Plan(day=DAY, **plan)), order)


def test_the_day_runs_in_order_without_a_hole():
    steps = table().steps
    assert [s.kind for s in steps[:3]] == ["cold pressures", "travel", "warm-up"]
    assert steps[-1].words == "Home"
    for a, b in zip(steps, steps[1:], strict=False):
        assert a.end == b.start and a.minutes > 0
    assert [s.configuration for s in steps if s.kind == "run"] == ["A", "B", "B", "A"]
    assert sum(s.kind == "swap" for s in steps) == 2
    # There and back: 2 · 18.4 km at 90 km/h and one turn.
    run = next(s for s in steps if s.kind == "run")
    assert run.minutes == pytest.approx(2 * 60 * 18.4 / 90 + 3, abs=0.1)


def test_charge_stays_in_its_band():
    steps = table("ABBAABBA").steps
    levels = [s.charge_percent for s in steps]
    assert min(levels) >= 34.9 and any(s.kind == "charge" for s in steps)
    small = table("AB", driven_study("AB", vehicle=VAN.with_(usable_capacity_kwh=9)))
    assert any("does not fit the charge band" in w for w in small.warnings)
    fuel = table("AB", driven_study("AB", vehicle=VAN.with_(energy="diesel")))
    assert all(s.charge_percent is None for s in fuel.steps)


def test_charging_slows_towards_full():
    # 47.5 of 50 kW arrive, and 50 kWh take 90 kW at the most, up to half full: steady to 79.5 %, where 90 − 144 (x − 0.5) is 47.5.
    trip = Trip()
    assert charge_minutes(40, 75, 50, 50, trip) == pytest.approx(60 * 0.35 * 50 / 47.5)
    # Beyond it power falls by 144 kW from empty to full: 50/144 · ln(47.5 / (47.5 − 144 · 0.1049)) hours and a little before.
    assert charge_minutes(79.51, 90, 50, 50, trip) == pytest.approx(60 * 50 / 144 * math.log(47.5 / 32.4), rel=0.01)
    assert charge_minutes(80, 80, 50, 50, trip) == 0.0
    assert charge_minutes(20, 60, 50, 11, trip) == pytest.approx(60 * 0.4 * 50 / (11 * 0.95))


def test_traffic_windows_are_waited_out():
    steps = table(start=time(6, 30), avoid=((time(7, 15), time(9, 0)),)).steps
    pause = next(s for s in steps if s.kind == "pause")
    assert pause.end.time() == time(9, 0)
    for s in steps:
        if s.kind == "run":
            assert not (s.start < datetime.combine(DAY, time(9)) and s.end > datetime.combine(DAY, time(7, 15)))


def test_dark_is_told():
    assert any("after sunset" in w for w in table(start=time(16, 0)).warnings)
    assert any("begins in the dark" in w for w in table(start=time(4, 0)).warnings)
    assert table(start=time(9, 0), charger_away_min=0).warnings == ()


def test_running_late_moves_what_is_left():
    study = driven_study("ABBA").with_(plan=Plan(day=DAY))
    late = plan_day(study, "ABBA", late_min=40)
    assert late.steps[0].start - plan_day(study, "ABBA").steps[0].start == timedelta(minutes=40)
    now = datetime.combine(DAY, time(11, 15))
    rest = plan_day(study, "ABBA", done_runs=2, now=now)
    assert rest.steps[0].start == now
    assert [s.run for s in rest.steps if s.kind == "run"] == ["R3", "R4"]


def test_daylight_at_the_equinox_and_beyond_the_circle():
    # Astronomy: at the equinox day and night are about equal; refraction and the sun's disc add 8 to 12 minutes at 52° N.
    light = daylight(DAY, 52.6, 0.1, timedelta(0))
    assert (light.sunset - light.sunrise) / timedelta(minutes=1) == pytest.approx(12 * 60 + 10, abs=4)
    assert light.sunrise.time() < time(6, 10) < time(17, 50) < light.sunset.time()
    assert daylight(date(2026, 12, 21), 75.0, 20.0, timedelta(hours=1)).sunrise is None


def test_planned_legs_carry_the_forecast():
    plan = Plan(day=DAY, forecast=Forecast(wind_speed_ms=4, wind_from_deg=240, temperature_c=8, warming_k_per_h=1))
    legs = planned(driven_study("AB").with_(plan=plan), "ABBA").legs
    assert len(legs) == 8
    assert legs[0].wind_speed_ms == 4 and legs[-1].temperature_c > legs[0].temperature_c
    assert [leg.configuration for leg in legs[::2]] == ["A", "B", "B", "A"]


@pytest.mark.parametrize(
    "forecast, answer, word",
    [
        ({"wind_speed_ms": 4, "temperature_c": 12}, "go", "inside"),
        ({"wind_speed_ms": 7, "temperature_c": 12}, "wait", "Wind 7 m/s"),
        ({"wind_speed_ms": 10, "temperature_c": 12}, "no-go", "above your limit"),
        ({"wind_speed_ms": 4, "temperature_c": 12, "rain": True}, "no-go", "10 %"),
        ({"wind_speed_ms": 4, "wind_gust_ms": 12, "temperature_c": 12}, "wait", "Gusts"),
        ({"wind_speed_ms": 4, "temperature_c": -2}, "wait", "colder"),
        ({"wind_speed_ms": 4, "temperature_c": 12, "warming_k_per_h": 1.6}, "wait", "over the day"),
        ({"temperature_c": 12}, "wait", "not known"),
    ],
)
def test_go_or_wait(forecast, answer, word):
    result = go_or_wait(Forecast(**forecast), Limits(), hours=5)
    assert result.answer == answer and word in plain(result.reason)


def test_every_kind_has_its_checklist_and_caution():
    for kind in change_kinds():
        items = checklist(new_study(title="", kind=kind, order="AB"))
        assert len(items) >= 10 and len({i.text for i in items}) == len(items)
        assert change_kind(kind).caution
    assert any("torque" in i.text for i in checklist(new_study(title="", kind="wheels", order="AB")))
    assert any("the driver drives" in i.text for i in checklist(new_study(title="", kind="other", order="AB")))


#: Place, latitude, longitude, offset of the clock on that day, sunrise, sunset. Published sunrise and sunset times of the towns, from
#: memory, to a few minutes; the sun's upper limb at the sea's horizon.
ALMANAC = (
    ("Los Angeles", 34.05, -118.24, -7, date(2026, 6, 21), (5, 42), (20, 8)),
    ("Los Angeles", 34.05, -118.24, -8, date(2026, 12, 21), (6, 55), (16, 48)),
    ("New York", 40.71, -74.01, -4, date(2026, 6, 21), (5, 25), (20, 31)),
    ("New York", 40.71, -74.01, -5, date(2026, 12, 21), (7, 17), (16, 32)),
    ("Sydney", -33.87, 151.21, 10, date(2026, 6, 21), (7, 0), (16, 54)),
    ("Sydney", -33.87, 151.21, 11, date(2026, 12, 21), (5, 41), (20, 5)),
    ("Auckland", -36.85, 174.76, 12, date(2026, 6, 21), (7, 33), (17, 11)),
    ("Honolulu", 21.31, -157.86, -10, date(2026, 6, 21), (5, 50), (19, 16)),
    ("Tokyo", 35.68, 139.69, 9, date(2026, 6, 21), (4, 25), (19, 0)),
    ("London", 51.51, -0.13, 1, date(2026, 6, 21), (4, 43), (21, 21)),
    ("London", 51.51, -0.13, 0, date(2026, 12, 21), (8, 4), (15, 53)),
    ("Nairobi", -1.29, 36.82, 3, date(2026, 3, 20), (6, 36), (18, 42)),
)


@pytest.mark.parametrize(("place", "latitude", "longitude", "offset", "day", "rises", "sets"), ALMANAC)
def test_the_sun_rises_and_sets_on_the_day_that_the_place_has(place, latitude, longitude, offset, day, rises, sets):
    light = daylight(day, latitude, longitude, timedelta(hours=offset))
    for found, told in ((light.sunrise, rises), (light.sunset, sets)):
        assert found.date() == day, place
        assert abs(found - datetime.combine(day, time(*told))) < timedelta(minutes=6), (place, found)


def test_polar_day_and_night_and_a_sunset_after_midnight():
    # Tromso, 69.65 N: no sunset from May to July, no sunrise in December (published, from memory).
    summer, winter = (daylight(date(2026, m, 21), 69.65, 18.96, timedelta(hours=h)) for m, h in ((6, 2), (12, 1)))
    noon = datetime(2026, 6, 21, 12), datetime(2026, 6, 21, 13)
    assert summer.never_dark and summer.holds(*noon)
    assert winter.sunrise is None and not winter.never_dark and not winter.holds(*noon)
    # Oulu, 65.0 N, in June: the sun sets after midnight, on the day it rose.
    light = daylight(date(2026, 6, 12), 65.01, 25.47, timedelta(hours=3))
    assert light.sunrise.date() == date(2026, 6, 12) and light.sunset > datetime(2026, 6, 12, 23, 0)


def test_a_day_that_ends_at_noon_is_not_dark_anywhere():
    for latitude, longitude, offset in ((34.05, -118.24, -7), (-33.87, 151.21, 10), (40.71, -74.01, -4)):
        points = (
            RoutePoint(distance_m=0, latitude=latitude, longitude=longitude),
            RoutePoint(distance_m=9000, latitude=latitude + 0.08, longitude=longitude),
        )
        study = driven_study("AB").with_(plan=Plan(day=date(2026, 6, 21), start=time(8, 0)), route=points)
        table = plan_day(study, "AB", utc_offset=timedelta(hours=offset))
        assert table.end.hour < 15 and not [w for w in table.warnings if "sunset" in w or "sunrise" in w]


@pytest.mark.parametrize(
    ("forecast", "words"),
    [
        (Forecast(wind_speed_ms=6.04, temperature_c=12), "wind 6.04 m/s, above your limit of 6.00 m/s"),
        (Forecast(wind_speed_ms=6.4, temperature_c=12), "wind 6.4 m/s, above your limit of 6.0 m/s"),
        (Forecast(wind_speed_ms=8.0, temperature_c=12), "wind 8 m/s, above your limit of 6 m/s"),
        (Forecast(wind_speed_ms=2.0, temperature_c=-0.3), "\u22120.3 \u00b0C, colder than your limit of 0.0 \u00b0C"),
    ],
)
def test_a_limit_and_what_passes_it_are_never_written_alike(forecast, words):
    assert words in [plain(c.words) for c in go_or_wait(forecast, Limits(), 4.0).conditions]
