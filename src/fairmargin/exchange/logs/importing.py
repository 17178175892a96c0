"""Logs brought into a package from the command line: read, cut into drives, and laid on legs."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from fairmargin.core.study import Trace
from fairmargin.core.units.dates import Order, UndecidedDates
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs import loggers
from fairmargin.exchange.logs.cuts import cut as cut_out
from fairmargin.exchange.logs.formats import format_of_file
from fairmargin.exchange.logs.legs import Cutting, pieces_of
from fairmargin.exchange.packages.reading import Package

Say = Callable[[str], None]


@dataclass(frozen=True, slots=True)
class Found:
    """A log, and the profile it was read by when that is not kept yet."""

    trace: Trace | None  # None when it was only to be looked at
    profile: loggers.Profile | None


def read_any_log(
    path: Path,
    track: bool,
    profile: str,
    saved: Mapping[str, loggers.Profile],
    look: bool,
    say: Say,
    note: Say,
    order: Order = "",
) -> Found:
    """Read a log or a track; `say` tells how, `note` what was noticed.

    Raises
    ------
    InvalidInput
        Naming file, row and column of what cannot be read.
    """
    fresh: loggers.Profile | None = None
    if track:
        log = format_of_file(path).read(path)
    else:
        chosen = saved.get(profile) if profile else None
        if chosen is None:
            seen = loggers.preview(path, profile)
            chosen = fresh = seen.profile
            for notice in seen.notices:
                note(f"{path}: note: {notice}")
        for column in chosen.columns:
            say(f"{column.header}: {f'{column.role}, {column.unit}' if column.role else 'not used'}")
        if look:
            return Found(None, fresh)
        if order:
            chosen = replace(chosen, dates=order)
        try:
            log = loggers.read_log(path, chosen)
        except UndecidedDates as fault:
            raise InvalidInput(f"{path}: {fault}; --dates day-first or --dates month-first") from fault
    for notice in log.notices:
        note(f"{path}: note: {notice}")
    return Found(None if look else log.trace, fresh)


def laid_on_legs(
    package: Package, trace: Trace, cut: Cutting, wanted: Sequence[str], into: Path, logfile: Path, say: Say
) -> dict[str, Trace]:
    """Cut a log into drives and lay them on the wanted legs, or on those without samples, in their order.

    Raises
    ------
    InvalidInput
        If a leg is not there, has samples already, or there are not as many drives as legs.
    """
    legs = package.study.legs
    names = list(wanted) or [leg.leg for leg in legs if leg.leg not in package.traces and leg.included]
    wrong = [n for n in names if n not in {leg.leg for leg in legs}]
    if wrong:
        raise InvalidInput([f"--legs: {', '.join(wrong)} not in legs.csv of {into}"])
    taken = [n for n in names if n in package.traces]
    if taken:
        raise InvalidInput([f"{into}: {', '.join(taken)} already has samples; nothing is overwritten"])
    drives = [(p.start_s, p.end_s) for p in pieces_of(package.study, trace, cut)]
    if len(drives) != len(names):
        raise InvalidInput(
            [
                f"{logfile}: {len(drives)} drives of 500 m and more, {len(names)} legs without samples; name the legs with --legs, "
                "or take the file as one with --whole"
            ]
        )
    traces = dict(package.traces)
    for name, (start, end) in zip(names, drives, strict=True):
        traces[name] = cut_out(trace, start, end)
        say(f"{name}: {start:.0f} to {end:.0f} s, {len(traces[name].time_s)} samples")
    return traces
