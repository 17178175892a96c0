"""The run sheet by keys: from field to field, runs added, rows pasted."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication, QLineEdit, QMenu, QPushButton, QScrollArea

from fairmargin.core.study.runs import with_run
from fairmargin.desktop.stages.leg_card import LegCard
from fairmargin.desktop.stages.leg_edits import LegEdits
from fairmargin.desktop.stages.rows import LazyRows


class SheetKeys(LegEdits):
    """A stage with a card for each leg, whose fields are gone through by keys."""

    cards: LazyRows[LegCard]
    area: QScrollArea
    add_button: QPushButton

    # ------------------------------------------------------------ adding

    def _add_menu(self) -> None:
        study = self.session.study
        if study is None:
            return
        menu = QMenu(self)
        for configuration in study.configurations:
            action = menu.addAction(f"A run with {configuration.label}")
            action.triggered.connect(lambda _=False, c=configuration.id: self.add_run(c))
        menu.exec(self.add_button.mapToGlobal(QPoint(0, self.add_button.height())))

    def add_run(self, configuration: str) -> None:
        """Add a planned run at the end."""
        study = self.session.study
        if study is None:
            return
        self.session.edit(with_run(study, configuration), "add a run")

    # ------------------------------------------------------------ keys and paste

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent) and isinstance(watched, QLineEdit):
            if event.matches(QKeySequence.StandardKey.Paste):
                text = QApplication.clipboard().text()
                if "\t" in text or "\n" in text.strip():
                    self.paste(at=(str(watched.property("leg")), str(watched.property("key"))))
                    return True
            if event.key() in {Qt.Key.Key_Down, Qt.Key.Key_Up}:
                self._move(str(watched.property("leg")), str(watched.property("key")), event.key() == Qt.Key.Key_Down)
                return True
            if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
                watched.editingFinished.emit()
                self._on(str(watched.property("leg")), str(watched.property("key")))
                return True
        return super().eventFilter(watched, event)

    def _on(self, leg: str, key: str) -> None:
        """The same field of the next leg; after the last leg, the next field of the first."""
        names = list(self.cards)
        if leg != names[-1]:
            self._move(leg, key, True)
            return
        shown = [k for k, field in self.cards[names[0]].fields.items() if not field.isHidden()]
        at = shown.index(key) + 1 if key in shown else len(shown)
        if at < len(shown):
            self._put_into(names[0], shown[at])

    def _move(self, leg: str, key: str, down: bool) -> None:
        names = list(self.cards)
        index = names.index(leg) + (1 if down else -1)
        if 0 <= index < len(names):
            self._put_into(names[index], key)

    def _put_into(self, leg: str, key: str) -> None:
        """Put the cursor into a field of a leg's card, where it has one."""
        field = self.cards[leg].fields.get(key)
        if field is not None:
            field.edit.setFocus()
            field.edit.selectAll()
            self.area.ensureWidgetVisible(field, 20, 60)

    def paste(self, _checked: bool = False, at: tuple[str, str] | None = None) -> None:
        """Paste rows of legs from the clipboard, after a preview."""
        from fairmargin.desktop.dialogs.pasting import PasteDialog

        study = self.session.study
        text = QApplication.clipboard().text()
        if study is None or self.session.read_only:
            return
        if not text.strip():
            self.session.failed.emit("The clipboard holds no text. Copy rows of legs in the spreadsheet first.")
            return
        dialog = PasteDialog(text, study, self.session.units, at, self)
        if dialog.exec() and dialog.result_study is not None:
            self.session.edit(dialog.result_study, f"paste {dialog.count} legs")
