"""Hours of a forecast: the best window of the days ahead, by wind, gusts, warmth and rain."""

from dataclasses import replace
from datetime import datetime, time, timedelta

import pytest

from fairmargin.core.planning.best_window import best_of_days, by_the_hour, spans_of, weather_of_day, windows
from fairmargin.core.planning.timetable import Daylight, daylight
from fairmargin.core.study.plan import HourForecast, Limits
from fairmargin.exchange.meteorology.forecasts import read_hours
from fairmargin.exchange.meteorology.reports import is_metar, read_report

DAY = datetime(2026, 6, 1)


def hours(wind, rain=lambda _t: False, days=2):
    return [
        HourForecast(time=DAY + timedelta(hours=h), wind_speed_ms=wind(h), temperature_c=15, rain=rain(h))
        for h in range(24 * days)
    ]


def test_the_calmest_dry_window_is_the_best():
    # Calm from 6 to 11 of the second day; the first day blows, and rains in the afternoon.
    found = windows(hours(lambda h: 1.5 if 30 <= h <= 35 else 5.0, lambda h: 12 <= h < 20), Limits(), 4.0)
    assert found[0].answer == "go"
    assert found[0].start == DAY + timedelta(hours=30)
    assert found[0].forecast.wind_speed_ms == 1.5
    by_day = best_of_days(found)
    assert [w.start.date().day for w in by_day] == [1, 2]
    assert not by_day[0].forecast.rain


def test_a_day_too_windy_waits_and_a_storm_is_no_go():
    assert windows(hours(lambda _h: 7.0), Limits(), 4.0)[0].answer == "wait"
    assert windows(hours(lambda _h: 12.0), Limits(), 4.0)[0].answer == "no-go"


def test_nothing_begins_in_the_night_or_ends_late():
    for w in windows(hours(lambda _h: 2.0), Limits(), 5.0):
        assert w.start.hour >= 5
        assert w.end.hour <= 22
    assert windows(hours(lambda _h: 2.0), Limits(), 20.0) == ()


def test_hours_are_read_from_a_table_in_any_units():
    text = "time\twind (km/h)\tgust (km/h)\tfrom\ttemp (\u00b0F)\train\n22:00\t36\t54\tWSW\t59\tno\n1\t18\t20\t180\t50\t60 %"
    first, second = read_hours(text, DAY)
    assert first.time == DAY.replace(hour=22)
    assert (first.wind_speed_ms, first.wind_gust_ms) == (pytest.approx(10), pytest.approx(15))
    assert (first.wind_from_deg, first.temperature_c, first.rain) == (247.5, pytest.approx(15), False)
    assert second.time == DAY + timedelta(days=1, hours=1)  # an hour before the last is the next day's
    assert second.rain


def test_a_taf_gives_hours_group_by_group():
    text = "TAF ZZZZ 010500Z 0106/0118 24020G30KT 9999 FM011200 22006KT 9999 RA"
    found = read_hours(text, DAY)
    assert len(found) == 12
    assert found[0].wind_speed_ms == pytest.approx(10.3, abs=0.05)
    assert found[-1].wind_speed_ms == pytest.approx(3.1, abs=0.05)
    assert found[-1].rain
    assert not found[0].rain


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("only words", "one line only"),
        ("a,b\n1,2", "no column for time and wind"),
        ("time,wind\nnoon,3", 'row 2: "noon" is no time'),
    ],
)
def test_what_is_no_forecast_is_refused_in_words(text, words):
    with pytest.raises(ValueError, match=words):
        read_hours(text, DAY)


def test_of_two_windows_with_the_same_wind_the_one_without_gusts_is_better():
    gusty = [h.with_(wind_gust_ms=9.0 if h.time.day == 1 else 4.5) for h in hours(lambda _h: 4.0)]
    found = windows(gusty, Limits(gust_ms=12.0), 4.0)
    assert found[0].start.day == 2 and found[0].burden < found[-1].burden
    # By hand: 4 m/s and half of what gusts have beyond it: 4.25 against 6.5.
    assert found[0].burden == pytest.approx(4.25) and found[-1].burden == pytest.approx(6.5)


@pytest.mark.parametrize(
    ("cell", "wet"), [("10 %", False), ("20 %", False), ("60 %", True), ("0", False), ("0.4", True), ("yes", True)]
)
def test_a_small_chance_of_rain_is_no_rain(cell, wet):
    (hour,) = read_hours(f"time,wind (m/s),temperature,rain\n9:00,3,12,{cell}", DAY)
    assert hour.rain is wet


def test_no_window_begins_before_the_sun_or_ends_after_it_where_the_place_is_known():
    """London in December: sunrise 8:04, sunset 15:53."""

    def december(day):
        return daylight(day.replace(month=12, day=21), 51.51, -0.13, timedelta(0))

    found = windows(hours(lambda _h: 2.0), Limits(), 4.0, lambda day: replace(
        december(day),
        sunrise=datetime.combine(day, december(day).sunrise.time()), sunset=datetime.combine(day, december(day).sunset.time()),
    ))  # fmt: skip
    assert {w.start.hour for w in found} == {9, 10, 11}
    assert windows(hours(lambda _h: 2.0), Limits(), 8.0, lambda _day: Daylight(None, None)) == ()
    assert windows(hours(lambda _h: 2.0), Limits(), 8.0, lambda _day: Daylight(None, None, never_dark=True))


def at(found, hour):
    """The hour of a forecast that begins on the first day."""
    return next(h for h in found if h.time == DAY + timedelta(hours=hour))


def test_the_change_groups_of_a_taf_by_the_code_form():
    """FM 51: TEMPO and PROB are of their time only and the stronger counts; BECMG goes on; TX and TN are the day's ends."""
    text = (
        "TAF ZZZZ 010500Z 0106/0124 24010KT 9999 SCT030 TX18/0114Z TN06/0106Z\n"
        "TEMPO 0109/0111 27018G30KT SHRA BECMG 0113/0115 20006KT PROB30 TEMPO 0118/0120 TSRA FM012200 09004KT CAVOK"
    )
    found = read_hours(text, DAY)
    assert len(found) == 18
    knots = 1852 / 3600
    assert (at(found, 8).wind_speed_ms, at(found, 8).wind_gust_ms, at(found, 8).rain) == (
        pytest.approx(10 * knots, abs=0.06),
        None,
        False,
    )
    shower = at(found, 10)
    assert (shower.wind_speed_ms, shower.wind_gust_ms) == pytest.approx((18 * knots, 30 * knots), abs=0.06)
    assert shower.rain and shower.wind_from_deg == 270
    assert at(found, 11).wind_gust_ms is None and not at(found, 11).rain
    assert at(found, 14).wind_speed_ms == pytest.approx(10 * knots, abs=0.06)  # on its way: the stronger of the two
    assert at(found, 15).wind_speed_ms == pytest.approx(6 * knots, abs=0.06)
    assert at(found, 18).rain and at(found, 18).wind_speed_ms == pytest.approx(6 * knots, abs=0.06)
    assert at(found, 23).wind_from_deg == 90 and not at(found, 23).rain
    # 6 degrees at six, 18 at two in the afternoon: 12 half way.
    assert [at(found, h).temperature_c for h in (6, 10, 14, 20)] == [6.0, 12.0, 18.0, 18.0]
    windy = weather_of_day(found, DAY + timedelta(hours=9), 4.0)
    assert windy.rain and windy.wind_gust_ms == shower.wind_gust_ms
    assert weather_of_day(found, DAY + timedelta(days=3), 4.0) is None


def test_a_taf_is_on_the_clock_of_the_place():
    text = "TAF ZZZZ 010500Z 0106/0118 24010KT 9999 TX18/0112Z TN06/0106Z"
    here = read_hours(text, DAY, timedelta(hours=10))
    assert here[0].time == DAY + timedelta(hours=16) and here[0].temperature_c == 6.0


def test_a_metar_over_two_lines_is_one():
    text = "METAR ZZZZ 120950Z 24008KT 9999\nSCT030 15/09 Q1016"
    assert (
        is_metar(text)
        and is_metar("ZZZZ 120950Z 24008KT")
        and not is_metar("time,wind\n9,3")
        and not is_metar("TAF ZZZZ 120500Z")
    )
    assert read_report(text).temperature_c == 15.0


def test_a_road_dries_before_it_is_driven():
    # Rain from 6 to 8: until 11 the road is wet, where it dries in two hours.
    rainy = hours(lambda _h: 2.0, lambda h: 6 <= h <= 8, days=1)
    found = {w.start.hour: w for w in windows(rainy, Limits(), 4.0)}
    assert (found[9].answer, found[10].answer, found[11].answer) == ("no-go", "no-go", "go")
    assert found[9].reason == "The road is wet from rain before, until about 11:00."
    assert "costs about 10 %" in found[7].reason
    assert {w.start.hour: w.answer for w in windows(rainy, Limits(dries_h=0), 4.0)}[9] == "go"
    assert {w.start.hour: w.answer for w in windows(rainy, Limits(rain=True), 4.0)}[7] == "go"


def test_every_hour_says_what_speaks_against_it():
    sun = Daylight(datetime(2026, 6, 1, 5, 30), datetime(2026, 6, 1, 20, 10))
    found = by_the_hour(
        hours(lambda h: 8.0 if h >= 15 else 2.0, lambda h: h == 6, days=1),
        Limits(),
        lambda _: sun,
        ((time(11, 15), time(13)),),
    )
    assert [(a.hour, b.hour, answer, reason) for a, b, answer, reason in spans_of(found)] == [
        (0, 6, "no-go", "dark"),
        (6, 7, "no-go", "rain"),
        (7, 9, "no-go", "wet road"),
        (9, 11, "go", ""),
        (11, 13, "no-go", "traffic"),
        (13, 15, "go", ""),
        (15, 20, "wait", "wind"),
        (20, 0, "no-go", "dark"),
    ]


def test_what_is_waited_for_in_traffic_belongs_to_the_day():
    # A day that begins at 8 waits out the traffic and takes three hours more: it ends in the wind.
    blowing = hours(lambda h: 9.0 if h >= 13 else 2.0, days=1)
    found = {w.start.hour: w for w in windows(blowing, Limits(), lambda m: 7.0 if m.hour == 8 else 4.0)}
    assert (found[7].answer, found[8].answer) == ("go", "wait")
    assert found[8].end.hour == 15
