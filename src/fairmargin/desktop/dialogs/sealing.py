"""Seal what is said before the first reading: prediction, what matters, how sure, how many pairs, what may be left out."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.study.registration import MOST_PAIRS, sealed
from fairmargin.core.study.statement_entry import show_prediction
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.widgets.basics import label


class SealDialog(QDialog):
    """What will be sealed, with the two things that stand nowhere else."""

    def __init__(self, study: Study, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Seal before the first reading")
        self.study = study
        self.sealed: Study | None = None
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        said = show_prediction(study.change)
        unit = " %" if study.change.prediction_percent is not None else ""
        self.summary = label(
            f"Prediction: {said + unit if said else 'none'}\n"
            f"Smallest effect that matters: \u00b1{show_number(study.smallest_effect_percent, 2)} %\n"
            f"Confidence: {show_number(100 * study.confidence, 1)} %",
            "",
            wrap=True,
        )
        layout.addWidget(self.summary)
        self.pairs = Field(
            "Pairs that will be driven, whatever they show",
            lambda _text: None,
            tip="Until they are driven the interval is wider, so that looking on the way costs nothing. Empty: no number",
        )
        planned = min(study.order.count(x) for x in study.lettered) if len(study.lettered) > 1 else 0
        self.pairs.show_text(str(planned) if planned else "")
        layout.addWidget(self.pairs)
        self.leaving_out = Field(
            "A leg may be left out only if",
            lambda _text: None,
            placeholder="held up, a wrong turn, rain; decided before the result is looked at",
        )
        layout.addWidget(self.leaving_out)
        layout.addWidget(
            label(
                "Sealed with time and checksum. It cannot be undone; what is changed later is told beside it.",
                "muted",
                wrap=True,
            )
        )
        self.fault = label("", "fault", wrap=True)
        self.fault.hide()
        layout.addWidget(self.fault)
        buttons = QDialogButtonBox()
        self.seal = buttons.addButton("Seal", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton("Cancel", QDialogButtonBox.ButtonRole.RejectRole)
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self.resize(560, self.sizeHint().height())

    def _accept(self) -> None:
        try:
            self.sealed = sealed(
                self.study, datetime.now().replace(microsecond=0), self._pairs(), self.leaving_out.edit.text()
            )
        except ValueError as error:
            self.fault.setText(words_of(error))
            self.fault.show()
            return
        self.accept()

    def _pairs(self) -> int | None:
        text = self.pairs.edit.text().strip()
        if not text:
            return None
        count = text.removesuffix("pairs").removesuffix("pair").strip()
        if not count.isascii() or not count.isdigit() or not 1 <= int(count) <= MOST_PAIRS:
            raise ValueError(f"\u201c{text}\u201d is no number of pairs; expected 1 to {MOST_PAIRS}, or nothing")
        return int(count)
