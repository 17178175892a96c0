"""Printers of this machine, as its print system names them, and handing them a PDF."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path
from typing import TYPE_CHECKING, Final

from PySide6.QtCore import QLocale, QUrl
from PySide6.QtGui import QDesktopServices

if TYPE_CHECKING:
    from fairmargin.exchange.reports.pdf import Paper

WAIT_S: Final = 5.0
#: Where letters are written on Letter (common practice).
LETTER_LANDS: Final = frozenset(
    {
        QLocale.Country.UnitedStates, QLocale.Country.Canada, QLocale.Country.Mexico, QLocale.Country.Philippines,
        QLocale.Country.Chile, QLocale.Country.Colombia, QLocale.Country.Venezuela, QLocale.Country.PuertoRico,
    }
)  # fmt: skip


def paper_here(locale: QLocale | None = None) -> Paper:
    """The sheet that is usual where the desktop says it stands."""
    return "Letter" if (locale or QLocale.system()).territory() in LETTER_LANDS else "A4"


def printers() -> list[str]:
    """Names of the printers, the usual one first; none where there is no print system."""
    if shutil.which("lpstat") is None or shutil.which("lp") is None:
        return []
    every = _said("lpstat", "-e").split()
    usual = _said("lpstat", "-d").rpartition(": ")[2].strip()
    return sorted(every, key=lambda name: name != usual)


def print_file(path: Path, printer: str) -> str:
    """Hand a PDF to a printer; what went wrong in words, or nothing."""
    try:
        done = subprocess.run(
            ["lp", "-d", printer, "-t", path.stem, "--", str(path)],
            capture_output=True,
            text=True,
            timeout=60,
            check=False,
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        return str(error)
    return "" if done.returncode == 0 else done.stderr.strip() or f"lp ended with {done.returncode}"


def show_file(path: Path) -> bool:
    """Open a PDF in whatever the desktop opens PDFs with."""
    return QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))


def _said(*command: str) -> str:
    try:
        return subprocess.run(command, capture_output=True, text=True, timeout=WAIT_S, check=False).stdout
    except (OSError, subprocess.TimeoutExpired):
        return ""
