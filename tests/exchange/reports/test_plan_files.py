"""Routes from tracks and typed stretches, weather reports, the calendar file."""

from datetime import UTC, datetime

import gpxpy.gpx
import icalendar
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import driven_study

from fairmargin.core.evidence.logs import gate_logs
from fairmargin.core.planning import plan_day
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.meteorology.reports import read_report
from fairmargin.exchange.reports.calendar import calendar_file
from fairmargin.exchange.route import read_gpx, typed_route


def track(path, points, elevations=True):
    gpx = gpxpy.gpx.GPX()
    segment = gpxpy.gpx.GPXTrackSegment()
    gpx.tracks.append(gpxpy.gpx.GPXTrack(name="dyke"))
    gpx.tracks[0].segments.append(segment)
    for lat, lon, z in points:
        segment.points.append(gpxpy.gpx.GPXTrackPoint(lat, lon, elevation=z if elevations else None))
    path.write_text(gpx.to_xml(), encoding="utf-8")
    return path, gpx


def test_a_gpx_track_becomes_a_route_of_its_own_length(tmp_path):
    points = [(52 + i * 1e-3, 0.1 + 5e-4 * np.sin(i / 9), 5 + 0.2 * i) for i in range(100)]
    path, gpx = track(tmp_path / "dyke.gpx", points)
    route, notices = read_gpx(path)
    # gpxpy's own length (haversine on a sphere) agrees with the ellipsoid within 0.4 %.
    assert route[-1].distance_m == pytest.approx(gpx.length_2d(), rel=0.004)
    assert notices == ()
    assert route[-1].elevation_m == pytest.approx(points[-1][2])
    assert np.diff([p.distance_m for p in route]) == pytest.approx(50, abs=1)


def test_what_was_dropped_is_said(tmp_path):
    points = [(52 + i * 1e-3, 0.1, 0) for i in range(20)]
    path, _ = track(tmp_path / "t.gpx", points + points[-1:], elevations=False)
    _, notices = read_gpx(path)
    assert any("repeated" in n for n in notices) and any("flat" in n for n in notices)


@pytest.mark.parametrize("content", [b"", b"<gpx", b"\xff\xfe\x00", b"<gpx></gpx>", b"distance_m\n1"])
def test_what_is_no_track_is_refused_in_words(tmp_path, content):
    path = tmp_path / "x.gpx"
    path.write_bytes(content)
    with pytest.raises(InvalidInput, match=r"GPX|track"):
        read_gpx(path)
    with pytest.raises(InvalidInput, match="cannot be read"):
        read_gpx(tmp_path / "none.gpx")


def test_typed_stretches_make_a_road():
    route = typed_route("6 km NE +12 m dyke\n\n4,5 90 \u22126 town")
    assert route[-1].distance_m == pytest.approx(10_500)
    assert route[-1].elevation_m == pytest.approx(6)
    assert (route[1].sector, route[-1].sector) == ("dyke", "town")
    study = driven_study("A", route=route)
    shape = gate_logs(study, (), {}, {}).shape
    degrees = np.degrees(shape.heading_rad)
    assert degrees[5] == pytest.approx(45, abs=0.5) and degrees[-5] == pytest.approx(90, abs=0.5)


@pytest.mark.parametrize(
    "text, words",
    [
        ("", "no stretch"),
        ("far away", "line 1"),
        ("6 km NE\n5 XQ", "line 2"),
        ("6 400", "heading"),
        ("900 N", "900 km"),
    ],
)
def test_a_stretch_that_cannot_be_read_is_named(text, words):
    with pytest.raises(ValueError, match=words):
        typed_route(text)


def test_metar_groups():
    # WMO Manual on Codes, FM 15 (group forms from memory): wind 240° 12 kt gusting 23, rain, 8 °C, 1009 hPa.
    seen = read_report("METAR ZZZZ 120950Z 24012G23KT 9999 -RA BKN020 08/06 Q1009=")
    assert seen.wind_speed_ms == pytest.approx(12 * 0.514444, abs=0.06)
    assert seen.wind_gust_ms == pytest.approx(23 * 0.514444, abs=0.06)
    assert (seen.wind_from_deg, seen.temperature_c, seen.pressure_hpa, seen.rain) == (240, 8, 1009, True)
    calm = read_report("METAR ZZZZ 120950Z 00000KT CAVOK M02/M05 Q1030")
    assert (calm.wind_speed_ms, calm.temperature_c, calm.rain) == (0, -2, False)
    assert read_report("METAR ZZZZ 120950Z VRB03MPS 9999 10/05 Q1010").wind_from_deg is None


def test_taf_groups():
    # WMO Manual on Codes, FM 51 (group forms from memory): prevailing wind, warmest, rain in a change group.
    seen = read_report(
        "TAF ZZZZ 120500Z 1206/1218 26009KT 9999 SCT030 TX14/1213Z TN06/1206Z TEMPO 1209/1212 27018G28KT SHRA"
    )
    assert seen.wind_speed_ms == pytest.approx(4.6, abs=0.05)
    assert (seen.wind_from_deg, seen.temperature_c, seen.rain) == (260, 14, True)
    assert seen.wind_gust_ms is None


@pytest.mark.parametrize("text", ["", "hello", "METAR", "TAF ZZZZ 120500Z NIL", "windy, I think"])
def test_what_is_no_report_is_refused_in_words(text):
    with pytest.raises(ValueError, match=r"METAR|TAF"):
        read_report(text)


@settings(max_examples=150, deadline=None)
@given(st.text(max_size=60))
def test_no_text_crashes_a_reader(text):
    for reader in (read_report, typed_route):
        try:
            reader(text)
        except ValueError as error:
            assert str(error)


def test_a_title_writes_no_entries_of_its_own_into_a_calendar():
    title = "Covers\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nSUMMARY:not planned\r\nATTACH:file:///etc/passwd;x,y"
    study = driven_study("AB").with_(title=title)
    table = plan_day(study, "AB")
    calendar = icalendar.Calendar.from_ical(calendar_file(study, table, datetime(2026, 3, 1, tzinfo=UTC)))
    events = list(calendar.walk("VEVENT"))
    assert len(events) == len(table.steps)
    assert all("not planned" not in str(e["summary"]) and "ATTACH" not in e for e in events)
    assert str(events[0]["description"]).replace("\r", "").split() == title.split()


def test_the_calendar_file_holds_the_day():
    study = driven_study("ABBA")
    table = plan_day(study, "ABBA")
    data = calendar_file(study, table, datetime(2026, 3, 1, tzinfo=UTC))
    calendar = icalendar.Calendar.from_ical(data)
    events = list(calendar.walk("VEVENT"))
    assert len(events) == len(table.steps)
    assert events[0]["dtstart"].dt == table.steps[0].start
    assert str(events[3]["summary"]).startswith("Run R1")
    assert calendar.walk("VALARM")
    assert data == calendar_file(study, table, datetime(2026, 3, 1, tzinfo=UTC))  # the same day, the same file


def test_winds_in_every_unit_of_the_code():
    # WMO 306, FM 15 and FM 51: KT, MPS, and KMH where a country still has it. 36 km/h are 10 m/s, 20 kt are 10.29.
    for group, speed, gust in (
        ("24036G54KMH", 10.0, 15.0),
        ("24010G15MPS", 10.0, 15.0),
        ("24020G30KT", 10.289, 15.433),
    ):
        for text in (f"METAR ZZZZ 120950Z {group} 9999 15/09 Q1016", f"TAF ZZZZ 120500Z 1206/1312 {group} 9999 SCT020"):
            said = read_report(text)
            assert said.wind_speed_ms == pytest.approx(speed, abs=0.06), text
            assert said.wind_gust_ms == pytest.approx(gust, abs=0.06), text


@pytest.mark.parametrize(
    ("text", "units", "metres", "rise"),
    [
        ("4 mi E +40 ft", {}, 6437.38, 12.19),
        ("4 E +40 mill", {"distance_unit": "mi", "height_unit": "ft"}, 6437.38, 12.19),
        ("6,2 km NE \u221212 m", {"distance_unit": "mi", "height_unit": "ft"}, 6200.0, -12.0),
    ],
)
def test_stretches_are_typed_in_ones_own_units(text, units, metres, rise):
    """NIST SP 811: a mile is 1609.344 m, a foot 0.3048 m."""
    last = typed_route(text, **units)[-1]
    assert (last.distance_m, last.elevation_m) == (pytest.approx(metres, abs=0.01), pytest.approx(rise, abs=0.01))
