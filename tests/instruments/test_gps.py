"""NMEA 0183 in: published sentences, a round trip, and everything that goes wrong on a line."""

import math
from datetime import UTC, datetime, timedelta

import pynmea2
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairmargin.instruments.gps import NmeaDecoder, address
from fairmargin.instruments.samples import Clock, Sample, TimeKeeper, Trouble, sensible
from fairmargin.instruments.standins import nmea

# The pair of sentences printed in most introductions to NMEA 0183 (from memory; the checksums prove them).
PUBLISHED = (
    b"$GPGGA,123519,4807.038,N,01131.000,E,1,08,0.9,545.4,M,46.9,M,,*47\r\n"
    b"$GPRMC,123519,A,4807.038,N,01131.000,E,022.4,084.4,230394,003.1,W*6A\r\n"
)


def samples(items):
    return [x for x in items if isinstance(x, Sample)]


def troubles(items):
    return [x for x in items if isinstance(x, Trouble)]


def test_published_sentences():
    found = samples(NmeaDecoder().feed(PUBLISHED, 100.0))
    assert len(found) == 1
    values = found[0].values
    assert values["latitude"] == pytest.approx(48 + 7.038 / 60, abs=1e-7)
    assert values["longitude"] == pytest.approx(11 + 31.0 / 60, abs=1e-7)
    assert values["speed_kmh"] == pytest.approx(22.4 * 1.852)
    assert values["elevation_m"] == 545.4
    assert found[0].at == pytest.approx(100.0)


@given(
    latitude=st.floats(-89, 89),
    longitude=st.floats(-179, 179),
    height=st.floats(-400, 5000),
    speed=st.floats(0, 250),
    second=st.integers(0, 2_000_000_000),
)
@settings(max_examples=60, deadline=None)
def test_what_the_stand_in_writes_pynmea2_reads_back(latitude, longitude, height, speed, second):
    moment = datetime.fromtimestamp(second, UTC)
    gga, rmc = (pynmea2.parse(line, check=True) for line in nmea(moment, latitude, longitude, height, speed).decode().split())  # fmt: skip
    assert rmc.latitude == pytest.approx(latitude, abs=1e-6)
    assert rmc.longitude == pytest.approx(longitude, abs=1e-6)
    assert float(gga.altitude) == pytest.approx(height, abs=0.051)
    assert rmc.spd_over_grnd * 1.852 == pytest.approx(speed, abs=0.002)
    assert datetime.combine(rmc.datestamp, rmc.timestamp.replace(tzinfo=None)).year in {
        moment.year,
        moment.year - 100,  # two digits of the year are all there is
    }


def test_bytes_may_come_in_any_pieces():
    whole = NmeaDecoder()
    cut = NmeaDecoder()
    a = samples(whole.feed(PUBLISHED, 5.0))
    b = [x for i in range(len(PUBLISHED)) for x in samples(cut.feed(PUBLISHED[i : i + 1], 5.0))]
    assert a == b


@given(st.lists(st.one_of(st.binary(max_size=200), st.just(PUBLISHED)), max_size=8))
@settings(max_examples=150, deadline=None)
def test_any_bytes_are_survived(pieces):
    decoder = NmeaDecoder()
    for i, piece in enumerate(pieces):
        for item in decoder.feed(piece, float(i)):
            assert isinstance(item, Sample | Trouble)
    # Whatever came before, a clean line after a line end is read again.
    after = decoder.feed(b"\r\n" + PUBLISHED, 1000.0)
    assert decoder.sentences >= 2 and (samples(after) or troubles(after))


def test_garbage_is_told_once_not_every_second():
    decoder = NmeaDecoder()
    told = [t for i in range(40) for t in troubles(decoder.feed(b"\xff\xfe garbage\n", float(i)))]
    assert len(told) == 1 and "no NMEA sentences" in told[0].words
    assert decoder.refused == 40


def test_no_fix_and_its_return_are_told():
    decoder = NmeaDecoder()
    lost = pynmea2.RMC("GP", "RMC", ("123520", "V", "", "", "", "", "", "", "230394", "", ""))
    items = decoder.feed(f"{lost}\r\n".encode() * 3, 1.0) + decoder.feed(PUBLISHED, 4.0)
    assert [t.kind for t in troubles(items)] == ["lost", "back"]
    assert len(samples(items)) == 1


def at_second(second, latitude=52.0, speed=90.0):
    moment = datetime(2026, 5, 2, 9, 0, tzinfo=UTC).timestamp() + second
    return nmea(datetime.fromtimestamp(moment, UTC), latitude, 0.1, 10.0, speed)


def test_a_clock_that_jumps_is_told_and_samples_keep_our_time():
    decoder = NmeaDecoder()
    items = []
    for i in range(10):
        items += decoder.feed(at_second(i + (3600 if i >= 5 else 0), 52.0 + i * 25 / 111_250), float(i))
    jumps = [t for t in troubles(items) if t.kind == "clock"]
    assert len(jumps) == 1 and "+3600 s" in jumps[0].words
    assert [s.at for s in samples(items)] == pytest.approx(list(range(10)), abs=0.01)


def test_a_position_out_of_reach_is_left_out_and_a_new_place_believed_in_the_end():
    decoder = NmeaDecoder()
    places = [52.0, 52.0002, 53.0, 52.0006, 60.0, 60.0002, 60.0004]
    items = []
    for i, latitude in enumerate(places):
        items += decoder.feed(at_second(i, latitude), float(i))
    assert "out of reach" in troubles(items)[0].words
    kept = ["latitude" in s.values for s in samples(items)]
    assert kept == [True, True, False, True, False, False, True]
    assert all("speed_kmh" in s.values for s in samples(items))  # its speed is still good


@pytest.mark.parametrize(
    "typed, expected",
    [("/dev/ttyACM0", "/dev/ttyACM0"), ("127.0.0.1:10110", "socket://127.0.0.1:10110"), ("tcp://phone:2947", "socket://phone:2947")],
)  # fmt: skip
def test_addresses(typed, expected):
    assert address(typed) == expected


@pytest.mark.parametrize("typed", ["", "ttyACM0", "phone:", "phone:99999", "a b"])
def test_no_address(typed):
    with pytest.raises(ValueError, match="no GPS address; expected"):
        address(typed)


def test_late_samples_are_laid_by_their_own_stamps():
    """Arrival jitters by a second; the stamps are a second apart, and so are the samples."""
    keeper = TimeKeeper()
    at = [keeper.place(1000.0 + i, 50.0 + i + (0.9 if i % 3 else 0.0))[0] for i in range(20)]
    steps = [b - a for a, b in zip(at, at[1:], strict=False)]
    assert steps[3:] == pytest.approx([1.0] * 16)


def test_one_odd_stamp_is_a_slip_not_a_jump():
    keeper = TimeKeeper()
    jumps = [keeper.place(s, float(i))[1] for i, s in enumerate([0, 1, 2, 900, 4, 5, 6])]
    assert jumps == [None] * 7


def test_sensible_keeps_zero_and_refuses_the_impossible():
    good, bad = sensible({"speed_kmh": 0.0, "soc_percent": 180.0, "power_kw": math.nan, "current_a": -5.0})
    assert good == {"speed_kmh": 0.0, "current_a": -5.0}
    assert bad == ["soc_percent 180", "power_kw nan"]
    assert sensible({"latitude": 0.0, "longitude": 0.0})[1] == ["position 0, 0"]


def test_the_clock_of_a_rehearsal_runs_faster():
    now = [10.0]
    clock = Clock(datetime(2026, 5, 2, 9), 60.0, lambda: now[0])
    now[0] = 20.0
    assert clock.seconds() == 600.0
    assert clock.moment() == datetime(2026, 5, 2, 9, 10)


def test_a_burst_of_held_up_samples_is_no_jump():
    """Ten seconds held up somewhere, then all at once: each is laid where it belongs."""
    keeper = TimeKeeper()
    placed = [keeper.place(float(i), float(i)) for i in range(5)]
    placed += [keeper.place(float(i), 15.0 + 0.001 * i) for i in range(5, 15)]
    placed += [keeper.place(float(i), float(i)) for i in range(16, 20)]
    assert all(jump is None for _, jump in placed)
    assert [at for at, _ in placed] == pytest.approx([*range(15), *range(16, 20)], abs=0.01)


def test_a_clock_set_back_is_believed_once_it_stays_so():
    keeper = TimeKeeper()
    for i in range(5):
        keeper.place(1000.0 + i, float(i))
    later = [keeper.place(400.0 + i, float(i)) for i in range(5, 15)]
    jumps = [j for _, j in later if j is not None]
    assert jumps == [pytest.approx(-600.0)]
    assert later[-1][0] == pytest.approx(14.0, abs=0.01)
    ats = [at for at, _ in later]
    assert all(b > a for a, b in zip(ats, ats[1:], strict=False))


def test_a_wall_clock_that_was_set_is_followed_and_durations_are_not_bent():
    now = [0.0]
    clock = Clock(ticking=lambda: now[0])
    began = clock.origin
    now[0] = 100.0
    assert clock.follow_wall(began + timedelta(seconds=101)) is None  # drift
    assert clock.follow_wall(began + timedelta(seconds=3700)) == pytest.approx(3600)
    assert clock.seconds() == 100.0 and clock.moment() == began + timedelta(seconds=3700)
    assert Clock(datetime(2026, 5, 2, 9), ticking=lambda: now[0]).follow_wall(datetime(2030, 1, 1)) is None
