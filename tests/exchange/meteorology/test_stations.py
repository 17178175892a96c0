"""Weather lists and station tables: published METAR examples, units, what is dropped, any bytes."""

import time
from datetime import datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairmargin.exchange.meteorology.stations import read_weather

NOW = datetime(2026, 5, 2, 12, 0)
UTC = timedelta()

# WMO Manual on Codes (WMO-No. 306), FM 15, and ICAO Annex 3: example reports of an invented aerodrome (from memory).
WMO = """METAR YUDO 011630Z 24004MPS 0600 R12/1000U DZ FG SCT010 OVC020 17/16 Q1018
SPECI YUDO 011700Z 05025G37KT 3000 1200NE+TSRA BKN005CB 25/22 Q1008
METAR YUDO 011730Z 00000MPS CAVOK M02/M04 Q1021"""


def test_wmo_examples():
    rows, notices = read_weather(WMO, NOW, offset=UTC)
    assert [r.time for r in rows] == [datetime(2026, 5, 1, 16, 30), datetime(2026, 5, 1, 17, 0), datetime(2026, 5, 1, 17, 30)]  # fmt: skip
    first, second, third = rows
    assert (first.wind_speed_ms, first.wind_from_deg, first.temperature_c, first.pressure_hpa) == (4.0, 240, 17, 1018)  # fmt: skip
    assert second.wind_speed_ms == pytest.approx(25 * 1852 / 3600, abs=0.06)
    assert second.wind_gust_ms == pytest.approx(37 * 1852 / 3600, abs=0.06)
    assert (third.wind_speed_ms, third.temperature_c) == (0.0, -2)
    assert first.station == "YUDO" and notices == ()


def test_dew_point_gives_humidity():
    """17 °C with a dew point of 16 °C is 94 % (psychrometric tables, common practice)."""
    rows, _ = read_weather(WMO, NOW, offset=UTC)
    assert rows[0].humidity_percent == pytest.approx(94, abs=1)


def test_local_clock_height_and_month():
    text = "METAR ZZZZ 302350Z 24008KT 9999 15/09 Q1013="
    rows, notices = read_weather(text, NOW, height_m=500.0, offset=timedelta(hours=2))
    assert rows[0].time == datetime(2026, 5, 1, 1, 50)  # of April, put two hours on
    # ISO 2533: 954.6 hPa at 500 m where sea level has 1013.25.
    assert rows[0].pressure_hpa == pytest.approx(1013 * 954.61 / 1013.25, abs=0.1)
    assert any("+2 h" in n for n in notices) and any("500 m" in n for n in notices)


def test_archive_stamps_broken_lines_and_repeats():
    text = (
        "202605020950 METAR ZZZZ 020950Z 24008KT 9999 15/09 Q1016\n"
        "2026-05-02 10:20 METAR ZZZZ 021020Z 25009KT 9999 16/09 Q1016\n"
        "METAR ZZZZ 021020Z 25010KT 9999 16/09 Q1016\n"
        "station closed for lunch\n"
    )
    rows, notices = read_weather(text, NOW, offset=UTC)
    assert len(rows) == 2 and rows[1].wind_speed_ms == pytest.approx(5.1)
    assert any("1 lines are no METAR" in n for n in notices) and any("same moment" in n for n in notices)


@pytest.mark.parametrize(
    "header, row, expected",
    [
        ("time,temp_c,wind_ms,gust_ms,wind_dir,pressure_hpa,humidity", "2026-05-02 09:50,14.5,3.2,5.1,250,1012.3,71",
         {"temperature_c": 14.5, "wind_speed_ms": 3.2, "wind_gust_ms": 5.1, "wind_from_deg": 250, "pressure_hpa": 1012.3, "humidity_percent": 71}),
        ("Date Time;Temp (°F);Wind Speed (mph);Wind Gust (mph);Barometer (inHg)", "2026-05-02 09:50;59;10;20;29,92",
         {"temperature_c": 15.0, "wind_speed_ms": 4.4704, "wind_gust_ms": 8.9408, "pressure_hpa": pytest.approx(1013.2, abs=0.1)}),
        ("Zeit\tAußentemp\tWind km/h\tRichtung", "2026-05-02 09:50\t12,5\t18\t90",
         {"temperature_c": 12.5, "wind_speed_ms": 5.0, "wind_from_deg": 90}),
    ],
)  # fmt: skip
def test_station_tables_in_any_units(header, row, expected):
    rows, _ = read_weather(f"{header}\n{row}\n", NOW)
    got = {k: getattr(rows[0], k) for k in expected}
    for key, value in expected.items():
        assert got[key] == (value if not isinstance(value, float) else pytest.approx(value, abs=1e-3)), key
    assert rows[0].time == datetime(2026, 5, 2, 9, 50)


def test_impossible_cells_and_lost_rows_are_counted():
    text = "time,temp,wind\n2026-05-02 09:50,14,3\n2026-05-02 09:55,999,4\nlater,1,1\n2026-05-02 10:00,,\n"
    rows, notices = read_weather(text, NOW)
    assert len(rows) == 2 and rows[1].temperature_c is None and rows[1].wind_speed_ms == 4
    assert any("2 rows without time or value" in n for n in notices)
    assert any("1 cells are impossible" in n for n in notices)


@pytest.mark.parametrize("text", ["", "   \n", "hello", "a,b\n1,2", "METAR ZZZZ"])
def test_no_weather_is_said(text):
    with pytest.raises(ValueError, match=r"expected|neither|no METAR|no row"):
        read_weather(text, NOW)


@given(st.one_of(st.text(max_size=300), st.text(alphabet="METAR Z0123456789/KTQ=\n,;time wind", max_size=200)))
@settings(max_examples=200, deadline=None)
def test_any_text_gives_rows_or_a_sentence(text):
    try:
        rows, _ = read_weather(text, NOW, offset=UTC)
    except ValueError as error:
        assert str(error)
    else:
        assert rows


def test_reports_on_both_sides_of_a_clock_change(monkeypatch):
    """29 March 2026, 01:00 UTC: clocks of central Europe go from UTC +1 to UTC +2 (Directive 2000/84/EC)."""
    monkeypatch.setenv("TZ", "Europe/Berlin")
    time.tzset()
    try:
        text = "METAR ZZZZ 290020Z 24008KT 9999 12/09 Q1016=\nMETAR ZZZZ 290120Z 24008KT 9999 12/09 Q1016="
        rows, notices = read_weather(text, datetime(2026, 3, 29, 9, 0))
    finally:
        monkeypatch.undo()
        time.tzset()
    assert [r.time for r in rows] == [datetime(2026, 3, 29, 1, 20), datetime(2026, 3, 29, 3, 20)]
    assert "times put from UTC to the local clock (+1 and +2 h)" in notices
