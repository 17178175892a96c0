"""Files that are written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from fairmargin.exchange.files.faults import InvalidInput


def write_whole(target: Path, data: bytes) -> None:
    """Write a file beside its place and put it there in one step.

    Raises
    ------
    InvalidInput
        If it cannot be written; what was there stays.
    """
    try:
        handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=".fairmargin-")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
            os.replace(temporary, target)  # private, as `mkstemp` makes it: reports say where somebody drove
        finally:
            Path(temporary).unlink(missing_ok=True)
    except OSError as error:
        raise InvalidInput(f"{target}: cannot be written: {error.strerror or error}") from error
