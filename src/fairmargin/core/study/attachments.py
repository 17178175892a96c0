"""A photograph or a small file that belongs to a leg, the load, a tyre plate or the study: kept with it, in small."""

from __future__ import annotations

import base64
import binascii
import re
from collections.abc import Collection
from typing import Final

from pydantic import Field, field_validator

from fairmargin.core.study.base import Value

#: Most that one may hold, and all of a study together: every edit writes them again. [bytes]
MOST_BYTES: Final = 150_000
MOST_OF_A_STUDY: Final = 1_500_000
#: What may be attached to beside legs, and what each is called.
PLACES: Final = {"study": "the study", "load": "the load", "tyre plate": "the tyre plate"}
_NAME: Final = re.compile(r"^[A-Za-z0-9][A-Za-z0-9._-]{0,79}$")


class Attachment(Value):
    """One file: its name in the package, what it is of (a leg's name, or one of `PLACES`), and its content as base64."""

    file: str
    of: str = Field(default="study", max_length=60)
    note: str = Field(default="", max_length=200)
    data: str = ""  # in a package the file itself, below attachments/

    @field_validator("file")
    @classmethod
    def _plain(cls, value: str) -> str:
        if not _NAME.match(value):
            raise ValueError(
                f'"{value[:80]}" is no name of an attachment; expected letters, digits, dots, dashes, at most 80'
            )
        return value

    @field_validator("data")
    @classmethod
    def _small(cls, value: str) -> str:
        try:
            size = len(base64.b64decode(value, validate=True))
        except (binascii.Error, ValueError) as error:
            raise ValueError("the content is no base64") from error
        if size > MOST_BYTES:
            raise ValueError(f"{size / 1000:.0f} kB are too much; expected at most {MOST_BYTES // 1000} kB")
        return value

    @property
    def content(self) -> bytes:
        """What the file holds."""
        return base64.b64decode(self.data)

    @property
    def is_picture(self) -> bool:
        """Whether it is a picture, by its name."""
        return self.file.lower().rsplit(".", 1)[-1] in {"jpg", "jpeg", "png", "webp", "gif", "bmp"}


def unlike(name: str, taken: Collection[str]) -> str:
    """A file's name that is not taken: with a number before its ending where it is."""
    stem, dot, suffix = name.rpartition(".")
    if not dot:
        stem, suffix = name, ""
    made, i = name, 2
    while made in taken:
        made, i = f"{stem[:60]}-{i}{dot}{suffix[:10]}", i + 1
    return made


def attachment(name: str, content: bytes, of: str, taken: tuple[str, ...] = (), note: str = "") -> Attachment:
    """An attachment of a file somebody chose; its name made plain, and another than those taken.

    Raises
    ------
    ValueError
        If it is empty or too large.
    """
    if not content:
        raise ValueError(f"{name}: the file is empty")
    plain = re.sub(r"[^A-Za-z0-9._-]+", "-", name).rstrip("-.")
    stem, dot, suffix = plain.rpartition(".")
    if not dot:
        stem, suffix = plain, ""
    stem = stem[:60].strip("-.") or "file"
    if not stem[0].isalnum():
        stem = f"f{stem}"
    made = unlike(f"{stem}{dot}{suffix[:10]}", taken)
    if len(content) > MOST_BYTES:
        raise ValueError(
            f"{name}: {len(content) / 1000:.0f} kB are too much; expected at most {MOST_BYTES // 1000} kB. A photograph is made smaller "
            "by itself."
        )
    return Attachment(file=made, of=of, note=note, data=base64.b64encode(content).decode())
