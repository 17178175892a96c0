"""Readings of any kind brought in: see what a file is, show how it would be read, take what is agreed to."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QInputDialog

from fairmargin.core.units.dates import Order, UndecidedDates
from fairmargin.desktop.shell import Shell
from fairmargin.desktop.state.background import waited
from fairmargin.desktop.widgets.basics import as_tip
from fairmargin.desktop.widgets.files import ask_open

if TYPE_CHECKING:
    from fairmargin.desktop.bringing.base import BringDialog
    from fairmargin.desktop.dialogs.pasting import PasteDialog

LONG_TEXT = 200_000  # characters; longer is read off the GUI thread


class Intake(QObject):
    """Commands that bring readings in."""

    def __init__(self, window: Shell) -> None:
        super().__init__(window)
        self.window, self.session = window, window.session
        self._file: Path | None = None  # text that a dialog shows, and that may be something else than it seems

    def bring_in(self) -> None:
        """Ask for a file of any kind and bring what it holds into the open study."""
        path = ask_open(
            self.window,
            "Bring readings in",
            "Readings (*.csv *.txt *.tsv *.log *.xlsx *.ods *.parquet *.gpx *.tcx *.kml *.fit *.nmea *.asc *.blf *.mf4 *.zip *.drive);;All files (*)",
        )
        if path:
            self.bring_from(path)

    def _may_bring(self) -> bool:
        if self.session.study is None:
            self.window.tell("Open the study first that the readings belong to.")
            return False
        if self.session.read_only:
            self.window.tell(self.session.logbook.read_only_because if self.session.logbook else "No logbook is open.")
            return False
        return True

    def bring_from(self, path: str | Path) -> bool:
        """See what a file is, show how it would be read, and take what the person agrees to."""
        from fairmargin.exchange.files.faults import InvalidInput
        from fairmargin.exchange.files.kinds import recognise

        path = Path(path)
        try:
            found = recognise(path)
            self._file = path if found.kind in {"log", "table"} else None
            if found.kind == "package":
                return self.window.merge_from(path) if self.session.study is not None else self.window.import_from(path)
            if not self._may_bring():
                return False
            if found.kind in {"log", "track"}:
                return self._bring_log(path, found.kind)
            if found.kind == "workbook":
                return self._bring_workbook(path)
            if found.kind == "recording":
                self.window.drive.show_view(True)
                assert self.window.drive.controller is not None
                return self.window.drive.controller.take_cut_short(path)
            return self._bring_table(path.read_text(encoding="utf-8-sig", errors="replace"), path)
        except InvalidInput as fault:
            self.window.tell(f"Not brought in. {fault.faults[0]}")
            return False
        except OSError as error:
            self.window.tell(f"{path}: cannot be read: {error.strerror or error}")
            return False
        finally:
            self._file = None

    def _instead(self, dialog: BringDialog | PasteDialog) -> bool | None:
        """Bring the file in as what the person says it is; None where they said nothing of the sort."""
        choice = dialog.kind_choice
        if choice is None or not choice.instead or self._file is None:
            return None
        path = self._file
        text = path.read_text(encoding="utf-8-sig", errors="replace")
        if choice.instead == "log":
            return self._bring_log(path, "log")
        if choice.instead == "weather":
            return self.bring_weather(text)
        return self.bring_receipts(text) if choice.instead == "receipts" else self._bring_legs(text)

    def _agreed(self, dialog: BringDialog, words: str) -> bool:
        if dialog.kind_choice is not None and self._file is not None:
            dialog.kind_choice.show()
        agreed = dialog.exec() == dialog.DialogCode.Accepted and dialog.after is not None
        done = agreed and self.session.edit(dialog.after, words, dialog.traces)  # type: ignore[arg-type]
        other = None if agreed else self._instead(dialog)
        dialog.deleteLater()
        return done if other is None else other

    def _bring_log(self, path: Path, kind: str, name: str = "") -> bool:
        from fairmargin.desktop.bringing.log import LogDialog

        dialog = LogDialog(self.session, path, kind, self.window, name)
        return self._agreed(dialog, f"log {name or path.name}")

    def _bring_table(self, text: str, path: Path) -> bool:
        """A table that is no log: weather if it reads as such, else receipts, else rows of legs."""
        from fairmargin.exchange.meteorology.stations import read_weather
        from fairmargin.exchange.tables.receipts import read_receipts

        if len(text) > LONG_TEXT:
            return self._bring_long_table(text)
        now = datetime.now()
        for reads, bring in ((read_weather, self.bring_weather), (read_receipts, self.bring_receipts)):
            try:
                reads(text, now)
            except UndecidedDates:
                return bring(text)  # which asks
            except ValueError:
                continue
            return bring(text)
        return self._bring_legs(text)

    def _bring_long_table(self, text: str) -> bool:
        """A table of months can only be a station's; it is read off the GUI thread."""
        from fairmargin.desktop.bringing.base import ask_order, weather_of
        from fairmargin.desktop.bringing.weather_reports import WeatherDialog

        study = self.session.study
        assert study is not None
        order: Order = ""
        try:
            try:
                read = waited(self.window, "Reading the table\u2026", lambda: weather_of(study, text))
            except UndecidedDates as fault:
                order = ask_order(self.window, fault)
                if not order:
                    return False
                read = waited(self.window, "Reading the table\u2026", lambda: weather_of(study, text, order))
        except ValueError as error:
            self.window.tell(f"Not brought in. {error}")
            return False
        if read is None:
            return False
        return self._agreed(WeatherDialog(self.session, "", self.window, read), "weather reports")

    def _bring_legs(self, text: str) -> bool:
        from fairmargin.desktop.dialogs.pasting import PasteDialog

        assert self.session.study is not None
        dialog = PasteDialog(text, self.session.study, self.session.units, None, self.window)
        if self._file is not None:
            dialog.kind_choice.show()
        if dialog.exec() and dialog.result_study is not None:
            return self.session.edit(dialog.result_study, f"bring in {dialog.count} legs")
        return bool(self._instead(dialog))

    def _bring_workbook(self, path: Path) -> bool:
        import tempfile

        from fairmargin.exchange.files.kinds import as_text, read_workbook, recognise

        read = waited(self.window, "Reading the spreadsheet\u2026", lambda: read_workbook(path))
        if read is None:
            return False
        sheets, notices = read
        name = next(iter(sheets))
        if len(sheets) > 1:
            name, agreed = QInputDialog.getItem(
                self.window, "Which sheet?", as_tip(f"{path.name} has {len(sheets)} sheets."), list(sheets), 0, False
            )
            if not agreed:
                return False
        if notices:
            self.window.tell("; ".join(notices))
        text = as_text(sheets[name])
        with tempfile.TemporaryDirectory() as folder:
            copy = Path(folder) / "sheet.tsv"
            copy.write_text(text, encoding="utf-8")
            if len(sheets[name][0]) > 1 and recognise(copy).kind == "log":
                return self._bring_log(copy, "log", f"{path.name}, {name}")
        return self._bring_table(text, path)

    def bring_weather(self, text: str) -> bool:
        """Show weather reports, pasted or read, and take them."""
        from fairmargin.desktop.bringing.weather_reports import WeatherDialog

        return self._may_bring() and self._agreed(WeatherDialog(self.session, text, self.window), "weather reports")

    def bring_receipts(self, text: str) -> bool:
        """Show charging receipts, typed or read, and put them on their legs."""
        from fairmargin.desktop.bringing.receipts import ReceiptsDialog

        return self._may_bring() and self._agreed(ReceiptsDialog(self.session, text, self.window), "charging receipts")
