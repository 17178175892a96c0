"""What is worked out of the open study only when a page wants it, and kept until the study is another."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fairmargin.core.curves import speed_curves
from fairmargin.core.designs.outlook import outlook
from fairmargin.core.inference.curve import SpeedCurve
from fairmargin.core.result.margin import MarginLine
from fairmargin.core.result.types import Analysis
from fairmargin.core.study import Study

if TYPE_CHECKING:
    from fairmargin.desktop.session import Session

#: More legs than this, or any logged samples, are analysed off the GUI thread.
INLINE_LEGS = 32


class Wanted:
    """Of the open study: the ledger before the drive, and the curves over speed."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._outlook: tuple[Study, tuple[MarginLine, ...]] | None = None
        self._curves: tuple[Analysis, tuple[SpeedCurve, ...]] | None = None

    def outlook(self) -> tuple[MarginLine, ...]:
        """What the plan will leave open, before anything is read; nothing once there is a reading."""
        s = self._session
        if (
            s.study is None
            or len(s.study.legs) > INLINE_LEGS
            or any(s.has_reading(leg) for leg in s.study.legs)
        ):
            return ()
        if self._outlook is None or self._outlook[0] is not s.study:
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
            try:
                found = speed_curves(s.study, s.traces, s.view, s.scatter)
            except (ArithmeticError, ValueError):
                found = ()  # what cannot be analysed was told already
            self._curves = (s.analysis, found)
        return self._curves[1]
