"""A result card: effect, margin, range, conditions and how it was tested, at one glance; picture, vectors or text.

The figures are those of the verdict and the report; nothing is worked out here.
"""

from __future__ import annotations

import io
import textwrap
from collections import Counter
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, cast

from fairmargin import looks
from fairmargin.core.result.results import WHOLE, Result
from fairmargin.core.result.sides import further_percent, ranges_km
from fairmargin.core.result.types import Analysis, Comparison
from fairmargin.core.study import Study
from fairmargin.core.units import UnitChoice, in_units
from fairmargin.core.words import sentence, signed
from fairmargin.exchange.files.atomic import write_whole
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.plain import printable
from fairmargin.exchange.reports.figures import STYLE, TYPE, finished, with_type
from fairmargin.exchange.reports.pdf import Paper, Sheet
from fairmargin.exchange.reports.pdf import finished as finished_pdf
from fairmargin.exchange.reports.style import MARKERS, TRIALS
from fairmargin.exchange.words.figures import consumption_words, distance_words, span_words
from fairmargin.exchange.words.names import place_words, quoted, result_name, side_words, units_of
from fairmargin.exchange.words.results import conditions_words, level_words

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


def _inks(c: looks.Colours) -> tuple[str, str, str, str, str]:
    """Paper, ink, muted, rule, and the band that does not matter; the trials' stand beside."""
    return c.panel, c.ink, c.muted, c.rule, c.band


LIGHT: Final = _inks(looks.LIGHT)
DARK: Final = _inks(looks.DARK)
DARK_TRIALS: Final = looks.DARK.trials
SIZE_IN: Final = (8.0, 4.2)  # at 150 dots an inch 1200 x 630, as pictures are shown on the web
DPI: Final = 150
KINDS: Final = (".png", ".svg", ".txt")


@dataclass(frozen=True, slots=True)
class Card:
    """What a card says, in its order."""

    title: str
    headline: str
    margin: str
    lines: tuple[str, ...]
    effect_percent: float | None = None
    interval_percent: tuple[float, float] | None = None
    smallest_percent: float = 0.0
    trial: int = 0

    def text(self) -> str:
        """The card as plain text."""
        return printable("\n".join([self.title, self.headline, self.margin, "", *self.lines])) + "\n"


def card_of(study: Study, analysis: Analysis, c: Comparison | None, view: str, units: UnitChoice, today: date) -> Card:
    """Gather what the card says of one comparison; of the first result where nothing is compared.

    Raises
    ------
    ValueError
        If there is nothing to say yet.
    """
    made = f"Fair Margin, {today:%Y-%m-%d}"
    if c is not None:
        own = units_of(study, c.vehicle, units)
        return Card(
            title=study.title or "Study",
            headline=_headline(study, c, own),
            margin=_margin(c),
            lines=(
                *_levels(study, c, own),
                f"On {place_words(study)}: {conditions_words(study, c, view, own)}.",
                _tested(study, analysis, c),
                in_units(c.standing.sentence, units),
                made,
            ),
            effect_percent=c.effect_percent,
            interval_percent=c.interval_percent,
            smallest_percent=study.smallest_effect_percent,
            trial=study.trial_number(c.trial),
        )
    told = [r for r in analysis.results if r.as_driven_wh_per_km is not None]
    r = next((x for x in told if x.sector == WHOLE), told[0] if told else None)
    if r is None or r.as_driven_wh_per_km is None:
        raise ValueError(analysis.missing or "there is no result yet")
    return _alone(study, r, units_of(study, r.vehicle, units), made)


def _headline(study: Study, c: Comparison, units: UnitChoice) -> str:
    trial = side_words(study, c.trial, units)
    if c.verdict in {"uses more", "uses less"}:
        return f"{trial}: {abs(c.effect_percent):.1f} % {c.verdict.split()[1]}"
    return f"{trial}: {c.verdict}"


def _margin(c: Comparison) -> str:
    low, high = c.interval_percent
    level = c.level_words
    if c.verdict == "not a fair comparison":
        return "no margin can cover what is not fair"
    return (
        f"{signed(c.effect_percent)} % ({signed(low)} to {signed(high)} %, {level}), of the baseline\u2019s consumption"
    )


def _levels(study: Study, c: Comparison, units: UnitChoice) -> tuple[str, ...]:
    """Consumption and range of both sides; nothing that an unfair comparison does not carry."""
    if c.verdict == "not a fair comparison":
        return ()
    base, trial = (side_words(study, x, units) for x in (c.baseline, c.trial))
    lines = [
        f"{consumption_words(c.baseline_wh_per_km, units)} with {quoted(base)}, {consumption_words(c.trial_wh_per_km, units)} with {quoted(trial)}"
    ]
    further, km = further_percent(study, c), ranges_km(study, c)
    if further is None:
        return tuple(lines)
    reach = f"range {signed(further)} %"
    if km is not None:
        far = [distance_words(x, units) for x in km]
        reach += f": {far[0]} to empty, then {far[1]}"
    return (*lines, sentence(reach))


def _tested(study: Study, analysis: Analysis, c: Comparison) -> str:
    """How it was tested: pairs, order, days, instrument."""
    own = {leg for p in c.pair_list for leg in (p.baseline_leg, p.trial_leg)}
    legs = [x for x in analysis.legs if x.leg in own]
    order = "".join(
        "A" if study.leg(x[0].leg).configuration == c.baseline else "B" for _, x in study.runs() if x[0].leg in own
    )
    days = {study.leg(x.leg).started_at.date() for x in legs if study.leg(x.leg).started_at}  # type: ignore[union-attr]
    read = Counter(x.instrument for x in legs).most_common(1)
    parts = [f"{c.pairs} pair{'s' if c.pairs != 1 else ''} of runs"]
    if 2 <= len(order) <= 12:
        parts.append(f"order {order}")
    if days:
        parts.append(f"{len(days)} day{'s' if len(days) != 1 else ''}")
    if read:
        parts.append(f"read off the {read[0][0]}")
    return sentence(", ".join(parts)) + "."


def _alone(study: Study, r: Result, units: UnitChoice, made: str) -> Card:
    """A card of one configuration."""
    assert r.as_driven_wh_per_km is not None
    lines = []
    if r.wh_per_km is not None and r.interval_wh_per_km is not None:
        what = sentence(level_words(study, r, units))
        lines.append(
            f"{what}: {consumption_words(r.wh_per_km, units)} ({span_words(r.interval_wh_per_km, units)}, {100 * study.confidence:g} %)"
        )
    if r.range_km is not None and r.range_interval_km is not None:
        low, high = (units.show("distance", v) for v in r.range_interval_km)
        lines.append(f"Range, full to empty: {distance_words(r.range_km, units)} ({low:.0f} to {high:.0f})")
    lines.append(
        f"{len(r.legs)} leg{'s' if len(r.legs) != 1 else ''}, {distance_words(r.km, units)} in all, read off the {', '.join(r.instruments)}."
    )
    spread = (
        ""
        if r.as_driven_interval is None
        else f"as driven; {span_words(r.as_driven_interval, units)} by the instruments\u2019 steps"
    )
    return Card(
        study.title or "Study", f"{result_name(study, r, units)}: {consumption_words(r.as_driven_wh_per_km, units)}", spread,
        (*lines, "Nothing is compared.", made),
    )  # fmt: skip


# ---------------------------------------------------------------- drawn


def drawn(card: Card, kind: str, dark: bool = False) -> bytes:
    """The card as a PNG or an SVG.

    Parameters
    ----------
    card : Card
    kind : {'png', 'svg'}
    dark : bool
    """
    with with_type(cast(Any, STYLE | {"font.family": [TYPE, "DejaVu Sans"]})):
        figure = _figure(card, DARK if dark else LIGHT, DARK_TRIALS if dark else TRIALS)
        if kind == "svg":
            return finished(figure, transparent=False).encode()
        out = io.BytesIO()
        figure.savefig(out, format="png", dpi=DPI, metadata={"Software": None})
        return out.getvalue()


def _figure(card: Card, colours: tuple[str, ...], trials: tuple[str, ...]) -> Figure:
    from matplotlib.figure import Figure

    paper, ink, muted, rule, band = colours
    figure = Figure(figsize=SIZE_IN, facecolor=paper)
    figure.text(0.05, 0.915, _one_line(card.title, 76), color=muted, size=12)
    size = 25 if len(card.headline) <= 34 else 19 if len(card.headline) <= 48 else 15
    figure.text(0.05, 0.795, _one_line(card.headline, 66), color=ink, size=size, weight="semibold")
    figure.text(0.05, 0.715, _one_line(card.margin, 96), color=ink, size=12.5)
    y = 0.62
    if card.interval_percent is not None and card.effect_percent is not None:
        axes = figure.add_axes((0.05, 0.50, 0.90, 0.15), facecolor=paper)
        _bar(axes, card, (ink, muted, rule, band), trials[card.trial % len(trials)])
        y = 0.385
    for line in card.lines[:-1]:
        for part in textwrap.wrap(line, 104)[:2]:
            figure.text(0.05, y, part, color=ink if line is card.lines[0] else muted, size=10.5)
            y -= 0.058
    figure.text(0.95, 0.05, card.lines[-1], color=muted, size=9, ha="right")
    return figure


def _bar(axes: Axes, card: Card, colours: tuple[str, str, str, str], trial: str) -> None:
    """The margin bar: zero, what does not matter, the effect with its interval."""
    ink, muted, rule, band = colours
    assert card.interval_percent is not None and card.effect_percent is not None
    low, high = card.interval_percent
    reach = max(abs(low), abs(high), card.smallest_percent)
    left, right = min(low, -card.smallest_percent, 0), max(high, card.smallest_percent, 0)
    pad = 0.12 * (right - left)
    axes.set_xlim(left - pad, right + pad)
    axes.set_ylim(-1, 1)
    axes.axvspan(-card.smallest_percent, card.smallest_percent, color=band, lw=0)
    axes.axvline(0, color=ink, lw=1.3)
    axes.plot([low, high], [0, 0], color=trial, lw=10, alpha=0.35, solid_capstyle="butt")
    axes.plot([low, low], [-0.42, 0.42], color=trial, lw=1.6)
    axes.plot([high, high], [-0.42, 0.42], color=trial, lw=1.6)
    axes.plot(card.effect_percent, 0, MARKERS[card.trial % len(MARKERS)], color=trial, ms=11)
    axes.set_yticks([])
    for side in ("left", "top", "right"):
        axes.spines[side].set_visible(False)
    axes.spines["bottom"].set_color(rule)
    axes.tick_params(colors=muted, labelsize=9)
    decimals = 0 if reach > 4 else 1
    axes.xaxis.set_major_formatter(lambda v, _: "0" if abs(v) < 1e-9 else f"{signed(v, decimals)} %")


def _one_line(text: str, letters: int) -> str:
    plain = " ".join(text.split())
    return plain if len(plain) <= letters else plain[: letters - 1].rstrip() + "\u2026"


def card_pdf(card: Card, paper: Paper) -> bytes:
    """The card on one sheet of paper."""
    sheet = Sheet(card.title, card.lines[-1] if card.lines else "", paper)
    sheet.figure("", drawn(card, "svg").decode())
    return finished_pdf(sheet)


def write_card(path: str | Path, card: Card, dark: bool = False) -> None:
    """Write the card; the kind follows the name (.png, .svg or .txt). Written whole or not at all.

    Raises
    ------
    InvalidInput
        If the name ends otherwise, or the file cannot be written.
    """
    target = Path(path)
    kind = target.suffix.lower()
    if kind not in KINDS:
        raise InvalidInput(
            f'{target}: "{target.suffix}" is no kind of card; expected a name ending in {", ".join(KINDS)}'
        )
    data = card.text().encode() if kind == ".txt" else drawn(card, kind[1:], dark)
    write_whole(target, data)
