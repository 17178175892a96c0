"""One domain error for input that cannot be used."""

from __future__ import annotations

from collections.abc import Iterable


class InvalidInput(Exception):
    """Input that could not be used; each fault is one line: file, row, column, what was expected."""

    def __init__(self, faults: str | Iterable[str]) -> None:
        self.faults = [faults] if isinstance(faults, str) else list(faults)
        super().__init__("\n".join(self.faults))
