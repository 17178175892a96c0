"""As driven: what each configuration, vehicle, speed, sector and way took, and how far that goes."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtWidgets import QFrame

from fairmargin.core.result.types import Analysis
from fairmargin.core.study import Study
from fairmargin.core.units import UnitChoice
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.exchange.words.answers import result_words
from fairmargin.exchange.words.names import result_name


class DrivenPanel:
    """A line or two for every result of a study; hidden where there is none."""

    def __init__(self) -> None:
        self.frame: QFrame
        self.frame, box = panel()
        self.title = label("As driven", "heading")
        box.addWidget(self.title)
        self.words = label("", wrap=True)
        self.words.setAccessibleName("As driven")
        box.addWidget(self.words)

    def show_results(
        self, study: Study, analysis: Analysis | None, units: UnitChoice, vehicles: Collection[str] = ()
    ) -> None:
        """Tell what was driven, as it was: one paragraph a result; of some vehicles only where those are spoken of."""
        results, legs = ((), ()) if analysis is None else (analysis.results, analysis.legs)
        lines = [
            f"{result_name(study, r, units)}: {result_words(study, r, units, legs)}"
            for r in results
            if not vehicles or r.vehicle in vehicles
        ]
        told = () if analysis is None or not analysis.coast_downs else analysis.results
        coasted = bool(told) and all(r.as_driven_wh_per_km is None for r in told)
        self.title.setText("By coasting runs: nobody drove it" if coasted else "As driven")
        self.words.setText("\n".join(lines))
        self.frame.setVisible(bool(lines))
