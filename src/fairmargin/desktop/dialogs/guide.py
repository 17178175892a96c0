"""The guide inside the window: its contents beside it, a word to find, opened at the stage one is on."""

from __future__ import annotations

from importlib import resources
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QKeyEvent, QPixmap, QTextBlock, QTextCursor, QTextDocument
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.inputs import Line

#: Where the guide speaks of what is in sight: the beginning of a heading, or of a step in bold.
AT: Final = {
    "home": "Home: years of tests", "question": "Question", "plan": "Plan", "drive": "Drive", "examine": "Examine",
    "correct": "Correct", "verdict": "Verdict", "use": "Use", "road": "On the road",
}  # fmt: skip


def guide_text() -> str:
    """The guide as it is written: shipped with the application, else that of the source tree."""
    shipped = resources.files("fairmargin.desktop") / "data" / "guide.md"
    if shipped.is_file():
        return shipped.read_text(encoding="utf-8")
    return (Path(__file__).parents[4] / "docs" / "guide.md").read_text(encoding="utf-8")


def _pictures() -> Path:
    """Where the guide's pictures lie: shipped with the application, else in the source tree."""
    shipped = Path(str(resources.files("fairmargin.desktop") / "data" / "screenshots"))
    return shipped if shipped.is_dir() else Path(__file__).parents[4] / "docs" / "screenshots"


class _Page(QTextBrowser):
    """Shows its pictures as wide as it is itself, up to their own size."""

    MARGIN = 40

    def loadResource(self, kind: int, name: QUrl | str) -> object:
        path = name if isinstance(name, str) else name.path()
        if path.startswith("screenshots/"):
            picture = QPixmap(str(_pictures() / Path(path).name))
            if not picture.isNull():
                wide = max(200, min(picture.width(), self.viewport().width() - self.MARGIN))
                ratio = self.devicePixelRatioF()
                scaled = picture.scaledToWidth(round(wide * ratio), Qt.TransformationMode.SmoothTransformation)
                scaled.setDevicePixelRatio(ratio)
                return scaled
        return super().loadResource(kind, name)


class GuideDialog(QDialog):
    """The guide beside the work: it stays open while one goes on."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Guide")
        self.setModal(False)
        self.resize(860, 640)
        page = QVBoxLayout(self)
        row = QHBoxLayout()
        self.typed = Line()
        self.typed.setPlaceholderText("Find a word")
        self.typed.setAccessibleName("Find in the guide")
        self.typed.textChanged.connect(lambda _: self._find(anew=True))
        self.typed.returnPressed.connect(lambda: self._find(anew=False))
        row.addWidget(self.typed, 1)
        self.found = label("", "muted")
        self.found.setMinimumWidth(150)
        row.addWidget(self.found)
        self.next = QPushButton("Next")
        self.next.setAutoDefault(False)
        self.next.clicked.connect(lambda: self._find(anew=False))
        row.addWidget(self.next)
        page.addLayout(row)
        lower = QHBoxLayout()
        self.contents = QListWidget()
        self.contents.setAccessibleName("Contents of the guide")
        self.contents.setFixedWidth(210)
        lower.addWidget(self.contents)
        self.text = _Page()
        self.text.setAccessibleName("The guide")
        self.text.setOpenLinks(False)
        self.text.setMarkdown(guide_text())
        lower.addWidget(self.text, 1)
        page.addLayout(lower, 1)
        self._headings: list[QTextBlock] = []
        self._list_headings()
        self.contents.currentRowChanged.connect(self._go_to_heading)

    def _blocks(self) -> list[QTextBlock]:
        document, block, found = self.text.document(), self.text.document().begin(), []
        while block.isValid() and block != document.end():
            found.append(block)
            block = block.next()
        return found

    def _list_headings(self) -> None:
        for block in self._blocks():
            level = block.blockFormat().headingLevel()
            if level in {2, 3}:
                self._headings.append(block)
                self.contents.addItem(QListWidgetItem(f"{'    ' if level == 3 else ''}{block.text()}"))

    def _go_to_heading(self, row: int) -> None:
        if 0 <= row < len(self._headings):
            self._show(self._headings[row])

    def _show(self, block: QTextBlock) -> None:
        """Bring a block to the top."""
        self.text.setTextCursor(QTextCursor(block))
        layout = self.text.document().documentLayout()
        self.text.verticalScrollBar().setValue(int(layout.blockBoundingRect(block).top()) - 6)

    def open_at(self, place: str) -> bool:
        """Show what the guide says of a stage, of home or of the road; whether it says anything."""
        words = AT.get(place, "")
        blocks = [b for b in self._blocks() if words and b.text().startswith(words)]
        if not blocks:
            return False
        headings = [b for b in blocks if b.blockFormat().headingLevel()]
        self._show((headings or blocks)[0])
        return True

    def _find(self, anew: bool) -> None:
        """Go to the next place of the words, from the beginning again after the last."""
        words = self.typed.text().strip()
        if not words:
            self.found.setText("")
            return
        if anew:
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
        if not self.text.find(words):
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            self.text.find(words)
        count = _count(self.text.document(), words)
        self.found.setText(f"{count} place{'s' if count != 1 else ''}" if count else "nowhere")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.typed.text():
            self.typed.clear()
            return
        super().keyPressEvent(event)


def _count(document: QTextDocument, words: str) -> int:
    return document.toPlainText().lower().count(words.lower())
