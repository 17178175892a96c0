"""The recording of a drive: every sample, trouble and mark, written as it arrives.

One text file a leg, one JSON value a line, only ever added to. Lines go to the operating system at once, so
a killed process loses none that had arrived, and to the disk every half second, so a power cut loses less
than a second.
"""

from __future__ import annotations

import contextlib
import json
import os
import threading
from array import array
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Trace
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.instruments.samples import Item, Sample, Trouble, sensible

Array = NDArray[np.float64]

FORMAT: Final = "fairmargin-recording"
SYNC_S: Final = 0.5
#: A value older than this, or three times its usual spacing, is not carried on. [s]
CARRY_S: Final = 3.0
SUFFIX: Final = ".drive"


class Recorder:
    """Writes one leg's recording; every method may be called from any thread.

    Parameters
    ----------
    path : Path
        Must not exist: a recording is never written over.
    leg : str
    origin : datetime
        Moment of second 0 of the drive's clock.

    Raises
    ------
    OSError
        If the file cannot be made.
    """

    def __init__(self, path: Path, leg: str, origin: datetime) -> None:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        self.path = path
        self.fault = ""
        self._file: int | None = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_APPEND, 0o600)
        self._lock = threading.Lock()
        self._dirty = False
        self._closed = threading.Event()
        self._line({"format": FORMAT, "version": 1, "leg": leg, "origin": origin.isoformat()})
        self._thread = threading.Thread(target=self._sync, name="recorder", daemon=True)
        self._thread.start()

    def put(self, item: Item) -> None:
        """Write a sample or a trouble."""
        if isinstance(item, Sample):
            values = {k: round(v, 7) for k, v in item.values.items()}
            self._line({"t": round(item.at, 3), "s": item.source, "v": values})
        else:
            self._line({"t": round(item.at, 3), "s": item.source, "trouble": item.kind, "words": item.words})

    def mark(self, at: float, what: str, **details: Any) -> None:
        """Write what the person did: reset, read-off, an event."""
        self._line({"t": round(at, 3), "mark": what, **details})

    def close(self) -> None:
        """Put everything on the disk and let go."""
        self._closed.set()
        self._thread.join(5.0)
        with self._lock:
            if self._file is not None:
                with contextlib.suppress(OSError):
                    os.fsync(self._file)
                os.close(self._file)
                self._file = None

    def _line(self, value: Mapping[str, Any]) -> None:
        data = (json.dumps(value, ensure_ascii=False) + "\n").encode()
        with self._lock:
            if self._file is None:
                return
            try:
                os.write(self._file, data)
                self._dirty = True
            except OSError as error:  # a full disk: told once, the drive goes on
                self.fault = f"{self.path}: cannot be written: {error.strerror or error}"

    def _sync(self) -> None:
        while not self._closed.wait(SYNC_S):
            with self._lock:
                file, dirty = self._file, self._dirty
                self._dirty = False
            if dirty and file is not None:
                with contextlib.suppress(OSError):
                    os.fsync(file)


@dataclass(frozen=True, slots=True)
class Mark:
    """What the person did, and when on the drive's clock. [s]"""

    at: float
    what: str
    details: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Recording:
    """A recording as read back."""

    leg: str
    origin: datetime
    samples: tuple[Sample, ...]
    troubles: tuple[Trouble, ...]
    marks: tuple[Mark, ...]
    damaged: int  # lines that could not be read; the last one of a killed process is usual

    def moment(self, at: float) -> datetime:
        """Moment of a second of the drive's clock."""
        return self.origin + timedelta(seconds=at)

    def marked(self, what: str) -> float | None:
        """When a thing was done last; None when it was not. [s]"""
        return next((m.at for m in reversed(self.marks) if m.what == what), None)


def read_recording(path: str | Path) -> Recording:
    """Read a recording, however it ended.

    Raises
    ------
    InvalidInput
        If the file cannot be read or is no recording.
    """
    path = Path(path)
    lines = budget.read_bytes(path, budget.LOG_BYTES).splitlines()
    try:
        head = json.loads(lines[0][: budget.HEADER])
        if head["format"] != FORMAT:
            raise ValueError(f'format "{head["format"]}"')
        leg, origin = str(head["leg"]), datetime.fromisoformat(head["origin"])
    except (ValueError, KeyError, TypeError, IndexError, RecursionError) as error:
        raise InvalidInput(f"{path}, row 1: not a recording of a drive") from error
    samples: list[Sample] = []
    troubles: list[Trouble] = []
    marks: list[Mark] = []
    damaged = 0
    for line in lines[1:]:
        if not line.strip():
            continue
        try:
            if len(line) > budget.HEADER:
                raise ValueError("longer than any line of a recording")
            value = json.loads(line)
            at = float(value["t"])
            if not np.isfinite(at):
                raise ValueError("time is no number")
            if "v" in value:
                good, _ = sensible({str(k): float(v) for k, v in value["v"].items()})
                samples.append(Sample(at, value["s"], good))
            elif "trouble" in value:
                troubles.append(Trouble(at, value["s"], value["trouble"], str(value["words"])))
            else:
                marks.append(Mark(at, str(value["mark"]), value))
        except (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError):
            damaged += 1
    return Recording(leg, origin, tuple(samples), tuple(troubles), tuple(marks), damaged)


class Columns:
    """Samples of a drive as they come, as columns of numbers: eight hours take 16 bytes a value, not half a kilobyte a sample."""

    def __init__(self, samples: Iterable[Sample] = ()) -> None:
        self._columns: dict[tuple[str, str], tuple[array[float], array[float]]] = {}
        self.last_at: float | None = None
        self._count = 0
        for sample in samples:
            self.append(sample)

    def __len__(self) -> int:
        return self._count

    def append(self, sample: Sample) -> None:
        """Add one sample."""
        self._count += 1
        self.last_at = sample.at if self.last_at is None else max(self.last_at, sample.at)
        for name, value in sample.values.items():
            key = (sample.source, name)
            if key not in self._columns:
                self._columns[key] = (array("d"), array("d"))
            at, values = self._columns[key]
            at.append(sample.at)
            values.append(value)

    def series(self, name: str, source: str | None = None) -> tuple[Array, Array]:
        """Times and values of one quantity, of one source or all, in order of time; of equal times the smallest value."""
        found = [c for (s, n), c in self._columns.items() if n == name and source in {None, s}]
        if not found:
            return np.empty(0), np.empty(0)
        at = np.concatenate([np.array(t) for t, _ in found])
        values = np.concatenate([np.array(v) for _, v in found])
        order = np.lexsort((values, at))
        at, values = at[order], values[order]
        keep = np.concatenate([[True], np.diff(at) > 0])
        return at[keep], values[keep]

    def mean(self, name: str, source: str, start: float, end: float) -> float | None:
        """Mean of a quantity between two times; None without any."""
        at, values = self.series(name, source)
        inside = values[(at >= start) & (at <= end)]
        return float(inside.mean()) if len(inside) else None

    def time_below_s(self, name: str, source: str, limit: float, start: float, end: float) -> float | None:
        """Time a quantity was below a limit between two times; None without two samples there. [s]"""
        at, values = self.series(name, source)
        inside = (at >= start) & (at <= end)
        at, values = at[inside], values[inside]
        return None if len(at) < 2 else float(np.diff(at)[values[:-1] < limit].sum())


def _laid(at: Array, series: tuple[Array, Array]) -> Array:
    """Values at other times; NaN where the instrument was silent."""
    t, v = series
    if not len(t):
        return np.full(len(at), np.nan)
    out = np.interp(at, t, v)
    longest = max(CARRY_S, 3.0 * float(np.median(np.diff(t)))) if len(t) > 1 else CARRY_S
    right = np.clip(np.searchsorted(t, at), 1, len(t) - 1) if len(t) > 1 else np.zeros(len(at), dtype=int)
    if len(t) > 1:
        silent = (t[right] - t[right - 1] > longest) & (at > t[right - 1] + 1e-9) & (at < t[right] - 1e-9)
        out[silent] = np.nan
    out[(at < t[0] - longest) | (at > t[-1] + longest)] = np.nan
    return np.asarray(out)


def to_trace(
    samples: Columns | Iterable[Sample], start: float, end: float, speed_error_percent: float = 0.0
) -> tuple[Trace | None, tuple[str, ...]]:
    """Lay the samples of a leg on one time base.

    Speed is the GPS's, and the vehicle's own (by its stated error) where the GPS was silent.

    Parameters
    ----------
    samples : Columns or samples
    start, end : float
        Reset and read-off on the drive's clock. [s]
    speed_error_percent : float
        By how much the vehicle's own speed is above the true one.

    Returns
    -------
    trace, notices
        None when too little came to make one.
    """
    notices: list[str] = []
    drive = samples if isinstance(samples, Columns) else Columns(samples)
    bus = drive.series("speed_kmh", "vehicle")
    bus = (bus[0], bus[1] / (1.0 + speed_error_percent / 100.0))
    gps = drive.series("speed_kmh", "gps")
    power = drive.series("power_kw")
    base = power[0] if len(power[0]) > 1 else gps[0] if len(gps[0]) >= len(bus[0]) else bus[0]
    base = base[(base >= start) & (base <= end)]
    if len(base) < 2:
        return None, ("no speed was recorded between reset and read-off",)
    speed = _laid(base, gps)
    lost = ~np.isfinite(speed)
    if lost.any() and len(bus[0]):
        speed[lost] = _laid(base, bus)[lost]
        filled = int((lost & np.isfinite(speed)).sum())
        if len(gps[0]) and filled:
            notices.append(f"GPS speed missing at {filled} of {len(base)} samples; the vehicle's own taken")
    known = np.isfinite(speed)
    if known.sum() < 2:
        return None, ("no speed was recorded between reset and read-off",)
    if not known.all():
        notices.append(f"{int((~known).sum())} samples without any speed left out")
        base, speed = base[known], speed[known]
    columns: dict[str, Array] = {"time_s": base - base[0], "speed_kmh": np.maximum(speed, 0.0)}
    for name, source in (
        ("power_kw", None),
        ("latitude", "gps"),
        ("longitude", "gps"),
        ("elevation_m", "gps"),
        ("soc_percent", "vehicle"),
        ("temperature_c", "vehicle"),
    ):
        values = _laid(base, drive.series(name, source))
        if np.isfinite(values).any():
            columns[name] = values
    return Trace(**columns), tuple(notices)


def recordings_of(logbook: Path, study_id: int) -> Path:
    """Folder of a study's recordings, beside its logbook."""
    return logbook.with_suffix(".recordings") / str(study_id)


def unfinished(folder: Path) -> list[Path]:
    """Recordings that were never finished (the process was killed, the power went), oldest first."""
    found = []
    for path in sorted(folder.glob(f"*{SUFFIX}")) if folder.is_dir() else []:
        with contextlib.suppress(OSError), path.open("rb") as file:
            file.seek(max(0, path.stat().st_size - 4096))
            tail = file.read()
            if b'"mark": "finished"' not in tail and b'"mark": "abandoned"' not in tail:
                found.append(path)
    return found


def close_recording(path: Path, what: str) -> None:
    """Add a last mark to a recording that was taken over or let go (OSError if that is not possible)."""
    with path.open("ab") as file:
        file.write(b"\n" + json.dumps({"t": 0.0, "mark": what}).encode() + b"\n")
