"""GPS by NMEA 0183 sentences, from a serial port or a TCP socket.

RMC gives position, speed, date and time, GGA the height; both are read by the package ``pynmea2``. An address is
a device of the package ``serial`` (``/dev/ttyACM0``) or ``socket://host:port``.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Final

from fairmargin.core.units import M_S_PER_KNOT
from fairmargin.instruments.samples import Sample, TimeKeeper, Trouble, duration_words, sensible

LONGEST_LINE: Final = 256  # a sentence has 82 characters at most; loggers add a little
FASTEST_M_S: Final = 120.0  # a position that would need more is nonsense
HEIGHT_KEPT_S: Final = 5.0
CLOCKS_APART_S: Final = 120.0  # the satellites' clock and the computer's


def address(text: str) -> str:
    """Return the address of what a person typed: a device, or host:port.

    Raises
    ------
    ValueError
        If it is neither.
    """
    typed = text.strip()
    if typed.startswith(("/", "socket://", "COM")):
        return typed
    host, colon, port = typed.removeprefix("tcp://").rpartition(":")
    if colon and host and port.isdigit() and 0 < int(port) < 65536:
        return f"socket://{host}:{port}"
    raise ValueError(f'"{text}" is no GPS address; expected /dev/ttyACM0 or 127.0.0.1:10110')


@dataclass(slots=True)
class NmeaDecoder:
    """Bytes in, samples and troubles out; whatever the bytes are, it goes on.

    Parameters
    ----------
    keeper : TimeKeeper
        Lays the satellites' time on the drive's clock.
    """

    keeper: TimeKeeper = field(default_factory=TimeKeeper)
    wall: Callable[[float], float] | None = None  # seconds since 1970 of a second of the drive's clock
    sentences: int = 0
    refused: int = 0  # garbage and failed checksums
    _rest: bytes = b""
    _height: tuple[float, float] | None = None  # second of the day, m
    _place: tuple[float, float, float] | None = None  # at, latitude, longitude
    _leaps: int = 0
    _fix: bool = True
    _bad_run: int = 0
    _stood: bool = False
    _compared: bool = False

    def feed(self, data: bytes, arrived: float) -> list[Sample | Trouble]:
        """Take bytes as they come.

        Parameters
        ----------
        data : bytes
        arrived : float
            When, on the drive's clock. [s]
        """
        *lines, self._rest = re.split(rb"[\r\n]", self._rest + data)
        if len(self._rest) > LONGEST_LINE:
            self._rest = b""
            self.refused += 1
        out: list[Sample | Trouble] = []
        for line in lines:
            # Some receivers leave out the end of a line now and then: a sentence begins where its sign stands.
            for sentence in re.split(rb"(?=[$!])", line):
                text = sentence.strip(b" \x00")
                if text:
                    out += self._sentence(text, arrived)
        return out

    def _sentence(self, line: bytes, arrived: float) -> list[Sample | Trouble]:
        import pynmea2

        try:
            message = pynmea2.parse(line.decode("ascii"), check=True)
        except (pynmea2.ParseError, UnicodeDecodeError, ValueError, TypeError, IndexError):
            return self._refuse(arrived)
        self.sentences += 1
        try:
            if message.sentence_type == "GGA":
                self._gga(message)
                return []
            if message.sentence_type == "RMC":
                return self._rmc(message, arrived)
        except (ValueError, TypeError, AttributeError, OverflowError):
            return self._refuse(arrived)
        return []

    def _refuse(self, arrived: float) -> list[Sample | Trouble]:
        self.refused += 1
        self._bad_run += 1
        if self._bad_run != 5:  # a single broken line is usual when a receiver starts
            return []
        return [Trouble(arrived, "gps", "nonsense", "GPS sends lines that are no NMEA sentences; left out")]

    def _gga(self, message: object) -> None:
        height, moment = message.altitude, message.timestamp  # type: ignore[attr-defined]
        if height is None or moment is None:
            return
        second = moment.hour * 3600.0 + moment.minute * 60.0 + moment.second + moment.microsecond / 1e6
        self._height = (second, float(height))

    def _rmc(self, message: object, arrived: float) -> list[Sample | Trouble]:
        out: list[Sample | Trouble] = []
        if message.status != "A":  # type: ignore[attr-defined]
            if self._fix:
                self._fix = False
                out.append(Trouble(arrived, "gps", "lost", "GPS has no fix (few satellites in sight)"))
            return out
        if not self._fix:
            self._fix = True
            out.append(Trouble(arrived, "gps", "back", "GPS has a fix again"))
        day, moment = message.datestamp, message.timestamp  # type: ignore[attr-defined]
        if day is None or moment is None or message.spd_over_grnd is None:  # type: ignore[attr-defined]
            raise ValueError("no time or speed")
        stamp = datetime.combine(day, moment.replace(tzinfo=None), UTC).timestamp()
        at, jump = self.keeper.place(stamp, arrived)
        if jump is not None:
            words = f"GPS clock jumped by {jump:+.0f} s; samples keep the laptop's time"
            out.append(Trouble(arrived, "gps", "clock", words))
        out += self._clock_doubts(stamp, arrived)
        values = {
            "speed_kmh": float(message.spd_over_grnd) * 3.6 * M_S_PER_KNOT,  # type: ignore[attr-defined]
            "latitude": float(message.latitude),  # type: ignore[attr-defined]
            "longitude": float(message.longitude),  # type: ignore[attr-defined]
        }
        second = moment.hour * 3600.0 + moment.minute * 60.0 + moment.second + moment.microsecond / 1e6
        if self._height is not None and abs(second - self._height[0]) <= HEIGHT_KEPT_S:
            values["elevation_m"] = self._height[1]
        good, bad = sensible(values)
        if self._leapt(at, good):
            bad.append(f"position {good.pop('latitude'):.4f}, {good.pop('longitude'):.4f} out of reach")
        if bad:
            self._bad_run += 1
            if self._bad_run in {1, 30}:
                out.append(Trouble(arrived, "gps", "nonsense", f"GPS says what cannot be: {', '.join(bad)}; left out"))
        else:
            self._bad_run = 0
        if "speed_kmh" in good:
            out.append(Sample(at, "gps", good))
        return out

    def _clock_doubts(self, stamp: float, arrived: float) -> list[Sample | Trouble]:
        """A clock that stands, or is far from the computer's: told once."""
        out: list[Sample | Trouble] = []
        if self.keeper.stands != self._stood:
            self._stood = self.keeper.stands
            words = "GPS clock stands still; samples keep the laptop's time" if self._stood else "GPS clock runs again"
            out.append(Trouble(arrived, "gps", "clock", words))
        if self.wall is not None and not self._compared:
            self._compared = True
            apart = stamp - self.wall(arrived)
            if abs(apart) > CLOCKS_APART_S:
                words = (
                    f"GPS says {datetime.fromtimestamp(stamp, UTC):%Y-%m-%d %H:%M} UTC, {duration_words(apart)} "
                    f"{'ahead of' if apart > 0 else 'behind'} this computer; samples keep the laptop's time"
                )
                out.append(Trouble(arrived, "gps", "clock", words))
        return out

    def _leapt(self, at: float, values: dict[str, float]) -> bool:
        """Whether a position is farther from the one before than anything drives; three in a row are believed."""
        if "latitude" not in values or "longitude" not in values:
            return False
        here = (at, values["latitude"], values["longitude"])
        before = self._place
        if before is not None:
            north = math.radians(here[1] - before[1]) * 6.371e6
            east = math.radians(here[2] - before[2]) * 6.371e6 * math.cos(math.radians(here[1]))
            if math.hypot(north, east) > 100.0 + FASTEST_M_S * (at - before[0]) and self._leaps < 2:
                self._leaps += 1
                return True
        self._leaps = 0
        self._place = here
        return False
