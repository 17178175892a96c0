"""Recordings of a leg: a name of its own, and what one that was cut short holds, as far as it goes."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from fairmargin.core.study import Study, Trace
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.instruments.recording import SUFFIX, Recording, to_trace


def fresh_path(folder: Path, moment: datetime, leg: str) -> Path:
    """A name that no recording of the folder has, with the time and the leg in it."""
    safe = "".join(c if c.isalnum() or c in "-." else "_" for c in leg)
    path = folder / f"{moment:%Y%m%d-%H%M%S}-{safe}{SUFFIX}"
    more = 2
    while path.exists():
        path = folder / f"{moment:%Y%m%d-%H%M%S}-{safe}-{more}{SUFFIX}"
        more += 1
    return path


def was_read_off(kept: Recording) -> bool:
    """Whether the leg was read off after its last reset, and that was not taken back."""
    read = kept.marked("read-off")
    later = (kept.marked("back to driving"), kept.marked("reset"))
    return read is not None and all(at is None or at <= read for at in later)


def taken_as_far_as_it_goes(study: Study | None, kept: Recording, name: str) -> tuple[Study, Trace]:
    """The study with the recording's leg, and its log.

    Raises
    ------
    InvalidInput
        If nothing was recorded after a reset, or no such leg is there.
    """
    reset = kept.marked("reset")
    if study is None or all(leg.leg != kept.leg for leg in study.legs) or reset is None or not kept.samples:
        raise InvalidInput(f"{name}: nothing was recorded after a reset; there is nothing to take.")
    read = kept.marked("read-off")
    end = read if read is not None and was_read_off(kept) else max(s.at for s in kept.samples)
    trace, notices = to_trace(kept.samples, reset, end, float(study.vehicle.speed_error_percent or 0.0))
    if trace is None:
        raise InvalidInput(f"{name}: {notices[0]}.")
    after = study.with_leg(
        kept.leg,
        started_at=kept.moment(reset).replace(microsecond=0),
        duration_s=round(float(trace.time_s[-1]), 1),
        note=f"recording cut short at {kept.moment(end):%H:%M:%S}",
    )
    return after, trace
