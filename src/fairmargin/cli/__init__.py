"""The command line. Nothing but opening the window imports Qt."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, cast

import typer

from fairmargin import __version__
from fairmargin.cli.analysing import How, say_told, told_of_all
from fairmargin.cli.bringing import import_command
from fairmargin.cli.memory import compare_command, practise_command, vehicle_command
from fairmargin.cli.outcome import range_command, trip_command
from fairmargin.cli.words import BAD_INPUT, DIFFERS, OK, Units, fault_line, from_stdin, refuse, say, say_json, spoken
from fairmargin.core.units import said

if TYPE_CHECKING:
    from collections.abc import Sequence

    from fairmargin.core.planning import Design
    from fairmargin.core.planning.expected import Expected
    from fairmargin.core.planning.timetable import Timetable
    from fairmargin.core.study import Study
    from fairmargin.exchange.reports.pdf import Paper

app = typer.Typer(no_args_is_help=False, pretty_exceptions_enable=False)


def _version(wanted: bool) -> None:
    if wanted:
        print(f"fairmargin {__version__}")
        raise typer.Exit(OK)


@app.callback()
def _top(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version and stop.")
    ] = False,
) -> None:
    """Fair Margin: what a change does to a vehicle's consumption, with an honest margin."""


def open_window(path: str | None, demo: bool = False) -> int:
    """Open the window; the only door from here to Qt."""
    from fairmargin.desktop.system.memory import hold_off

    hold_off()
    from fairmargin.desktop.application import run

    return run(path, demo=demo)


@app.command()
def demo(path: Annotated[Path | None, typer.Option("--at", help="Where to put the demo logbook.")] = None) -> None:
    """Open the window on the demo logbook (put there when absent)."""
    raise typer.Exit(open_window(str(path) if path else None, demo=True))


@app.command(name="open")
def open_(path: Annotated[str | None, typer.Argument(help="A logbook or a study package.")] = None) -> None:
    """Open the window (the same as no command at all)."""
    raise typer.Exit(open_window(path))


@app.command()
def analyse(
    packages: Annotated[
        list[Path],
        typer.Argument(help="Study packages: folders or zips; - for a zip on standard input.", metavar="PACKAGE..."),
    ],
    as_json: Annotated[bool, typer.Option("--json", help="One JSON object per package and line.")] = False,
    view: Annotated[str, typer.Option(help="reference, study-mean or as-measured.")] = "reference",
    logbook: Annotated[
        Path | None, typer.Option(help="Logbook whose studies tell your own run-to-run scatter (it is only read).")
    ] = None,
    sensitivity: Annotated[
        bool, typer.Option("--sensitivity", help="Also with each prior halved, doubled, and its mean moved.")
    ] = False,
    units: Units = "",
) -> None:
    """Correct the legs and state the effect of the change with its margin."""
    from fairmargin.core.result.types import VIEWS

    if view not in VIEWS:
        fault_line(f'--view: "{view}" is not a view; expected one of {", ".join(VIEWS)}')
        raise typer.Exit(BAD_INPUT)
    scatter = None
    if logbook is not None:
        scatter = _scatter_of(logbook)
    status = OK
    for told in told_of_all(packages, How(view, scatter, as_json, sensitivity, bool(units))):
        say_told(told)
        status = max(status, told.status)
        sys.stdout.flush()
    raise typer.Exit(status)


def _scatter_of(logbook: Path) -> Any:
    from fairmargin.core.inference.scatter import learned_scatter
    from fairmargin.logbook import Logbook, LogbookFault

    try:
        with Logbook.open(logbook, create=False) as book:
            return learned_scatter(book.scatter_evidence())
    except LogbookFault as fault:
        fault_line(str(fault))
        raise typer.Exit(BAD_INPUT) from None


@app.command(context_settings={"ignore_unknown_options": True})
def convert(value: str, source: str, target: str) -> None:
    """Convert a consumption: fairmargin convert 3.4 mi/kWh Wh/km."""
    from fairmargin.core import units

    try:
        number = units.read_number(value)
        if number.rest:
            raise units.UnitError(f'"{value}" is not a number')
        result = units.convert(number.value, units.consumption_unit(source), units.consumption_unit(target))
    except units.UnitError as error:
        fault_line(f"convert: {error}")
        raise typer.Exit(BAD_INPUT) from None
    say(f"{result:.6g}")


@app.command()
def simulate(
    out: Annotated[Path, typer.Argument(help="Folder or .zip to write.")],
    seed: Annotated[int, typer.Option(help="Everything random follows from it.", min=0)],
    kind: Annotated[str, typer.Option(help="Kind of change.")] = "aero covers",
    effect: Annotated[float, typer.Option(help="True effect at reference conditions, per cent.")] = -4.0,
    days: Annotated[int, typer.Option(help="Days; with more than one the trial runs are on the last.", min=1)] = 1,
    wind: Annotated[str, typer.Option(help="calm, mixed or windy.")] = "mixed",
    order: Annotated[str, typer.Option(help="Order of the runs.")] = "ABBA",
    samples: Annotated[bool, typer.Option("--samples", help="Write logged samples as well.")] = False,
    speed: Annotated[float, typer.Option(help="Target speed, km/h.", min=30, max=160)] = 90.0,
    method: Annotated[str, typer.Option(help="out-and-back, loop or one-way.")] = "out-and-back",
    instrument: Annotated[str, typer.Option(help="average, energy, charge-back, soc or logger.")] = "average",
    step: Annotated[float, typer.Option(help="Display step, kWh/100 km.", min=0.001, max=5)] = 0.1,
) -> None:
    """Drive a virtual test day and write what its instruments showed, with the truth beside it."""
    from fairmargin.core.kinds import change_kinds
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.packages.writing import write_package, write_truth
    from fairmargin.simulation import DayPlan
    from fairmargin.simulation import simulate as drive

    choices = {
        "--kind": (kind, change_kinds()),
        "--wind": (wind, ("calm", "mixed", "windy")),
        "--method": (method, ("out-and-back", "loop", "laps", "one-way")),
        "--instrument": (instrument, ("average", "energy", "charge-back", "soc", "logger")),
    }
    for option, (given, allowed) in choices.items():
        if given not in allowed:
            fault_line(f'{option}: "{given}" is not known; expected one of {", ".join(allowed)}')
            raise typer.Exit(BAD_INPUT)
    if not -60 <= effect <= 200:
        fault_line(f"--effect: {effect:g} is not possible; expected -60 to 200 per cent")
        raise typer.Exit(BAD_INPUT)
    try:
        plan = DayPlan(
            kind=kind,
            effect_percent=effect,
            order=order.upper(),
            method=method,
            speed_kmh=speed,
            wind=wind,
            days=days,
            samples=samples or instrument == "logger",
            instrument=instrument,
            step=step,
        )
        made = drive(seed, plan)
        write_package(out, made.study, made.traces)
        write_truth(out, made.truth)
    except (InvalidInput, ValueError) as error:
        fault_line(f"simulate: {error}")
        raise typer.Exit(BAD_INPUT) from None


@app.command()
def plan(
    package: Annotated[Path, typer.Argument(help="Study package; its legs need not be driven.")],
    as_json: Annotated[bool, typer.Option("--json", help="One JSON object.")] = False,
    runs: Annotated[int, typer.Option(help="Runs in all, even.", min=2, max=24)] = 4,
    days: Annotated[int, typer.Option(help="Simulated days for each design.", min=5, max=5000)] = 200,
    ics: Annotated[Path | None, typer.Option(help="Write the timetable as a calendar file.")] = None,
    units: Units = "",
) -> None:
    """Compare designs for this very study, say how many pairs it needs, and lay out the day."""
    from datetime import date, datetime

    from fairmargin.core import planning as d
    from fairmargin.core.units import in_units, plain
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.packages.reading import read_package
    from fairmargin.exchange.words.summaries import plan_json

    try:
        study = read_package(from_stdin(package)).study
        if not d.patterns_of(study):
            raise InvalidInput([_no_designs(study)])
        sides = len(study.lettered)
        if runs % sides:
            expected_runs = "an even number" if sides == 2 else f"a multiple of {sides}, as there are {sides} sides"
            fault_line(f"--runs: {runs} runs cannot be paired; expected {expected_runs}")
            raise typer.Exit(BAD_INPUT)
        compared = d.recommend(list(d.compare_designs(study, runs=runs, days=days)))
        compared = tuple(d.with_power(study, x, days=days) if x.recommended else x for x in compared)
        best = next(x for x in compared if x.recommended)
        order = best.order if best.order != "random" else d.order_of("random", runs, sides=sides)
        when = study.plan.day or date.today()
        clock = datetime.combine(when, datetime.min.time().replace(hour=12)).astimezone()
        table = d.plan_day(study, order, when, utc_offset=clock.utcoffset()).worded(
            lambda text: in_units(text, spoken()) if units else plain(text)
        )
        pairs = d.pairs_for(study, best)
        expected = d.expected_effect(study, [d.planned_speed_kmh(study)])
        if ics is not None:
            from fairmargin.exchange.reports.calendar import calendar_file

            ics.write_bytes(calendar_file(study, table, datetime.now().astimezone()))
    except InvalidInput as fault:
        for line in fault.faults:
            fault_line(f"{package}: {line}")
        raise typer.Exit(BAD_INPUT) from None
    except (ArithmeticError, ValueError) as error:
        fault_line(f"{package}: cannot be planned: {error}")
        raise typer.Exit(BAD_INPUT) from None
    except OSError as error:
        fault_line(f"{ics}: cannot be written: {error.strerror or error}")
        raise typer.Exit(BAD_INPUT) from None
    if as_json:
        say_json(plan_json(str(package), study, compared, pairs, table, expected))
    else:
        _say_plan(study, expected, compared, pairs, table)


def _no_designs(study: Study) -> str:
    """Why there is no order of runs to compare."""
    if study.method in {"everyday", "climb"}:
        return f"study.json, method: {study.method} has no order of runs to compare; expected one with runs of both"
    return "study.json, configurations: no trial; expected one beside the baseline"


def _say_plan(
    study: Study, expected: Expected, compared: Sequence[Design], pairs: int | None, table: Timetable
) -> None:
    """Say designs, pairs and the day in words."""
    say(study.title or "(no title)")
    if expected.given:
        say(
            f"  expected {expected.percent[0]:+.1f} % ({expected.low[0]:+.1f} to {expected.high[0]:+.1f} %) "
            f"at {said(float(expected.speed_kmh[0]), 'km/h')}"
        )
    say("  order      margin  drift  settles  hours   kWh")
    for x in compared:
        mark = "*" if x.recommended else " "
        say(
            f"{mark} {x.order:10} \u00b1{x.half_width_percent:4.1f} % {x.drift_percent:4.1f} % {x.settles:6.0%} {x.hours:7.1f} "
            f"{x.energy_kwh:6.1f}  {x.words}"
        )
    say(f"  pairs needed: {pairs if pairs is not None else 'no number of pairs settles it'}")
    for step in table.steps:
        level = "" if step.charge_percent is None else f"  {step.charge_percent:3.0f} %"
        say(f"  {step.start:%H:%M} to {step.end:%H:%M}  {step.words}{level}")
    for warning in table.warnings:
        say(f"  ! {warning}")


@app.command()
def report(
    package: Annotated[Path, typer.Argument(help="Study package.")],
    out: Annotated[Path, typer.Argument(help="File to write: .html or .pdf.")],
    units: Units = "",
    paper: Annotated[str, typer.Option(help="Of a PDF: A4 or Letter; by the units where it is not said.")] = "",
) -> None:
    """Write the study's report as one file."""
    if paper not in {"", "A4", "Letter"}:
        fault_line(f'--paper: "{paper}" is not known; expected A4 or Letter')
        raise typer.Exit(BAD_INPUT)
    from fairmargin.core.analysis import analyse as run
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.packages.reading import read_package

    try:
        read = read_package(from_stdin(package))
        from fairmargin.core.outcome.asking import askings
        from fairmargin.exchange.reports.use import report_use
        from fairmargin.exchange.reports.writing import write_report

        found = run(read.study, read.traces)
        use = report_use(read.study, askings(read.study, read.traces, found.results))
        sheet = cast("Paper", paper) if paper else None
        write_report(out, read.study, found, spoken(), use=use, traces=read.traces, paper=sheet)
    except InvalidInput as fault:
        for line in fault.faults:
            fault_line(f"{package}: {line}" if not line.startswith(str(out)) else line)
        raise typer.Exit(BAD_INPUT) from None


@app.command()
def table(
    package: Annotated[Path, typer.Argument(help="Study package.")],
    out: Annotated[Path, typer.Argument(help="File to write: .csv, .xlsx or .parquet.")],
    what: Annotated[
        str, typer.Option(help="legs (with their corrections), effects, ledger, concerns or results.")
    ] = "legs",
) -> None:
    """Write a table of a study's analysis: every leg with its corrections, or what else is asked for."""
    from fairmargin import library
    from fairmargin.exchange.files.faults import InvalidInput

    try:
        library.analyse(library.read(from_stdin(package))).save(out, cast("library.What", what))
    except InvalidInput as fault:
        refuse(fault.faults)
    except ValueError as error:
        fault_line(f"{package}: {error}")
        raise typer.Exit(BAD_INPUT) from None


@app.command()
def verify(page: Annotated[Path, typer.Argument(help="A report, as an HTML file.")]) -> None:
    """Work a report out again from the study that it carries: exit 0 where it is the same, 1 where it differs, 2 without one."""
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.reports.carried import verify as check

    try:
        found = check(page.read_text(encoding="utf-8"), str(page))
    except (OSError, UnicodeDecodeError) as error:
        fault_line(f"{page}: cannot be read: {getattr(error, 'strerror', None) or error}")
        raise typer.Exit(BAD_INPUT) from None
    except InvalidInput as fault:
        refuse(fault.faults)
    for d in found:
        say(f"in the report: {d.in_page or '(nothing)'}")
        say(f"  worked out:  {d.worked_out or '(nothing)'}")
    say("Same: every figure and word follows from the study it carries." if not found else f"{len(found)} differences.")
    if found:
        raise typer.Exit(DIFFERS)


@app.command()
def export(
    logbook: Annotated[Path, typer.Argument(help="A logbook.")],
    study: Annotated[str, typer.Argument(help="Title of the study, or its number in the list.")],
    out: Annotated[Path, typer.Argument(help="Folder or .zip to write.")],
) -> None:
    """Write a study of a logbook as a package."""
    from fairmargin.core.inference.scatter import as_learned, learned_scatter
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.packages.writing import write_package
    from fairmargin.logbook import Logbook, LogbookFault

    try:
        with Logbook.open(logbook, create=False) as book:
            entries = book.studies()
            matching = [e for e in entries if e.title == study]
            if not matching and study.isdigit() and 1 <= int(study) <= len(entries):
                matching = [entries[int(study) - 1]]
            if len(matching) != 1:
                titles = "; ".join(f"{i}: {e.title}" for i, e in enumerate(entries, start=1))
                fault_line(
                    f'{logbook}: {"more than one study" if matching else "no study"} "{study}"; there are {titles}'
                )
                raise typer.Exit(BAD_INPUT)
            loaded, traces = book.load(matching[0].id)
            if loaded.learned is None:
                # What the logbook adds travels too: whoever reads the package comes to the same as the window.
                loaded = loaded.with_(learned=as_learned(learned_scatter(book.scatter_evidence(matching[0].id))))
            write_package(out, loaded, traces)
    except LogbookFault as fault:
        fault_line(str(fault))
        raise typer.Exit(BAD_INPUT) from None
    except InvalidInput as fault:
        refuse(fault.faults)


@app.command()
def rescue(
    logbook: Annotated[Path, typer.Argument(help="A damaged logbook; it is only read.")],
    out: Annotated[Path, typer.Argument(help="New logbook for what can be read.")],
) -> None:
    """Put what can be read of a damaged logbook into a new one."""
    from fairmargin.logbook import LogbookFault
    from fairmargin.logbook.rescue import rescue as read_what_can_be_read

    try:
        say(read_what_can_be_read(logbook, out).words())
    except LogbookFault as fault:
        fault_line(str(fault))
        raise typer.Exit(BAD_INPUT) from None


app.command(name="import")(import_command)
app.command(name="range")(range_command)
app.command(name="trip")(trip_command)
app.command(name="compare")(compare_command)
app.command(name="vehicle")(vehicle_command)
app.command(name="practise")(practise_command)


@app.command(name="install-desktop")
def install_desktop() -> None:
    """Put the menu entry, the icon and the logbook's file type into your desktop (no root needed)."""
    from fairmargin.desktop.system.install import install

    for line in install():
        say(line)


@app.command(name="uninstall-desktop")
def uninstall_desktop() -> None:
    """Take the menu entry, the icon and the file types out of your desktop again; logbooks and settings stay."""
    from fairmargin.desktop.system.install import uninstall

    for line in uninstall():
        say(line)


def main() -> None:
    """Run the command line; a bare call or a path opens the window."""
    os.umask(0o077)  # packages and profiles hold where someone drove
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")  # a terminal that does not know UTF-8
    arguments = sys.argv[1:]
    commands = {c.name or (c.callback.__name__ if c.callback else "") for c in app.registered_commands}
    if not arguments:
        sys.exit(open_window(None))
    if len(arguments) == 1 and arguments[0] not in commands and _is_a_path(arguments[0]):
        sys.exit(open_window(arguments[0]))
    try:
        app(arguments)
    except BrokenPipeError:
        # Whoever read along has seen enough.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(OK)


def _is_a_path(word: str) -> bool:
    """Whether a word by itself is a file to open, not a command that was mistyped."""
    return not word.startswith("-") and (Path(word).exists() or "/" in word or bool(Path(word).suffix))
