"""What the change does in the wind of the place, beside what it does in still air."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout

from fairmargin.core.outcome.asking import Asking
from fairmargin.core.outcome.average_wind import USUAL_WIND_MS, of_comparison
from fairmargin.core.result.types import Comparison
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number
from fairmargin.core.units import UnitChoice, in_units, said_range
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.exchange.words.names import quoted, side_words, stated_speed
from fairmargin.exchange.words.outcomes import wind_averaged_words


class WindPanel:
    """A field for the place's usual wind, and the effect in it; kept from study to study."""

    def __init__(self, commit: Callable[[str], None]) -> None:
        self.frame, box = panel()
        box.addWidget(label("In the wind of the place", "heading"))
        row = QHBoxLayout()
        self.wind = Field("Its usual wind, at the mast", commit, width=120)
        row.addWidget(self.wind)
        self.words = label("", wrap=True)
        row.addWidget(self.words, 1)
        box.addLayout(row)

    def show(
        self, study: Study, asking: Asking | None, c: Comparison | None, told_ms: float | None, units: UnitChoice
    ) -> None:
        """Say it of a comparison; hidden where nothing can be said."""
        found = None if asking is None or c is None else of_comparison(study, asking, c, told_ms)
        self.frame.setVisible(found is not None)
        self.wind.show_text("" if told_ms is None else show_number(units.show("wind", told_ms), 1), units.wind)
        usual = in_units(said_range(3.0, 6.0, "m/s"), units)
        self.wind.show_tip(
            f"Mean over the year, of the weather service or a wind map; open land has {usual}. It blows from every side alike."
        )
        self.wind.edit.setPlaceholderText(f"{show_number(units.show('wind', USUAL_WIND_MS), 1)} assumed")
        if found is None or c is None:
            return
        assumed = "" if told_ms is not None else " The wind is a usual one of open land: nobody said what it is here."
        self.words.setText(
            f"{quoted(side_words(study, c.trial, units))} at {stated_speed(study, c, units)}, {c.level_words}: "
            f"{wind_averaged_words(found, units)}{assumed}"
        )
