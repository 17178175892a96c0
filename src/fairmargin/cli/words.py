"""How the command line speaks: words, faults, JSON, exit statuses."""

from __future__ import annotations

import json
import sys
import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import Annotated, Any, Final, NoReturn

import typer

from fairmargin.core.units import UNIT_CHOICES, UnitChoice, in_units, plain
from fairmargin.exchange.files.plain import CONTROL, printable

OK, DIFFERS, BAD_INPUT = 0, 1, 2


_SPOKEN: Final[list[UnitChoice | None]] = [None]  # units that were asked for; each sentence's own where nobody did
STDIN: Final = "-"


def speak_in(name: str) -> str:
    """Say quantities in these units from now on; a word that names none is a fault."""
    if name and name not in UNIT_CHOICES:
        raise typer.BadParameter(f'"{name}" is not known; expected one of {", ".join(UNIT_CHOICES)}')
    _SPOKEN[0] = UNIT_CHOICES[name] if name else None
    return name


def spoken(usual: str = "metric") -> UnitChoice:
    """Units that quantities are said in."""
    return _SPOKEN[0] or UNIT_CHOICES[usual]


#: The option of every command that speaks of quantities.
Units = Annotated[str, typer.Option("--units", callback=speak_in, help="metric, metric-wh, us or uk.")]


def from_stdin(path: Path) -> Path:
    """A package that is read from standard input, where the path says so, as a file of its own; else the path.

    The file lies in the system's temporary folder, private, and goes when the process ends.
    """
    if str(path) != STDIN:
        return path
    kept = tempfile.NamedTemporaryFile(prefix="fairmargin-", suffix=".zip")  # noqa: SIM115  # it lives as long as the process
    kept.write(sys.stdin.buffer.read())
    kept.flush()
    _KEPT.append(kept)
    return Path(kept.name)


_KEPT: Final[list[Any]] = []


def fault_line(line: str) -> None:
    """One line on standard error, whatever stands in it."""
    print(printable(line).replace("\n", " "), file=sys.stderr)


def refuse(faults: Iterable[str]) -> NoReturn:
    """Say what is wrong, a line each, and end with the status of bad input."""
    for line in faults:
        fault_line(line)
    raise typer.Exit(BAD_INPUT) from None


def say(text: str) -> None:
    """Words on standard output, free of what would steer a terminal."""
    choice = _SPOKEN[0]
    print(printable(plain(text) if choice is None else in_units(text, choice)))


def say_json(value: Any) -> None:
    """One line of JSON that any terminal and pipe can carry."""
    utf8 = (sys.stdout.encoding or "").lower().replace("-", "") == "utf8"
    text = plain(json.dumps(value, ensure_ascii=False))
    if not utf8:
        text = json.dumps(json.loads(text))
    print(CONTROL.sub(lambda m: f"\\u{ord(m[0]):04x}", text))
