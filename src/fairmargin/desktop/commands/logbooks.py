"""Logbooks from the menu: open and make them, earlier copies, and what is done with one that is not whole."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog

from fairmargin.core.study.entry import words_of
from fairmargin.desktop.shell import Shell
from fairmargin.desktop.state.background import waited
from fairmargin.desktop.system.paths import demo_path
from fairmargin.logbook.store import SUFFIX


class Logbooks(QObject):
    """Commands on logbooks."""

    def __init__(self, window: Shell) -> None:
        super().__init__(window)
        self.window, self.session = window, window.session

    def open_existing(self, path: str) -> None:
        if not Path(path).exists():
            self.window.tell(f"{path}: there is no such logbook any more.")
            return
        self.session.open_logbook(path)

    def choose_logbook(self) -> None:
        """Ask for a logbook and open it; a new name makes a new one."""
        start = str(self.session.logbook.path.parent) if self.session.logbook else ""
        dialog = QFileDialog(self.window, "Open or make a logbook", start, f"Logbooks (*{SUFFIX});;All files (*)")
        dialog.setFileMode(QFileDialog.FileMode.AnyFile)
        dialog.setDefaultSuffix(SUFFIX.lstrip("."))
        if dialog.exec():
            self.session.open_logbook(dialog.selectedFiles()[0])

    def show_copies(self) -> None:
        """Show the earlier copies of the open logbook; look at one, or put it back."""
        from fairmargin.desktop.dialogs.recovering import CopiesDialog, copy_words

        book = self.session.logbook
        if book is None:
            self.window.tell("No logbook is open.")
            return
        dialog = CopiesDialog(book.path, not book.read_only, self.window)
        agreed = dialog.exec() == dialog.DialogCode.Accepted
        copy, wanted = dialog.copy, dialog.wanted
        dialog.deleteLater()
        if not agreed or copy is None:
            return
        if wanted == "look":
            self.session.open_logbook(copy.path)
        elif self.session.put_back(copy.path):
            self.window.tell(f"Put back: {copy_words(copy)}. What was there before is among the earlier copies.")

    def recover_logbook(self, path: Path) -> None:
        """Offer what can be done with a logbook that is not whole."""
        from fairmargin.desktop.dialogs.recovering import ChoiceDialog, copy_words, rescued_path
        from fairmargin.logbook import LogbookFault, copies
        from fairmargin.logbook.rescue import Rescued, rescue

        kept = copies.kept(path)
        choices = ["Read what can be read into a new logbook"]
        choices += [f"Put back the newest copy: {copy_words(kept[0])}"] if kept else []
        dialog = ChoiceDialog(f"{path.name} is damaged", self.window.notice_text.text(), choices, self.window)
        dialog.exec()
        chosen = dialog.chosen
        dialog.deleteLater()
        if chosen is None:
            return
        try:
            if chosen == 0:
                target = rescued_path(path, datetime.now())
                back = waited(self.window, "Reading what can be read\u2026", lambda: rescue(path, target))
                if isinstance(back, Rescued) and self.session.open_logbook(back.path):
                    self.window.tell(back.words())
            else:
                copies.put_back(path, kept[0].path)
                if self.session.open_logbook(path):
                    self.window.tell(f"Put back: {copy_words(kept[0])}. The damaged file is among the earlier copies.")
        except (LogbookFault, OSError) as error:
            self.window.tell(words_of(error))

    def recover_study(self) -> None:
        """Offer what can be done with a study whose record is not what was written."""
        from fairmargin.desktop.dialogs.recovering import ChoiceDialog, copy_words

        book, fault = self.session.logbook, self.session.damaged
        if book is None or fault is None or book.read_only:
            return
        earlier = book.from_copies(fault.study_id)
        offers = []
        if earlier is not None:
            offers.append(
                ("As it was in the copy of " + copy_words(earlier[0]), earlier[1].study, earlier[1].traces, "")
            )
        if fault.study is not None:
            offers.append(("What can be read, as a new study: every value in doubt", fault.study, fault.traces, " (check every value)"))  # fmt: skip
        dialog = ChoiceDialog("This study is damaged", str(fault), [o[0] for o in offers], self.window)
        dialog.exec()
        chosen = dialog.chosen
        dialog.deleteLater()
        if chosen is not None:
            _, study, traces, mark = offers[chosen]
            if self.session.add_study(study.with_(title=study.title + mark), traces) is not None:
                self.window.land()

    def open_default(self) -> None:
        """Open the person's own logbook."""
        from fairmargin.logbook import default_path

        self.session.open_logbook(default_path())

    def open_demo(self) -> None:
        """Open the demo logbook, put there when absent."""
        from fairmargin.demo import make_demo_logbook
        from fairmargin.exchange.files.faults import InvalidInput

        try:
            make_demo_logbook(demo_path())
        except (InvalidInput, OSError) as error:
            self.window.tell(words_of(error))
            return
        self.session.open_logbook(demo_path())
