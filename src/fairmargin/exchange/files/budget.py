"""How much is taken from a file that comes from outside, in one place, with one sentence a limit.

The figures stand far above what testers bring (a month of samples at one a second, a thousand legs) and far below
what stops a laptop. Every reader of `exchange` and `instruments` takes its bytes, cells and values through here.
"""

from __future__ import annotations

import csv
import io
import json
import re
import time
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Final
from xml.parsers import expat

from fairmargin.exchange.files.faults import InvalidInput

#: One log, track or samples table; one workbook; any other table or text.
LOG_BYTES: Final = 96 << 20
BUS_BYTES: Final = 1 << 30  # frames, of which few are kept
WORKBOOK_BYTES: Final = 16 << 20
TABLE_BYTES: Final = 16 << 20
#: study.json and legs.csv of a package; one table of its samples.
STUDY_BYTES: Final = 4 << 20
SAMPLES_BYTES: Final = 48 << 20
#: Samples of all legs of a package together: sixteen legs of an hour at ten a second.
SAMPLES: Final = 700_000
#: All of a zip, unpacked; and how many members it may have.
UNPACKED_BYTES: Final = 144 << 20
MEMBERS: Final = 20_000
ROWS: Final = 2_500_000
TABLE_ROWS: Final = 200_000
#: Legs of an everyday study, and of a test day: the work of judging them grows faster than their number.
LEGS: Final = 1_000
LEGS_OF_A_DAY: Final = 600
COLUMNS: Final = 512
#: Characters of one cell (a spreadsheet's own limit), and of a header row.
CELL: Final = 32_767
HEADER: Final = 65_536
#: Bytes of a file that are looked at to tell what it is.
HEAD: Final = 65_536
#: Keys and nesting of a JSON file.
KEYS: Final = 20_000
DEPTH: Final = 40
#: Reading one file may take so long. [s]
SECONDS: Final = 8.0
#: Characters of a name that is quoted in words.
NAME: Final = 80
_NO_FILE: Final = {False: "there is no such file", True: "it is not a file"}
_CHUNK: Final = 1 << 20
_STRING: Final = re.compile(r'"(?:[^"\\]|\\.)*"', re.DOTALL)
_CLOCK = time.monotonic


csv.field_size_limit(CELL)  # of the whole process: the module keeps one


class Watch:
    """Ends a reading that takes too long."""

    def __init__(self, name: str, seconds: float = SECONDS) -> None:
        self._name, self._seconds = name, seconds
        self._end = _CLOCK() + seconds

    def check(self) -> None:
        """Raise InvalidInput when the time is over."""
        if _CLOCK() > self._end:
            raise InvalidInput(
                f"{self._name}: reading it took more than {self._seconds:.0f} s; expected a smaller file"
            )


def size_words(size: float) -> str:
    """Write a size."""
    return f"{size / (1 << 20):.0f} MB" if size >= 1 << 20 else f"{size / 1024:.0f} kB"


def _too_large(name: str, size: float, limit: int) -> InvalidInput:
    return InvalidInput(f"{name}: {size_words(size)} is too large; expected at most {size_words(limit)}")


def read_bytes(path: Path, limit: int, name: str = "") -> bytes:
    """Read a file of at most `limit` bytes.

    Raises
    ------
    InvalidInput
        If it is larger, or cannot be read.
    """
    name = name or str(path)
    try:
        if not path.is_file():
            raise InvalidInput(f"{name}: cannot be read: {_NO_FILE[path.exists()]}")
        with path.open("rb") as file:
            data = file.read(limit + 1)
    except (OSError, ValueError) as error:
        raise InvalidInput(f"{name}: cannot be read: {getattr(error, 'strerror', None) or error}") from error
    if len(data) > limit:
        raise _too_large(name, max(path.stat().st_size, len(data)), limit)
    return data


def check_size(path: Path, limit: int) -> None:
    """Refuse a file that is too large before a reader of its own opens it (errors as `read_bytes`)."""
    try:
        if not path.is_file():
            raise InvalidInput(f"{path}: cannot be read: {_NO_FILE[path.exists()]}")
        size = path.stat().st_size
    except (OSError, ValueError) as error:
        raise InvalidInput(f"{path}: cannot be read: {getattr(error, 'strerror', None) or error}") from error
    if size > limit:
        raise _too_large(str(path), size, limit)


def decoded(data: bytes, name: str) -> str:
    """UTF-8 text with or without a byte order mark (InvalidInput naming the row that is none)."""
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        row = data[: error.start].count(b"\n") + 1
        raise InvalidInput(f"{name}, row {row}: not UTF-8 text; expected UTF-8") from error


class Unpacking:
    """Members of one zip, within one budget for all of them."""

    def __init__(self, archive: zipfile.ZipFile, limit: int = UNPACKED_BYTES) -> None:
        self._archive, self._left, self._limit = archive, limit, limit
        if len(archive.infolist()) > MEMBERS:
            raise InvalidInput(f"{len(archive.infolist())} files in the zip; expected at most {MEMBERS}")

    def read(self, member: str, limit: int, name: str) -> bytes:
        """Unpack a member; what its header says of its size is not believed.

        Raises
        ------
        InvalidInput
            If it is too large, or damaged.
        """
        parts: list[bytes] = []
        size = 0
        try:
            with self._archive.open(member) as file:
                while chunk := file.read(_CHUNK):
                    size += len(chunk)
                    self._left -= len(chunk)
                    if size > limit:
                        raise _too_large(name, size, limit)
                    if self._left < 0:
                        raise InvalidInput(
                            f"{name}: the zip unpacks to more than {size_words(self._limit)}; expected a smaller package"
                        )
                    parts.append(chunk)
        except (zipfile.BadZipFile, zlib.error, NotImplementedError, EOFError, RuntimeError, OSError, KeyError, ValueError) as error:  # fmt: skip
            raise InvalidInput(f"{name}: damaged in the zip: {error}") from error
        return b"".join(parts)


def rows_of(text: str, name: str, delimiter: str = ",", limit: int = TABLE_ROWS, strict: bool = True) -> Iterator[tuple[int, list[str]]]:  # fmt: skip
    """Yield the rows of a table with the number of the line each ends on.

    Raises
    ------
    InvalidInput
        If it is no table, or has more rows, columns or characters in a cell than any has.
    """
    watch = Watch(name)
    end = text.find("\n")
    if (end if end >= 0 else len(text)) > HEADER * 4:
        raise InvalidInput(f"{name}, row 1: a header of {end if end >= 0 else len(text)} characters; expected a table")
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=strict)
    count = 0
    while True:
        try:
            cells = next(reader)
        except StopIteration:
            return
        except csv.Error as error:
            words = f"a cell of more than {CELL} characters" if "field larger" in str(error) else str(error)
            raise InvalidInput(
                f"{name}, row {reader.line_num}: {words}; expected comma-separated text (RFC 4180)"
            ) from error
        count += 1
        if len(cells) > COLUMNS:
            raise InvalidInput(f"{name}, row {reader.line_num}: {len(cells)} columns; expected at most {COLUMNS}")
        if count > limit + 1:
            raise InvalidInput(f"{name}: more than {limit} rows; expected a smaller table")
        if not count & 1023:
            watch.check()
        yield reader.line_num, cells


def check_depth(data: bytes, name: str) -> None:
    """Refuse XML that is nested deeper than any file of the trade, before a reader copies it level by level.

    Raises
    ------
    InvalidInput
        If it is, or takes too long; what is no XML is left to its reader.
    """
    watch = Watch(name)
    parser = expat.ParserCreate()
    depth = count = 0

    def begin(_name: str, _attributes: dict[str, str]) -> None:
        nonlocal depth, count
        depth += 1
        count += 1
        if depth > DEPTH:
            raise InvalidInput(f"{name}: nested more than {DEPTH} deep; expected at most that")
        if not count & 4095:
            watch.check()

    def end(_name: str) -> None:
        nonlocal depth
        depth -= 1

    parser.StartElementHandler, parser.EndElementHandler = begin, end
    try:
        parser.Parse(data, True)
    except expat.ExpatError:
        return


def twice(names: list[str]) -> list[str]:
    """Names that stand more than once, in order."""
    seen: set[str] = set()
    again: dict[str, None] = {}
    for name in names:
        if name in seen:
            again[name] = None
        seen.add(name)
    return list(again)


def _unique_keys(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    again = twice([k for k, _ in pairs])
    if again:
        raise ValueError(f'"{again[0][:NAME]}" stands twice; expected each key once')
    return dict(pairs)


def read_json(text: str, name: str) -> Any:
    """Parse JSON of a sensible size, each key once, without half characters.

    Raises
    ------
    InvalidInput
        Naming row and column of what is no JSON, or the limit.
    """
    outline = _STRING.sub('""', text)
    if outline.count(":") > KEYS:
        raise InvalidInput(f"{name}: more than {KEYS} keys; expected a study")
    depth = deepest = 0
    for sign in re.findall(r"[\[\]{}]", outline):
        depth += 1 if sign in "[{" else -1
        deepest = max(deepest, depth)
    if deepest > DEPTH:
        raise InvalidInput(f"{name}: nested {deepest} deep; expected at most {DEPTH}")
    try:
        value = json.loads(text, object_pairs_hook=_unique_keys, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        raise InvalidInput(f"{name}, row {error.lineno}, column {error.colno}: {error.msg}; expected JSON") from error
    except (ValueError, RecursionError) as error:
        raise InvalidInput(f"{name}: {error}") from error
    if re.search(r"\\u[dD][89a-fA-F]", text):
        try:
            json.dumps(value, ensure_ascii=False).encode()
        except UnicodeEncodeError as error:
            raise InvalidInput(f"{name}: half a character (\\u{ord(error.object[error.start]):04x}); expected whole ones") from error  # fmt: skip
    return value


def _no_constant(word: str) -> float:
    raise ValueError(f"{word} is not a finite number")


def head_of(path: Path, size: int) -> bytes:
    """First bytes of a file (errors as `read_bytes`)."""
    try:
        if path.exists() and not path.is_file():
            raise InvalidInput(f"{path}: cannot be read: {_NO_FILE[True]}")
        with path.open("rb") as file:
            return file.read(size)
    except (OSError, ValueError) as error:
        raise InvalidInput(f"{path}: cannot be read: {getattr(error, 'strerror', None) or error}") from error
