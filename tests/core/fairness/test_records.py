"""Doubts about the data: clocks, dates, logs that are not the leg's. What is not believed is told with its leg."""

from datetime import UTC, datetime, timedelta, timezone

import numpy as np
import pytest

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.clock import common_offset, days_told, driven_days
from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.fairness.records import RECORDS, RecordsContext, check_records
from fairmargin.core.study import Trace, WeatherRow
from fairmargin.core.units import plain

DAY = timedelta(days=1)


def log(back=False, speed=90.0, north=0.0, east=0.0, power=15.0):
    """A drive over the straight road of 18.4 km at a steady speed, or a stand."""
    t = np.arange(740.0)
    driven = np.clip(np.cumsum(np.full(740, speed / 3.6)), 0, 18_400)
    place = 18_400 - driven if back else driven
    return Trace(
        time_s=t,
        speed_kmh=np.full(740, speed),
        power_kw=np.full(740, power),
        latitude=52.0 + north + place / 111_250.0,
        longitude=np.full(740, 0.1 + east),
    )


@pytest.fixture
def logged(abba):
    return abba, {leg.leg: log(leg.direction == "back") for leg in abba.legs}


@pytest.mark.parametrize(
    ("made", "title", "words"),
    [
        (log(speed=0.0), "A log that stands still", "L03: 0 m in 12 min"),
        (
            log(north=5.0),
            "A log from another road",
            "L03: 543 km from it",
        ),  # 556.3 km less 70 % of the road: three points in ten lie nearer
        (log(east=0.004), "A log from another road", "L03: 274 m from it"),  # 0.004 x 111.4 km x cos 52.05
        (log(back=True), "A log that drives the other way", "L03: its leg says out"),
        # 15 kW over 739 seconds are 3.1 kWh, and a level road gives none of them.
        (log(power=-15.0), "A log whose power is counted the other way round", "L03: -3.1 kWh"),
    ],
    ids=["still", "far", "beside", "turned", "reversed"],
)
def test_a_log_that_is_not_the_legs_is_named_and_left_out(logged, made, title, words):
    study, logs = logged
    kept, found = check_records(study, {**logs, "L03": made})
    assert set(kept) == set(logs) - {"L03"}
    assert [(c.code, c.title, c.legs) for c in found] == [("log-doubtful", title, ("L03",))]
    assert words in plain(found[0].message)
    result = analyse(study, {**logs, "L03": made})
    assert "log-doubtful" in [c.code for c in result.concerns]
    without = {name: trace for name, trace in logs.items() if name != "L03"}
    assert result.comparisons[0].effect_percent == analyse(study, without).comparisons[0].effect_percent


def test_good_logs_raise_no_doubt(logged):
    study, logs = logged
    kept, found = check_records(study, logs)
    assert found == [] and kept == logs
    near = {**logs, "L03": log(east=0.0005)}  # 34 m: a position's own error
    assert check_records(study, near)[1] == []
    assert check_records(study.with_(route=()), {**logs, "L03": log(north=5.0)})[1] == []  # no road to hold it against


def moved(study, legs, by):
    for name in legs:
        study = study.with_leg(name, started_at=study.leg(name).started_at + by)
    return study


def days_of(study):
    return list(driven_days(study.legs, common_offset(study)).values())


def test_a_test_day_ends_with_a_night_not_with_a_date(abba):
    names = [leg.leg for leg in abba.legs]  # 10:30 to 12:48
    assert days_of(abba) == [0] * 8
    assert days_of(moved(abba, names, timedelta(hours=12))) == [0] * 8  # 22:30 to 00:48
    assert days_of(moved(abba, names[4:], timedelta(hours=9))) == [0] * 8  # afternoon of the same date
    assert days_of(moved(abba, names[4:], timedelta(hours=13))) == [0] * 4 + [1] * 4
    assert days_of(moved(abba, names[4:], DAY)) == [0] * 4 + [1] * 4
    night = moved(moved(abba, names, timedelta(hours=11)), names[4:], timedelta(hours=7))  # 21:30, then from 05:42
    assert days_of(night) == [0] * 4 + [1] * 4
    late = moved(abba, names, timedelta(hours=12))
    assert analyse(late).comparisons[0].effect_percent == pytest.approx(
        analyse(abba).comparisons[0].effect_percent, abs=1e-9
    )


def untimed(study, names):
    for name in names:
        study = study.with_leg(name, started_at=None)
    return study


def test_a_leg_without_a_time_belongs_to_the_day_around_it(abba):
    names = [leg.leg for leg in abba.legs]
    bare = abba.with_legs(leg.with_(block="") for leg in abba.legs)
    assert days_of(untimed(bare, ["L04"])) == [0] * 8  # by its run, L03
    assert days_of(untimed(bare, ["L03", "L04"])) == [0] * 8  # by what was driven before and after
    # Between two days nothing says on which one: a day of its own, or two where the configuration changes.
    two = moved(bare, names[4:], DAY)
    assert days_of(untimed(two, ["L03", "L04"])) == [0, 0, 2, 2, 1, 1, 1, 1]
    assert days_of(untimed(two, ["L03", "L04", "L05", "L06"])) == [0, 0, 2, 2, 2, 2, 1, 1]
    assert days_of(untimed(two, ["L05", "L06", "L07", "L08"])) == [0, 0, 0, 0, 1, 1, 2, 2]
    blocks = abba.with_legs(leg.with_(block="1") for leg in abba.legs)
    assert days_of(untimed(blocks, ["L01", "L02"])) == [0] * 8


def test_where_no_time_is_known_it_was_most_likely_one_outing_but_only_who_drove_says_so(abba):
    bare = untimed(abba.with_legs(leg.with_(block="") for leg in abba.legs), [leg.leg for leg in abba.legs])
    assert days_of(bare) == [0] * 8 and days_told(bare.legs, driven_days(bare.legs, timedelta())) == set()
    block = bare.with_legs(leg.with_(block="1") for leg in bare.legs)
    assert days_of(block) == [0] * 8
    # a block is how it was meant to be driven; that it was is said by a time, or by whoever drove it
    every, days = {leg.leg for leg in block.legs}, driven_days(block.legs, timedelta())
    assert days_told(block.legs, days) == set()
    assert days_told(block.legs, days, one_outing=True) == days_told(block.legs, days, outings={"1"}) == every
    timed = block.with_leg("L01", started_at=abba.legs[0].started_at)
    assert days_told(timed.legs, driven_days(timed.legs, timedelta())) == every
    two = bare.with_legs(leg.with_(block="1" if leg.configuration == "A" else "2") for leg in bare.legs)
    assert days_of(two) == [0, 0, 1, 1, 1, 1, 0, 0]


def codes(study):
    return [(c.code, c.severity) for c in RECORDS.check(RecordsContext(study, {}))]


def test_a_date_that_is_off_is_told(abba):
    assert codes(abba) == []
    assert codes(moved(abba, ["L05"], 365 * DAY)) == [("date-doubtful", "blocks")]
    assert analyse(moved(abba, ["L05"], 365 * DAY)).comparisons[0].verdict == "not a fair comparison"
    assert codes(moved(abba, ["L05", "L06"], 365 * DAY)) == [("date-doubtful", "caution")]
    weeks = moved(abba, ["L03", "L04", "L05", "L06"], 21 * DAY)
    assert codes(weeks) == []  # baseline and trial weeks apart is another doubt, with its price
    assert "days-apart" in [c.code for c in analyse(weeks).concerns]


def test_a_clock_that_was_set_is_told(abba):
    back = moved(abba, ["L05", "L06", "L07", "L08"], timedelta(hours=-1))
    told = RECORDS.check(RecordsContext(back, {}))
    assert [c.title for c in told] == ["Two legs at the same time"]
    assert "overlap by up to" in told[0].message and {"L04", "L05"} <= set(told[0].legs)
    summer = abba
    for i, leg in enumerate(abba.legs):
        offset = timezone(timedelta(hours=1 if i < 4 else 2))
        summer = summer.with_leg(leg.leg, started_at=(leg.started_at.replace(tzinfo=UTC)).astimezone(offset))
    assert [c.title for c in RECORDS.check(RecordsContext(summer, {}))] == ["The clock changed during the day"]


def test_one_time_without_an_offset_keeps_the_offsets_of_the_others(abba):
    """At +02:00 the weather of 09:00 UTC is that of 11:00; one bare time must not move all by two hours."""
    zone = timezone(timedelta(hours=2))
    study = abba
    for leg in abba.legs:
        if leg.leg != "L04":
            study = study.with_leg(leg.leg, started_at=leg.started_at.replace(tzinfo=zone))
    rows = [WeatherRow(time=datetime(2026, 5, 2, h, 0, tzinfo=UTC), temperature_c=float(h)) for h in range(6, 14)]
    legs = [leg.with_(temperature_c=None) for leg in study.legs]
    study = study.with_legs(legs).with_(weather=tuple(rows))
    assert common_offset(study) == timedelta()  # the middle one of legs and weather
    study = study.with_(weather=tuple(r.with_(time=r.time.astimezone(zone)) for r in rows))
    assert common_offset(study) == timedelta(hours=2)
    warm = leg_conditions(study, {})
    for leg in study.legs:  # the station's degrees are the hours of UTC
        middle = leg.started_at.replace(tzinfo=None) + timedelta(seconds=368) - timedelta(hours=2)
        assert warm[leg.leg].temperature_c == pytest.approx(middle.hour + middle.minute / 60, abs=0.02), leg.leg
    told = RECORDS.check(RecordsContext(study, {}))
    assert told[0].legs == ("L04",) and "UTC +2 h" in told[0].message


def test_weather_is_that_of_the_middle_of_the_leg(abba):
    """Temperature rises by 1 K a minute: at the middle of a leg of 736 s it is 6.13 K above that at its start."""
    leg = abba.legs[0].with_(temperature_c=None)
    rows = tuple(WeatherRow(time=leg.started_at + timedelta(minutes=m), temperature_c=5.0 + m) for m in (0, 30))
    study = abba.with_legs([leg, *abba.legs[1:]]).with_(weather=rows)
    assert leg_conditions(study, {})["L01"].temperature_c == pytest.approx(5.0 + 736 / 120, abs=1e-6)


def test_one_run_is_far_only_where_the_others_lie_close_together(abba):
    # Four runs: one half a year off. The others within eight days: that one is dated wrongly. Spread over six weeks
    # they are a test that took its time, and half a year is no more than a long pause.
    away = timedelta(days=200)
    close = moved(moved(moved(abba, ["L03", "L04"], 4 * DAY), ["L05", "L06"], 8 * DAY), ["L07", "L08"], away)
    assert ("date-doubtful", "caution") in codes(close)
    spread = moved(moved(moved(abba, ["L03", "L04"], 20 * DAY), ["L05", "L06"], 42 * DAY), ["L07", "L08"], away)
    assert "date-doubtful" not in [code for code, _ in codes(spread)]
