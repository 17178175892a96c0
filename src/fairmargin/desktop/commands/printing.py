"""Printing the report, the sheet of the day and the card."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from datetime import date, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from fairmargin.desktop.commands.packages import file_name
from fairmargin.desktop.shell import Shell
from fairmargin.desktop.state.background import meanwhile
from fairmargin.desktop.system import printers
from fairmargin.exchange.files.atomic import write_whole
from fairmargin.exchange.files.faults import InvalidInput

if TYPE_CHECKING:
    from fairmargin.exchange.reports.pdf import Paper


class Printing(QObject):
    """Commands that print; what is printed lies in a private folder until the window is closed.

    Parameters
    ----------
    window : Shell
    """

    def __init__(self, window: Shell) -> None:
        super().__init__(window)
        self.window, self.session = window, window.session
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self.printers, self.show_file, self.print_file = printers.printers, printers.show_file, printers.print_file

    def ask(self) -> None:
        """Ask what to print, and print it."""
        from fairmargin.desktop.dialogs.printing import WHAT, PrintDialog

        may = [what for what in WHAT if self._there_is(what)]
        if not may:
            self.window.tell("Open a study first; then its sheet, report and card can be printed.")
            return
        dialog = PrintDialog(may, printers.paper_here(), self.printers(), self.window)
        if dialog.exec():
            self.print(str(dialog.what.currentData()), dialog.paper.currentData(), str(dialog.printer.currentData()))
        dialog.deleteLater()

    def _there_is(self, what: str) -> bool:
        study, analysis = self.session.study, self.session.analysis
        if study is None:
            return False
        if what == "sheet":
            return bool(study.order)
        told = analysis is not None and (analysis.comparisons or any(r.as_driven_wh_per_km for r in analysis.results))
        return bool(told) if what == "card" else analysis is not None

    def print(self, what: str, paper: Paper, printer: str) -> bool:
        """Print one thing; without a printer the desktop's own reader shows it."""
        path = self._file(what)
        try:
            write_whole(path, meanwhile(self._work(what, paper)))
        except InvalidInput as fault:
            self.window.tell(fault.faults[0])
            return False
        except ValueError as error:
            self.window.tell(f"Nothing to print yet: {error}")
            return False
        if printer:
            wrong = self.print_file(path, printer)
            self.window.tell(f"Not printed: {wrong}" if wrong else f"Printed on {printer}.")
            return not wrong
        if not self.show_file(path):
            self.window.tell(f"Nothing on this machine opens a PDF; it lies at {path} until this window is closed.")
            return False
        return True

    def _file(self, what: str) -> Path:
        if self._folder is None:
            self._folder = tempfile.TemporaryDirectory(prefix="fairmargin-", ignore_cleanup_errors=True)
        assert self.session.study is not None
        return Path(self._folder.name) / f"{file_name(self.session.study.title) or 'study'}, {what}.pdf"

    def _work(self, what: str, paper: Paper) -> Callable[[], bytes]:
        """What makes the PDF, in any thread."""
        study, analysis, units = self.session.study, self.session.analysis, self.session.units
        assert study is not None
        if what == "sheet":
            from fairmargin.core.planning import plan_day
            from fairmargin.core.units import in_units
            from fairmargin.desktop.stages.planning.page import clock_offset
            from fairmargin.exchange.reports.day_sheet import sheet_of, sheet_pdf

            day = study.plan.day or date.today()
            table = plan_day(study, study.order, day, utc_offset=clock_offset(day))
            told = table.worded(lambda words: in_units(words, units))
            return lambda: sheet_pdf(sheet_of(study, told, units), paper)
        assert analysis is not None
        if what == "card":
            from fairmargin.exchange.reports.card import card_of, card_pdf

            c, view = self.session.comparison, self.session.view
            return lambda: card_pdf(card_of(study, analysis, c, view, units, date.today()), paper)
        from fairmargin.desktop.stages.using.page import OwnFigures
        from fairmargin.exchange.reports.content import content
        from fairmargin.exchange.reports.pdf import to_pdf
        from fairmargin.exchange.reports.use import report_use

        own, askings = OwnFigures(self.session), self.session.wanted.askings() or ()
        prices, year = own.prices(), own.km_per_year

        def made() -> bytes:
            use = report_use(study, askings, own.reserve, own.fade, prices, year)
            return to_pdf(content(study, analysis, units, datetime.now(), use), paper)

        return made
