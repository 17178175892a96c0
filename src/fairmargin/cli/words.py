"""How the command line speaks: words, faults, JSON, exit statuses."""

from __future__ import annotations

import json
import sys
from typing import Any

from fairmargin.core.units import plain
from fairmargin.exchange.files.plain import CONTROL, printable

OK, DIFFERS, BAD_INPUT = 0, 1, 2


def fault_line(line: str) -> None:
    """One line on standard error, whatever stands in it."""
    print(printable(line).replace("\n", " "), file=sys.stderr)


def say(text: str) -> None:
    """Words on standard output, free of what would steer a terminal."""
    print(printable(plain(text)))


def say_json(value: Any) -> None:
    """One line of JSON that any terminal and pipe can carry."""
    utf8 = (sys.stdout.encoding or "").lower().replace("-", "") == "utf8"
    text = plain(json.dumps(value, ensure_ascii=False))
    if not utf8:
        text = json.dumps(json.loads(text))
    print(CONTROL.sub(lambda m: f"\\u{ord(m[0]):04x}", text))
