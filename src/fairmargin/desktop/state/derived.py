"""What is worked out of the open study only when a page wants it, and kept until the study is another."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QObject, QTimer, Signal

from fairmargin.desktop.state.background import Background
from fairmargin.desktop.state.opened import Opened

if TYPE_CHECKING:
    from fairmargin.core.inference.curve import SpeedCurve
    from fairmargin.core.inference.prediction import Circumstances
    from fairmargin.core.outcome.asking import Asking
    from fairmargin.core.result.asked import Asked, IfAnswered
    from fairmargin.core.result.margin import MarginLine
    from fairmargin.core.result.types import Analysis, Comparison
    from fairmargin.core.study import Study

#: More legs than this, or any logged samples, are analysed off the GUI thread.
INLINE_LEGS = 32
#: Questions are worked out when nothing was changed for so long. [ms]
SOON_MS = 200


class Wanted(QObject):
    """Of the open study: the ledger before the drive, the curves over speed, and what can be asked of it."""

    ready = Signal()  # what was worked out beside the window

    def __init__(self, session: Opened) -> None:
        super().__init__(session)
        self._session = session
        self._outlook: tuple[Study, tuple[MarginLine, ...]] | None = None
        self._curves: tuple[Analysis, tuple[SpeedCurve, ...]] | None = None
        self._askings: tuple[Analysis, tuple[Asking, ...]] | None = None
        self._asking_for: Analysis | None = None
        self._beside = Background(self)
        self._asking_back = Background(self)
        self._questions: tuple[Comparison, tuple[Asked, ...]] | None = None
        self._questions_for: Comparison | None = None
        self._questions_of: int | None = None  # study
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(self._work_questions)
        self.circumstances: dict[int | None, Circumstances] = {}  # last asked about, by study

    def outlook(self) -> tuple[MarginLine, ...]:
        """What the plan will leave open, before anything is read; nothing once there is a reading."""
        s = self._session
        if s.study is None or len(s.study.legs) > INLINE_LEGS or any(s.has_reading(leg) for leg in s.study.legs):
            return ()
        if self._outlook is None or self._outlook[0] is not s.study:
            from fairmargin.core.planning.outlook import outlook

            try:
                found = outlook(s.study, s.scatter)
            except (ArithmeticError, ValueError, KeyError):
                found = ()  # a plan that cannot be driven as it stands has no outlook
            self._outlook = (s.study, found)
        return self._outlook[1]

    def speed_curves(self) -> tuple[SpeedCurve, ...]:
        """Consumption over speed, each vehicle and configuration; nothing for long studies."""
        s = self._session
        if s.study is None or s.analysis is None or len(s.study.legs) > INLINE_LEGS or s.traces:
            return ()
        if self._curves is None or self._curves[0] is not s.analysis:
            from fairmargin.core.curves import speed_curves

            try:
                found = speed_curves(s.study, s.traces, s.view, s.scatter)
            except (ArithmeticError, ValueError):
                found = ()  # what cannot be analysed was told already
            self._curves = (s.analysis, found)
        return self._curves[1]

    def questions(self) -> tuple[Asked, ...]:
        """What would narrow the margin shown most; while it is worked out, what is left of what was asked before.

        `ready` says when it is worked out anew.
        """
        s = self._session
        c, study = s.comparison, s.study
        if c is None or study is None:
            return ()
        if self._questions is not None and self._questions[0] is c:
            return self._questions[1]
        if self._questions_for is not c:
            self._questions_for = c
            self._soon.start()
        if self._questions is None or self._questions_of != s.study_id:
            return ()
        from fairmargin.core.result.questions import open_questions

        still = {q.code for q in open_questions(study)}
        return tuple(q for q in self._questions[1] if q.code in still)

    def _work_questions(self) -> None:
        c, study_id = self._questions_for, self._session.study_id
        if c is None or c is not self._session.comparison:
            return

        def work() -> tuple[Asked, ...]:
            try:
                c.if_answered()
                return c.asked()
            except (ArithmeticError, ValueError, KeyError):
                return ()  # what cannot be analysed was told already

        def then(result: object, _fault: Exception | None) -> None:
            self._questions = (c, cast("tuple[Asked, ...]", result or ()))
            self._questions_of = study_id
            self.ready.emit()

        self._asking_back.run(work, then)

    def if_answered(self) -> tuple[IfAnswered, ...]:
        """The result for each answer of what decides; nothing while it is worked out."""
        c = self._session.comparison
        return c.if_answered() if c is not None and self._questions is not None and self._questions[0] is c else ()

    def askings(self) -> tuple[Asking, ...] | None:
        """What can be asked about drives that were not driven; None while it is worked out, `ready` says when it is."""
        s = self._session
        study, analysis = s.study, s.analysis
        if study is None or analysis is None or not analysis.results:
            return ()
        if self._askings is not None and self._askings[0] is analysis:
            return self._askings[1]
        if self._asking_for is analysis:
            return None
        view = "reference" if s.view == "as-measured" else s.view
        from fairmargin.core.outcome.asking import askings

        traces, scatter, results = dict(s.traces), s.scatter, analysis.results

        def work() -> tuple[Asking, ...]:
            try:
                return askings(study, traces, results, view, scatter)
            except (ArithmeticError, ValueError):
                return ()  # what cannot be analysed was told already

        if not traces and len(study.legs) <= INLINE_LEGS:
            self._askings = (analysis, work())
            return self._askings[1]
        self._asking_for = analysis

        def then(result: object, _fault: Exception | None) -> None:
            self._asking_for = None
            self._askings = (analysis, cast("tuple[Asking, ...]", result or ()))
            self.ready.emit()

        self._beside.run(work, then)
        return None
