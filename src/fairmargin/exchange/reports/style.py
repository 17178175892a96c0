"""Colours, marks and type of reports."""

from __future__ import annotations

from importlib import resources
from pathlib import Path
from typing import Final

from fairmargin.looks import LIGHT, fonts

BASELINE, TRIALS = LIGHT.baseline, LIGHT.trials
INK, MUTED, RULE = LIGHT.ink, LIGHT.muted, LIGHT.rule
MARKERS: Final = ("D", "^", "s", "v", "h")
WIDEST: Final = 22  # letters that a column of a table may claim; longer texts wrap
FONTS: Final = {"": "400Regular", "B": "600SemiBold"}


def font_bytes(weight: str) -> bytes:
    """A cut of the type, for embedding."""
    return (fonts() / f"AtkinsonHyperlegibleNext_{weight}.ttf").read_bytes()


def wide_font() -> Path:
    """DejaVu Sans as it comes with matplotlib (its licence beside it): Arabic, Hebrew, Cyrillic, Greek and more."""
    import matplotlib

    return Path(matplotlib.get_data_path()) / "fonts" / "ttf" / "DejaVuSans.ttf"


def kept_font(weight: str) -> Path:
    """Return a path of the font on disk (package files are on disk unless zipped)."""
    with resources.as_file(fonts() / f"AtkinsonHyperlegibleNext_{weight}.ttf") as path:
        return Path(path)
