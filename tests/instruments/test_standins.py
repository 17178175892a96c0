"""Stand-ins through the real feeds: stalls, garbage, set clocks, vanishing and coming back."""

import socket
import threading
import time
from datetime import datetime

import pytest
from tests.conftest import VAN, straight_route

from fairmargin.core.study import new_study
from fairmargin.exchange.logs.dbc import guess_mapping, load_dbc
from fairmargin.instruments.feed import GpsFeed, VehicleFeed, WeatherFeed
from fairmargin.instruments.gps import address
from fairmargin.instruments.samples import Clock, Sample, Trouble
from fairmargin.instruments.standins import GpsStandIn, StationStandIn, VehicleStandIn
from fairmargin.instruments.station_feed import check_address, fetch
from fairmargin.instruments.vehicle import own_dbc
from fairmargin.simulation.rehearsal import VirtualCar, prepared, rehearse

RATE = 20.0


@pytest.fixture(scope="module")
def rehearsal():
    study = new_study(title="x", kind="aero covers", order="AB", speed_kmh=90, vehicle=VAN)
    study = prepared(study.with_(route=straight_route(6000)), 3, datetime(2026, 5, 2).date())
    return rehearse(study, 3)


@pytest.fixture
def scene(rehearsal):
    """A car under way and a list that everything lands in."""
    clock = Clock(datetime(2026, 5, 2, 9), RATE)
    car = VirtualCar(rehearsal)
    items, running = [], []

    def run(thing):
        thing.start()
        running.append(thing)
        return thing

    car.depart("L01", clock.seconds())
    yield clock, car, items, run
    for thing in reversed(running):
        thing.stop()


def until(condition, seconds=8.0):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            return
        time.sleep(0.02)
    raise AssertionError("waited in vain")


def kinds(items, source):
    return [x.kind for x in items if isinstance(x, Trouble) and x.source == source]


def newest(items, source, name):
    return next((x.values[name] for x in reversed(items) if isinstance(x, Sample) and x.source == source and name in x.values), None)  # fmt: skip


def test_gps_stalls_and_comes_back(scene):
    clock, car, items, run = scene
    stand_in = run(GpsStandIn(car, clock))
    feed = run(GpsFeed(clock, items.append, address(f"127.0.0.1:{stand_in.port}")))
    until(lambda: feed.state == "live")
    state = car.state(clock.seconds())
    assert newest(items, "gps", "latitude") == pytest.approx(state.latitude, abs=0.02)
    stand_in.stalled = True
    until(lambda: feed.state == "lost")
    assert feed.value("speed_kmh") is None  # a stale speed is not shown as now
    stand_in.stalled = False
    until(lambda: feed.state == "live")
    assert kinds(items, "gps") == ["lost", "back"]
    assert "silent" in next(x.words for x in items if isinstance(x, Trouble))


def test_gps_vanishes_and_is_found_again(scene):
    clock, car, items, run = scene
    stand_in = run(GpsStandIn(car, clock))
    feed = run(GpsFeed(clock, items.append, stand_in.address))
    until(lambda: feed.state == "live")
    stand_in.stop()
    until(lambda: feed.state == "lost")
    assert feed.why
    stand_in.start()
    until(lambda: feed.state == "live")
    assert kinds(items, "gps") == ["lost", "back"]


def test_gps_garbage_and_a_clock_set_by_an_hour(scene):
    clock, car, items, run = scene
    stand_in = run(GpsStandIn(car, clock))
    feed = run(GpsFeed(clock, items.append, stand_in.address))
    until(lambda: feed.samples > 5)
    stand_in.garbage = True
    until(lambda: feed.decoder.refused > 10)
    stand_in.garbage = False
    before = feed.samples
    until(lambda: feed.samples > before + 3)
    stand_in.clock_ahead_s = 3600.0
    until(lambda: "clock" in kinds(items, "gps"))
    assert {"nonsense", "clock"} <= set(kinds(items, "gps"))
    at = [x.at for x in items if isinstance(x, Sample)]
    assert all(b > a for a, b in zip(at, at[1:], strict=False))  # time never went back
    assert at[-1] < clock.seconds() + RATE


def test_bus_speaks_and_sends_garbage(scene):
    clock, car, items, run = scene
    stand_in = run(VehicleStandIn(car, clock))
    database = load_dbc(own_dbc())
    feed = run(VehicleFeed(clock, items.append, "virtual", stand_in.channel, database, guess_mapping(database)))
    until(lambda: feed.state == "live" and feed.value("power_kw") is not None)
    until(lambda: (feed.value("speed_kmh") or 0.0) > 60.0)
    assert 0 < feed.value("soc_percent") <= 100
    stand_in.garbage = True
    until(lambda: feed.decoder.refused > 3)
    until(lambda: feed.state == "lost")
    stand_in.garbage = False
    until(lambda: feed.state == "live")
    assert kinds(items, "vehicle")[0] == "nonsense" and {"lost", "back"} <= set(kinds(items, "vehicle"))


def test_no_such_bus_is_a_sentence_not_a_crash(scene):
    clock, _car, items, run = scene
    database = load_dbc(own_dbc())
    feed = run(VehicleFeed(clock, items.append, "nosuchbus", "can9", database, guess_mapping(database)))
    until(lambda: feed.why != "")
    assert feed.state == "waiting" and "nosuchbus" in feed.why


def test_station_answers_breaks_and_answers_again(scene):
    clock, car, items, run = scene
    stand_in = run(StationStandIn(car, clock))
    feed = run(WeatherFeed(clock, items.append, stand_in.url, every_s=10.0))
    until(lambda: feed.state == "live")
    reported = car.rehearsal.weather["L01"]
    assert newest(items, "weather", "wind_speed_ms") == pytest.approx(reported.wind_speed_ms, abs=0.3)
    stand_in.broken = True
    until(lambda: feed.state == "lost")
    stand_in.broken = False
    until(lambda: feed.state == "live")
    assert kinds(items, "weather") == ["lost", "back"]
    assert len({r.time for r in feed.rows}) == len(feed.rows)  # a report said twice is one


def test_a_station_that_writes_a_file(tmp_path):
    path = tmp_path / "station.csv"
    path.write_text("time,temp,wind_ms,wind_dir\n2026-05-02 09:00,12,3,200\n2026-05-02 09:10,13,4,210\n")
    row = fetch(str(path), datetime(2026, 5, 2, 9, 12))
    assert (row.temperature_c, row.wind_speed_ms, row.wind_from_deg) == (13, 4, 210)


@pytest.mark.parametrize("typed", ["", "station", "ftp://x/y", "http://"])
def test_no_station_address(typed):
    with pytest.raises(ValueError, match="no station address"):
        check_address(typed)


def test_a_station_on_this_machine_is_not_asked_through_a_proxy(scene, monkeypatch):
    clock, car, _items, run = scene
    monkeypatch.setenv("http_proxy", "http://127.0.0.1:9")  # nobody listens there
    stand_in = run(StationStandIn(car, clock))
    assert fetch(stand_in.url, clock.moment()).wind_speed_ms is not None


def test_a_station_that_never_answers_does_not_hold_up_the_end():
    """A server that takes the question and says nothing; the feed is let go and nobody waits for its time-out."""
    items = []
    with socket.create_server(("127.0.0.1", 0)) as silent:
        feed = WeatherFeed(Clock(), items.append, f"http://127.0.0.1:{silent.getsockname()[1]}/metar", 60.0)
        feed.start()
        asked, _ = silent.accept()  # taken, never answered
        feed.let_go()
        feed.stop()
        assert feed.state == "off"
        asked.close()
    until(lambda: not any(t.name == "feed-weather" and t.is_alive() for t in threading.enumerate()), 12.0)
    assert items == []  # what comes after the end is not handed on


def test_a_station_that_drips_is_given_up(monkeypatch):
    """One byte now and then never ends a read; the whole answer has a time of its own."""
    import socket
    import threading
    import time
    from datetime import datetime

    from fairmargin.instruments import station_feed as weather

    monkeypatch.setattr(weather, "ANSWER_S", 0.6)
    server = socket.create_server(("127.0.0.1", 0))
    done = threading.Event()

    def drip():
        client, _ = server.accept()
        with client:
            client.recv(4096)
            client.sendall(b"HTTP/1.0 200 OK\r\n\r\nMETAR ")
            while not done.wait(0.05):
                try:
                    client.sendall(b"Z")
                except OSError:
                    return

    thread = threading.Thread(target=drip, daemon=True)
    thread.start()
    begin = time.monotonic()
    with pytest.raises(OSError, match="not whole after"):
        weather.fetch(f"http://127.0.0.1:{server.getsockname()[1]}/", datetime(2026, 5, 2))
    assert time.monotonic() - begin < 5
    done.set()
    thread.join(5)
    server.close()


def test_a_rehearsals_time_waits_for_the_window():
    """Between two beats it runs on by a moment at most, and never backwards."""
    from fairmargin.instruments.samples import Clock, Patience

    wall = [100.0]
    patience = Patience(0.05, lambda: wall[0])
    clock = Clock(None, 70.0, patience)
    for _ in range(20):  # a window that answers: as the wall clock
        wall[0] += 0.01
        patience.beat()
    assert clock.seconds() == pytest.approx(0.2 * 70)
    wall[0] += 2.0  # two seconds in which it does not
    assert clock.seconds() == pytest.approx(0.25 * 70)
    patience.beat()
    assert clock.seconds() == pytest.approx(0.25 * 70)
    wall[0] += 0.01
    assert clock.seconds() == pytest.approx(0.26 * 70)
