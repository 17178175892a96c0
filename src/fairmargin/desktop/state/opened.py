"""What is open: the logbook, its study with analysis and samples, and who hears of a change."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings, Signal

from fairmargin.core.study import Leg, Study, Trace
from fairmargin.logbook import Logbook, StudyDamaged

if TYPE_CHECKING:  # loaded with the first study, not with the list
    from fairmargin.core.inference.scatter import ScatterPrior
    from fairmargin.core.result.types import Analysis, Comparison, View


class Opened(QObject):
    """The state that pages and helpers look at; `session.Session` changes it."""

    logbookChanged = Signal()
    studiesChanged = Signal()
    leaving = Signal()  # another study is about to be shown: what is being typed belongs to this one
    studyChanged = Signal()  # another study, or the same edited
    analysisChanged = Signal()
    unitsChanged = Signal()
    failed = Signal(str)
    logbookDamaged = Signal(str)  # path of a logbook that is not whole; the words went to `failed`
    studyDamaged = Signal(int)  # a study whose record is not what was written; see `damaged`
    busyChanged = Signal(bool)

    def __init__(self, settings: QSettings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.settings = settings
        self.logbook: Logbook | None = None
        self.study_id: int | None = None
        self.study: Study | None = None
        self.traces: dict[str, Trace] = {}
        self.analysis: Analysis | None = None
        self.view: View = "reference"
        self.chosen = 0  # which comparison is shown, where there are several
        self.damaged: StudyDamaged | None = None
        self._scatter: ScatterPrior | None = None

    @property
    def comparison(self) -> Comparison | None:
        """The comparison that is shown, if there is any."""
        if self.analysis is None or not self.analysis.comparisons:
            return None
        return self.analysis.comparisons[min(self.chosen, len(self.analysis.comparisons) - 1)]

    @property
    def scatter(self) -> ScatterPrior:
        """The tester's own, from the other studies of the logbook."""
        if self._scatter is None:
            from fairmargin.core.inference.scatter import ScatterPrior

            self._scatter = ScatterPrior()
        return self._scatter

    @scatter.setter
    def scatter(self, scatter: ScatterPrior) -> None:
        self._scatter = scatter

    def has_reading(self, leg: Leg) -> bool:
        """Whether a leg has a reading: typed, of its own or by another leg's, or logged power."""
        trace = self.traces.get(leg.leg)
        if leg.has_reading or (trace is not None and trace.power_kw is not None):
            return True
        from fairmargin.core.evidence.indirect import told_by_another

        return self.study is not None and told_by_another(self.study, leg)
