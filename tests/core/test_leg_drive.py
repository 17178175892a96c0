"""A leg under way, by hand: seconds and values handed in, no clock, no instrument, no screen."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.companion import RoadPlaces, SpeedWatch
from fairmargin.core.leg_drive import LegDrive

STUDY = driven_study("AB").with_legs(
    leg.with_(average_shown=None, average_unit=None, average_step=None, distance_km=None, duration_s=None)
    for leg in driven_study("AB").legs
)


def begun(at=100.0, soc=80.0):
    drive = LegDrive("L01", False, SpeedWatch(90.0))
    assert not drive.reset(at, soc)
    return drive


def held(drive, kmh, start, end, step=1.0):
    found = None
    at = start
    while at <= end:
        found = drive.advance(at, kmh) or found
        at += step
    return found


def test_distance_is_speed_over_time():
    # By hand: 100 s at 90 km/h are 2.5 km.
    drive = begun()
    held(drive, 90.0, 100.0, 200.0)
    assert drive.driven_km == pytest.approx(2.5) and drive.by_instrument
    assert drive.distance_km(STUDY, 200.0) == pytest.approx(2.5)


def test_without_instruments_the_clock_counts_at_the_speed_aimed_for():
    drive = begun()
    assert drive.distance_km(STUDY, 136.0) == pytest.approx(0.9)  # 36 s at 90 km/h
    assert drive.since_reset_s(136.0) == 36.0


def test_a_second_reset_begins_the_leg_anew():
    drive = begun()
    held(drive, 90.0, 100.0, 200.0)
    drive.open_marks["rain"] = 150.0
    assert drive.reset(200.0, 79.0)
    assert drive.driven_km == 0.0 and not drive.open_marks and drive.soc_at_reset == 79.0
    assert drive.advance(190.0, 90.0) is None and drive.driven_km == 0.0  # a sample from before


def test_a_trip_meter_that_shows_more_than_was_driven_was_not_reset():
    drive = begun()
    held(drive, 90.0, 100.0, 140.0)  # 1 km
    assert drive.trip_on_the_bus(103.0, 12.4, 0.0) is None  # it may still show the old trip
    assert drive.trip_on_the_bus(141.0, 12.4, 0.0) is False
    assert drive.trip_on_the_bus(141.0, 1.0, 0.0) is True
    assert not drive.look_at_trip_meter(12.4) and drive.reset_state == "failed"
    assert drive.look_at_trip_meter(None) and drive.reset_state == "took"


def test_a_slow_stretch_is_noticed_when_it_ends_and_told_once():
    drive = begun()
    held(drive, 90.0, 100.0, 160.0)
    held(drive, 60.0, 161.0, 200.0)
    found = held(drive, 90.0, 201.0, 202.0)
    assert found is not None and found[0] == "slow-traffic" and found[3] == pytest.approx(60.0)
    assert drive.is_news((), found)
    noted = drive.event("slow-traffic", found[1], found[2], found[3])
    assert not drive.is_news((noted,), found)  # somebody's key was there first
    assert noted.at_s == 61 and noted.duration_s == 40 and noted.speed_kmh == 60.0


def test_an_event_that_lasts_gets_its_end():
    drive = begun()
    held(drive, 90.0, 100.0, 140.0)
    rain = drive.event("rain", 140.0, None, None)
    assert rain.at_km == 1.0 and rain.duration_s is None
    (ended,) = drive.ended((rain,), "rain", 140.0, 75.0, None)
    assert ended.duration_s == 75


def test_the_next_gate_is_the_start_line_and_then_the_read_off():
    places = RoadPlaces(None, 10.0, 1.0, 9.0)
    drive = LegDrive("L01", False, SpeedWatch(90.0))
    assert drive.to_gate_km(places, 0.4, None) == pytest.approx(0.6)
    drive.reset(100.0, None)
    assert drive.to_gate_km(places, 5.0, None) == pytest.approx(4.0)
    assert drive.to_gate_km(places, None, 3.0) == pytest.approx(5.0)  # 8 km between the gates


def test_the_read_off_takes_what_instruments_say_and_leaves_what_was_typed():
    drive = begun()
    held(drive, 90.0, 100.0, 836.0)
    drive.look_at_trip_meter(None)
    said = {"trip_km": 18.42, "trip_average_kwh_per_100km": 15.432, "soc_percent": 75.5}
    changes = drive.read_off(STUDY, 836.0, said.get, by_gps=True)
    assert changes["duration_s"] == 736.0 and changes["gps_distance_km"] == pytest.approx(18.4, abs=0.01)
    assert changes["distance_km"] == 18.42 and changes["average_shown"] == 15.432
    assert (changes["soc_start_percent"], changes["soc_end_percent"]) == (80.0, 75.5)
    typed = STUDY.with_leg("L01", average_shown=15.0, average_unit="kWh/100km")
    assert "average_shown" not in drive.read_off(typed, 836.0, said.get, by_gps=True)


def test_standing_is_taken_from_the_stops_that_were_noted():
    drive = begun()
    stop = drive.event("stop", 300.0, 40.0, 0.0)
    changes = drive.read_off(STUDY.with_(events=(stop,)), 836.0, lambda _name: None, by_gps=False)
    assert changes["stopped_s"] == 40.0 and "gps_distance_km" not in changes


def fed(*samples):
    drive = LegDrive("L01", False, SpeedWatch(90.0))
    drive.reset(0.0, None)
    for at, speed in samples:
        drive.advance(at, speed)
    return drive


def steady(begin, end, speed=90.0):
    return [(float(t), speed) for t in range(begin, end)]


@pytest.mark.parametrize(
    ("samples", "sure"),
    [
        (steady(0, 300), True),
        ([*steady(0, 100), *steady(160, 300)], True),  # a minute without a speed, at the same speed before and after
        ([*steady(0, 100), *steady(160, 300, 0.0)], False),  # it stands when it is heard again: since when?
        (steady(0, 280), False),  # nothing heard for the last twenty seconds: half a kilometre
        (steady(0, 297), True),
    ],
)
def test_a_distance_over_a_gap_is_taken_as_read_only_where_speeds_agree(samples, sure):
    """60 s between 90 and 0 km/h are 0 to 1.5 km; 20 s unheard at 90 are 0.5 km of 7: neither is a reading."""
    drive = fed(*samples)
    assert drive.distance_is_sure(300.0) == sure
    assert ("gps_distance_km" in drive.read_off(STUDY, 300.0, lambda _: None, True)) == sure
    # The reset pressed again begins the count anew.
    drive.reset(301.0, None)
    assert drive.unsure_km == 0.0


@pytest.mark.parametrize(
    ("trip_km", "doubted"),
    [(7.5, False), (7.6, False), (7.9, False), (8.2, True), (10.0, True), (None, False), (2.0, False)],
)
def test_a_trip_meter_that_shows_more_than_was_driven_is_doubted(trip_km, doubted):
    """7.5 km in 300 s at 90 km/h: 2 % of odometer and a step are its own; two thirds of a kilometre more are the leg before."""
    assert fed(*steady(0, 301)).trip_disagrees(trip_km) == doubted


def test_after_another_reset_the_clock_counts_until_an_instrument_does():
    """Instruments fell silent, the reset is pressed again: 36 s later 0.9 km by the clock, and a meter that shows them was reset."""
    drive = fed(*steady(0, 100))
    drive.reset(200.0, None)
    assert drive.distance_km(STUDY, 236.0) == pytest.approx(0.9)
    assert drive.look_at_trip_meter(0.9, drive.distance_km(STUDY, 236.0))
    drive.advance(236.0, 90.0)
    drive.advance(246.0, 90.0)
    assert drive.by_instrument
