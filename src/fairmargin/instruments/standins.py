"""Stand-ins: a GPS on a local TCP port, a vehicle on a virtual bus, a weather station on local HTTP.

They speak the same interfaces as the real ones and are driven by a rehearsal's virtual car; each can be made
to stall, to send garbage, to set its clock, to vanish and to come back.
"""

from __future__ import annotations

import contextlib
import socket
import threading
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any, Final
from uuid import uuid4

from fairmargin.exchange.logs.dbc import load_dbc
from fairmargin.instruments.samples import Clock
from fairmargin.instruments.vehicle import own_dbc
from fairmargin.simulation.rehearsal import PACK_V, VirtualCar

HOST: Final = "127.0.0.1"
GARBAGE: Final = b"\xff\xfe$GPRMC,,,,broken*00\r\n\x00\x01nonsense\n"


class _StandIn:
    """A thread that says something every second of the drive's clock."""

    def __init__(self, car: VirtualCar, clock: Clock) -> None:
        self.car, self.clock = car, clock
        self.stalled = False
        self.garbage = False
        self.clock_ahead_s = 0.0
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        """Begin to speak."""
        self._stop.clear()
        self._thread = threading.Thread(target=self._run, name=type(self).__name__, daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Vanish."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(5.0)
            self._thread = None

    def _run(self) -> None:
        second = int(self.clock.seconds())
        while not self._stop.is_set():
            now = self.clock.seconds()
            # At a high rate several seconds are due at once; after a sleep not all that was missed is sent.
            second = max(second, int(now - 1.5 * self.clock.rate) - 2)
            while second < now and not self._stop.is_set():
                if not self.stalled:
                    with contextlib.suppress(OSError):
                        self._say(float(second))
                second += 1
            self._stop.wait(max(0.004, min(1.0, (second - now) / self.clock.rate)))

    def _say(self, at: float) -> None:
        raise OSError("nothing to speak through")

    def _utc(self, at: float) -> datetime:
        local = self.clock.moment(at + self.clock_ahead_s)
        return local.astimezone(UTC)


def _degrees(value: float, width: int) -> str:
    whole, minutes = divmod(abs(value) * 60.0, 60.0)
    return f"{int(whole):0{width}d}{minutes:08.5f}"


def nmea(moment: datetime, latitude: float, longitude: float, elevation_m: float, speed_kmh: float) -> bytes:
    """GGA and RMC sentences of one moment (NMEA 0183, written with pynmea2)."""
    import pynmea2

    clock = f"{moment:%H%M%S}.{moment.microsecond // 10_000:02d}"
    place = (
        _degrees(latitude, 2),
        "N" if latitude >= 0 else "S",
        _degrees(longitude, 3),
        "E" if longitude >= 0 else "W",
    )
    gga = pynmea2.GGA("GP", "GGA", (clock, *place, "1", "09", "0.9", f"{elevation_m:.1f}", "M", "0.0", "M", "", ""))
    rmc = pynmea2.RMC("GP", "RMC", (clock, "A", *place, f"{speed_kmh / 1.852:.3f}", "", f"{moment:%d%m%y}", "", ""))
    return f"{gga}\r\n{rmc}\r\n".encode("ascii")


class GpsStandIn(_StandIn):
    """A receiver on a TCP port of this machine."""

    def __init__(self, car: VirtualCar, clock: Clock) -> None:
        super().__init__(car, clock)
        self._server: socket.socket | None = None
        self._clients: list[socket.socket] = []
        self.port = 0

    @property
    def address(self) -> str:
        """Address for the GPS feed."""
        return f"socket://{HOST}:{self.port}"

    def start(self) -> None:
        """Listen (on the same port again after a stop) and speak."""
        self._server = socket.create_server((HOST, self.port))
        self._server.settimeout(0.0)
        self.port = self._server.getsockname()[1]
        super().start()

    def stop(self) -> None:
        """Hang up on everybody."""
        super().stop()
        for one in [*self._clients, self._server]:
            if one is not None:
                one.close()
        self._clients, self._server = [], None

    def _run(self) -> None:
        welcome = threading.Thread(target=self._welcome, name="gps-welcome", daemon=True)
        welcome.start()
        super()._run()
        welcome.join(2.0)

    def _welcome(self) -> None:
        while not self._stop.wait(0.02):
            with contextlib.suppress(OSError):
                if self._server is not None:
                    client, _ = self._server.accept()
                    client.settimeout(0.5)
                    self._clients.append(client)

    def _say(self, at: float) -> None:
        state = self.car.seen_by_gps(at)
        data = nmea(self._utc(at), state.latitude, state.longitude, state.elevation_m, state.speed_kmh)
        if self.garbage:
            data = GARBAGE
        for client in list(self._clients):
            try:
                client.sendall(data)
            except OSError:
                client.close()
                self._clients.remove(client)


class VehicleStandIn(_StandIn):
    """The simulated van on a python-can virtual bus, by the project's own DBC."""

    INTERFACE: Final = "virtual"

    def __init__(self, car: VirtualCar, clock: Clock) -> None:
        super().__init__(car, clock)
        self.channel = f"fairmargin-{uuid4().hex[:8]}"
        self._database = load_dbc(own_dbc())
        self._bus: Any = None

    def start(self) -> None:
        """Join the bus and speak."""
        import can

        self._bus = can.Bus(interface=self.INTERFACE, channel=self.channel, preserve_timestamps=True)
        super().start()

    def stop(self) -> None:
        """Leave the bus."""
        super().stop()
        if self._bus is not None:
            self._bus.shutdown()
            self._bus = None

    def _say(self, at: float) -> None:
        import can

        state, shown = self.car.state(at), self.car.display(at)
        error = 1.0 + self.car.speed_error_percent / 100.0
        values = {
            "Motion": {
                "VehicleSpeed": state.speed_kmh * error,
                "TripDistance": shown.trip_km,
                "TripAverageConsumption": shown.average_kwh_per_100km,
            },
            "Pack": {
                "PackVoltage": PACK_V,
                "PackCurrent": state.power_kw * 1000.0 / PACK_V,
                "StateOfCharge": state.soc_percent,
            },
            "Climate": {
                "BatteryTemperature": state.temperature_c + 8.0,
                "OutsideTemperature": state.temperature_c,
                "ClimatePower": 0.0,
            },
        }
        stamp = self._utc(at).timestamp()
        for name, content in values.items():
            message = self._database.get_message_by_name(name)
            data = b"\xff\xff" if self.garbage else message.encode(content, strict=False)
            self._bus.send(
                can.Message(arbitration_id=message.frame_id, data=data, is_extended_id=False, timestamp=stamp)
            )


class StationStandIn:
    """A weather station that answers METAR text over HTTP on this machine."""

    def __init__(self, car: VirtualCar, clock: Clock) -> None:
        self.car, self.clock = car, clock
        self.broken = False
        self._server: ThreadingHTTPServer | None = None
        self._thread: threading.Thread | None = None

    @property
    def url(self) -> str:
        """Address of its newest report."""
        assert self._server is not None
        return f"http://{HOST}:{self._server.server_address[1]}/metar.txt"

    def report(self) -> str:
        """Newest report as a METAR."""
        now = self.clock.seconds()
        leg = self.car.state(now).leg or next(iter(self.car.rehearsal.weather))
        seen = self.car.rehearsal.weather[leg]
        moment = self.clock.moment(now)
        # Reports come every five minutes and carry that time.
        moment = (moment - timedelta(minutes=moment.minute % 5)).astimezone(UTC)
        knots = round((seen.wind_speed_ms or 0.0) * 3600.0 / 1852.0)
        wind = f"{round(seen.wind_from_deg or 0.0) % 360 or 360:03d}{knots:02d}" if knots else "00000"
        t = round(seen.temperature_c or 15.0)
        both = "/".join(f"M{abs(x):02d}" if x < 0 else f"{x:02d}" for x in (t, t - 6))
        rain = " -RA" if self.car.rains(now) else ""
        return f"METAR ZZZZ {moment:%d%H%M}Z {wind}KT 9999{rain} {both} Q{round(seen.pressure_hpa or 1013):04d}"

    def start(self) -> None:
        """Answer from now on."""
        report: Callable[[], str] = self.report
        broken: Callable[[], bool] = lambda: self.broken  # noqa: E731

        class Answer(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                data = b"<html>closed for repairs" if broken() else (report() + "\n").encode("ascii")
                self.send_response(200)
                self.send_header("Content-Type", "text/plain")
                self.send_header("Content-Length", str(len(data)))
                self.end_headers()
                self.wfile.write(data)

            def log_message(self, *_: object) -> None:
                """Say nothing on the terminal."""

        self._server = ThreadingHTTPServer((HOST, 0), Answer)
        self._thread = threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Close the door."""
        if self._server is not None:
            self._server.shutdown()
            self._server.server_close()
            self._server = None
        if self._thread is not None:
            self._thread.join(2.0)
            self._thread = None
