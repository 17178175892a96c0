"""Recordings that were cut short: what they hold, as far as they go."""

from __future__ import annotations

from fairmargin.core.study import Study, Trace
from fairmargin.exchange.faults import InvalidInput
from fairmargin.instruments.recording import Recording, to_trace


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
    end = kept.marked("read-off") or max(s.at for s in kept.samples)
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
