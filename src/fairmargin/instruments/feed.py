"""Feeds: threads that keep an instrument connected, and say when it is lost and when it is back."""

from __future__ import annotations

import abc
import math
import socket
import threading
import time
from datetime import datetime
from typing import Any, Final, Literal

from fairmargin.core.study import WeatherRow
from fairmargin.exchange.logs.dbc import Mapped
from fairmargin.instruments.gps import NmeaDecoder
from fairmargin.instruments.samples import NAMES, STANDS_S, Clock, Item, Sample, Sink, Source, TimeKeeper, Trouble
from fairmargin.instruments.station_feed import fetch
from fairmargin.instruments.vehicle import BusDecoder

State = Literal["off", "waiting", "live", "lost"]
RETRY_S: Final = 1.0
READ_S: Final = 0.25
JOIN_S: Final = 0.6
KEEPER_S: Final = 2.0
#: Wall seconds by which a thread may be late, and by which a stamp may be; at a rehearsal's rate they weigh more.
LATE_S: Final = 0.5
STAMP_LATE_S: Final = 2.0


class Feed(abc.ABC):
    """One instrument: connects, reads, reconnects; never raises into its owner.

    Parameters
    ----------
    source : Source
    clock : Clock
    sink : callable
        Gets every sample and trouble, in the feed's own thread.
    quiet_s : float
        Without a sample for so long the instrument counts as lost. [s]
    """

    def __init__(self, source: Source, clock: Clock, sink: Sink, quiet_s: float) -> None:
        self.source: Source = source
        self.clock = clock
        self.state: State = "off"
        self.latest: dict[str, tuple[float, float]] = {}  # value and when
        self.why = ""  # of the last failure to connect
        self.samples = 0
        self._quiet_s = quiet_s
        self._sink = sink
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._last = -math.inf

    def start(self) -> None:
        """Begin; samples arrive from now on."""
        if self._thread is None:
            self.state = "waiting"
            self._thread = threading.Thread(target=self._run, name=f"feed-{self.source}", daemon=True)
            self._thread.start()

    def let_go(self) -> None:
        """Ask the thread to end; nothing is handed out from now on."""
        self._stop.set()

    def stop(self) -> None:
        """End. A thread that waits for an answer from afar is not waited for; it ends by itself, unheard."""
        self.let_go()
        if self._thread is not None:
            self._thread.join(JOIN_S)
            self._thread = None
        self.state = "off"

    def value(self, name: str, within_s: float = 5.0) -> float | None:
        """Newest value of a quantity; None when there is none so new."""
        known = self.latest.get(name)
        if known is None or self.clock.seconds() - known[1] > within_s + LATE_S * self.clock.rate:
            return None
        return known[0]

    # ------------------------------------------------------------ for the thread

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                self._connect()
                self.why = ""
                while not self._stop.is_set():
                    self._hand_on(self._read())
                    self._watch()
            except Exception as error:  # serial, sockets and bus drivers raise errors of many families
                self.why = str(error) or type(error).__name__
                self._watch()
            finally:
                self._disconnect()
            self._stop.wait(RETRY_S)

    def _hand_on(self, items: list[Item]) -> None:
        for item in items:
            if self._stop.is_set():
                return
            if isinstance(item, Sample):
                self._arrived(item)
            self._sink(item)

    def _arrived(self, item: Sample) -> None:
        self.samples += 1
        self._last = self.clock.seconds()
        for name, value in item.values.items():
            self.latest[name] = (value, self._last)
        if self.state == "lost":
            self._sink(Trouble(self._last, self.source, "back", f"{NAMES[self.source]} is back"))
        self.state = "live"

    def _watch(self) -> None:
        now = self.clock.seconds()
        if (
            not self._stop.is_set()
            and self.state == "live"
            and now - self._last > self._quiet_s + LATE_S * self.clock.rate
        ):
            self.state = "lost"
            because = f" ({self.why})" if self.why else ""
            words = f"{NAMES[self.source]} is silent since {now - self._last:.0f} s{because}"
            self._sink(Trouble(now, self.source, "lost", words))

    @abc.abstractmethod
    def _connect(self) -> None: ...

    @abc.abstractmethod
    def _read(self) -> list[Item]: ...

    @abc.abstractmethod
    def _disconnect(self) -> None: ...


def _keeper(clock: Clock) -> TimeKeeper:
    """A keeper that bears how late a busy machine looks: at many times the speed of life a blink is many seconds."""
    late = STAMP_LATE_S * (clock.rate - 1.0)
    return TimeKeeper(KEEPER_S + late, STANDS_S + late)


class GpsFeed(Feed):
    """NMEA sentences from a serial port or a socket."""

    def __init__(self, clock: Clock, sink: Sink, address: str, baud: int = 9600) -> None:
        super().__init__("gps", clock, sink, quiet_s=4.0)
        self._address, self._baud = address, baud
        self._port: Any = None
        self._socket: socket.socket | None = None
        self.decoder = NmeaDecoder(_keeper(clock), lambda at: clock.moment(at).astimezone().timestamp())

    def _connect(self) -> None:
        if self._address.startswith("socket://"):
            # The serial package reads a socket byte by byte; a receiver on the network is read as it comes.
            host, _, port = self._address.removeprefix("socket://").rpartition(":")
            self._socket = socket.create_connection((host, int(port)), timeout=5.0)
            self._socket.settimeout(READ_S)
        else:
            import serial

            self._port = serial.Serial(self._address, baudrate=self._baud, timeout=READ_S)

    def _read(self) -> list[Item]:
        if self._socket is not None:
            try:
                data = self._socket.recv(4096)
            except TimeoutError:
                return []
            if not data:
                raise OSError("the GPS hung up")
        else:
            data = self._port.read(1)
            if data:
                data += self._port.read(min(self._port.in_waiting or 0, 4096))
        return list(self.decoder.feed(data, self.clock.seconds())) if data else []

    def _disconnect(self) -> None:
        for one in (self._port, self._socket):
            if one is not None:
                one.close()
        self._port = self._socket = None


class VehicleFeed(Feed):
    """Frames of the vehicle's bus."""

    def __init__(self, clock: Clock, sink: Sink, interface: str, channel: str, database: Any, mapped: Mapped) -> None:
        super().__init__("vehicle", clock, sink, quiet_s=3.0)
        self._interface, self._channel = interface, channel
        self._bus: Any = None
        self.decoder = BusDecoder(database, mapped, _keeper(clock))

    def _connect(self) -> None:
        import can

        options: dict[str, Any] = {"preserve_timestamps": True} if self._interface == "virtual" else {}
        self._bus = can.Bus(
            interface=self._interface, channel=self._channel, can_filters=self.decoder.filters(), **options
        )

    def _read(self) -> list[Item]:
        frame = self._bus.recv(READ_S)
        out: list[Item] = []
        while frame is not None:
            if not (frame.is_error_frame or frame.is_remote_frame):
                out += self.decoder.feed(frame.arbitration_id, bytes(frame.data), frame.timestamp, self.clock.seconds())
            if len(out) > 500:
                break
            frame = self._bus.recv(0)
        return out

    def _disconnect(self) -> None:
        if self._bus is not None:
            self._bus.shutdown()
            self._bus = None


class WeatherFeed(Feed):
    """A station asked every few minutes; a report said twice is one."""

    def __init__(self, clock: Clock, sink: Sink, url: str, every_s: float = 300.0) -> None:
        super().__init__("weather", clock, sink, quiet_s=3.0 * every_s + 3600.0)
        self._url, self._every_s = url, every_s
        self._seen: datetime | None = None
        self._failed = False
        self.rows: list[WeatherRow] = []

    def _connect(self) -> None:
        """Nothing is kept open between two questions."""

    def _disconnect(self) -> None:
        """See `_connect`."""

    def _read(self) -> list[Item]:
        out: list[Item] = []
        try:
            row = fetch(self._url, self.clock.moment())
        except (OSError, ValueError) as error:
            if not self._failed:
                self._failed = True
                self.state, self.why = "lost", str(error)
                out.append(Trouble(self.clock.seconds(), "weather", "lost", f"Weather station: {error}"))
        else:
            if self._failed:
                self._failed = False
                self.state, self.why = "live", ""
                out.append(Trouble(self.clock.seconds(), "weather", "back", "Weather station answers again"))
            if row.time != self._seen:
                self._seen = row.time
                self.rows.append(row)
                values = row.model_dump(exclude_none=True, exclude={"time", "station"})
                out.append(Sample(self.clock.seconds(), "weather", values))
        self._hand_on(out)
        until = time.monotonic() + max(0.05, self._every_s / self.clock.rate)
        while time.monotonic() < until and not self._stop.wait(min(0.5, self._every_s / self.clock.rate)):
            pass
        return []
