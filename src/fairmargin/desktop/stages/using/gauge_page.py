"""The car's own forecasts: what its gauge promised, and what came."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from fairmargin.desktop.session import Session
from fairmargin.desktop.stages.using.page import UsePage


class GaugePage(UsePage):
    """Promised and found."""

    def __init__(self, session: Session, touch: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(session, touch, parent)
