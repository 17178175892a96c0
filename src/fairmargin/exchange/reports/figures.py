"""Figures of a report as SVG text, with outlines for letters, so that no reader needs the font."""

from __future__ import annotations

import io
import logging
import re
import warnings
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, Final, cast

from fairmargin.core.result.pairs import pair_row
from fairmargin.core.result.types import Analysis, Comparison, LegResult
from fairmargin.core.study import Study
from fairmargin.core.units import UnitChoice
from fairmargin.exchange.reports.style import BASELINE, FONTS, INK, MARKERS, MUTED, RULE, TRIALS, kept_font
from fairmargin.exchange.words.figures import adding_factor, adding_unit
from fairmargin.looks import LIGHT

if TYPE_CHECKING:
    from matplotlib.axes import Axes

TYPE: Final = "Atkinson Hyperlegible Next"
STYLE: Final = {
    "font.family": [TYPE, "DejaVu Sans"],
    "font.size": 9,
    "svg.fonttype": "path",
    "axes.edgecolor": RULE,
    "axes.labelcolor": MUTED,
    "xtick.color": MUTED,
    "ytick.color": MUTED,
    "text.color": INK,
    "axes.spines.top": False,
    "axes.spines.right": False,
    "svg.hashsalt": "fairmargin",
    "text.parse_math": False,  # a leg may be called $x$
}


def figures(study: Study, analysis: Analysis, choice: UnitChoice) -> list[tuple[str, str]]:
    """Draw every comparison with its pairs, and the legs from read to corrected; captions and SVG texts."""
    with with_type(cast(Any, STYLE)):
        made = [_pairs(study, c) for c in analysis.comparisons]
        legs = [leg for leg in analysis.legs if leg.corrected_wh_per_km is not None]
        return [*made, _legs(study, legs, choice)] if legs else made


@contextmanager
def with_type(style: Any) -> Iterator[None]:
    """Draw in the application's type and the style given."""
    import matplotlib

    matplotlib.use("svg", force=False)
    from matplotlib import font_manager

    if not any(f.name == TYPE for f in font_manager.fontManager.ttflist):
        for weight in FONTS.values():
            font_manager.fontManager.addfont(str(kept_font(weight)))
    logging.getLogger("matplotlib.font_manager").setLevel(logging.ERROR)  # of weights that the wider type lacks
    with matplotlib.rc_context(style), warnings.catch_warnings():
        warnings.filterwarnings("ignore", message="Glyph .* missing")  # drawn as a box
        yield


def finished(figure: Any, transparent: bool = True) -> str:
    """A figure as SVG text, without a date."""
    out = io.StringIO()
    figure.savefig(out, format="svg", metadata={"Date": None}, transparent=transparent)
    text = re.sub(r"<metadata>.*?</metadata>", "", out.getvalue(), flags=re.DOTALL)
    return text[text.index("<svg") :]


def _pairs(study: Study, c: Comparison) -> tuple[str, str]:
    """The effect with its interval, and every pair as read and corrected."""
    from matplotlib.figure import Figure

    index = study.trial_number(c.trial)
    colour, marker, rows = TRIALS[index % len(TRIALS)], MARKERS[index % len(MARKERS)], len(c.pair_list) + 1
    figure = Figure(figsize=(7.2, 0.55 + 0.26 * (rows + 1)), layout="constrained")
    axes = figure.subplots()
    _effect_row(axes, study, c)
    labels = ["effect"]
    for i, row in enumerate(map(pair_row, c.pair_list), start=1):
        labels.append(row.label + (" (left out)" if row.left_out else ""))
        if row.interval is not None and row.corrected is not None:
            axes.plot(list(row.interval), [i, i], color=colour, lw=2.5, alpha=0.4)
            axes.plot([row.read, row.corrected], [i, i], ":", color=MUTED, lw=0.9)
            axes.plot(row.corrected, i, marker, color=colour, ms=6)
        alpha = 0.4 if row.left_out else 1.0
        axes.plot(row.read, i, marker, mfc="white", mec=colour, ms=6, alpha=alpha)
    axes.set_yticks(range(rows), labels)
    axes.invert_yaxis()
    return (
        "Effect with its interval, and every pair: open as read, filled corrected, bar its own margin. Shaded: what "
        "does not matter. Dashed: the prediction.",
        finished(figure),
    )


def _effect_row(axes: Axes, study: Study, c: Comparison) -> None:
    """The effect with its interval at height 0, what does not matter, and the prediction."""
    index, smallest = study.trial_number(c.trial), study.smallest_effect_percent
    colour = TRIALS[index % len(TRIALS)]
    axes.axvspan(-smallest, smallest, color=LIGHT.band, lw=0)
    axes.axvline(0, color=INK, lw=1.2)
    axes.plot(list(c.interval_percent), [0, 0], color=colour, lw=7, alpha=0.35, solid_capstyle="butt")
    axes.plot(c.effect_percent, 0, MARKERS[index % len(MARKERS)], color=colour, ms=9)
    if study.change.prediction_percent is not None:
        axes.axvline(study.change.prediction_percent, color=MUTED, lw=1, ls="--")
    _grid(axes, "x")
    axes.set_xlabel("% of baseline consumption, + is more")


def margin_bar(axes: Axes, study: Study, c: Comparison) -> None:
    """Draw the margin bar of one comparison on axes of somebody else's."""
    _effect_row(axes, study, c)
    low, high = c.interval_percent
    axes.set_yticks([0], [study.configuration(c.trial).label])
    axes.set_ylim(-1, 1)
    axes.set_title(
        f"{c.effect_percent:+.1f} % ({low:+.1f} to {high:+.1f} %): {c.verdict}".replace("-", "\u2212"), fontsize=10
    )


def _legs(study: Study, legs: Sequence[LegResult], choice: UnitChoice) -> tuple[str, str]:
    """Every leg from read to corrected."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(7.2, 2.5), layout="constrained")
    axes = figure.subplots()
    trials, factor = [t.id for t in study.trials], adding_factor(choice)
    for i, leg in enumerate(legs):
        which = trials.index(leg.configuration) if leg.configuration in trials else None
        colour = BASELINE if which is None else TRIALS[which % len(TRIALS)]
        marker = "o" if which is None else MARKERS[which % len(MARKERS)]
        read, corrected = leg.measured_wh_per_km * factor, (leg.corrected_wh_per_km or 0) * factor
        axes.plot([i, i], [read, corrected], ":", color=MUTED, lw=0.9)
        axes.plot(i, read, marker, mfc="white", mec=colour, ms=6)
        axes.plot(i, corrected, marker, color=colour, ms=6)
    axes.set_xticks(range(len(legs)), [leg.leg for leg in legs], fontsize=8)
    axes.set_ylabel(adding_unit(choice))
    _grid(axes, "y")
    caption = "Every leg in the order driven: open as read, filled corrected. Circle: baseline."
    return caption, finished(figure)


def _grid(axes: Axes, along: Any) -> None:
    axes.grid(axis=along, color=RULE, lw=0.6)
    axes.set_axisbelow(True)
