"""Packages and reports from the menu: import, merge, export, report."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog

from fairmargin.desktop.shell import Shell
from fairmargin.desktop.state.background import meanwhile, waited
from fairmargin.desktop.system.printers import paper_here
from fairmargin.desktop.widgets.files import ask_open, ask_save


def file_name(title: str) -> str:
    """A title as the beginning of a file name: what no file can hold left out, and short enough."""
    return "".join(c if c.isalnum() or c in " -" else "_" for c in title)[:60].strip()


class Packages(QObject):
    """Commands on packages and reports."""

    def __init__(self, window: Shell) -> None:
        super().__init__(window)
        self.window, self.session = window, window.session

    def import_package(self) -> None:
        """Ask for a package zip and add it."""
        path = ask_open(self.window, "Import a package", "Packages (*.zip study.json);;All files (*)")
        if path:
            self.import_from(path)

    def merge_package(self) -> None:
        """Ask for a package of the same study, from another laptop, and merge it."""
        path = ask_open(self.window, "Readings from another laptop", "Packages (*.zip study.json);;All files (*)")
        if path:
            self.merge_from(path)

    def merge_from(self, path: str | Path) -> bool:
        """Merge a package into the open study by leg; conflicts are shown side by side first."""
        from fairmargin.core.study.merge import merge
        from fairmargin.desktop.dialogs.merging import MergeDialog
        from fairmargin.exchange.files.faults import InvalidInput
        from fairmargin.exchange.packages.reading import Package, read_package

        here = self.session.study
        if here is None:
            self.session.failed.emit("Open the study first that the readings belong to.")
            return False
        source = Path(path).parent if Path(path).name == "study.json" else Path(path)
        try:
            package = waited(self.window, f"Reading {source.name}\u2026", lambda: read_package(source))
            if not isinstance(package, Package):
                return False  # stopped
            merged = merge(here, package.study, self.session.traces, package.traces)
        except InvalidInput as fault:
            self.session.failed.emit(f"{path}: {fault.faults[0]}")
            return False
        except ValueError as error:
            self.session.failed.emit(f"{path}: {error}")
            return False
        if not merged.added and not merged.filled and not merged.conflicts and merged.study == here:
            self.session.failed.emit("Nothing new in that package.")
            return False
        dialog = MergeDialog(merged, self.window)
        if dialog.exec() != MergeDialog.DialogCode.Accepted:
            return False
        return self.session.edit(dialog.study(), "readings from another laptop", dialog.traces())

    def import_folder(self) -> None:
        """Ask for a package folder and add it."""
        path = QFileDialog.getExistingDirectory(self.window, "Import a package folder")
        if path:
            self.import_from(path)

    def import_from(self, path: str | Path) -> bool:
        """Add a package to the logbook and show it."""
        from fairmargin.exchange.files.faults import InvalidInput
        from fairmargin.exchange.packages.reading import Package, read_package

        path = Path(path)
        if path.name == "study.json":
            path = path.parent
        try:
            package = waited(self.window, f"Reading {path.name}\u2026", lambda: read_package(path))
        except InvalidInput as fault:
            more = f" (and {len(fault.faults) - 1} more)" if len(fault.faults) > 1 else ""
            self.window.tell(f"{path.name} was not imported. {fault.faults[0]}{more}")
            return False
        if not isinstance(package, Package):
            return False  # stopped
        if self.session.add_study(package.study, package.traces) is None:
            if self.session.read_only and self.session.logbook:
                self.window.tell(self.session.logbook.read_only_because)
            return False
        if package.notices:
            self.window.tell(f"Imported. {'; '.join(package.notices)}.")
        self.window.go_to("verdict")
        return True

    def export_package(self) -> None:
        """Ask where to, and write the study as a package."""
        if self.session.study is None:
            self.window.tell("Open a study first; then it can be exported.")
            return
        name = file_name(self.session.study.title) or "study"
        path, _ = ask_save(self.window, "Export as a package", f"{name}.zip", "Package (*.zip)")
        if path:
            self.export_to(path)

    def export_to(self, path: str | Path) -> bool:
        """Write the open study as a package."""
        from fairmargin.exchange.files.faults import InvalidInput
        from fairmargin.exchange.packages.writing import write_package

        study, traces = self.session.as_a_package(), dict(self.session.traces)
        assert study is not None
        try:
            meanwhile(lambda: write_package(path, study, traces))
        except InvalidInput as fault:
            self.window.tell(fault.faults[0])
            return False
        self.window.tell(f"Exported to {path}.")
        return True

    def write_report(self) -> None:
        """Ask where to, and write the report."""
        if self.session.study is None:
            self.window.tell("Open a study first; then it can be reported.")
            return
        name = file_name(self.session.study.title) or "report"
        path, _ = ask_save(self.window, "Report", f"{name}.html", "Web page (*.html);;PDF (*.pdf)")
        if path:
            self.report_to(path)

    def write_card(self) -> None:
        """Ask where to and which kind, and write the result card."""
        if self.session.study is None:
            self.window.tell("Open a study first; then its result can go on a card.")
            return
        name = file_name(self.session.study.title) or "result"
        path, kind = ask_save(
            self.window, "Result card", f"{name}.png",
            "Picture (*.png);;Picture, dark (*.png);;Vectors (*.svg);;Vectors, dark (*.svg);;Text (*.txt)",
        )  # fmt: skip
        if path:
            self.card_to(path, dark="dark" in kind)

    def card_to(self, path: str | Path, dark: bool = False) -> bool:
        """Write the card of the comparison that is shown."""
        from fairmargin.exchange.files.faults import InvalidInput
        from fairmargin.exchange.reports.card import card_of, write_card

        study, analysis, c = self.session.study, self.session.analysis, self.session.comparison
        if study is None or analysis is None:
            return False
        view, units, today = self.session.view, self.session.units, date.today()
        try:
            meanwhile(lambda: write_card(path, card_of(study, analysis, c, view, units, today), dark))
        except InvalidInput as fault:
            self.window.tell(fault.faults[0])
            return False
        except ValueError as error:
            self.window.tell(f"No card yet: {error}")
            return False
        self.window.tell(f"Card written to {path}.")
        return True

    def write_table(self) -> None:
        """Ask where to and which kind, and write every leg with its corrections."""
        if self.session.study is None or self.session.analysis is None:
            self.window.tell("Open a study first; then its legs and corrections can be saved.")
            return
        name = file_name(self.session.study.title) or "legs"
        path, kind = ask_save(
            self.window,
            "Legs and corrections",
            f"{name}, legs.csv",
            "CSV (*.csv);;Workbook (*.xlsx);;Parquet (*.parquet)",
        )
        if path:
            self.table_to(Path(path) if Path(path).suffix else Path(path + kind[kind.index("*") + 1 : -1]))

    def table_to(self, path: Path) -> bool:
        """Write the open study's legs and corrections, as CSV, workbook or Parquet by the name's ending."""
        from fairmargin.exchange.files.faults import InvalidInput
        from fairmargin.library import Analysis

        study, analysis = self.session.study, self.session.analysis
        assert study is not None and analysis is not None
        try:
            meanwhile(lambda: Analysis(study, analysis).save(path, "legs"))
        except InvalidInput as fault:
            self.window.tell(fault.faults[0])
            return False
        self.window.tell(f"Legs and corrections written to {path}.")
        return True

    def report_to(self, path: str | Path) -> bool:
        """Write the report of the open study."""
        from fairmargin.desktop.stages.using.page import OwnFigures
        from fairmargin.exchange.files.faults import InvalidInput
        from fairmargin.exchange.reports.use import report_use
        from fairmargin.exchange.reports.writing import write_report

        study, analysis = self.session.study, self.session.analysis
        if study is None or analysis is None:
            return False
        traces = dict(self.session.traces)
        units, askings, own = (self.session.units, self.session.wanted.askings() or (), OwnFigures(self.session))

        def write() -> None:
            use = report_use(study, askings, own.reserve, own.fade, own.prices(), own.km_per_year)
            write_report(Path(path), study, analysis, units, use=use, traces=traces, paper=paper_here())

        try:
            meanwhile(write)
        except InvalidInput as fault:
            self.window.tell(fault.faults[0])
            return False
        self.window.tell(f"Report written to {path}.")
        return True
