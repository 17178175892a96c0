"""Leaving a leg out, with a reason, and taking it back in; the run sheet and Examine do it alike."""

from __future__ import annotations

from PySide6.QtWidgets import QInputDialog, QWidget

from fairmargin.desktop.state.session import Session


def toggle_left_out(session: Session, parent: QWidget, name: str, reason: str | None = None) -> None:
    """Leave a leg out, asking for the reason unless it is given; or take it back in."""
    study = session.study
    if study is None:
        return
    if not study.leg(name).included:
        session.take_back_in(name)
        return
    if reason is None:
        reason, accepted = QInputDialog.getText(
            parent, f"Leave out {name}", "Why? The reason is kept and stands in the report."
        )
        if not accepted:
            return
    session.leave_out(name, reason)
