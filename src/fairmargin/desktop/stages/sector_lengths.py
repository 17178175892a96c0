"""Lengths that the sectors of a route count with, a field for each."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import read_quantity
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import clear, label


class SectorLengths(QWidget):
    """Shown where a study has several sectors."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self.fields: dict[str, Field] = {}

    def refresh(self, study: Study) -> None:
        """Lengths that the sectors count with on the whole route; as driven, until other ones are typed."""
        analysis, units = self.session.analysis, self.session.units
        lengths = analysis.sector_lengths_km if analysis else {}
        self.setVisible(len(lengths) > 1)
        if set(lengths) != set(self.fields):
            clear(self._row)
            self.fields = {}
            self._row.addWidget(label("The whole route is", "muted"), 0, Qt.AlignmentFlag.AlignBottom)
            for sector in lengths:
                field = Field(sector, self._setter(sector), tip="Empty: as driven")
                self.fields[sector] = field
                self._row.addWidget(field, 1)
            self._row.addStretch()
        for sector, km in lengths.items():
            self.fields[sector].show_text(show_number(units.show("distance", km), 1), units.distance)

    def _setter(self, sector: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            study = self.session.study
            if study is None:
                return
            rest = {k: v for k, v in study.sector_weights_km.items() if k != sector}
            if text:
                rest[sector] = read_quantity(text, "distance", self.session.units.distance)
            try:
                after = study.with_(sector_weights_km=rest)
            except ValueError as error:
                raise ValueError(words_of(error)) from error
            self.session.edit(after, f"length of {sector}")

        return commit
