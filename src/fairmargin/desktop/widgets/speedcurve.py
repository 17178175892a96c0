"""Consumption over speed, and the effect over speed beside it: each configuration in its colour, tested speeds marked."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QSizePolicy, QWidget

from fairmargin.core.inference.curve import SpeedCurve
from fairmargin.core.study import Study
from fairmargin.core.units import UnitChoice, label
from fairmargin.core.words import signed
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn
from fairmargin.desktop.widgets.plot import LEFT, Plot
from fairmargin.exchange.words.figures import speed_words
from fairmargin.exchange.words.names import units_of


class SpeedCurveChart(Drawn):
    """Dashed where nobody drove that fast or that slow; marks where somebody did."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(190)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Consumption over speed")
        self._curves: Sequence[SpeedCurve] = ()
        self._study: Study | None = None
        self._units: UnitChoice | None = None
        theme.changed.connect(self.update)

    def show_curves(self, study: Study, curves: Sequence[SpeedCurve], units: UnitChoice) -> None:
        """Show the curves of the first vehicle and sector; the others are in the table."""
        first = (curves[0].vehicle, curves[0].sector) if curves else ("", "")
        self._curves = [c for c in curves if (c.vehicle, c.sector) == first]
        self._study, self._units = study, units_of(study, first[0], units)
        self.setAccessibleDescription(self.words())
        self.update()

    def words(self) -> str:
        """What the chart says, in a line or two."""
        if self._units is None or not self._curves:
            return ""
        driven = sorted({v for c in self._curves for v in c.driven_kmh})
        units = self._units
        tested = (
            f"Driven at {speed_words(driven[0], units)}"
            if driven[-1] - driven[0] < 4
            else f"Driven from {speed_words(driven[0], units)} to {speed_words(driven[-1], units)}"
        )
        c = self._curves[0]
        best = min(range(len(c.speeds_kmh)), key=lambda i: c.wh_per_km[i])
        far = (
            f" It goes farthest at about {speed_words(c.speeds_kmh[best], units)}."
            if 0 < best < len(c.speeds_kmh) - 1
            else ""
        )
        return f"{tested}; dashed beyond that: the model's, with margins that grow.{far}"

    def _number(self, configuration: str) -> int | None:
        """Which trial a configuration is; None for the baseline."""
        assert self._study is not None
        ids = [t.id for t in self._study.trials]
        return ids.index(configuration) if configuration in ids else None

    def paintEvent(self, _event: object) -> None:
        if not self._curves or self._units is None:
            return
        p = Painter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(12))
        effects = [c for c in self._curves if c.effect_percent]
        half = self.width() / 2 if effects else float(self.width())
        units = self._units

        def shown(wh_per_km: float) -> float:
            return units.show_consumption(wh_per_km)

        self._panel(
            p, LEFT, half - 24, f"consumption, {label(units.consumption)}",
            [(c, [shown(v) for v in c.wh_per_km], [(shown(a), shown(b)) for a, b in c.interval_wh_per_km]) for c in self._curves],
            lambda v, axis: f"{v:.{axis.decimals}f}", zero=False,
        )  # fmt: skip
        if effects:
            self._panel(
                p, half + LEFT, self.width() - 20.0, "effect, % of baseline",
                [(c, list(c.effect_percent), list(c.interval_percent)) for c in effects],
                lambda v, axis: "0" if v == 0 else signed(v, axis.decimals), zero=True,
            )  # fmt: skip
        p.end()

    def _panel(
        self,
        p: QPainter,
        left: float,
        right: float,
        title: str,
        lines: Sequence[tuple[SpeedCurve, list[float], list[tuple[float, float]]]],
        words: Callable[[float, Axis], str],
        zero: bool,
    ) -> None:
        """One set of curves over the same speeds."""
        assert self._units is not None
        units = self._units
        top, bottom = 24.0, self.height() - 36.0
        speeds = [units.show("speed", v) for v in self._curves[0].speeds_kmh]
        across = Axis(speeds[0], speeds[-1], left, right, 6)
        # Far from what was driven the band may leave the chart: what was driven must stay readable.
        middle = [v for _, values, _ in lines for v in values]
        near = [
            e
            for c, _, ends in lines
            for v, end in zip(c.speeds_kmh, ends, strict=True)
            if _tested(c, v, 12.0)
            for e in end
        ]
        every = [*middle, *near, *([0.0] if zero else [])]
        pad = 0.08 * (max(every) - min(every) or 1.0)
        up = Axis.whole_ticks(min(every) - pad, max(every) + pad, bottom, top, 4)
        plot = Plot(p, across, up)
        plot.frame(title, units.speed, lambda v: words(v, up), zero)
        with plot.clipped():
            for c, values, ends in lines:
                which = self._number(c.configuration)
                plot.band(speeds, ends, which)
                plot.line(speeds, values, which, [_tested(c, v, 4.0) for v in c.speeds_kmh])
                for kmh in c.driven_kmh:
                    plot.mark(units.show("speed", kmh), float(np.interp(kmh, c.speeds_kmh, values)), which)


def _tested(c: SpeedCurve, kmh: float, around: float) -> bool:
    """Whether a speed lies within what was driven, or next to it."""
    return c.driven_kmh[0] - around <= kmh <= c.driven_kmh[-1] + around
