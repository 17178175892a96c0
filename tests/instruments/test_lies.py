"""Feeds that lie quietly: clocks that stand, reports of another day, lines without ends, speeds that are not those of the places."""

import math
from datetime import UTC, datetime, timedelta

import pytest

from fairmargin.core.study import WeatherRow
from fairmargin.exchange.logs.dbc import guess_mapping, load_dbc
from fairmargin.exchange.meteorology.stations import read_weather
from fairmargin.instruments.feed import VehicleFeed
from fairmargin.instruments.gps import NmeaDecoder
from fairmargin.instruments.samples import Clock, Sample, TimeKeeper, Trouble, duration_words
from fairmargin.instruments.standins import nmea
from fairmargin.instruments.station_feed import fetch, newest
from fairmargin.instruments.together import Together
from fairmargin.instruments.vehicle import BusDecoder, own_dbc

NOON = datetime(2026, 7, 4, 12, 0)


def samples(items):
    return [x for x in items if isinstance(x, Sample)]


def troubles(items):
    return [x.words for x in items if isinstance(x, Trouble)]


def driven_km(found):
    """By speed and the samples' own times."""
    return sum(
        (a.values["speed_kmh"] + b.values["speed_kmh"]) / 7200.0 * (b.at - a.at)
        for a, b in zip(found, found[1:], strict=False)
    )


def gps(decoder, seconds, clock=lambda i: i, place=lambda i: 52.0 + i * 2.2e-4, speed=80.0, end=None):
    """So many seconds of sentences: 80 km/h northwards, 22.2 m a second."""
    out = []
    for i in range(seconds):
        moment = datetime(2026, 7, 4, 10, 0, tzinfo=UTC) + timedelta(seconds=clock(i))
        data = nmea(moment, place(i), 0.1, 12.0, speed)
        out += decoder.feed(data if end is None else end(data), float(i))
    return out


def test_a_gps_whose_clock_stands_is_told_and_its_samples_keep_their_time():
    found = gps(NmeaDecoder(), 300, clock=lambda i: 0.0)
    # 299 seconds at 80 km/h are 6.64 km; the stamps alone would make them metres.
    assert driven_km(samples(found)) == pytest.approx(6.64, abs=0.06)
    assert troubles(found) == ["GPS clock stands still; samples keep the laptop's time"]


def test_a_gps_clock_that_runs_again_is_told_too():
    found = gps(NmeaDecoder(), 200, clock=lambda i: min(i, 60) if i < 120 else i)
    assert driven_km(samples(found)) == pytest.approx(199 * 80 / 3600, rel=0.02)
    assert troubles(found)[:2] == ["GPS clock stands still; samples keep the laptop's time", "GPS clock runs again"]
    at = [s.at for s in samples(found)]
    assert all(b > a for a, b in zip(at, at[1:], strict=False))


@pytest.mark.parametrize(
    "end",
    [
        lambda data: data.replace(b"\r\n", b"\r"),
        lambda data: data.replace(b"\r\n", b"\n"),
        lambda data: data.replace(b"\r\n", b"", 1),  # two sentences on a line
        lambda data: b"  " + data.replace(b"\r\n", b"\r\n\r\n"),
    ],
    ids=["returns alone", "feeds alone", "two on a line", "empty lines"],
)
def test_sentences_are_found_however_lines_end(end):
    decoder = NmeaDecoder()
    found = gps(decoder, 30, end=end)
    assert len(samples(found)) >= 29 and troubles(found) == [] and decoder.refused == 0
    assert "elevation_m" in samples(found)[-1].values


@pytest.mark.parametrize("hours, told", [(0, False), (0.01, False), (1, True), (-26, True)])
def test_a_gps_clock_is_held_against_the_computers(hours, told):
    begin = datetime(2026, 7, 4, 10, 0, tzinfo=UTC).timestamp()
    decoder = NmeaDecoder(wall=lambda at: begin + at - 3600.0 * hours)
    words = troubles(gps(decoder, 20))
    assert bool(words) == told and len(words) <= 1
    if told:
        side = "ahead of" if hours > 0 else "behind"
        assert f"{duration_words(3600 * hours)} {side} this computer" in words[0]


def frame(speed_kmh):
    database = load_dbc(own_dbc())
    mapped = guess_mapping(database)
    signal = mapped.signals["speed_kmh"]
    message = database.get_message_by_name(signal.message)
    content = {s.name: 0 for s in message.signals} | {signal.name: speed_kmh}
    return BusDecoder(database, mapped), message.frame_id, message.encode(content, strict=False)


def test_a_bus_that_stamps_nothing_gives_all_its_samples():
    decoder, identifier, data = frame(80.0)
    found = []
    for i in range(300):
        found += decoder.feed(identifier, data, 0.0, float(i))
    assert len(samples(found)) == 300
    assert driven_km(samples(found)) == pytest.approx(299 * 80 / 3600, rel=0.02)
    assert troubles(found) == ["Bus clock stands still; samples keep the laptop's time"]


def test_a_bus_a_hundred_times_a_second_is_still_thinned():
    decoder, identifier, data = frame(80.0)
    found = []
    for i in range(300):
        found += decoder.feed(identifier, data, 0.01 * i, 0.01 * i)
    assert 25 <= len(samples(found)) <= 40 and troubles(found) == []


def test_a_clock_that_stands_is_not_one_that_says_two_things_at_once():
    keeper = TimeKeeper()
    for i in range(50):  # four messages with one stamp, every tenth of a second
        for _ in range(4):
            keeper.place(i / 10.0, i / 10.0)
    assert not keeper.stands


@pytest.mark.parametrize(("rate", "stands"), [(1.0, True), (60.0, False)])
def test_a_blink_of_the_machine_is_no_standing_clock(rate, stands):
    """Four frames of one moment, read over 3 s of the drive: at sixty times the speed of life that is a blink."""
    database = load_dbc(own_dbc())
    feed = VehicleFeed(Clock(NOON, rate), [].append, "virtual", "x", database, guess_mapping(database))
    keeper = feed.decoder.keeper
    for i in range(4):
        keeper.place(100.0, 100.0 + i)
    assert keeper.stands is stands


@pytest.mark.parametrize("newest_first", [True, False])
@pytest.mark.parametrize("rows", [20, 1000])
def test_a_stations_newest_row_counts_wherever_it_stands(tmp_path, newest_first, rows):
    times = [NOON - timedelta(minutes=10 * i) for i in range(rows)]
    lines = [f"{t:%Y-%m-%d %H:%M},{3 + i % 5},180,14" for i, t in enumerate(times)]
    lines = lines if newest_first else lines[::-1]
    path = tmp_path / "station.csv"
    path.write_text("\n".join(["time,wind (m/s),from,temperature", *lines]))
    assert fetch(str(path), NOON + timedelta(minutes=3)).time == NOON


@pytest.mark.parametrize(
    "at, words",
    [
        (NOON - timedelta(days=7), "its newest report is of 27 June 12:00, 7 days ago: not used"),
        (NOON - timedelta(hours=4), "4 h 0 min ago: not used"),
        (NOON + timedelta(hours=6), "6 h 0 min ahead of this computer's clock: not used"),
    ],
)
def test_a_report_of_another_time_is_not_this_weather(at, words):
    with pytest.raises(ValueError, match=words):
        newest([WeatherRow(time=at, wind_speed_ms=3.0)], NOON)
    assert newest([WeatherRow(time=at), WeatherRow(time=NOON - timedelta(minutes=50))], NOON).time.hour == 11


def test_a_report_of_the_thirty_first_is_not_of_the_end_of_this_month():
    (row,), _ = read_weather("METAR ZZZZ 310950Z 24008KT 9999 15/09 Q1016", NOON, offset=timedelta(0))
    assert row.time == datetime(2026, 5, 31, 9, 50)
    (row,), _ = read_weather("METAR ZZZZ 050950Z 24008KT 9999 15/09 Q1016", NOON, offset=timedelta(0))
    assert row.time == datetime(2026, 7, 5, 9, 50)  # the second day of a test that began on the fourth
    (row,), _ = read_weather(
        "METAR ZZZZ 302350Z 24008KT 9999 15/09 Q1016", datetime(2026, 7, 1, 0, 20), offset=timedelta(0)
    )
    assert row.time == datetime(2026, 6, 30, 23, 50)


def gps_sample(i, speed, metres):
    return Sample(
        float(i), "gps", {"speed_kmh": speed, "latitude": 52.0 + math.degrees(metres / 6.371e6), "longitude": 0.1}
    )


def test_a_speed_that_is_not_that_of_the_places_is_told_once():
    together, words = Together(), []
    for i in range(200):
        words += [t.words for t in together.take(gps_sample(i, 80.0, 0.4 * i))]  # it hardly moves
    assert len(words) == 1 and "by its speed and 0.0" in words[0]
    good = Together()
    assert [t for i in range(200) for t in good.take(gps_sample(i, 80.0, 80 / 3.6 * i))] == []


@pytest.mark.parametrize("vehicle, told", [(80.0, 0), (84.0, 0), (61.0, 1), (110.0, 1)])
def test_the_vehicles_speed_is_held_against_the_satellites(vehicle, told):
    together, words = Together(), []
    for i in range(180):
        words += [t.words for t in together.take(gps_sample(i, 80.0, 80 / 3.6 * i))]
        words += [t.words for t in together.take(Sample(i + 0.5, "vehicle", {"speed_kmh": vehicle}))]
    assert len(words) == told
    if told:
        assert words[0] == f"GPS says 80 km/h over the last minute and the vehicle {vehicle:.0f}; which is right?"


def test_a_vehicle_that_is_heard_late_and_unevenly_is_not_slow():
    """While both speed up, the bus comes 20 s late and oftener when slow: over the same time they agree."""
    together, words, late = Together(), [], []
    for i in range(180):
        kmh = min(90.0, 0.5 * i)
        words += together.take(gps_sample(i, kmh, kmh / 3.6 * i))
        late += [Sample(i + 0.1 * k, "vehicle", {"speed_kmh": kmh}) for k in range(10 if kmh < 50 else 1)]
        while late and late[0].at <= i - 20:
            words += together.take(late.pop(0))
    assert not [t for t in words if "the vehicle" in t.words]
