"""Colours, marks and type of reports."""

from __future__ import annotations

from importlib import resources
from pathlib import Path
from typing import Final

BASELINE, TRIALS = "#2d5b87", ("#b9521a", "#6a4c93", "#2f7f6f")
INK, MUTED, RULE = "#1d2a2f", "#5b6a6f", "#dcd6c9"
MARKERS: Final = ("D", "^", "s")
WIDEST: Final = 22  # letters that a column of a table may claim; longer texts wrap
FONTS: Final = {"": "400Regular", "B": "600SemiBold"}


def font_bytes(weight: str) -> bytes:
    """A cut of the type, for embedding."""
    folder = resources.files("fairmargin.desktop.theme") / "fonts"
    return (folder / f"AtkinsonHyperlegibleNext_{weight}.ttf").read_bytes()


def wide_font() -> Path:
    """DejaVu Sans as it comes with matplotlib (its licence beside it): Arabic, Hebrew, Cyrillic, Greek and more."""
    import matplotlib

    return Path(matplotlib.get_data_path()) / "fonts" / "ttf" / "DejaVuSans.ttf"


def kept_font(weight: str) -> Path:
    """Return a path of the font on disk (package files are on disk unless zipped)."""
    with resources.as_file(
        resources.files("fairmargin.desktop.theme") / "fonts" / f"AtkinsonHyperlegibleNext_{weight}.ttf"
    ) as path:
        return Path(path)
