"""What columns of strangers' tables are and in which unit, for every reader by one rule; dates that may be two."""

from datetime import date, datetime

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.study.entry import read_clock
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.core.units.dates import UndecidedDates, order_of
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.loggers import preview, read_log
from fairmargin.exchange.meteorology.forecasts import read_hours
from fairmargin.exchange.meteorology.stations import read_weather
from fairmargin.exchange.tables.chargers import read_chargers
from fairmargin.exchange.tables.headers import Role, heads, split_head
from fairmargin.exchange.tables.pasted import apply_cells, read_cells
from fairmargin.exchange.tables.receipts import read_receipts

DAY = datetime(2026, 5, 2)
KNOT = 1852.0 / 3600.0

# Factors: NIST SP 811 (2008), Appendix B; Beaufort numbers: WMO code table 1100 (middle of the band).
STATIONS = [
    ("Pressure mmHg", "760", "pressure_hpa", 1013.25),
    ("baro [torr]", "750", "pressure_hpa", 999.918),
    ("Pressure [Pa]", "100000", "pressure_hpa", 1000.0),
    ("Pressure, inHg", "29.92", "pressure_hpa", 1013.21),
    ("Wind kph", "36", "wind_speed_ms", 10.0),
    ("Wind kmph", "36", "wind_speed_ms", 10.0),
    ("wind [mi/h]", "10", "wind_speed_ms", 4.4704),
    ("wind speed ft/s", "20", "wind_speed_ms", 6.096),
    ("wind kts", "10", "wind_speed_ms", 10 * KNOT),
    ("Wind Bft", "4", "wind_speed_ms", 6.7),
    ("wind_speed_ms", "4", "wind_speed_ms", 4.0),
    ("Gust (knots)", "20", "wind_gust_ms", 20 * KNOT),
    ("Air temp K", "288.15", "temperature_c", 15.0),
    ("temp F", "59", "temperature_c", 15.0),
    ("Humidity", "0.55", "humidity_percent", 55.0),
]


@pytest.mark.parametrize(("header", "cell", "name", "expected"), STATIONS)
def test_a_stations_units(header, cell, name, expected):
    rows, _ = read_weather(f"time;{header}\n2026-05-02 09:40;{cell}", DAY)
    assert getattr(rows[0], name) == pytest.approx(expected, rel=1e-4)


@pytest.mark.parametrize(
    "header", ["road temp", "soil temperature", "wind chill", "Feels like temp", "dew temp", "indoor temp"]
)
def test_other_temperatures_are_not_the_airs(header):
    rows, notices = read_weather(f"time,{header},wind\n2026-05-02 09:40,31,3", DAY)
    assert rows[0].temperature_c is None
    assert any(n.startswith("not used") and header in n for n in notices)


def test_pressure_at_sea_level_is_put_to_the_roads_height():
    rows, notices = read_weather("time,QNH hPa\n2026-05-02 09:40,1013.25", DAY, height_m=500.0)
    assert rows[0].pressure_hpa == pytest.approx(954.61, abs=0.01)  # ISO 2533:1975, 500 m
    assert "pressures put from sea level to 500 m" in notices
    both, _ = read_weather("time,sea level pressure,station pressure\n2026-05-02 09:40,1013,951", DAY, height_m=500.0)
    assert both[0].pressure_hpa == 951


def test_an_unknown_unit_is_refused_by_name():
    rows, notices = read_weather("time,wind [furlong/h],temp\n2026-05-02 09:40,9,15", DAY)
    assert rows[0].wind_speed_ms is None
    assert any('"furlong/h" is not a unit of wind' in n for n in notices)
    with pytest.raises(ValueError, match='"BTU" is not a unit of energy'):
        read_receipts("start,energy (BTU)\n2026-05-02 12:40,14", DAY)
    with pytest.raises(ValueError, match='"furlong/h" is not a unit of wind'):
        read_hours("time,wind [furlong/h]\n9:00,4", DAY)
    with pytest.raises(ValueError, match='"chain" is not a unit of distance'):
        read_chargers("at (chain),name\n140,Mill Quay", 420)


def test_megawatts_are_no_milliwatts():
    power = [Role("power", "power", "power", usual="kW")]
    assert [heads([t], power)[0].unit for t in ("power [MW]", "power [mW]", "power [hp]")] == ["MW", "mW", "hp"]
    assert "may be MW or mW" in heads(["power [mw]"], power)[0].refused
    assert split_head("time us") == ("time", "us")


# A log with one column in other units, and what a sample of it must be in a trace's.
LOGS = [
    ("P [hp]", "10", "power_kw", 7.456999),
    ("P [PS]", "10", "power_kw", 7.354988),
    ("Power MW", "0.01", "power_kw", 10.0),
    ("power [mW]", "10000000", "power_kw", 10.0),
    ("SoC", "0.82", "soc_percent", 82.0),
    ("Outside temp", "288.15", "temperature_c", 15.0),
    ("Outside temp [K]", "288.15", "temperature_c", 15.0),
    ("T air [\u00b0F]", "59", "temperature_c", 15.0),
]


@pytest.mark.parametrize(("header", "cell", "name", "expected"), LOGS)
def test_a_logs_units(tmp_path, header, cell, name, expected):
    path = tmp_path / "log.csv"
    path.write_text(f"time,speed,{header}\n" + "".join(f"{i},50,{cell}\n" for i in range(5)))
    log = read_log(path, preview(path).profile)
    assert getattr(log.trace, name)[0] == pytest.approx(expected, rel=1e-6)


@pytest.mark.parametrize(
    ("time", "speed", "end_s", "kmh"),
    [("t us", "v [ft/s]", 2.0, 1.09728), ("time [h]", "speed kmph", 3600.0, 1.0), ("Elapsed [ms]", "v m/s", 2000.0, 3.6)],
)  # fmt: skip
def test_a_logs_clock_and_speed(tmp_path, time, speed, end_s, kmh):
    path = tmp_path / "log.csv"
    path.write_text(f"{time},{speed}\n" + "0,1\n1000000,1\n2000000,1\n")
    if "[h]" in time:
        path.write_text(f"{time},{speed}\n0,1\n0.5,1\n1,1\n")
    log = read_log(path, preview(path).profile)
    assert (log.trace.time_s[-1], log.trace.speed_kmh[0]) == (pytest.approx(end_s), pytest.approx(kmh))


def test_millivolts_times_milliamperes(tmp_path):
    path = tmp_path / "log.csv"
    path.write_text("time,speed,U [mV],I [mA]\n0,50,400000,20000\n1,50,400000,20000\n")
    log = read_log(path, preview(path).profile)
    assert log.trace.power_kw == pytest.approx(np.array([8.0, 8.0]))
    path.write_text("time,speed,voltage,current\n0,50,400000,20000\n1,50,400000,20000\n")
    with pytest.raises(InvalidInput, match="is no vehicle's; check the units"):
        read_log(path, preview(path).profile)


def test_date_and_time_in_columns_of_their_own(tmp_path):
    path = tmp_path / "log.csv"
    path.write_text("Date;Time;Speed\n02.05.2026;09:40:00;50\n02.05.2026;09:40:01;51\n")
    log = read_log(path, preview(path).profile)
    assert log.started_at == datetime(2026, 5, 2, 9, 40)
    rows, _ = read_weather("date,time,temp\n2026-05-02,09:40,15\n2026-05-02,10:40,16", DAY)
    assert [r.time for r in rows] == [datetime(2026, 5, 2, 9, 40), datetime(2026, 5, 2, 10, 40)]
    receipts, _ = read_receipts("date,time,kWh\n2026-05-02,12:40,7.1\n2026-05-02,14:40,7.2", DAY)
    assert [(r.moment.hour, r.kwh) for r in receipts] == [(12, 7.1), (14, 7.2)]
    study = driven_study()
    pasted = read_cells("Date\tTime\tDistance\n02.05.2026\t9:40\t18.9")
    leg = apply_cells(study, pasted, pasted.roles, UNIT_CHOICES["metric"], "L01", DAY, "day-first").study.leg("L01")
    assert (leg.started_at, leg.distance_km, leg.duration_s) == (datetime(2026, 5, 2, 9, 40), 18.9, 736)


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("time (h:mm)\n0:12", 720), ("time (min:s)\n0:12", 12), ("time (h)\n0.2", 720), ("duration_s\n720", 720), ("Time, min\n12", 720)],
)  # fmt: skip
def test_a_pasted_time_has_the_form_of_its_header(text, seconds):
    study = driven_study()
    pasted = read_cells(text)
    made = apply_cells(study, pasted, pasted.roles, UNIT_CHOICES["metric"], "L01", DAY)
    assert not made.faults
    assert made.study.leg("L01").duration_s == pytest.approx(seconds)


@pytest.mark.parametrize(
    ("table", "kwh"),
    [
        ("start,minutes,kWh\n2026-05-02 12:40,25,7", 7.0),
        ("start,minutes,kWh\n2026-05-02 12:40,14,7", 7.0),
        ("start;minutes;kWh\n2026-05-02 12:40;14;7,5", 7.5),
        ("start,energy (MJ)\n2026-05-02 12:40,14", 14 / 3.6),
        ("start,energy\n2026-05-02 12:40,7.2 MJ", 2.0),
    ],
)
def test_a_receipts_cells_are_not_glued(table, kwh):
    (receipt,), _ = read_receipts(table, DAY)
    assert receipt.kwh == pytest.approx(kwh)
    assert receipt.moment == datetime(2026, 5, 2, 12, 40)


def test_a_line_that_may_be_two_cells_is_no_receipt():
    with pytest.raises(ValueError, match="expected columns"):
        read_receipts("2026-05-02 12:40,25,7", DAY)
    (receipt,), _ = read_receipts("12:40; 4,1", DAY)
    assert receipt.kwh == 4.1


@pytest.mark.parametrize(
    ("texts", "near", "order"),
    [
        (["02.05.2026 9:40"], (), "day-first"),  # dots: common practice
        (["02/05/2026", "13/05/2026"], (), "day-first"),
        (["02/05/2026", "02/13/2026"], (), "month-first"),
        (["02/05/2026", "03/05/2026", "04/05/2026"], (), "day-first"),
        (["05/02/2026", "05/03/2026"], (), "month-first"),
        (["02/05/2026"], (date(2026, 5, 2),), "day-first"),
        (["02/05/2026"], (date(2026, 2, 5),), "month-first"),
        (["05/05/2026"], (), "day-first"),
        (["2026-05-02"], (), ""),
    ],
)
def test_what_tells_a_day_from_a_month(texts, near, order):
    assert order_of(texts, near=near) == order


READERS = [
    lambda d: read_weather(f"time,temp\n{d} 09:40,15", DAY)[0][0].time,
    lambda d: read_receipts(f"start,kWh\n{d} 09:40,7", DAY)[0][0].moment,
    lambda d: read_clock(f"{d} 09:40", DAY),
]


@pytest.mark.parametrize("read", READERS)
def test_a_date_that_may_be_two_is_asked_about(read):
    assert read("02.05.2026") == datetime(2026, 5, 2, 9, 40)
    with pytest.raises(UndecidedDates, match="may be 2 May 2026 or 5 February 2026"):
        read("02/05/2026")


def test_a_logs_dates_are_told_by_its_profile(tmp_path):
    from dataclasses import replace

    path = tmp_path / "log.csv"
    path.write_text("timestamp,speed\n02/05/2026 09:40:00,50\n02/05/2026 09:40:01,51\n")
    profile = preview(path).profile
    with pytest.raises(UndecidedDates):
        read_log(path, profile)
    assert read_log(path, replace(profile, dates="month-first")).started_at == datetime(2026, 2, 5, 9, 40)
    assert read_log(path, profile, near=[date(2026, 5, 2)]).started_at == datetime(2026, 5, 2, 9, 40)
