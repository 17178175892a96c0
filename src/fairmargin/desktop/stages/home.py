"""Home: the studies of the logbook, what they say together, vehicles and roads, practice."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from fairmargin.desktop.stages.keeping.listing import StudyList
from fairmargin.desktop.stages.keeping.studies import StudiesPage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import Elided, as_tip, label, page_buttons

PAGES = (("studies", "Studies"), ("together", "Together"), ("vehicles", "Vehicles and roads"), ("practice", "Practice"))
NARROW = 820  # px: under this the name of the page is the button that is pressed


class HomePage(QWidget):
    """The pages of Home, and what begins a study."""

    newStudy = Signal()
    importPackage = Signal()
    openDemo = Signal()
    studyChosen = Signal(int)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self.session = session
        page = QVBoxLayout(self)
        page.setContentsMargins(24, 14, 24, 14)
        page.setSpacing(10)
        head = QHBoxLayout()
        self.title = label("Studies", "title")
        head.addWidget(self.title)
        self.where = Elided()
        self.where.setMinimumWidth(50)
        head.addWidget(self.where, 1, Qt.AlignmentFlag.AlignBottom)
        head.addStretch()
        self.buttons = page_buttons(self, PAGES, self.show_page)
        for button in self.buttons.values():
            head.addWidget(button)
        head.addSpacing(16)
        self.bring = QPushButton("Import a package\u2026")
        self.bring.clicked.connect(self.importPackage)
        head.addWidget(self.bring)
        self.new = QPushButton("New study\u2026")
        self.new.setObjectName("primary")
        self.new.clicked.connect(self.newStudy)
        head.addWidget(self.new)
        page.addLayout(head)
        self.stack = QStackedWidget()
        page.addWidget(self.stack, 1)
        self.studies = StudiesPage(session)
        self.studies.newStudy.connect(self.newStudy)
        self.studies.openDemo.connect(self.openDemo)
        self.studies.studyChosen.connect(self.studyChosen)
        self._made: dict[str, QWidget] = {"studies": self.studies}
        self.stack.addWidget(self.studies)
        self.buttons["studies"].setChecked(True)
        session.logbookChanged.connect(self._logbook)
        self._logbook()

    @property
    def list(self) -> StudyList:
        """The list of studies."""
        return self.studies.list

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        narrow = self.width() < NARROW
        self.title.setVisible(not narrow)
        self.where.setVisible(not narrow)
        self.bring.setText("Import\u2026" if narrow else "Import a package\u2026")
        self.buttons["vehicles"].setText("Vehicles" if narrow else dict(PAGES)["vehicles"])

    def page(self, name: str) -> QWidget:
        """A page, made when it is first wanted."""
        if name not in self._made:
            self._made[name] = self._make(name)
            self.stack.addWidget(self._made[name])
        return self._made[name]

    def _make(self, name: str) -> QWidget:
        session = self.session
        if name == "vehicles":
            from fairmargin.desktop.stages.keeping.vehicles import VehiclesPage

            return VehiclesPage(session, session.memory)
        if name == "together":
            from fairmargin.desktop.stages.keeping.together import TogetherPage

            together = TogetherPage(session, session.memory)
            together.studyChosen.connect(self.studyChosen)
            return together
        from fairmargin.desktop.stages.keeping.practice import PracticePage

        practice = PracticePage(session)
        practice.studyChosen.connect(self.studyChosen)
        return practice

    def show_page(self, name: str) -> None:
        """Show one of the pages."""
        self.buttons[name].setChecked(True)
        self.title.setText(dict(PAGES)[name])
        self.stack.setCurrentWidget(self.page(name))

    def _logbook(self) -> None:
        book = self.session.logbook
        if book is None:
            return
        self.where.setText(f"{book.path.name}{' (reading only)' if book.read_only else ''}")
        self.where.setToolTip(as_tip(str(book.path)))
        for button in (self.new, self.bring):
            button.setEnabled(not book.read_only)
        self.show_page("studies")
