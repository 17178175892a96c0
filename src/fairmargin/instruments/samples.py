"""What instruments hand out: samples on one clock, and troubles in words."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Final, Literal

from fairmargin.exchange.meteorology.stations import POSSIBLE

Source = Literal["gps", "vehicle", "weather"]
SOURCES: Final[tuple[Source, ...]] = ("gps", "vehicle", "weather")
NAMES: Final[dict[Source, str]] = {"gps": "GPS", "vehicle": "Vehicle", "weather": "Weather"}
TroubleKind = Literal["lost", "back", "nonsense", "clock"]

#: What a value can be at all; anything outside is the instrument's nonsense. Units are in the names.
RANGES: Final[dict[str, tuple[float, float]]] = {
    "speed_kmh": (0.0, 300.0),
    "latitude": (-90.0, 90.0),
    "longitude": (-180.0, 180.0),
    "elevation_m": (-500.0, 6000.0),
    "voltage_v": (0.0, 1500.0),
    "current_a": (-2000.0, 2000.0),
    "power_kw": (-1000.0, 1000.0),
    "soc_percent": (0.0, 100.0),
    "battery_temperature_c": (-40.0, 80.0),
    "climate_kw": (0.0, 30.0),
    "trip_km": (0.0, 100_000.0),
    "trip_average_kwh_per_100km": (-200.0, 1000.0),
    **POSSIBLE,
}


#: What to call a value, and its unit.
SHOWN: Final[dict[str, tuple[str, str]]] = {
    "speed_kmh": ("speed", "km/h"),
    "latitude": ("latitude", "\u00b0"),
    "longitude": ("longitude", "\u00b0"),
    "elevation_m": ("height", "m"),
    "voltage_v": ("pack", "V"),
    "current_a": ("current", "A"),
    "power_kw": ("power", "kW"),
    "soc_percent": ("charge", "%"),
    "battery_temperature_c": ("battery", "\u00b0C"),
    "climate_kw": ("climate", "kW"),
    "temperature_c": ("air", "\u00b0C"),
    "trip_km": ("trip", "km"),
    "trip_average_kwh_per_100km": ("average", "kWh/100 km"),
    "pressure_hpa": ("pressure", "hPa"),
    "humidity_percent": ("humidity", "%"),
    "wind_speed_ms": ("wind", "m/s"),
    "wind_gust_ms": ("gusts", "m/s"),
    "wind_from_deg": ("from", "\u00b0"),
}


@dataclass(frozen=True, slots=True)
class Sample:
    """What one instrument said at one moment.

    ``at`` is in seconds of the drive's clock (see `Clock`); names of values carry their units.
    """

    at: float
    source: Source
    values: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Trouble:
    """An instrument that was lost, came back, talked nonsense, or whose clock jumped; said in words."""

    at: float
    source: Source
    kind: TroubleKind
    words: str


Item = Sample | Trouble
Sink = Callable[[Item], None]


def sensible(values: Mapping[str, float]) -> tuple[dict[str, float], list[str]]:
    """Split values into those that can be, and words for those that cannot."""
    good: dict[str, float] = {}
    bad: list[str] = []
    for name, value in values.items():
        low, high = RANGES[name]
        if math.isfinite(value) and low <= value <= high:
            good[name] = float(value)
        else:
            bad.append(f"{name} {value:g}")
    if "latitude" in good and "longitude" in good and good["latitude"] == good["longitude"] == 0.0:
        del good["latitude"], good["longitude"]
        bad.append("position 0, 0")
    return good, bad


def duration_words(seconds: float) -> str:
    """How long, roughly: for a sentence about clocks.

    Examples
    --------
    >>> [duration_words(s) for s in (40, -7300, 8 * 86400)]
    ['40 s', '2 h 2 min', '8 days']
    """
    whole = abs(round(seconds))
    if whole < 120:
        return f"{whole} s"
    if whole < 2 * 86_400:
        hours, minutes = divmod(whole // 60, 60)
        return f"{hours} h {minutes} min" if hours else f"{minutes} min"
    return f"{whole // 86_400} days"


#: A wall clock this far from ours was set; less is drift. [s]
WALL_SET_S: Final = 3.0


def _since_boot() -> float:
    """Seconds that neither a corrected wall clock nor a lid that was shut can bend."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)


class Patience:
    """Time that waits for whoever keeps beating: between two beats it runs on by no more than a moment.

    At many times the speed of life a busy machine would drive past the line while the window cannot answer.

    Parameters
    ----------
    most_s : float
        How far it runs on without a beat. [s]
    """

    def __init__(self, most_s: float = 0.06, ticking: Callable[[], float] = _since_boot) -> None:
        self._ticking, self._most_s = ticking, most_s
        self._lock = threading.Lock()
        self._at, self._last = 0.0, ticking()

    def beat(self) -> None:
        """Let time run on."""
        with self._lock:
            now = self._ticking()
            self._at += min(now - self._last, self._most_s)
            self._last = now

    def __call__(self) -> float:
        """Seconds that have passed; never less than before. [s]"""
        with self._lock:
            return self._at + min(self._ticking() - self._last, self._most_s)


class Clock:
    """The drive's clock: seconds since it was made, and the moment they stand for.

    A rehearsal runs faster than the wall clock.

    Parameters
    ----------
    origin : datetime, optional
        Moment of second 0, as people there read it; now when absent.
    rate : float
        Seconds of this clock per second.
    """

    def __init__(
        self, origin: datetime | None = None, rate: float = 1.0, ticking: Callable[[], float] = _since_boot
    ) -> None:
        self._of_the_wall = origin is None
        self.origin = origin or datetime.now()
        self.rate = rate
        self._ticking = ticking
        self._start = ticking()

    def seconds(self) -> float:
        """Seconds since the clock was made. [s]"""
        return (self._ticking() - self._start) * self.rate

    def moment(self, seconds: float | None = None) -> datetime:
        """Return the moment of `seconds`; now when absent."""
        return self.origin + timedelta(seconds=self.seconds() if seconds is None else seconds)

    def follow_wall(self, wall: datetime | None = None) -> float | None:
        """Take over a wall clock that was set; by how much, None when it was not. Durations stay true. [s]

        A clock that was given its origin (a rehearsal's) has a day of its own.
        """
        moved = ((wall or datetime.now()) - self.moment()).total_seconds()
        if not self._of_the_wall or abs(moved) <= WALL_SET_S:
            return None
        self.origin += timedelta(seconds=moved)
        return moved


#: So often the same stamp, over so long, is a clock that stands. [s]
STANDS_COUNT: Final = 3
STANDS_S: Final = 1.5


@dataclass(slots=True)
class TimeKeeper:
    """Lays an instrument's own clock on the drive's clock, and notices when the instrument's clock jumps.

    The instrument's stamps space its samples better than their arrival does; only their offset is ours.

    Parameters
    ----------
    tolerance_s : float
        Difference beyond which the stamps have jumped rather than arrived late. [s]
    stands_s : float
        For how long the same stamp makes a clock that stands. [s]
    """

    tolerance_s: float = 2.0
    stands_s: float = STANDS_S
    offset: float | None = None
    last: float = -math.inf
    stands: bool = False  # the instrument's clock does not run: arrival counts
    _stamp: tuple[float, float, int] | None = None  # the last stamp, when it first came, how often since
    _odd: list[tuple[float, float]] = field(default_factory=list)  # arrival, and offset it would mean

    def _standing(self, stamp: float, arrived: float) -> bool:
        """Whether the clock stands: the same stamp again and again while time goes on; one that runs anew begins anew."""
        if self._stamp is None or stamp != self._stamp[0]:
            if self.stands:
                self.offset, self.stands = None, False
                self._odd.clear()
            self._stamp = (stamp, arrived, 1)
            return False
        since, count = self._stamp[1], self._stamp[2] + 1
        self._stamp = (stamp, since, count)
        self.stands = self.stands or (count >= STANDS_COUNT and arrived - since >= self.stands_s)
        return self.stands

    def place(self, stamp: float, arrived: float) -> tuple[float, float | None]:
        """Place a stamp on the drive's clock.

        Returns
        -------
        at, jump
            Seconds of the drive's clock, never going back; and the size of a jump just accepted, if any. [s]
        """
        if self._standing(stamp, arrived):
            self.last = max(arrived, self.last + 1e-3)
            return self.last, None
        fresh = arrived - stamp
        jump = None
        if self.offset is None:
            self.offset = fresh
        drift = fresh - self.offset
        if abs(drift) <= self.tolerance_s:
            self._odd.clear()
            if drift < 0:
                self.offset = fresh  # the least delay seen so far is the truest
        elif drift < 0:
            # Stamps from the future: one is a slip, three alike are a clock that was set.
            self._odd.append((arrived, fresh))
            alike = [f for _, f in self._odd]
            if len(alike) >= 3 and max(alike) - min(alike) < self.tolerance_s:
                jump = -drift
                self.offset = min(alike)
                self._odd.clear()
            else:
                stamp = arrived - self.offset
        else:
            # Stamps from the past: most often what was held up somewhere and comes in a burst; its stamps are right.
            self._odd.append((arrived, fresh))
            waited = arrived - self._odd[0][0]
            alike = [f for _, f in self._odd]
            if len(alike) >= 3 and waited > self.tolerance_s and max(alike) - min(alike) < self.tolerance_s:
                jump = -drift
                self.offset = min(alike)
                self._odd.clear()
        at = max(stamp + self.offset, self.last + 1e-3)
        self.last = at
        return at, jump
