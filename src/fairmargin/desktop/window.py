"""The main window: road at the left, margin bar across the top, fairness ledger at the right."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QCoreApplication, QEvent, QSettings, QSize, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QKeySequence, QResizeEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.result.corrections import LINES
from fairmargin.core.study import Study, Vehicle
from fairmargin.desktop.background import meanwhile, waited
from fairmargin.desktop.incidents import SENTENCE, Incidents, WhatHappenedDialog, log_path
from fairmargin.desktop.session import Session
from fairmargin.desktop.stages.base import Stage
from fairmargin.desktop.stages.correct import CorrectStage
from fairmargin.desktop.stages.drive import DriveStage
from fairmargin.desktop.stages.home import HomePage
from fairmargin.desktop.stages.plan import PlanStage
from fairmargin.desktop.stages.question import QuestionStage
from fairmargin.desktop.stages.use import UseStage
from fairmargin.desktop.stages.verdict import VerdictStage
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.basics import as_tip, label, percent, signed
from fairmargin.desktop.widgets.fairness import FairnessLedger
from fairmargin.desktop.widgets.marginbar import MarginBar
from fairmargin.desktop.widgets.road import STAGES, Road, Stop

if TYPE_CHECKING:
    from fairmargin.desktop.bringing import BringDialog
from fairmargin.exchange.wording import framed, speed_words
from fairmargin.logbook.store import SUFFIX

LONG_TEXT = 200_000  # characters; longer is read off the GUI thread


def file_name(title: str) -> str:
    """A title as the beginning of a file name: what no file can hold left out, and short enough."""
    return "".join(c if c.isalnum() or c in " -" else "_" for c in title)[:60].strip()


class MainWindow(QMainWindow):
    """Shows one logbook and one study of it."""

    def __init__(self, session: Session, incidents: Incidents | None = None) -> None:
        super().__init__()
        self.session = session
        self.incidents = incidents or Incidents(log_path(), self)
        self.incidents.happened.connect(lambda: self.tell(SENTENCE), Qt.ConnectionType.QueuedConnection)
        self.setWindowTitle("Fair Margin")
        self.setMinimumSize(800, 560)
        central = QWidget()
        central.setObjectName("page")
        across = QHBoxLayout(central)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        self.road = Road()
        self.road.stageChosen.connect(self.go_to)
        self.road.homeChosen.connect(self.go_home)
        across.addWidget(self.road)
        column = QVBoxLayout()
        column.setSpacing(0)
        across.addLayout(column, 1)
        self.notice = QFrame()
        self.notice.setObjectName("notice")
        line = QHBoxLayout(self.notice)
        line.setContentsMargins(24, 6, 12, 6)
        self.notice_text = label("", wrap=True)
        line.addWidget(self.notice_text, 1)
        close = QToolButton()
        close.setText("Close")
        close.clicked.connect(self.notice.hide)
        line.addWidget(close)
        self.notice.hide()
        self.bar = MarginBar()
        column.addWidget(self.bar)
        column.addWidget(self.notice)
        lower = QHBoxLayout()
        lower.setContentsMargins(0, 0, 0, 0)
        lower.setSpacing(0)
        column.addLayout(lower, 1)
        self.pages = QStackedWidget()
        lower.addWidget(self.pages, 1)
        # Where there is no room beside the page, the ledger takes its place when it is asked for.
        self.ledger_button = QPushButton()
        self.ledger_button.setObjectName("link")
        self.ledger_button.setCheckable(True)
        self.ledger_button.toggled.connect(self._show)
        self.ledger_button.hide()
        above = QHBoxLayout()
        above.setContentsMargins(24, 0, 20, 0)
        above.addStretch()
        above.addWidget(self.ledger_button)
        column.insertLayout(2, above)
        self.ledger_side = QWidget()
        side = QVBoxLayout(self.ledger_side)
        side.setContentsMargins(0, 14, 16, 16)
        self.choice = QComboBox()
        self.choice.setAccessibleName("Comparison shown")
        self.choice.activated.connect(session.choose)
        side.addWidget(self.choice)
        self.ledger = FairnessLedger()
        self.ledger.goTo.connect(self.go_to)
        side.addWidget(self.ledger, 1)
        lower.addWidget(self.ledger_side)
        self.setCentralWidget(central)

        self.home = HomePage(session)
        self.home.newStudy.connect(self.new_study)
        self.home.importPackage.connect(self.import_package)
        self.home.openDemo.connect(self.open_demo)
        self.home.studyChosen.connect(self.show_study)
        self.pages.addWidget(self.home)
        self._stages: dict[str, Stage] = {}
        self._stage: str | None = None
        self._was_narrow = False
        self._toolkit = {
            "question": QuestionStage,
            "plan": PlanStage,
            "drive": DriveStage,
            "correct": CorrectStage,
            "verdict": VerdictStage,
            "use": UseStage,
        }
        self._actions: list[tuple[str, str, Callable[[], object]]] = []
        self._menus()
        session.studyChanged.connect(self._show)
        session.analysisChanged.connect(self._show)
        session.unitsChanged.connect(self._show)
        session.logbookChanged.connect(self._logbook_changed)
        session.failed.connect(self.tell)
        session.logbookDamaged.connect(
            lambda path: QTimer.singleShot(0, self, lambda: self.recover_logbook(Path(path)))
        )
        session.studyDamaged.connect(lambda _id: QTimer.singleShot(0, self, self.recover_study))
        session.busyChanged.connect(self._busy)
        theme.changing.connect(self._rest)
        theme.changed.connect(self._show)
        self._restore()
        self.go_home()

    # ------------------------------------------------------------ pages

    @property
    def narrow(self) -> bool:
        """Whether there is no room for the ledger beside the page."""
        return self.width() < 980

    @property
    def drive(self) -> DriveStage:
        """The Drive stage."""
        stage = self.stage("drive")
        assert isinstance(stage, DriveStage)
        return stage

    def stage(self, name: str) -> Stage:
        """Return a stage's page, made when first wanted."""
        if name not in self._stages:
            if name == "examine":
                from fairmargin.desktop.stages.examine import ExamineStage

                made: Stage = ExamineStage(self.session)
            else:
                made = self._toolkit[name](self.session)  # type: ignore[abstract]
            if isinstance(made, DriveStage):
                made.finished.connect(lambda: self.go_to("verdict"))
                made.liveChanged.connect(self._show)
            self._stages[name] = made
            self.pages.addWidget(made)
        return self._stages[name]

    def _rest(self) -> None:
        """Take down the pages that are out of sight: restyling costs a millisecond a widget."""
        for name, stage in list(self._stages.items()):
            if name != self._stage and stage.may_rest():
                del self._stages[name]
                self.pages.removeWidget(stage)
                stage.setParent(None)
                stage.deleteLater()
                QCoreApplication.sendPostedEvents(stage, QEvent.Type.DeferredDelete)

    def go_to(self, name: str) -> None:
        """Show a stage of the open study."""
        if self.session.study is None:
            return
        self._stage = name
        self.ledger_button.setChecked(False)
        self.pages.setCurrentWidget(self.stage(name))
        self._show()

    def go_home(self) -> None:
        """Show the list of studies."""
        self._stage = None
        self.pages.setCurrentWidget(self.home)
        self._show()

    def _show(self, *_: object) -> None:
        study, analysis = self.session.study, self.session.analysis
        if study is None:
            self._stage = None
            if self.pages.currentWidget() is not self.home:
                self.pages.setCurrentWidget(self.home)
            self.road.show_stops("", "", self.road.stops(), None)
            self.bar.hide()
            self.ledger_side.hide()
            self.ledger_button.hide()
            self.pages.show()
            self.setWindowTitle("Fair Margin")
            return
        at_home = self._stage is None
        self.bar.setVisible(not at_home)
        # On the road nothing stands beside the leg that is driven.
        on_the_road = self._stage == "drive" and self.drive.live_button.isChecked()
        beside = not at_home and not on_the_road
        wanted = self.ledger_button.isChecked()
        self.ledger_button.setVisible(beside and self.narrow)
        self.ledger_side.setVisible(beside and (wanted or not self.narrow))
        self.pages.setVisible(not (beside and wanted and self.narrow))
        doubts = len(analysis.concerns) if analysis else 0
        self.ledger_button.setText(
            "Back to the page  \u203a"
            if wanted
            else f"Fairness ledger: {doubts} doubt{'' if doubts == 1 else 's'}  \u203a"
        )
        many = len(analysis.comparisons) if analysis else 0
        self.choice.setVisible(many > 1)
        if analysis and many > 1:
            now = self.session.chosen
            self.choice.blockSignals(True)
            self.choice.clear()
            for c in analysis.comparisons:
                words = (
                    f"{study.configuration(c.trial).label}, {speed_words(c.speed_kmh, self.session.units)}"
                )
                self.choice.addItem(words + (f", {c.sector}" if c.sector else ""))
            self.choice.setCurrentIndex(min(now, many - 1))
            self.choice.blockSignals(False)
        self.bar.show_analysis(study, analysis, self.session.chosen)
        self.ledger.show_analysis(study, analysis, self.session.chosen)
        where = [framed(study.route_name)] if study.route_name else []
        if study.target_speed_kmh:
            where.append(speed_words(study.target_speed_kmh, self.session.units))
        self.road.show_stops(
            study.title or "(no title)", " \u00b7 ".join(where), self._stops(study), self._stage
        )
        self.setWindowTitle(f"{study.title} \u2013 Fair Margin")

    def _stops(self, study: Study) -> tuple[Stop, ...]:
        analysis = self.session.analysis
        c = self.session.comparison
        driven = sum(self.session.has_reading(leg) for leg in study.legs)
        out = sum(not leg.included for leg in study.legs)
        total = len(study.legs)
        letters = study.order
        if len(letters) >= 8 and len(letters) % 2 == 0 and letters[: len(letters) // 2] * 2 == letters:
            letters = f"{letters[: len(letters) // 2]} \u00d72"
        sealed = study.change.prediction_sealed_at is not None
        if sealed:
            question = "sealed"
        else:
            question = "no prediction yet" if study.change.prediction_percent is None else "not sealed"
        whole = driven == total and total > 0
        used = [leg for leg in analysis.legs if leg.corrected_wh_per_km is not None] if analysis else []
        largest = ""
        if used and self.session.view != "as-measured":
            sums: dict[str, float] = {}
            for leg in used:
                for name, value in leg.corrections_wh_per_km.items():
                    sums[name] = sums.get(name, 0.0) + abs(value) / len(used)
            name = max(sums, key=lambda n: sums[n]) if sums else ""
            mean = sum(leg.corrections_wh_per_km.get(name, 0.0) for leg in used) / len(used)
            largest = f"{LINES[name]} {signed(mean)}" if name else ""
        use = percent(c.range_change_percent) + " range" if c else ""
        return (
            Stop("question", "done" if sealed else "begun", question),
            Stop("plan", "done" if letters else "open", letters or "no runs yet"),
            Stop("drive", "done" if whole else "begun" if driven else "open", f"{driven} of {total} legs"),
            Stop(
                "examine",
                "done" if whole else "begun" if driven else "open",
                f"{out} left out" if driven else "",
            ),
            Stop("correct", "done" if c and whole else "begun" if used else "open", largest),
            Stop(
                "verdict",
                "done" if c and c.verdict not in {"not settled"} else "begun" if c else "open",
                c.verdict if c else "",
            ),
            Stop("use", "begun" if c else "open", use),
        )

    # ------------------------------------------------------------ menus

    def _add(self, menu: object, words: str, run: Callable[[], object], keys: str = "") -> QAction:
        action = QAction(words, self)
        if keys:
            action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _checked=False: run())
        menu.addAction(action)  # type: ignore[attr-defined]
        self._actions.append((words.replace("&", "").replace("\u2026", ""), "command", run))
        return action

    def _menus(self) -> None:
        bar = self.menuBar()
        book = bar.addMenu("&Logbook")
        self._add(book, "&Open\u2026", self.choose_logbook, "Ctrl+O")
        self.recent_menu = book.addMenu("&Recent")
        self._add(book, "My &own logbook", self.open_default)
        self._add(book, "&Demo logbook", self.open_demo)
        self._add(book, "&Earlier copies\u2026", self.show_copies)
        book.addSeparator()
        self._add(book, "&Quit", self.close, "Ctrl+Q")
        study = bar.addMenu("&Study")
        self.new_action = self._add(study, "&New\u2026", self.new_study, "Ctrl+N")
        self._add(study, "&Import a package\u2026", self.import_package, "Ctrl+I")
        self._add(study, "Import a package &folder\u2026", self.import_folder)
        self._add(study, "&Bring in another laptop's readings\u2026", self.merge_package)
        self._add(study, "&Export as a package\u2026", self.export_package, "Ctrl+E")
        self._add(study, "&Report\u2026", self.write_report, "Ctrl+R")
        self._add(study, "&Take off the list", self.take_off)
        study.addSeparator()
        self._add(study, "Add a &baseline run", lambda: self._add_run(True), "Ctrl+Shift+B")
        self._add(study, "Add a &trial run", lambda: self._add_run(False), "Ctrl+Shift+A")
        self._add(study, "&Paste legs\u2026", self._paste, "Ctrl+Shift+V")
        self._add(study, "Bring &readings in\u2026", self.bring_in, "Ctrl+Shift+I")
        self._add(study, "&Weather reports\u2026", lambda: self.bring_weather(""))
        self._add(study, "&Charging receipts\u2026", lambda: self.bring_receipts(""))
        road = bar.addMenu("On the &road")
        self._add(road, "&Drive now", self.drive_now, "Ctrl+D")
        self._add(road, "&Full screen", self.drive_full, "F11")
        self._add(road, "&Instruments\u2026", lambda: self.on_the_road("choose_instruments"), "Ctrl+Shift+J")
        self._add(road, "&Rehearse the day\u2026", lambda: self.on_the_road("choose_rehearsal"))
        edit = bar.addMenu("&Edit")
        undo = self.session.undo.createUndoAction(self, "Undo")
        undo.setShortcut(QKeySequence("Ctrl+Z"))
        redo = self.session.undo.createRedoAction(self, "Redo")
        redo.setShortcut(QKeySequence("Ctrl+Shift+Z"))
        edit.addActions([undo, redo])
        self._actions += [
            ("Undo", "command", self.session.undo.undo),
            ("Redo", "command", self.session.undo.redo),
        ]
        go = bar.addMenu("&Go")
        self._add(go, "All &studies", self.go_home, "Ctrl+0")
        for i, name in enumerate(STAGES, start=1):
            self._add(go, f"&{i}  {name.capitalize()}", lambda n=name: self.go_to(n), f"Ctrl+{i}")
        self._add(go, "&Find anything\u2026", self.find_anything, "Ctrl+K")
        view = bar.addMenu("&View")
        self._add(view, "&Units\u2026", self.choose_units, "Ctrl+U")
        self._add(view, "&Light, dark, or like the desktop", self.cycle_theme, "Ctrl+Shift+D")
        for word, key in (
            ("Reference conditions", "reference"),
            ("Mean of the study", "study-mean"),
            ("As measured", "as-measured"),
        ):
            self._add(view, f"Corrected to: {word}", lambda k=key: self.session.set_view(k))  # type: ignore[arg-type]
        helping = bar.addMenu("&Help")
        self._add(helping, "&Keys", self.show_keys, "F1")
        self._add(helping, "&What happened\u2026", self.show_what_happened)
        self._add(helping, "&About", self.about)

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for path in self.session.recent():
            action = self.recent_menu.addAction(path)
            action.triggered.connect(lambda _=False, p=path: self._open_existing(p))
        self.recent_menu.setEnabled(not self.recent_menu.isEmpty())

    # ------------------------------------------------------------ commands

    def tell(self, words: str) -> None:
        """Say something at the top of the page; it stays until closed."""
        self.notice_text.setText(words)
        self.notice.show()

    def _busy(self, busy: bool) -> None:
        self.statusBar().setVisible(busy)
        if busy:
            self.statusBar().showMessage("Analysing\u2026")

    def _logbook_changed(self) -> None:
        book = self.session.logbook
        self.notice.hide()
        if book is not None:
            words = ([book.read_only_because] if book.read_only else []) + book.healed
            if words:
                self.tell(" ".join(words))
        self._fill_recent()
        self.go_home()

    def _open_existing(self, path: str) -> None:
        if not Path(path).exists():
            self.tell(f"{path}: there is no such logbook any more.")
            return
        self.session.open_logbook(path)

    def choose_logbook(self) -> None:
        """Ask for a logbook and open it; a new name makes a new one."""
        start = str(self.session.logbook.path.parent) if self.session.logbook else ""
        dialog = QFileDialog(self, "Open or make a logbook", start, f"Logbooks (*{SUFFIX});;All files (*)")
        dialog.setFileMode(QFileDialog.FileMode.AnyFile)
        dialog.setDefaultSuffix(SUFFIX.lstrip("."))
        if dialog.exec():
            self.session.open_logbook(dialog.selectedFiles()[0])

    # ------------------------------------------------------------ earlier copies, and what is not whole

    def show_copies(self) -> None:
        """Show the earlier copies of the open logbook; look at one, or put it back."""
        from fairmargin.desktop.recovery import CopiesDialog, copy_words

        book = self.session.logbook
        if book is None:
            self.tell("No logbook is open.")
            return
        dialog = CopiesDialog(book.path, not book.read_only, self)
        agreed = dialog.exec() == dialog.DialogCode.Accepted
        copy, wanted = dialog.copy, dialog.wanted
        dialog.deleteLater()
        if not agreed or copy is None:
            return
        if wanted == "look":
            self.session.open_logbook(copy.path)
        elif self.session.put_back(copy.path):
            self.tell(f"Put back: {copy_words(copy)}. What was there before is among the earlier copies.")

    def recover_logbook(self, path: Path) -> None:
        """Offer what can be done with a logbook that is not whole."""
        from fairmargin.desktop.recovery import ChoiceDialog, copy_words, rescued_path
        from fairmargin.logbook import LogbookFault, copies
        from fairmargin.logbook.rescue import Rescued, rescue

        kept = copies.kept(path)
        choices = ["Read what can be read into a new logbook"]
        choices += [f"Put back the newest copy: {copy_words(kept[0])}"] if kept else []
        dialog = ChoiceDialog(f"{path.name} is damaged", self.notice_text.text(), choices, self)
        dialog.exec()
        chosen = dialog.chosen
        dialog.deleteLater()
        if chosen is None:
            return
        try:
            if chosen == 0:
                target = rescued_path(path, datetime.now())
                back = waited(self, "Reading what can be read\u2026", lambda: rescue(path, target))
                if isinstance(back, Rescued) and self.session.open_logbook(back.path):
                    self.tell(back.words())
            else:
                copies.put_back(path, kept[0].path)
                if self.session.open_logbook(path):
                    self.tell(
                        f"Put back: {copy_words(kept[0])}. The damaged file is among the earlier copies."
                    )
        except (LogbookFault, OSError) as error:
            self.tell(str(error))

    def recover_study(self) -> None:
        """Offer what can be done with a study whose record is not what was written."""
        from fairmargin.desktop.recovery import ChoiceDialog, copy_words

        book, fault = self.session.logbook, self.session.damaged
        if book is None or fault is None or book.read_only:
            return
        earlier = book.from_copies(fault.study_id)
        offers = []
        if earlier is not None:
            offers.append(
                (
                    "As it was in the copy of " + copy_words(earlier[0]),
                    earlier[1].study,
                    earlier[1].traces,
                    "",
                )
            )
        if fault.study is not None:
            offers.append(("What can be read, as a new study: every value in doubt", fault.study, fault.traces, " (check every value)"))  # fmt: skip
        dialog = ChoiceDialog("This study is damaged", str(fault), [o[0] for o in offers], self)
        dialog.exec()
        chosen = dialog.chosen
        dialog.deleteLater()
        if chosen is not None:
            _, study, traces, mark = offers[chosen]
            if self.session.add_study(study.with_(title=study.title + mark), traces) is not None:
                self.land()

    def open_default(self) -> None:
        """Open the person's own logbook."""
        from fairmargin.logbook import default_path

        self.session.open_logbook(default_path())

    def open_demo(self) -> None:
        """Open the demo logbook, making it when absent."""
        from fairmargin.demo import make_demo_logbook
        from fairmargin.desktop.application import demo_path
        from fairmargin.logbook import LogbookFault

        try:
            make_demo_logbook(demo_path())
        except (LogbookFault, OSError) as error:
            self.tell(str(error))
            return
        self.session.open_logbook(demo_path())

    def _garage(self) -> tuple[list[Vehicle], list[Study]]:
        """Vehicles (by name, the latest description of each) and roads (by name) of the logbook's studies."""
        book = self.session.logbook
        if book is None:
            return [], []
        vehicles: dict[str, Vehicle] = {}
        for _, study in book.vehicles():  # newest first: the latest description of each name
            if study.vehicle.name:
                vehicles.setdefault(study.vehicle.name, study.vehicle)
        roads: dict[str, Study] = {}
        for title, study in book.roads():
            roads.setdefault(study.route_name or title, study)
        return list(vehicles.values()), list(roads.values())

    def new_study(self) -> None:
        """Ask what is compared and lay out the runs."""
        from fairmargin.desktop.dialogs import NewStudyDialog

        if self.session.read_only:
            self.tell(
                self.session.logbook.read_only_because if self.session.logbook else "No logbook is open."
            )
            return
        dialog = NewStudyDialog(self.session.units, *self._garage(), self)
        if dialog.exec() and dialog.study is not None and self.session.add_study(dialog.study) is not None:
            self.go_to("question")

    def take_off(self) -> None:
        """Take the open study, or the chosen one of the list, off the list; undo puts it back."""
        if self.session.study is not None and self.session.study_id is not None and self._stage is not None:
            self.session.remove_study(self.session.study_id, self.session.study.title)
        else:
            self.home.list.take_off()

    def import_package(self) -> None:
        """Ask for a package zip and add it."""
        path, _ = QFileDialog.getOpenFileName(
            self, "Import a package", "", "Packages (*.zip study.json);;All files (*)"
        )
        if path:
            self.import_from(path)

    def merge_package(self) -> None:
        """Ask for a package of the same study, from another laptop, and merge it."""
        path, _ = QFileDialog.getOpenFileName(
            self, "Readings from another laptop", "", "Packages (*.zip study.json);;All files (*)"
        )
        if path:
            self.merge_from(path)

    def merge_from(self, path: str) -> bool:
        """Merge a package into the open study by leg; conflicts are shown side by side first."""
        from fairmargin.core.study.merge import merge
        from fairmargin.desktop.merge import MergeDialog
        from fairmargin.exchange.faults import InputFault
        from fairmargin.exchange.package import Package, read_package

        here = self.session.study
        if here is None:
            self.session.failed.emit("Open the study first that the readings belong to.")
            return False
        source = Path(path).parent if path.endswith("study.json") else Path(path)
        try:
            package = waited(self, f"Reading {source.name}\u2026", lambda: read_package(source))
            if not isinstance(package, Package):
                return False  # stopped
            merged = merge(here, package.study, self.session.traces, package.traces)
        except InputFault as fault:
            self.session.failed.emit(f"{path}: {fault.faults[0]}")
            return False
        except ValueError as error:
            self.session.failed.emit(f"{path}: {error}")
            return False
        if not merged.added and not merged.filled and not merged.conflicts and merged.study == here:
            self.session.failed.emit("Nothing new in that package.")
            return False
        dialog = MergeDialog(merged, self)
        if dialog.exec() != MergeDialog.DialogCode.Accepted:
            return False
        return self.session.edit(dialog.study(), "readings from another laptop", dialog.traces())

    def import_folder(self) -> None:
        """Ask for a package folder and add it."""
        path = QFileDialog.getExistingDirectory(self, "Import a package folder")
        if path:
            self.import_from(path)

    def import_from(self, path: str | Path) -> bool:
        """Add a package to the logbook and show it."""
        from fairmargin.exchange.faults import InputFault
        from fairmargin.exchange.package import Package, read_package

        path = Path(path)
        if path.name == "study.json":
            path = path.parent
        try:
            package = waited(self, f"Reading {path.name}\u2026", lambda: read_package(path))
        except InputFault as fault:
            more = f" (and {len(fault.faults) - 1} more)" if len(fault.faults) > 1 else ""
            self.tell(f"{path.name} was not imported. {fault.faults[0]}{more}")
            return False
        if not isinstance(package, Package):
            return False  # stopped
        if self.session.add_study(package.study, package.traces) is None:
            if self.session.read_only and self.session.logbook:
                self.tell(self.session.logbook.read_only_because)
            return False
        if package.notices:
            self.tell(f"Imported. {'; '.join(package.notices)}.")
        self.go_to("verdict")
        return True

    def export_package(self) -> None:
        """Ask where to, and write the study as a package."""
        if self.session.study is None:
            self.tell("Open a study first; then it can be exported.")
            return
        name = file_name(self.session.study.title) or "study"
        path, _ = QFileDialog.getSaveFileName(self, "Export as a package", f"{name}.zip", "Package (*.zip)")
        if path:
            self.export_to(path)

    def export_to(self, path: str | Path) -> bool:
        """Write the open study as a package."""
        from fairmargin.exchange.faults import InputFault
        from fairmargin.exchange.package import write_package

        study, traces = self.session.study, dict(self.session.traces)
        assert study is not None
        try:
            meanwhile(lambda: write_package(path, study, traces))
        except InputFault as fault:
            self.tell(fault.faults[0])
            return False
        self.tell(f"Exported to {path}.")
        return True

    def write_report(self) -> None:
        """Ask where to, and write the report."""
        if self.session.study is None:
            self.tell("Open a study first; then it can be reported.")
            return
        name = file_name(self.session.study.title) or "report"
        path, _ = QFileDialog.getSaveFileName(
            self, "Report", f"{name}.html", "Web page (*.html);;PDF (*.pdf)"
        )
        if path:
            self.report_to(path)

    def report_to(self, path: str | Path) -> bool:
        """Write the report of the open study."""
        from fairmargin.exchange.faults import InputFault
        from fairmargin.exchange.report import write_report

        study, analysis = self.session.study, self.session.analysis
        if study is None or analysis is None:
            return False
        units = self.session.units
        try:
            meanwhile(lambda: write_report(Path(path), study, analysis, units))
        except InputFault as fault:
            self.tell(fault.faults[0])
            return False
        self.tell(f"Report written to {path}.")
        return True

    def _add_run(self, baseline: bool) -> None:
        study = self.session.study
        if study is None:
            return
        if not baseline and not study.trials:
            self.tell("This study has no trial configuration.")
            return
        self.drive.add_run(study.baseline.id if baseline else study.trials[0].id)
        self.go_to("drive")

    def _paste(self) -> None:
        if self.session.study is not None:
            self.go_to("drive")
            self.drive.paste()

    def bring_in(self) -> None:
        """Ask for a file of any kind and bring what it holds into the open study."""
        path, _ = QFileDialog.getOpenFileName(
            self,
            "Bring readings in",
            "",
            "Readings (*.csv *.txt *.tsv *.log *.gpx *.xlsx *.zip *.drive);;All files (*)",
        )
        if path:
            self.bring_from(path)

    def _may_bring(self) -> bool:
        if self.session.study is None:
            self.tell("Open the study first that the readings belong to.")
            return False
        if self.session.read_only:
            self.tell(
                self.session.logbook.read_only_because if self.session.logbook else "No logbook is open."
            )
            return False
        return True

    def bring_from(self, path: str | Path) -> bool:
        """See what a file is, show how it would be read, and take what the person agrees to."""
        from fairmargin.exchange.faults import InputFault
        from fairmargin.exchange.intake import recognise

        path = Path(path)
        try:
            found = recognise(path)
            if found.kind == "package":
                return (
                    self.merge_from(str(path)) if self.session.study is not None else self.import_from(path)
                )
            if not self._may_bring():
                return False
            if found.kind in {"log", "track"}:
                return self._bring_log(path, found.kind)
            if found.kind == "workbook":
                return self._bring_workbook(path)
            if found.kind == "recording":
                self.drive.show_face(True)
                assert self.drive.conductor is not None
                return self.drive.conductor.take_cut_short(path)
            return self._bring_table(path.read_text(encoding="utf-8-sig", errors="replace"), path)
        except InputFault as fault:
            self.tell(f"Not brought in. {fault.faults[0]}")
            return False
        except OSError as error:
            self.tell(f"{path}: cannot be read: {error.strerror or error}")
            return False

    def _agreed(self, dialog: BringDialog, words: str) -> bool:
        agreed = dialog.exec() == dialog.DialogCode.Accepted and dialog.after is not None
        done = agreed and self.session.edit(dialog.after, words, dialog.traces)  # type: ignore[arg-type]
        dialog.deleteLater()
        return done

    def _bring_log(self, path: Path, kind: str, name: str = "") -> bool:
        from fairmargin.desktop.bringing import LogDialog

        dialog = LogDialog(self.session, path, kind, self, name)
        return self._agreed(dialog, f"log {name or path.name}")

    def _bring_table(self, text: str, path: Path) -> bool:
        """A table that is no log: weather if it reads as such, else receipts, else rows of legs."""
        from fairmargin.exchange.receipts import read_receipts
        from fairmargin.exchange.stations import read_weather

        if len(text) > LONG_TEXT:
            return self._bring_long_table(text)
        now = datetime.now()
        for reads, bring in ((read_weather, self.bring_weather), (read_receipts, self.bring_receipts)):
            try:
                reads(text, now)
            except ValueError:
                continue
            return bring(text)
        return self._bring_legs(text)

    def _bring_long_table(self, text: str) -> bool:
        """A table of months can only be a station's; it is read off the GUI thread."""
        from fairmargin.desktop.bringing import WeatherDialog, weather_of

        study = self.session.study
        assert study is not None
        try:
            read = waited(self, "Reading the table\u2026", lambda: weather_of(study, text))
        except ValueError as error:
            self.tell(f"Not brought in. {error}")
            return False
        if read is None:
            return False
        return self._agreed(WeatherDialog(self.session, "", self, read), "weather reports")  # type: ignore[arg-type]

    def _bring_legs(self, text: str) -> bool:
        from fairmargin.desktop.paste import PasteDialog

        assert self.session.study is not None
        dialog = PasteDialog(text, self.session.study, self.session.units, None, self)
        if dialog.exec() and dialog.result_study is not None:
            return self.session.edit(dialog.result_study, f"bring in {dialog.count} legs")
        return False

    def _bring_workbook(self, path: Path) -> bool:
        import tempfile

        from fairmargin.exchange.intake import as_text, read_workbook, recognise

        read = waited(self, "Reading the spreadsheet\u2026", lambda: read_workbook(path))
        if read is None:
            return False
        sheets, notices = read  # type: ignore[misc]
        name = next(iter(sheets))
        if len(sheets) > 1:
            name, agreed = QInputDialog.getItem(
                self, "Which sheet?", as_tip(f"{path.name} has {len(sheets)} sheets."), list(sheets), 0, False
            )
            if not agreed:
                return False
        if notices:
            self.tell("; ".join(notices))
        text = as_text(sheets[name])
        with tempfile.TemporaryDirectory() as folder:
            copy = Path(folder) / "sheet.tsv"
            copy.write_text(text, encoding="utf-8")
            if len(sheets[name][0]) > 1 and recognise(copy).kind == "log":
                return self._bring_log(copy, "log", f"{path.name}, {name}")
        return self._bring_table(text, path)

    def bring_weather(self, text: str) -> bool:
        """Show weather reports, pasted or read, and take them."""
        from fairmargin.desktop.bringing import WeatherDialog

        return self._may_bring() and self._agreed(WeatherDialog(self.session, text, self), "weather reports")

    def bring_receipts(self, text: str) -> bool:
        """Show charging receipts, typed or read, and put them on their legs."""
        from fairmargin.desktop.bringing import ReceiptsDialog

        return self._may_bring() and self._agreed(
            ReceiptsDialog(self.session, text, self), "charging receipts"
        )

    def drive_now(self) -> bool:
        """Show the companion's face on the next leg."""
        if self.session.study is None:
            self.tell("Open a study first; then its next leg can be driven.")
            return False
        self.go_to("drive")
        self.drive.show_face(True)
        return True

    def drive_full(self) -> None:
        """Show the companion's face over the whole screen."""
        if self.drive_now():
            self.drive.show_full_screen(True)

    def on_the_road(self, what: str) -> None:
        """Open one of the Drive stage's dialogs."""
        if self.drive_now():
            getattr(self.drive, what)()

    def choose_units(self) -> None:
        """Ask for the units."""
        from fairmargin.desktop.dialogs import UnitsDialog

        dialog = UnitsDialog(self.session.units, self)
        if dialog.exec():
            self.session.set_units(dialog.choice())

    def cycle_theme(self) -> None:
        """Desktop, light, dark, and round again."""
        order = ("desktop", "light", "dark")
        choice = order[(order.index(theme.choice) + 1) % 3]
        self.session.settings.setValue("theme", choice)
        theme.choose(choice)

    def show_keys(self) -> None:
        """Show the sheet of keys."""
        from fairmargin.desktop.dialogs import KeysDialog

        KeysDialog(self).exec()

    def show_what_happened(self) -> None:
        """Show the record of what nobody expected."""
        dialog = WhatHappenedDialog(self.incidents, self)
        dialog.exec()
        dialog.deleteLater()

    def about(self) -> None:
        """Say what this is."""
        from fairmargin import __version__

        self.tell(
            f"Fair Margin {__version__}: what a change does to a vehicle's consumption. Apache-2.0; type: Atkinson "
            "Hyperlegible Next, SIL OFL 1.1. It is not a weighbridge and no licensed trade: plates, handbook and local law come first."
        )

    def find_anything(self) -> None:
        """Find a stage, a study or a command by a few letters."""
        from fairmargin.desktop.dialogs import FindDialog

        entries: list[tuple[str, str, Callable[[], object]]] = []
        if self.session.study is not None:
            entries += [(n.capitalize(), "stage", lambda n=n: self.go_to(n)) for n in STAGES]  # type: ignore[misc]
        for entry in self.session.logbook.studies() if self.session.logbook else []:
            entries.append((entry.title, "study", lambda i=entry.id: self.show_study(i)))  # type: ignore[misc]
        entries += [e for e in self._actions if not e[0][:1].isdigit()]
        dialog = FindDialog(entries, self)
        if dialog.exec() and dialog.picked is not None:
            QTimer.singleShot(0, self, dialog.picked)

    def show_study(self, study_id: int) -> None:
        """Open a study where its work stands."""
        if self.session.open_study(study_id):
            self.land()

    def land(self) -> None:
        """Go to the stage where the open study's work stands."""
        study, analysis = self.session.study, self.session.analysis
        if study is None:
            return
        if any(self.session.state(leg) == "planned" for leg in study.legs):
            self.go_to("drive")
        elif analysis is None or analysis.comparisons:
            self.go_to("verdict")
        else:
            self.go_to("drive" if study.legs else "plan")

    # ------------------------------------------------------------ window state

    def _restore(self) -> None:
        settings: QSettings = self.session.settings
        # Size and state only: where a window goes is the desktop's business.
        size = settings.value("window/size")
        self.resize(size if isinstance(size, QSize) and size.isValid() else QSize(1280, 800))
        if settings.value("window/maximised") in {True, "true"}:
            self.setWindowState(Qt.WindowState.WindowMaximized)
        self._fill_recent()
        self.statusBar().hide()
        self.statusBar().setSizeGripEnabled(False)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.narrow:
            self.ledger_side.setMinimumWidth(284)
            self.ledger_side.setMaximumWidth(16_777_215)
        else:
            self.ledger_side.setFixedWidth(332 if self.width() >= 1240 else 284)
        if self.narrow != self._was_narrow:
            self._was_narrow = self.narrow
            self._show()

    def closeEvent(self, event: QCloseEvent) -> None:
        # A field being typed in is stored as if it had been left.
        focus = self.focusWidget()
        if focus is not None:
            focus.clearFocus()
        if not self.isMaximized():
            self.session.settings.setValue("window/size", self.size())
        self.session.settings.setValue("window/maximised", self.isMaximized())
        self.session.settings.sync()
        if "drive" in self._stages:
            self.drive.release()
        self.session.close()
        event.accept()
