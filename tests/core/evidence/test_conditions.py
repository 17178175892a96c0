"""Conditions of the legs: weather between reports, days, warm-up, speeds; and what the instruments say."""

import math
from datetime import UTC, datetime, timedelta, timezone

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.evidence.conditions import (
    HELD_SD,
    LAPS_STAND,
    LAPS_STAND_SD,
    NOTED_SD,
    ODOMETER_SD,
    PAUSE_S,
    SWAP_S,
    leg_conditions,
)
from fairmargin.core.evidence.station_weather import weather_at
from fairmargin.core.evidence.thinning import thin
from fairmargin.core.study import Event, Trace, WeatherRow

START = datetime(2026, 5, 2, 9, 0)


def row(hours, **values):
    return WeatherRow(time=START + timedelta(hours=hours), **values)


def test_weather_is_interpolated_between_reports():
    rows = (
        row(0, temperature_c=10, wind_speed_ms=2, wind_from_deg=350),
        row(2, temperature_c=14, wind_speed_ms=4, wind_from_deg=10),
    )
    second = (START + timedelta(hours=1) - datetime(1970, 1, 1)).total_seconds()
    found = weather_at(rows, second, timedelta())
    assert found["temperature_c"] == pytest.approx(12)
    # between 350° and 10° lies north, not south; the speed is the mean of the speeds
    assert math.hypot(found["from_north"], found["from_east"]) == pytest.approx(3.0)
    assert math.degrees(math.atan2(found["from_east"], found["from_north"])) == pytest.approx(3.4, abs=0.5)
    assert weather_at((), second, timedelta()) == {}


def test_offsets_from_utc_are_honoured_when_all_have_one():
    study = driven_study("ABBA")
    zone = timezone(timedelta(hours=2))
    study = study.with_legs(
        leg.with_(started_at=leg.started_at.replace(tzinfo=zone), temperature_c=None) for leg in study.legs
    )
    first = study.legs[0].started_at + timedelta(seconds=368)
    rows = tuple(WeatherRow(time=(first + timedelta(hours=h)).astimezone(UTC), temperature_c=10 + h) for h in (0, 8))
    conditions = leg_conditions(study.with_(weather=rows), {})
    assert conditions["L01"].temperature_c == pytest.approx(10.0, abs=0.01)


def test_unknown_weather_is_flagged_and_filled():
    study = driven_study("ABBA")
    bare = study.with_legs(
        leg.with_(temperature_c=None, pressure_hpa=None, wind_speed_ms=None, wind_from_deg=None) for leg in study.legs
    )
    c = leg_conditions(bare, {})["L01"]
    assert not (c.temperature_known or c.pressure_known or c.wind_known)
    assert c.temperature_c == study.reference.temperature_c
    calm = leg_conditions(study.with_leg("L01", wind_speed_ms=0, wind_from_deg=None), {})["L01"]
    assert calm.wind_known  # calm air needs no direction


def test_days_and_warm_up():
    study = driven_study("AABB")
    later = study.with_legs(
        leg.with_(started_at=leg.started_at + timedelta(days=3 if leg.configuration == "B" else 0))
        for leg in study.legs
    )
    c = leg_conditions(later, {})
    assert [c[leg.leg].day for leg in later.legs] == [0, 0, 0, 0, 1, 1, 1, 1]
    shares = [c[leg.leg].cold_if for leg in later.legs]
    # mean of exp(−t/700) over the first 736 s, by hand; each day starts cold again
    assert shares[0] == pytest.approx(700 / 736 * (1 - math.exp(-736 / 700)), rel=1e-6)
    assert shares[1] < 0.6 * shares[0] and shares[4] == pytest.approx(shares[0])


def test_a_warm_up_leg_that_is_left_out_still_warms_the_tyres():
    study = driven_study("ABBA")
    warm_up = study.legs[0].with_(
        leg="W",
        run="W",
        included=False,
        reason="warm-up",
        started_at=study.legs[0].started_at - timedelta(minutes=25),
        duration_s=1300,
    )
    warmed = study.with_legs((warm_up, *study.legs))
    before = leg_conditions(study, {})["L01"].cold_if
    assert leg_conditions(warmed, {})["L01"].cold_if < 0.35 * before


def test_a_time_read_to_the_minute_is_weighed_with_the_mean_of_all():
    """Common practice: who holds a speed is steadier than minutes are fine; the mean of all legs is the level."""
    study = driven_study("ABBA")
    seconds = [720, 780, 720, 720, 720, 720, 720, 780]  # 92.0 and 84.9 km/h by the clock
    minutes = study.with_legs(leg.with_(duration_s=s) for leg, s in zip(study.legs, seconds, strict=True))
    found = leg_conditions(minutes, {})
    mean = 8 * 18.4 / (sum(seconds) / 3600)
    for name, s in (("L01", 720), ("L02", 780)):
        c, minute = found[name], 60 / math.sqrt(12) / s
        w_timed, w_held = minute**-2, HELD_SD**-2
        by_hand = (w_timed * 18.4 / (s / 3600) + w_held * mean) / (w_timed + w_held)
        assert c.speed_m_s * 3.6 == pytest.approx(by_hand, rel=1e-6)
        assert c.speed_alike_sd == ODOMETER_SD  # nobody measured the distance
    assert found["L01"].speed_sd == pytest.approx(0.0100, abs=0.0005)
    exact = leg_conditions(study, {})["L01"]
    assert exact.speed_m_s * 3.6 == pytest.approx(90) and exact.speed_sd < 0.002


def test_neither_stops_nor_their_ramps_count_as_driving():
    # By hand: braking from 25 m/s and pulling away at 1 m/s² takes 50 s for 625 m, 25 s more than at speed.
    study = driven_study("ABBA").with_leg("L01", duration_s=736 + 100 + 25, stopped_s=100)
    assert leg_conditions(study, {})["L01"].speed_m_s * 3.6 == pytest.approx(90)
    brief = driven_study("ABBA").with_leg("L01", duration_s=740, stopped_s=4)  # no full stop
    assert leg_conditions(brief, {})["L01"].speed_m_s * 3.6 == pytest.approx(90)
    # A stop that was noted says the same, with its standing time; two take twice the ramps.
    event = Event(leg="L01", kind="stop", at_km=5.0, duration_s=50)
    noted = driven_study("ABBA").with_leg("L01", duration_s=736 + 100 + 50).with_(events=(event, event))
    assert leg_conditions(noted, {})["L01"].speed_m_s * 3.6 == pytest.approx(90)


def test_gaps_in_a_log_are_bridged_and_counted():
    t = np.concatenate([np.arange(0.0, 100.0), np.arange(160.0, 260.0)])
    trace = Trace(time_s=t, speed_kmh=np.full(t.size, 90.0), power_kw=np.full(t.size, 18.0))
    log = thin(trace)
    assert log.energy_wh[-1] == pytest.approx(18_000 * 259 / 3600)
    assert log.gap_s[-1] == pytest.approx(61)
    assert thin(Trace(time_s=t, speed_kmh=t)).energy_wh is None


def test_gusts_make_the_wind_more_turbulent():
    """A third of what gusts exceed the mean by, at least 18 % of the mean or 0.3 m/s (common practice)."""
    study = driven_study("AB").with_leg("L01", wind_speed_ms=3.0, wind_gust_ms=12.0, wind_from_deg=90)
    study = study.with_leg("L02", wind_speed_ms=3.0, wind_gust_ms=3.5, wind_from_deg=90)
    study = study.with_leg("L03", wind_speed_ms=None, wind_from_deg=None)
    rows = (
        row(0, wind_speed_ms=4, wind_from_deg=0, wind_gust_ms=10),
        row(4, wind_speed_ms=4, wind_from_deg=0, wind_gust_ms=10),
    )
    found = leg_conditions(study.with_(weather=rows), {})
    assert found["L01"].turbulence_m_s == pytest.approx(3.0)
    assert found["L02"].turbulence_m_s == pytest.approx(0.54)
    assert found["L03"].turbulence_m_s == pytest.approx(2.0)  # the station's gusts count as well
    assert found["L04"].turbulence_m_s == pytest.approx(10 / 3)  # calm by its note, gusts by the station


def test_tyres_cool_in_a_pause_and_warm_while_driving():
    """Hand value: 736 s at a time constant of 700 s leave exp(-736/700) of the cold; an hour's pause brings 1 - 1/e of the rest back."""
    study = driven_study("AB")
    study = study.with_legs(study.legs[:2])
    first = study.leg("L01")
    later = first.started_at + timedelta(seconds=736 + 3600)
    study = study.with_leg("L02", started_at=later)
    found = leg_conditions(study, {})
    kept = math.exp(-736 / 700)
    mean = (1 - kept) * 700 / 736
    assert found["L01"].cold_if == pytest.approx(mean)
    cold = 1 - (1 - kept) * math.exp(-1)
    assert found["L02"].cold_if == pytest.approx(cold * mean)
    straight_on = study.with_leg("L02", started_at=first.started_at + timedelta(seconds=736))
    assert leg_conditions(straight_on, {})["L02"].cold_if == pytest.approx(kept * mean)


def test_a_leg_without_a_time_is_placed_between_its_neighbours():
    study = driven_study("ABBA")
    before = leg_conditions(study, {})
    found = leg_conditions(study.with_leg("L03", started_at=None), {})
    assert found["L03"].placed_s == pytest.approx(before["L02"].placed_s + 736 + SWAP_S, abs=1)
    back = leg_conditions(study.with_leg("L04", started_at=None), {})["L04"]  # of the same run: nothing is changed
    assert back.placed_s == pytest.approx(before["L03"].placed_s + 736 + PAUSE_S, abs=1)
    first = leg_conditions(study.with_legs(leg.with_(started_at=None) for leg in study.legs[:2]), {})
    assert first["L02"].placed_s - first["L01"].placed_s == pytest.approx(736 + PAUSE_S, abs=1)
    assert found["L03"].day_told and found["L03"].started_s is None
    # Of its tyres nobody knows whether they cooled: they count as driven on, which sets the runs apart most.
    assert found["L03"].cold_if == pytest.approx(before["L03"].cold_if, abs=0.02)


def test_a_hold_up_leaves_open_how_the_leg_was_driven_and_a_note_says_most_of_it():
    study = driven_study("ABBA").with_leg("L03", duration_s=800)  # 82.8 where the others drove 90
    bare = leg_conditions(study, {})["L03"]
    # By hand: 8 % slower, nobody drives all the way by accident (a tenth); of the rest 0.655 stood, and count 300 m of 18.4 km
    # faster than the others; the others count half of it.
    assert bare.speed_off == pytest.approx(0.589 * (0.08 + 0.0163) + 0.311 * 0.04, rel=0.02)
    assert [e.what for e in bare.slower_by] == ["stood", "a slow stretch", "slower all the way"]
    assert bare.speed_sd == pytest.approx(0.0386, rel=0.05)
    # All of its configuration: one reason for all of them, which does not average out.
    trial = study.with_legs(leg.with_(duration_s=800) if leg.configuration == "B" else leg for leg in study.legs)
    whole = leg_conditions(trial, {})["L03"]
    assert whole.slower_by[2].share == pytest.approx(0.25) and whole.slower_alike == pytest.approx(0.08)
    assert whole.speed_off == 0.0 and whole.speed_sd < 0.002
    event = Event(leg="L03", kind="slow-traffic", at_km=5.0, speed_kmh=60, duration_s=190)
    noted = leg_conditions(study.with_(events=(event,)), {})["L03"]
    assert noted.speed_sd == pytest.approx(NOTED_SD * 0.08, rel=0.1) and noted.speed_off == 0.0
    assert leg_conditions(study, {})["L02"].speed_sd < 0.002


def test_where_half_of_the_legs_were_held_up_the_others_say_how_fast_it_goes():
    study = driven_study("ABBAABBA")
    for name in ("L01", "L05", "L07", "L11"):  # of the eight ways out, half
        study = study.with_leg(name, duration_s=800)
    found = leg_conditions(study, {})
    assert found["L01"].speed_off == pytest.approx(0.069, rel=0.05)
    assert found["L03"].speed_off == 0.0 and found["L03"].speed_sd < 0.002


def test_laps_that_noted_no_standing_stood_an_eighth_or_so():
    study = driven_study("AB", method="laps")
    c = leg_conditions(study, {})["L01"]
    assert c.stopped_s == pytest.approx(LAPS_STAND * 736) and c.speed_alike_sd >= LAPS_STAND_SD
    told = leg_conditions(study.with_legs(leg.with_(stopped_s=0) for leg in study.legs), {})["L01"]
    assert told.stopped_s == 0 and told.speed_alike_sd < 0.02
