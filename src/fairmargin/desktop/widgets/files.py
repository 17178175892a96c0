"""Dialogs that ask for a file: each begins in the folder where the one before it ended."""

from __future__ import annotations

from pathlib import Path
from typing import Final, Literal

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog, QWidget

_Kind = Literal["opened", "saved"]
_KEY: Final = "folders/"


class _Folders:
    """The folders that were used last, kept in the settings once there are any."""

    def __init__(self) -> None:
        self.settings: QSettings | None = None
        self._here: dict[str, str] = {}

    def last(self, kind: _Kind) -> str:
        """Folder of that kind that was used last, and is still there; empty where there is none."""
        kept = self._here.get(kind, "")
        if not kept and self.settings is not None:
            kept = str(self.settings.value(_KEY + kind, "") or "")
        return kept if kept and Path(kept).is_dir() else ""

    def keep(self, kind: _Kind, path: str) -> None:
        """Remember the folder of a file."""
        self._here[kind] = str(Path(path).absolute().parent)
        if self.settings is not None:
            self.settings.setValue(_KEY + kind, self._here[kind])

    def keep_in(self, settings: QSettings) -> None:
        """Remember in these settings from now on."""
        self.settings, self._here = settings, {}


folders: Final = _Folders()


def ask_save(parent: QWidget, title: str, name: str, kinds: str) -> tuple[str, str]:
    """Ask where to write; the path and the kind that was chosen, both empty where nobody wants to."""
    path, kind = QFileDialog.getSaveFileName(parent, title, str(Path(folders.last("saved")) / name), kinds)
    if path:
        folders.keep("saved", path)
    return path, kind


def ask_open(parent: QWidget, title: str, kinds: str) -> str:
    """Ask which file to read; empty where nobody wants to."""
    path, _ = QFileDialog.getOpenFileName(parent, title, folders.last("opened"), kinds)
    if path:
        folders.keep("opened", path)
    return path
