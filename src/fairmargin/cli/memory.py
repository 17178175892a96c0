"""What studies say together, on the command line: compare, vehicle."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from fairmargin.cli.words import BAD_INPUT, OK, Units, fault_line, say, say_json, spoken

if TYPE_CHECKING:
    from fairmargin.core.inference.scatter import ScatterPrior
    from fairmargin.core.memory.differences import Difference
    from fairmargin.core.memory.facts import Facts
    from fairmargin.core.memory.findings import Finding
    from fairmargin.core.memory.network import Joint
    from fairmargin.core.memory.vehicle import Taught
    from fairmargin.core.study import Study

Books = Annotated[list[Path], typer.Argument(help="Logbooks; they are only read.", metavar="LOGBOOK...")]
AsJson = Annotated[bool, typer.Option("--json", help="One JSON object.")]


@dataclass(slots=True)
class _Read:
    """What several logbooks say for each other; studies are numbered through, `places` says where each is."""

    findings: list[Finding]
    taught: list[Taught]
    facts: list[Facts]
    scatter: ScatterPrior
    places: dict[int, tuple[Path, int]]
    status: int

    def where(self, number: int) -> dict[str, Any]:
        path, own = self.places[number]
        return {"logbook": str(path), "study": own}

    def studies(self, numbers: Sequence[int]) -> list[Study]:
        """The studies of these numbers; those that cannot be read are left out."""
        from fairmargin.logbook import Logbook, LogbookFault

        out = []
        for number in numbers:
            path, own = self.places[number]
            try:
                with Logbook.open(path, create=False) as book:
                    out.append(book.read(own).study)
            except LogbookFault:
                continue
        return out


def _read(paths: Sequence[Path]) -> _Read:
    from fairmargin.core.inference.scatter import learned_scatter
    from fairmargin.logbook import Logbook, LogbookFault
    from fairmargin.logbook.freshen import remember
    from fairmargin.simulation.sealed import is_virtual

    found = _Read([], [], [], learned_scatter([]), {}, OK)
    evidence: list[list[float]] = []
    for path in paths:
        try:
            with Logbook.open(path, create=False) as book:
                known, faults = remember(book, is_virtual)
                evidence += book.scatter_evidence()
        except LogbookFault as fault:
            fault_line(str(fault))
            found.status = BAD_INPUT
            continue
        for fault_words in faults:
            fault_line(f"{path}: {fault_words}")
            found.status = BAD_INPUT
        number: dict[int, int] = {}

        def renumbered(own: int, path: Path = path, number: dict[int, int] = number) -> int:
            if own not in number:
                number[own] = len(found.places) + 1
                found.places[number[own]] = (path, own)
            return number[own]

        found.findings += [replace(f, study=renumbered(f.study)) for f in known.findings]
        found.taught += [replace(t, study=renumbered(t.study)) for t in known.taught]
        found.facts += [replace(f, study=renumbered(f.study)) for f in known.facts]
    found.scatter = learned_scatter(evidence)
    return found


def compare_command(
    logbooks: Books,
    as_json: AsJson = False,
    vehicle: Annotated[str, typer.Option(help="Of this vehicle only, by its name.")] = "",
    speed: Annotated[float | None, typer.Option(help="At this speed only, km/h.")] = None,
    confidence: Annotated[float, typer.Option(help="Of the intervals, a share of 1.")] = 0.95,
    same: Annotated[
        list[str] | None, typer.Option(help='Two names that mean the same: "No covers=Discs off"; any number.')
    ] = None,
    units: Units = "",
) -> None:
    """Join the studies of logbooks: all changes of a vehicle on one scale, ranked, and questions that were asked again."""
    from fairmargin.core.memory.network import joined, renamed, repeated
    from fairmargin.core.words import same_name
    from fairmargin.exchange.words.across import again_json, again_lines, joint_json, joint_lines, left_json

    if not 0.5 <= confidence <= 0.999:
        fault_line(f"--confidence {confidence:g} is not possible; expected 0.5 to 0.999")
        raise typer.Exit(BAD_INPUT)
    read = _read(logbooks)
    read.findings = renamed(read.findings, _same(same or []))
    names: dict[str, str] = {}
    for f in read.findings:
        names.setdefault(same_name(f.vehicle), f.vehicle)
    if vehicle and same_name(vehicle) not in names:
        fault_line(f'--vehicle: "{vehicle}" has no comparison; expected one of {", ".join(names.values())}')
        raise typer.Exit(BAD_INPUT)
    kept = [n for key, n in names.items() if not vehicle or key == same_name(vehicle)]
    again = [j for j in repeated(read.findings, confidence) if j.vehicle in kept]
    changes = [_changes(read, j) for j in again]
    groups = {n: joined(read.findings, n, speed, confidence) for n in kept}
    if as_json:
        say_json(
            {
                "logbooks": [str(p) for p in logbooks],
                "vehicles": [
                    {
                        "vehicle": n,
                        "groups": [joint_json(j, read.where) for j in joints],
                        "left_out": left_json(left, read.where),
                    }
                    for n, (joints, left) in groups.items()
                ],
                "asked_again": [again_json(j, c, read.where) for j, c in zip(again, changes, strict=True)],
            }
        )
        raise typer.Exit(read.status)
    for n, (joints, left) in groups.items():
        say(n or "No vehicle named")
        for j in joints:
            for line in joint_lines(j):
                say(f"  {line}")
        for x in left:
            say(f"  Left out: \u201c{x.finding.title}\u201d, {x.why}")
    for j, c in zip(again, changes, strict=True):
        for line in again_lines(j, c):
            say(line)
    if not groups:
        say("No study of these logbooks compares anything yet.")
    raise typer.Exit(read.status)


def _same(pairs: Sequence[str]) -> dict[str, str]:
    """Names that mean the same, as typed."""
    found = {}
    for text in pairs:
        one, sign, other = (part.strip() for part in text.partition("="))
        if not (one and sign and other):
            fault_line(f'--same: "{text}" is not two names; expected "No covers=Discs off"')
            raise typer.Exit(BAD_INPUT)
        found[one] = other
    return found


def _changes(read: _Read, joint: Joint) -> tuple[Difference, ...]:
    """What was not alike between the oldest and the youngest study of a question."""
    from fairmargin.core.memory.differences import changed

    own = joint.in_time
    studies = read.studies([own[0].study, own[-1].study])
    return changed(*studies) if len(studies) == 2 else ()


def vehicle_command(
    logbook: Annotated[Path, typer.Argument(help="Logbook; it is only read.")],
    name: Annotated[str, typer.Argument(help="Name of the vehicle.")],
    as_json: AsJson = False,
    units: Units = "",
) -> None:
    """Say what the studies of a logbook know of a vehicle: its constants, instruments, battery, and your own scatter."""
    from fairmargin.core.memory.facts import known_facts
    from fairmargin.core.memory.vehicle import what_is_known
    from fairmargin.core.words import same_name
    from fairmargin.exchange.words.across import facts_lines, vehicle_json, vehicle_lines

    read = _read([logbook])
    own = _owned(read, logbook, name)
    if own is None:
        known_names = sorted({f.vehicle for f in read.facts if f.vehicle})
        if read.status == OK or known_names:
            expected = f"; expected one of {', '.join(known_names)}" if known_names else ""
            fault_line(f'{logbook}: no study is of a vehicle "{name}"{expected}')
        raise typer.Exit(BAD_INPUT)
    known = what_is_known([t for t in read.taught if same_name(t.vehicle) == same_name(name)], own)
    facts = known_facts(read.facts, name)
    if as_json:
        say_json(vehicle_json(known, facts, read.scatter, read.where))
    else:
        say(own.name)
        for line in (*vehicle_lines(known), *facts_lines(facts, read.scatter)):
            say(f"  {line}")
    raise typer.Exit(read.status)


def _owned(read: _Read, logbook: Path, name: str) -> Any:
    """The vehicle as the newest study with it has it; None where there is none."""
    from fairmargin.core.words import same_name

    numbers = [f.study for f in read.facts if same_name(f.vehicle) == same_name(name)]
    for study in read.studies(sorted(numbers, reverse=True)):
        for vehicle in (*study.vehicles, study.vehicle):
            if same_name(vehicle.name) == same_name(name):
                return vehicle
    return None


def practise_command(
    case: Annotated[
        str, typer.Argument(help="A case: its number, or seed-N for one from chance; all are listed where absent.")
    ] = "",
    as_json: AsJson = False,
    verdict: Annotated[str, typer.Option(help="Your verdict.")] = "",
    flaw: Annotated[str, typer.Option(help="What is wrong with it: see the list.")] = "",
    low: Annotated[float | None, typer.Option(help="You are 80 % sure: from, %.")] = None,
    high: Annotated[float | None, typer.Option(help="To, %.")] = None,
    logbook: Annotated[
        Path | None, typer.Option(help="Logbook that keeps your answers, and tells how well your intervals hold.")
    ] = None,
    units: Units = "",
) -> None:
    """Practise: read a case with a hidden flaw; say verdict, flaw and an 80 % interval; see the truth and the score."""
    from dataclasses import replace
    from datetime import datetime

    from fairmargin.core.memory.practice import FLAWS, VERDICTS, answer_to, as_record
    from fairmargin.exchange.words.practice import answer_json, answer_lines, case_columns, case_rows, case_words

    try:
        found = _case(case) if case else None
    except ValueError as error:
        fault_line(str(error))
        raise typer.Exit(BAD_INPUT) from None
    if found is None:
        _list_practice(as_json, logbook)
        return
    said = (verdict, flaw, low, high)
    choice = spoken("metric-wh")
    if not any(v not in {"", None} for v in said):
        columns, rows = case_columns(found.study, choice), case_rows(found.study, choice)
        if as_json:
            legs = [dict(zip(columns, row, strict=True)) for row in rows]
            say_json(
                {
                    "case": found.id,
                    "grade": found.grade,
                    "title": found.study.title,
                    "order": found.study.order,
                    "legs": legs,
                }
            )
            return
        say(f"{found.id} ({found.grade}): {found.study.title}. {case_words(found.study, choice)}")
        widths = [max(len(row[i]) for row in (columns, *rows)) for i in range(len(columns))]
        for row in (columns, *rows):
            say("  " + "  ".join(text.ljust(w) for text, w in zip(row, widths, strict=True)).rstrip())
        say(f"  Verdicts: {', '.join(VERDICTS)}. Flaws: {', '.join(FLAWS)}.")
        return
    try:
        if low is None or high is None:
            raise ValueError("--low and --high: expected both ends of your interval, in per cent")
        now = datetime.now().astimezone().isoformat(timespec="seconds")
        given = answer_to(found.id, found.solution, now, verdict, flaw, low, high)  # type: ignore[arg-type]
    except ValueError as error:
        fault_line(str(error))
        raise typer.Exit(BAD_INPUT) from None
    given = replace(given, beside=found.beside())
    if logbook is not None:
        _keep_answer(logbook, as_record(given))
    if as_json:
        say_json(answer_json(given, found.study, found.solution, choice))
    else:
        for line in answer_lines(given, found.study, found.solution, choice):
            say(line)


def _case(name: str) -> Any:
    """A case by its number, its name or its seed."""
    from fairmargin.practice import generated, shipped

    every = {c.id: c for c in shipped()}
    wanted = f"case-{int(name):02d}" if name.isdigit() else name
    if wanted in every:
        return every[wanted]
    seed = wanted.removeprefix("seed-")
    if wanted.startswith("seed-") and seed.isdigit():
        return generated(int(seed))
    raise ValueError(f'"{name}" is not a case; expected 1 to {len(every)}, or seed-N')


def _list_practice(as_json: bool, logbook: Path | None) -> None:
    """All cases, and how well the answers in a logbook hold."""
    from fairmargin.core.memory.practice import calibration
    from fairmargin.exchange.words.practice import calibration_json
    from fairmargin.practice import shipped

    answers = _answers(logbook) if logbook is not None else []
    found = calibration(answers)
    done = {a.case for a in answers}
    if as_json:
        cases = [{"case": c.id, "grade": c.grade, "title": c.study.title, "answered": c.id in done} for c in shipped()]
        say_json({"cases": cases, "calibration": calibration_json(found)})
        return
    for c in shipped():
        say(f"{c.id}  {c.grade:6}  {c.study.title}{'  (answered)' if c.id in done else ''}")
    if logbook is not None:
        say(found.words)


def _answers(logbook: Path) -> list[Any]:
    import contextlib
    import json

    from fairmargin.core.memory.practice import from_record
    from fairmargin.logbook import Logbook, LogbookFault

    found = []
    try:
        with Logbook.open(logbook, create=False) as book:
            for body in book.practice():
                with contextlib.suppress(ValueError, TypeError, KeyError):
                    found.append(from_record(json.loads(body)))
    except LogbookFault as fault:
        fault_line(str(fault))
        raise typer.Exit(BAD_INPUT) from None
    return found


def _keep_answer(logbook: Path, record: dict[str, Any]) -> None:
    import json

    from fairmargin.logbook import Logbook, LogbookFault

    try:
        with Logbook.open(logbook, create=False) as book:
            book.add_practice(json.dumps(record))
    except LogbookFault as fault:
        fault_line(str(fault))
        raise typer.Exit(BAD_INPUT) from None
