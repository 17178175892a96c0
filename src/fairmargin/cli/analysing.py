"""What `analyse` says of each package; of several, worked out on every core and said in the order they were named."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Final

from fairmargin.cli.words import BAD_INPUT, OK, STDIN, fault_line, from_stdin, say, say_json, spoken

if TYPE_CHECKING:
    from fairmargin.core.inference.scatter import ScatterPrior
    from fairmargin.core.result.types import View

#: Packages from which on another process is worth its start.
WORTH_IT: Final = 4


@dataclass(frozen=True, slots=True)
class How:
    """What is asked of every package."""

    view: View
    scatter: ScatterPrior | None
    as_json: bool
    sensitivity: bool
    in_own_units: bool


@dataclass(slots=True)
class Told:
    """What is said of one package."""

    status: int = OK
    faults: list[str] = field(default_factory=list)  # lines on standard error
    json: dict[str, object] | None = None
    text: list[str] = field(default_factory=list)


def told_of(path: Path, how: How) -> Told:
    """Analyse one package.

    Parameters
    ----------
    path : Path
    how : How
    """
    from fairmargin.core.analysis import analyse
    from fairmargin.core.result.as_json import as_json
    from fairmargin.core.result.sensitivity import survival_words
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.packages.reading import read_package
    from fairmargin.exchange.words.summaries import PLAIN, summary

    try:
        package = read_package(from_stdin(path))
        result = analyse(package.study, package.traces, view=how.view, scatter=how.scatter)
    except InvalidInput as fault:
        book = f"a logbook; export a study of it first: fairmargin export {path} STUDY OUT.zip"
        return Told(BAD_INPUT, [f"{path}: {line}" for line in ([book] if _is_a_logbook(path) else fault.faults)])
    except (ArithmeticError, ValueError) as error:
        return Told(BAD_INPUT, [f"{path}: cannot be analysed: {error}"])
    told = Told(faults=[f"{path}: note: {notice}" for notice in package.notices])
    if how.as_json:
        told.json = as_json(result, str(path), sensitivity=how.sensitivity)
    else:
        told.text.append(summary(package.study, result, spoken() if how.in_own_units else PLAIN))
        if how.sensitivity:
            told.text.append("\n".join(f"  {survival_words(c.verdict, c.sensitivity())}" for c in result.comparisons))
    return told


def told_of_all(paths: Sequence[Path], how: How) -> Iterator[Told]:
    """Analyse packages, one after the other in their order; several on every core."""
    cores = min(len(os.sched_getaffinity(0)), len(paths))
    if cores < 2 or len(paths) < WORTH_IT or any(str(p) == STDIN for p in paths):
        yield from (told_of(path, how) for path in paths)
        return
    # What is loaded once is shared; each process has one thread, as nothing here is large enough for more.
    _load()
    with ProcessPoolExecutor(cores, multiprocessing.get_context("fork")) as pool:
        try:
            yield from pool.map(partial(told_of, how=how), paths, chunksize=1)
        finally:
            pool.shutdown(cancel_futures=True)


def say_told(told: Told) -> None:
    """Say what is to say of one package."""
    for line in told.faults:
        fault_line(line)
    if told.json is not None:
        say_json(told.json)
    for text in told.text:
        say(text)


def _load() -> None:
    """Import what every package needs."""
    from fairmargin.core import analysis  # noqa: F401
    from fairmargin.core.result import as_json  # noqa: F401
    from fairmargin.exchange.packages import reading  # noqa: F401
    from fairmargin.exchange.words import summaries  # noqa: F401


def _is_a_logbook(path: Path) -> bool:
    """Whether a file is a logbook, whatever its name."""
    from fairmargin.logbook.opening import MAGIC

    try:
        with path.open("rb") as file:
            return file.read(len(MAGIC)) == MAGIC
    except OSError:
        return False
