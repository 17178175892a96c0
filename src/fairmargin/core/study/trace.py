"""A leg's logged samples."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def _is_own(column: object) -> bool:
    """Whether a column is some trace's own already, so that nobody writes into it: another trace may share it."""
    if not isinstance(column, np.ndarray) or column.dtype != np.float64:
        return False
    return column.flags.owndata and not column.flags.writeable


@dataclass(frozen=True, eq=False, slots=True, weakref_slot=True)
class Trace:
    """Samples of one leg at any rate; every column has shape (n,), NaN = not known.

    ``time_s`` must increase strictly and ``speed_kmh`` be present; both are checked.

    Raises
    ------
    ValueError
        If the columns differ in length, there are fewer than two samples, time does not increase or a
        speed is negative.
    """

    time_s: Array
    speed_kmh: Array
    power_kw: Array | None = None
    latitude: Array | None = None
    longitude: Array | None = None
    elevation_m: Array | None = None
    soc_percent: Array | None = None
    temperature_c: Array | None = None

    def __post_init__(self) -> None:
        n = len(self.time_s)
        for field in fields(self):
            column = getattr(self, field.name)
            if column is None:
                continue
            owned = column if _is_own(column) else np.array(column, dtype=float)
            if owned.shape != (n,):
                raise ValueError(f"{field.name} has {owned.size} values; expected {n}, as many as time_s")
            owned.setflags(write=False)
            object.__setattr__(self, field.name, owned)
        if n < 2:
            raise ValueError(f"a trace needs at least 2 samples; got {n}")
        steps = np.diff(self.time_s)
        if not np.all(steps > 0):
            where = int(np.argmin(steps > 0)) + 1
            raise ValueError(
                f"time_s must increase from sample to sample; sample {where + 1} has {self.time_s[where]:g} s "
                f"after {self.time_s[where - 1]:g} s"
            )
        if np.any(self.speed_kmh < 0):
            raise ValueError("speed_kmh must not be negative")

    def columns(self) -> dict[str, Array]:
        """Return the columns that are present, by name."""
        return {f.name: getattr(self, f.name) for f in fields(self) if getattr(self, f.name) is not None}

    def same_as(self, other: Trace) -> bool:
        """Tell whether both hold the same samples (NaN equals NaN)."""
        mine, theirs = self.columns(), other.columns()
        return mine.keys() == theirs.keys() and all(np.array_equal(mine[k], theirs[k], equal_nan=True) for k in mine)
