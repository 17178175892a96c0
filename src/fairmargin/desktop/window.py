"""The main window: road at the left, margin bar across the top, fairness ledger at the right."""

from __future__ import annotations

from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Final, cast

from PySide6.QtCore import QCoreApplication, QEvent, QSettings, QSize, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.units import in_units
from fairmargin.desktop.commands import asking
from fairmargin.desktop.commands.helping import Helping
from fairmargin.desktop.commands.intake import Intake
from fairmargin.desktop.commands.logbooks import Logbooks
from fairmargin.desktop.commands.menus import Menus
from fairmargin.desktop.commands.packages import Packages
from fairmargin.desktop.commands.printing import Printing
from fairmargin.desktop.commands.sizing import Sizing
from fairmargin.desktop.shell import Shell
from fairmargin.desktop.stages.base import Stage
from fairmargin.desktop.stages.home import HomePage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.system.incidents import SENTENCE, Incidents
from fairmargin.desktop.system.paths import log_path
from fairmargin.desktop.system.size import LEAST
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.decimals import leave_as_typed
from fairmargin.desktop.widgets.fairness import FairnessLedger
from fairmargin.desktop.widgets.files import folders
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.desktop.widgets.marginbar import MarginBar
from fairmargin.desktop.widgets.questions import QuestionStrip
from fairmargin.desktop.widgets.stage_rail import StageRoad
from fairmargin.exchange.words.figures import speed_words
from fairmargin.exchange.words.names import comparison_name, framed

if TYPE_CHECKING:
    from fairmargin.desktop.stages.drive import DriveStage

ANALYSING: Final = "Analysing\u2026"


class MainWindow(Shell):
    """Shows one logbook and one study of it."""

    def __init__(self, session: Session, incidents: Incidents | None = None) -> None:
        super().__init__()
        folders.keep_in(session.settings)
        self.session = session
        leave_as_typed(lambda: session.study)
        self.incidents = incidents or Incidents(log_path(), self)
        self.incidents.happened.connect(lambda: self.tell(SENTENCE), Qt.ConnectionType.QueuedConnection)
        self.setWindowTitle("Fair Margin")
        room = self.screen().availableGeometry()
        self.setMinimumSize(min(LEAST[0], room.width()), min(LEAST[1], room.height()))
        central = QWidget()
        central.setObjectName("page")
        across = QHBoxLayout(central)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        self.road = StageRoad()
        self.road.stageChosen.connect(self.go_to)
        self.road.homeChosen.connect(self.go_home)
        across.addWidget(self.road)
        column = QVBoxLayout()
        column.setSpacing(0)
        across.addLayout(column, 1)
        self.bar = MarginBar()
        column.addWidget(self.bar)
        column.addWidget(self._make_notice())
        lower = QHBoxLayout()
        lower.setContentsMargins(0, 0, 0, 0)
        lower.setSpacing(0)
        column.addLayout(lower, 1)
        self.pages = QStackedWidget()
        lower.addWidget(self.pages, 1)
        column.insertLayout(2, self._make_ledger_button())
        lower.addWidget(self._make_ledger())
        self.setCentralWidget(self._whole(central))

        self.logbooks, self.packages, self.intake = Logbooks(self), Packages(self), Intake(self)
        self.printing = Printing(self)
        self.home = HomePage(session)
        self.home.newStudy.connect(self.new_study)
        self.home.importPackage.connect(self.packages.import_package)
        self.home.openDemo.connect(self.logbooks.open_demo)
        self.home.studyChosen.connect(self.show_study)
        self.pages.addWidget(self.home)
        self._stages: dict[str, Stage] = {}
        self._stage: str | None = None
        self._was_narrow = False
        self.helping = Helping(self, self.in_sight, self.incidents)
        self.sizing = Sizing(self, lambda: self._stage, self._driving)
        self.menus = Menus(self, self)
        self.menuBar().setCornerWidget(self._make_busy_words())
        self._follow()
        self._restore()
        self.go_home()

    def _whole(self, central: QWidget) -> QWidget:
        """What stands in the window: on a screen too small for the least page, a page that scrolls."""
        if self.minimumWidth() >= LEAST[0] and self.minimumHeight() >= LEAST[1]:
            return central
        central.setMinimumSize(LEAST[0], LEAST[1] - self.menuBar().sizeHint().height())
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(central)
        return area

    def _driving(self) -> bool:
        """Whether a leg is being driven."""
        controller = self.drive.controller if "drive" in self._stages else None
        return controller is not None and (controller.drive is not None or controller.rehearsal is not None)

    def _make_busy_words(self) -> QLabel:
        """What says that an analysis is under way, in room that is always there: no page moves when it comes."""
        self.busy_words = label("", "muted")
        self.busy_words.ensurePolished()
        self.busy_words.setFixedWidth(self.busy_words.fontMetrics().horizontalAdvance(ANALYSING) + 16)
        self.busy_words.setMinimumHeight(self.menuBar().sizeHint().height() - 2)
        return self.busy_words

    def _make_notice(self) -> QFrame:
        """The line at the top that says what went wrong or was done, until it is closed."""
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
        return self.notice

    def _make_ledger_button(self) -> QHBoxLayout:
        """Where there is no room beside the page, the ledger takes its place when it is asked for."""
        self.ledger_button = QPushButton()
        self.ledger_button.setObjectName("link")
        self.ledger_button.setCheckable(True)
        self.ledger_button.toggled.connect(self._show)
        self.ledger_button.hide()
        above = QHBoxLayout()
        above.setContentsMargins(24, 0, 20, 0)
        above.addStretch()
        above.addWidget(self.ledger_button)
        return above

    def _make_ledger(self) -> QWidget:
        """The fairness ledger, under the choice of the comparison shown."""
        self.ledger_side = QWidget()
        side = QVBoxLayout(self.ledger_side)
        side.setContentsMargins(0, 14, 16, 16)
        self.choice = Choice()
        self.choice.setAccessibleName("Comparison shown")
        self.choice.activated.connect(self.session.choose)
        self.choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.choice.setMinimumContentsLength(18)
        side.addWidget(self.choice)
        self.ledger = FairnessLedger()
        self.ledger.goTo.connect(self.go_to)
        self.questions = QuestionStrip()
        self.questions.answered.connect(self._answer)
        side.addWidget(self.questions)
        side.addWidget(self.ledger, 1)
        return self.ledger_side

    def _follow(self) -> None:
        """Show what the session and the colours become."""
        session = self.session
        session.leaving.connect(self.finish_typing)
        session.studyChanged.connect(self._show)
        session.analysisChanged.connect(self._show)
        session.unitsChanged.connect(self._show)
        session.wanted.ready.connect(self._show)
        session.logbookChanged.connect(self._logbook_changed)
        session.failed.connect(self.tell)
        session.logbookDamaged.connect(
            lambda path: QTimer.singleShot(0, self, lambda: self.logbooks.recover_logbook(Path(path)))
        )
        session.studyDamaged.connect(lambda _id: QTimer.singleShot(0, self, self.logbooks.recover_study))
        session.busyChanged.connect(self._busy)
        theme.changing.connect(self._rest)
        theme.changed.connect(self._show)

    # ------------------------------------------------------------ pages

    @property
    def narrow(self) -> bool:
        """Whether there is no room for the ledger beside the page."""
        return self.width() < 980

    @property
    def drive(self) -> DriveStage:
        """The Drive stage."""
        return cast("DriveStage", self.stage("drive"))

    def stage(self, name: str) -> Stage:
        """Return a stage's page, made when first wanted."""
        if name not in self._stages:
            # A page is loaded with the first look at it: the list of studies needs none.
            page = import_module(f"fairmargin.desktop.stages.{name}")
            made: Stage = getattr(page, f"{name.capitalize()}Stage")(self.session)
            if name == "drive":
                drive = cast("DriveStage", made)
                drive.finished.connect(lambda: self.go_to("verdict"))
                drive.liveChanged.connect(self._show)
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

    def go_home(self, page: str = "studies") -> None:
        """Show the list of studies, or another page of Home."""
        self._stage = None
        self.pages.setCurrentWidget(self.home)
        self.home.show_page(page)
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
        from fairmargin.desktop.stage_progress import stops_of  # nothing of a study is loaded before the first

        at_home = self._stage is None
        self.bar.setVisible(not at_home)
        # On the road nothing stands beside the leg that is driven.
        on_the_road = self._stage == "drive" and self.drive.live_button.isChecked()
        beside = not at_home and not on_the_road
        wanted = self.ledger_button.isChecked()
        self.ledger_button.setVisible(beside and self.narrow)
        self.ledger_side.setVisible(beside and (wanted or not self.narrow))
        self.pages.setVisible(not (beside and wanted and self.narrow))
        every = analysis.comparisons if analysis else ()
        doubts = len(every[min(self.session.chosen, len(every) - 1)].concerns) if every else 0
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
                self.choice.addItem(comparison_name(study, c, self.session.units))
            self.choice.setCurrentIndex(min(now, many - 1))
            self.choice.blockSignals(False)
        self.bar.show_analysis(study, analysis, self.session.chosen, self.session.units)
        outlook = self.session.wanted.outlook() if not at_home else ()
        self.ledger.show_analysis(study, analysis, self.session.chosen, self.session.units, outlook)
        where = [framed(study.route_name)] if study.route_name else []
        if study.target_speed_kmh:
            where.append(speed_words(study.target_speed_kmh, self.session.units))
        shown = self.session.comparison
        ask = beside and not self.session.read_only and shown is not None
        self.questions.show_questions(
            self.session.wanted.questions() if ask else (),
            0.0 if shown is None else shown.half_width_percent,
            self.session.units,
        )
        self.road.show_stops(
            study.title or "(no title)", " \u00b7 ".join(where), stops_of(self.session, study), self._stage
        )
        self.setWindowTitle(f"{study.title} \u2013 Fair Margin")

    # ------------------------------------------------------------ commands

    def _answer(self, code: str, words: str) -> None:
        """Keep what was answered, for the whole study; undone like any edit."""
        from fairmargin.core.result.questions import answered, value_of

        study = self.session.study
        if study is not None:
            value = value_of(code, words) if words else None
            told = in_units(words, self.session.units)
            self.session.edit(answered(study, code, value, told), f"answer: {told or 'not known'}")

    def ask(self) -> None:
        """Go to the question, where its digits answer it."""
        if self.narrow and not self.ledger_button.isChecked():
            self.ledger_button.setChecked(True)
        if self.questions.isVisible():
            self.questions.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def tell(self, words: str) -> None:
        """Say something at the top of the page; it stays until closed."""
        self.notice_text.setText(words)
        self.notice.show()

    def _busy(self, busy: bool) -> None:
        self.busy_words.setText(ANALYSING if busy else "")

    def _logbook_changed(self) -> None:
        book = self.session.logbook
        self.notice.hide()
        if book is not None:
            words = ([book.read_only_because] if book.read_only else []) + book.healed
            if words:
                self.tell(" ".join(words))
        self.menus.fill_recent()
        self.go_home()

    def new_study(self) -> None:
        """Ask what is compared and lay out the runs."""
        asking.new_study(self)

    def take_off(self) -> None:
        """Take the open study, or the chosen one of the list, off the list; undo puts it back."""
        if self.session.study is not None and self.session.study_id is not None and self._stage is not None:
            self.session.remove_study(self.session.study_id, self.session.study.title)
        else:
            self.home.list.take_off()

    def import_from(self, path: Path) -> bool:
        """Add a package to the logbook and show it."""
        return self.packages.import_from(path)

    def merge_from(self, path: Path) -> bool:
        """Merge a package into the open study."""
        return self.packages.merge_from(path)

    def add_run(self, baseline: bool) -> None:
        study = self.session.study
        if study is None:
            return
        if not baseline and not study.trials:
            self.tell("This study has no trial configuration.")
            return
        self.drive.add_run(study.baseline.id if baseline else study.trials[0].id)
        self.go_to("drive")

    def more_fields(self) -> None:
        """Show every field of every leg on the sheet, or only those that are needed."""
        if self.session.study is not None:
            self.go_to("drive")
            self.drive.show_view(False)
            self.drive.more_button.toggle()
            self.drive.open_all()

    def paste(self) -> None:
        if self.session.study is not None:
            self.go_to("drive")
            self.drive.paste()

    def drive_now(self) -> bool:
        """Show the companion's view on the next leg."""
        if self.session.study is None:
            self.tell("Open a study first; then its next leg can be driven.")
            return False
        self.go_to("drive")
        self.drive.show_view(True)
        return True

    def drive_full(self) -> None:
        """Show the companion's view over the whole screen."""
        if self.drive_now():
            self.drive.show_full_screen(True)

    def on_the_road(self, what: str) -> None:
        """Open one of the Drive stage's dialogs."""
        if self.drive_now():
            getattr(self.drive, what)()

    def choose_units(self) -> None:
        """Ask for the units."""
        asking.choose_units(self)

    def cycle_theme(self) -> None:
        """Desktop, light, dark, and round again."""
        order = ("desktop", "light", "dark")
        choice = order[(order.index(theme.choice) + 1) % 3]
        self.session.settings.setValue("theme", choice)
        theme.choose(choice)

    def in_sight(self) -> str:
        """What one looks at: home, a stage, or the road."""
        if self.session.study is None or self._stage is None:
            return "home"
        return "road" if self._stage == "drive" and self.drive.controller is not None else self._stage

    def find_anything(self) -> None:
        """Find a stage, a study or a command by a few letters."""
        commands = [(words, run) for words, run in self.menus.commands if not words[:1].isdigit()]
        asking.find_anything(self, self.show_study, commands)

    def show_study(self, study_id: int) -> None:
        """Open a study where its work stands; what was said of another one goes."""
        self.notice.hide()
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
        wanted = size if isinstance(size, QSize) and size.isValid() else QSize(1280, 800)
        self.resize(wanted.boundedTo(self.screen().availableGeometry().size()))
        if settings.value("window/maximised") in {True, "true"}:
            self.setWindowState(Qt.WindowState.WindowMaximized)
        self.menus.fill_recent()

    def finish_typing(self) -> None:
        """A field being typed in is stored as if it had been left."""
        focus = self.focusWidget()
        if isinstance(focus, QLineEdit | QPlainTextEdit | QAbstractSpinBox):
            focus.clearFocus()

    def store_typing(self) -> None:
        focus = self.focusWidget()
        if isinstance(focus, QLineEdit) and focus.isModified():
            focus.editingFinished.emit()

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
        self.finish_typing()
        if not self.isMaximized():
            self.session.settings.setValue("window/size", self.size())
        self.session.settings.setValue("window/maximised", self.isMaximized())
        self.session.settings.sync()
        if "drive" in self._stages:
            self.drive.release()
        self.session.close()
        event.accept()
