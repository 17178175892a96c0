"""Files of any kind: what they are taken for, how logs are cut, receipts and sheets; any bytes."""

import zipfile
from datetime import UTC, datetime, timedelta

import gpxpy
import gpxpy.gpx
import numpy as np
import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import driven_study, straight_route

from fairmargin.core.companion import road_places
from fairmargin.core.study import Trace, WeatherRow, new_study
from fairmargin.core.study.aims import relaid
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.kinds import as_text, read_workbook, recognise
from fairmargin.exchange.logs.cuts import split_at_gates
from fairmargin.exchange.logs.legs import Piece, near_legs, piece_km, pieces_of, suggest, take, with_weather
from fairmargin.exchange.logs.loggers import ImportedLog
from fairmargin.exchange.logs.tracks import read_track
from fairmargin.exchange.meteorology.stations import read_weather
from fairmargin.exchange.packages.writing import write_package
from fairmargin.exchange.tables.receipts import apply, assign, read_receipts
from fairmargin.instruments.station_feed import fetch

DAY = datetime(2026, 5, 2, 9, 0)


def there_and_back(length_m=10_000.0, speed=25.0, turn_s=120.0):
    """A log of one drive north along the straight route and back again, a sample a second."""
    n = int(length_m / speed) + 1
    out = np.minimum(np.arange(n) * speed, length_m)
    place = np.concatenate([out, np.full(int(turn_s), length_m), out[::-1]])
    moving = np.concatenate([np.full(n, speed * 3.6), np.zeros(int(turn_s)), np.full(n, speed * 3.6)])
    return Trace(
        time_s=np.arange(len(place), dtype=float),
        speed_kmh=moving,
        power_kw=np.full(len(place), 15.0),
        latitude=52.0 + place / 111_250.0,
        longitude=np.full(len(place), 0.1),
    )


@pytest.fixture
def planned():
    study = new_study(title="x", kind="aero covers", order="AB")
    return study.with_(route=straight_route(10_000))


# ---------------------------------------------------------------- what a file is


def write_gpx(path, points, speeds=None):
    gpx = gpxpy.gpx.GPX()
    track = gpxpy.gpx.GPXTrack()
    segment = gpxpy.gpx.GPXTrackSegment()
    gpx.tracks.append(track)
    track.segments.append(segment)
    for i, (lat, lon, ele, moment) in enumerate(points):
        segment.points.append(
            gpxpy.gpx.GPXTrackPoint(lat, lon, elevation=ele, time=moment, speed=None if speeds is None else speeds[i])
        )
    path.write_text(gpx.to_xml(version="1.0" if speeds is not None else "1.1"))
    return path


def test_each_kind_is_recognised_by_what_it_holds(tmp_path, abba):
    def file(name, text):
        path = tmp_path / name
        path.write_text(text)
        return path

    write_package(tmp_path / "p.zip", abba, {})
    book = openpyxl.Workbook()
    book.active.append(["leg", "reading"])
    book.save(tmp_path / "b.xlsx")
    write_gpx(tmp_path / "misnamed.csv", [(52, 0.1, 5, None)])
    kinds = {
        "p.zip": "package", "b.xlsx": "workbook", "misnamed.csv": "track",
    }  # fmt: skip
    assert {n: recognise(tmp_path / n).kind for n in kinds} == kinds
    assert recognise(file("a.txt", "time,speed,power\n0,90,15\n1,90,15\n")).kind == "log"
    assert recognise(file("b.txt", "METAR ZZZZ 020950Z 24008KT 9999 15/09 Q1016\n")).kind == "reports"
    assert recognise(file("c.txt", "time;temp;wind speed\n2026-05-02 09:00;12;3\n")).kind == "table"
    assert recognise(file("d.drive", '{"format": "fairmargin-recording", "leg": "L01"}\n')).kind == "recording"


@pytest.mark.parametrize(
    "data, words",
    [(b"", "empty"), (b"  \n ", "empty"), (b"\x89PNG\x00\x01", "not text"), (b"<html></html>", "XML of no known kind"), (b"PK\x03\x04broken", "damaged zip"), (b"one word", "one column only")],
)  # fmt: skip
def test_what_is_nothing_is_said(tmp_path, data, words):
    path = tmp_path / "x"
    path.write_bytes(data)
    with pytest.raises(InvalidInput, match=words):
        recognise(path)
    with pytest.raises(InvalidInput, match="cannot be read"):
        recognise(tmp_path / "missing")


@given(st.binary(max_size=400))
@settings(max_examples=150, deadline=None)
def test_any_bytes_are_recognised_or_refused_and_every_reader_says_a_sentence(tmp_path_factory, data):
    path = tmp_path_factory.mktemp("any") / "x.csv"
    path.write_bytes(data)
    for reader in (recognise, read_track, read_workbook):
        try:
            reader(path)
        except InvalidInput as fault:
            assert str(path) in str(fault)
    text = data.decode("utf-8", errors="replace")
    try:
        assert read_receipts(text, DAY)[0]
    except ValueError as error:
        assert str(error)


def test_a_zip_that_is_neither(tmp_path):
    with zipfile.ZipFile(tmp_path / "x.zip", "w") as archive:
        archive.writestr("a.txt", "hello")
    with pytest.raises(InvalidInput, match="neither a package nor a spreadsheet"):
        recognise(tmp_path / "x.zip")


# ---------------------------------------------------------------- tracks


def test_a_track_has_the_speeds_its_positions_say(tmp_path):
    """25 m/s north for a minute: 90 km/h by the geodesic (one degree of latitude at 52° is 111.27 km)."""
    start = datetime(2026, 5, 2, 8, 0, tzinfo=UTC)
    points = [(52.0 + 25.0 * i / 111_266.0, 0.1, 10.0 + i, start + timedelta(seconds=i)) for i in range(61)]
    log = read_track(write_gpx(tmp_path / "t.gpx", points))
    assert log.trace.speed_kmh == pytest.approx(np.full(61, 90.0), rel=2e-3)
    assert log.started_at == datetime(2026, 5, 2, 8, 0) and log.trace.elevation_m[-1] == 70.0
    assert any("no power" in n for n in log.notices)


def test_stated_speeds_are_taken_and_bad_points_counted(tmp_path):
    start = datetime(2026, 5, 2, 8, 0, tzinfo=UTC)
    times = [0, 1, None, 1, 2, 3]
    points = [(52.0, 0.1, None, None if t is None else start + timedelta(seconds=t)) for t in times]
    log = read_track(write_gpx(tmp_path / "t.gpx", points, speeds=[10.0] * 6))
    assert log.trace.speed_kmh.tolist() == [36.0] * 4
    assert log.notices[:2] == ("1 points without a time dropped", "1 points whose time does not advance dropped")
    assert "no heights" in log.notices


def test_a_drawn_route_is_no_recorded_track(tmp_path):
    with pytest.raises(InvalidInput, match="0 points with a time; expected a recorded track"):
        read_track(write_gpx(tmp_path / "t.gpx", [(52, 0.1, None, None)] * 5))


# ---------------------------------------------------------------- cutting


def test_a_log_is_cut_where_it_passes_the_gates(planned):
    gated = planned.with_(plan=planned.plan.with_(gate_start_m=1000.0, gate_end_m=9000.0))
    trace = there_and_back()
    found = split_at_gates(trace, road_places(gated))
    # 25 m/s: the start gate after 40 s, the end gate after 360 s; back at 401 + 120 + 40 s and so on.
    assert found == [(pytest.approx(40, abs=1), pytest.approx(360, abs=1), False), (pytest.approx(561, abs=1), pytest.approx(881, abs=1), True)]  # fmt: skip
    assert [piece_km(trace, Piece(*f)) for f in found] == pytest.approx([8.0, 8.0], rel=0.01)


def test_a_gate_passed_alone_is_no_leg(planned):
    gated = planned.with_(plan=planned.plan.with_(gate_start_m=1000.0, gate_end_m=9000.0))
    short = there_and_back(length_m=5000.0)  # turned before the second gate
    assert split_at_gates(short, road_places(gated)) == []
    assert split_at_gates(there_and_back(), road_places(new_study(title="", kind="other", order="AB"))) == []


def test_pieces_find_their_legs_by_direction_and_by_time(planned):
    trace = there_and_back()
    pieces = pieces_of(planned, trace, "gates")
    assert suggest(planned, (), None, pieces) == ["L01", "L02"]
    assert suggest(planned, {"L01"}, None, pieces) == ["L03", "L02"]  # one that has a log is not offered
    assert suggest(planned, (), None, pieces[1:]) == ["L02"]  # back finds a back leg
    timed = planned.with_leg("L03", started_at=DAY)
    assert suggest(timed, (), DAY, pieces)[0] == "L03"
    assert len(pieces_of(planned, trace, "stops")) == 2 and len(pieces_of(planned, trace, "whole")) == 1


def test_gates_that_were_passed_without_driving_between_them_cut_no_leg(planned):
    """Logged there only: on the way back the logger was off, and woke where the next leg begins."""
    there = there_and_back()
    out = there.time_s <= 400.0
    columns = {name: np.asarray(x)[out] for name, x in there.columns().items()}
    again = {name: np.concatenate([x, x + (900.0 if name == "time_s" else 0.0)]) for name, x in columns.items()}
    found = split_at_gates(Trace(**again), road_places(planned))
    assert [backwards for *_, backwards in found] == [False, False]
    assert found[1][0] - found[0][0] == pytest.approx(900, abs=1)


def test_sectors_are_cut_where_one_ends_and_laid_into_their_own_legs(planned):
    names = [(0.0, "lanes"), (4000.0, "trunk")]
    route = [p.with_(sector=max((m, n) for m, n in names if m <= p.distance_m)[1]) for p in planned.route]
    study = relaid(planned.with_(route=tuple(route)), "AB", sectors=("lanes", "trunk"))
    pieces = pieces_of(study, there_and_back(), "gates")
    assert [(x.sector, x.backwards) for x in pieces] == [
        ("lanes", False), ("trunk", False), ("trunk", True), ("lanes", True),
    ]  # fmt: skip
    assert [piece_km(there_and_back(), x) for x in pieces] == pytest.approx([4.0, 6.0, 6.0, 4.0], abs=0.25)
    assert suggest(study, (), None, pieces) == ["L01", "L02", "L03", "L04"]
    assert suggest(study, (), None, pieces[1:2]) == ["L02"]


def test_pieces_are_laid_into_legs_and_nothing_typed_is_touched(planned):
    trace = there_and_back()
    log = ImportedLog(trace, DAY, len(trace.time_s), ())
    typed = planned.with_leg("L01", started_at=DAY.replace(hour=7), duration_s=333)
    pieces = pieces_of(planned, trace, "gates")
    after, traces = take(typed, log, pieces, ["L01", "L02"], timedelta(hours=2))
    assert after.leg("L01").duration_s == 333 and after.leg("L01").started_at.hour == 7
    began = DAY + timedelta(hours=2, seconds=pieces[1].start_s)
    assert after.leg("L02").started_at == began.replace(microsecond=0)
    assert traces["L02"].time_s[0] == 0.0 and set(traces) == {"L01", "L02"}
    with pytest.raises(ValueError, match="chosen for two pieces"):
        take(planned, log, pieces, ["L01", "L01"])
    with pytest.raises(ValueError, match="fewer than two samples"):
        take(planned, log, [Piece(5.1, 5.2)], ["L01"])


def test_weather_that_is_there_stays(planned):
    rows, _ = read_weather("METAR ZZZZ 020950Z 24008KT 9999 15/09 Q1016\nMETAR ZZZZ 021020Z 25008KT 9999 15/09 Q1016", DAY, offset=timedelta())  # fmt: skip
    once, new = with_weather(planned, rows[:1])
    marked = once.with_(weather=(once.weather[0].with_(temperature_c=11.0),))
    twice, more = with_weather(marked, rows)
    assert (new, more) == (1, 1) and twice.weather[0].temperature_c == 11.0


# ---------------------------------------------------------------- receipts and sheets


def test_receipts_typed_or_from_a_table():
    typed, _ = read_receipts("12:40 4.1 kWh corner shop\n2026-05-03 09:15, 3,9\n", DAY)
    assert [(r.moment, r.kwh, r.note) for r in typed] == [
        (datetime(2026, 5, 2, 12, 40), 4.1, "corner shop"),
        (datetime(2026, 5, 3, 9, 15), 3.9, ""),
    ]
    table, notices = read_receipts(
        "Start;Place;Energy (kWh);Price\n2026-05-02 12:40;Dyke Road;4,1;1.90\n2026-05-02 13:40;x;free;0\n", DAY
    )
    assert table[0].kwh == 4.1 and "Dyke Road" in table[0].note and notices == ("1 rows without time or amount dropped",)  # fmt: skip
    assert read_receipts("time,energy Wh\n2026-05-02 12:40,4100\n", DAY)[0][0].kwh == 4.1
    for text in ("", "hello", "time,price\n1,2", "time,kwh\nx,y"):
        with pytest.raises(ValueError, match=r"expected|no row"):
            read_receipts(text, DAY)


def test_a_receipt_goes_to_the_leg_it_follows():
    study = driven_study("AB")  # legs start 10:30, 10:48, 11:06, 11:24, each 12 min 16 s long
    receipts, _ = read_receipts("08:00 1\n11:02 2.5\n11:40 2.6\n11:50 0.4\n23:00 9\n", DAY)
    assigned = assign(study, receipts)
    assert [a.leg for a in assigned] == ["", "L02", "L04", "", ""]
    assert "add the two up by hand" in assigned[3].words and "no leg ended" in assigned[0].words
    after = apply(study, assigned)
    assert after.leg("L02").charger_kwh == 2.5 and after.leg("L01").charger_kwh is None
    again = assign(after, receipts)
    assert not again[1].leg and "which stays" in again[1].words


def test_a_workbook_is_read_as_shown(tmp_path):
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Runs"
    sheet.append(["leg", "reading", "start", None])
    sheet.append(["L01", 15.4, datetime(2026, 5, 2, 9, 0), None])
    sheet.append([None, None, None, None])
    sheet.append(["L02", "=15+0.1", None, None])
    book.create_sheet("Empty")
    book.save(tmp_path / "b.xlsx")
    sheets, notices = read_workbook(tmp_path / "b.xlsx")
    assert sheets == {"Runs": [["leg", "reading", "start"], ["L01", "15.4", "2026-05-02 09:00:00"], ["L02", "", ""]]}
    assert "left out: 1" in notices[0]
    assert as_text(sheets["Runs"]).splitlines()[1] == "L01\t15.4\t2026-05-02 09:00:00"
    openpyxl.Workbook().save(tmp_path / "e.xlsx")
    with pytest.raises(InvalidInput, match="no sheet with anything"):
        read_workbook(tmp_path / "e.xlsx")


def test_a_tracks_length_is_gpxpys_own(tmp_path):
    """The reference parser's own length of a winding track, in two dimensions, against the distance of our speeds."""
    start = datetime(2026, 5, 2, 8, 0, tzinfo=UTC)
    t = np.arange(0, 600.0)
    lat, lon = 52.0 + 0.0002 * t, 0.1 + 0.003 * np.sin(t / 60.0)
    path = write_gpx(tmp_path / "t.gpx", [(a, b, 10.0, start + timedelta(seconds=s)) for a, b, s in zip(lat, lon, t, strict=True)])  # fmt: skip
    ours = read_track(path).trace
    theirs = gpxpy.parse(path.read_text())
    assert np.trapezoid(ours.speed_kmh, ours.time_s) / 3.6 == pytest.approx(theirs.length_2d(), rel=4e-3)
    assert ours.time_s[-1] == theirs.get_duration()


def test_only_weather_near_the_legs_is_kept():
    study = driven_study("AB")  # from 10:30 to 11:36
    rows = tuple(WeatherRow(time=datetime(2026, 5, d, h), temperature_c=10) for d in (1, 2, 3) for h in range(24))
    kept = near_legs(study, rows)
    assert [r.time for r in kept] == [datetime(2026, 5, 2, h) for h in range(8, 15)]
    planned = new_study(title="", kind="other", order="AB")
    dated = planned.with_(plan=planned.plan.with_(day=DAY.date()))
    assert {r.time.day for r in near_legs(dated, rows)} == {1, 2, 3} and len(near_legs(dated, rows)) == 49
    assert near_legs(planned, rows) == rows


def test_a_station_file_of_months_is_read_at_its_end(tmp_path):
    path = tmp_path / "station.csv"
    start = datetime(2026, 1, 1)
    rows = [f"{start + timedelta(minutes=5 * i):%Y-%m-%d %H:%M},{i % 30},3,200" for i in range(20_000)]
    path.write_text("time,temp,wind_ms,wind_dir\n" + "\n".join(rows))
    row = fetch(str(path), datetime(2026, 3, 11, 10, 40))
    assert row.time == start + timedelta(minutes=5 * 19_999) and row.temperature_c == 19_999 % 30
