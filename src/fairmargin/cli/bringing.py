"""`import`: logs, tracks and weather reports into a package."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, cast, get_args

import typer

from fairmargin.cli.words import BAD_INPUT, fault_line, refuse, say

if TYPE_CHECKING:
    from fairmargin.core.units.dates import Order
    from fairmargin.exchange.logs.legs import Cutting


def _import_weather(source: Path, into: Path, preview: bool, order: Order) -> None:
    """Add a station's reports to a package; ones that are there stay."""
    from datetime import datetime

    from fairmargin.core.units.dates import UndecidedDates
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.logs.legs import near_legs, with_weather
    from fairmargin.exchange.meteorology.stations import read_weather
    from fairmargin.exchange.packages.reading import read_package
    from fairmargin.exchange.packages.writing import write_package

    package = read_package(into)
    started = [leg.started_at for leg in package.study.legs if leg.started_at is not None]
    heights = [p.elevation_m for p in package.study.route if p.elevation_m is not None]
    try:
        rows, notices = read_weather(
            source.read_text(encoding="utf-8-sig", errors="replace"),
            max(started, key=lambda m: m.replace(tzinfo=None)) if started else datetime.now(),
            height_m=sum(heights) / len(heights) if heights else 0.0,
            order=order,
            near=sorted({m.date() for m in started}),
        )
    except UndecidedDates as error:
        raise InvalidInput([f"{source}: {error}; --dates day-first or --dates month-first"]) from error
    except ValueError as error:
        raise InvalidInput([f"{source}: {error}"]) from error
    for notice in notices:
        fault_line(f"{source}: note: {notice}")
    near = near_legs(package.study, rows)
    study, fresh = with_weather(package.study, near)
    far = len(rows) - len(near)
    say(
        f"{fresh} new reports, {len(near) - fresh} there already"
        + (f", {far} more than three hours from every leg" if far else "")
    )
    if not preview:
        write_package(into, study, package.traces)


def _as_table(path: Path, sheet: str) -> Path:
    """A sheet of a workbook as a file of text, which goes when the process ends."""
    import atexit
    import shutil
    import tempfile

    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.files.kinds import as_text, read_workbook

    sheets, notices = read_workbook(path)
    for notice in notices:
        fault_line(f"{path}: note: {notice}")
    if sheet and sheet not in sheets:
        raise InvalidInput([f'{path}: no sheet "{sheet}"; there are {", ".join(sheets)}'])
    if not sheet and len(sheets) > 1:
        raise InvalidInput([f"{path}: {len(sheets)} sheets, {', '.join(sheets)}; say which with --sheet"])
    folder = Path(tempfile.mkdtemp(prefix="fairmargin-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    copy = folder / f"{path.stem}.tsv"
    copy.write_text(as_text(sheets[sheet or next(iter(sheets))]), encoding="utf-8")
    return copy


def _bring(
    source: Path, into: Path, profile: str, wanted: list[str], cut: Cutting, order: Order, preview: bool, sheet: str
) -> None:
    """Read a file as what it is, and put it into a package."""
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.files.kinds import WORDS, recognise
    from fairmargin.exchange.logs import loggers
    from fairmargin.exchange.logs.importing import laid_on_legs, read_any_log
    from fairmargin.exchange.packages.reading import read_package
    from fairmargin.exchange.packages.writing import write_package

    found = recognise(source)
    if found.kind == "workbook":
        source = _as_table(source, sheet)
        found = recognise(source)
    if found.kind in {"reports", "table"} and not profile:
        _import_weather(source, into, preview, order)
        return
    if found.kind not in {"log", "track", "table"}:
        raise InvalidInput([f"{source}: {WORDS[found.kind]}; expected a log, a track or weather"])
    saved = loggers.load_profiles(loggers.profiles_path())
    read = read_any_log(source, found.kind == "track", profile, saved, preview, say, fault_line, order)
    if read.trace is None:
        return
    package = read_package(into)
    write_package(into, package.study, laid_on_legs(package, read.trace, cut, wanted, into, source, say))
    if profile and read.profile is not None:
        loggers.save_profiles(loggers.profiles_path(), [*saved.values(), read.profile])


def import_command(
    logfile: Annotated[
        Path,
        typer.Argument(
            help="CSV with a header row, XLSX, ODS, Parquet; GPX, TCX, KML, FIT, NMEA; ASC, BLF, MF4 with a DBC beside it; METAR texts."
        ),
    ],
    into: Annotated[Path, typer.Option("--into", help="Study package that gets the samples.")],
    profile: Annotated[
        str, typer.Option(help="Named profile; guessed from the file and kept under this name when new.")
    ] = "",
    legs: Annotated[str, typer.Option(help="Legs the drives belong to, in their order, such as L01,L02.")] = "",
    whole: Annotated[bool, typer.Option("--whole", help="One leg; do not cut at stops.")] = False,
    cut: Annotated[str, typer.Option(help="Where to cut: stops, gates (of the route), coasts, whole.")] = "stops",
    dates: Annotated[
        str, typer.Option(help="Of dates such as 02/05/2026: day-first or month-first, where nothing tells.")
    ] = "",
    preview: Annotated[bool, typer.Option("--preview", help="Show how it would be read; write nothing.")] = False,
    sheet: Annotated[str, typer.Option(help="Which sheet of a workbook, where it has several.")] = "",
) -> None:
    """Bring a file into a package: a logger's table, a track or a bus log cut into drives, METAR texts or a station's table."""
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.logs.legs import Cutting

    try:
        if dates not in {"", "day-first", "month-first"}:
            raise InvalidInput([f'--dates: "{dates}" is not known; expected day-first or month-first'])
        order: Order = dates  # type: ignore[assignment]
        if cut not in get_args(Cutting):
            raise InvalidInput([f'--cut: "{cut}" is not known; expected stops, gates, coasts or whole'])
        wanted = [n.strip() for n in legs.split(",") if n.strip()]
        _bring(logfile, into, profile, wanted, "whole" if whole else cast(Cutting, cut), order, preview, sheet)
    except InvalidInput as fault:
        refuse(fault.faults)
    except OSError as error:
        fault_line(f"{error.filename or logfile}: {error.strerror or error}")
        raise typer.Exit(BAD_INPUT) from None
