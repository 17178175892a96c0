"""Reports: one self-contained HTML file, or a PDF, with vector figures.

Both are made from the same content. HTML goes through a Jinja2 template with inline SVG and fonts; PDF
through fpdf2, which draws the same SVG figures as vectors.
"""

from __future__ import annotations

import base64
import io
import os
import re
import tempfile
import warnings
from dataclasses import dataclass
from datetime import datetime
from importlib import resources
from pathlib import Path
from typing import Any, Final

from fairmargin import __version__
from fairmargin.core import units as u
from fairmargin.core.result.corrections import LINES
from fairmargin.core.result.types import Analysis, Comparison
from fairmargin.core.study import Leg, Study
from fairmargin.exchange.faults import InputFault
from fairmargin.exchange.plain import printable
from fairmargin.exchange.wording import (
    beside,
    climb_lines,
    conditions_words,
    consumption_words,
    may_not,
    may_say,
    scatter_words,
    signed,
    speed_words,
)

BASELINE, TRIALS = "#2d5b87", ("#b9521a", "#6a4c93", "#2f7f6f")
INK, MUTED, RULE = "#1d2a2f", "#5b6a6f", "#dcd6c9"
MARKERS: Final = ("D", "^", "s")
WIDEST: Final = 22  # letters that a column of a table may claim; longer texts wrap
FONTS: Final = {"": "400Regular", "B": "600SemiBold"}


def _font(weight: str) -> bytes:
    folder = resources.files("fairmargin.desktop.theme") / "fonts"
    return (folder / f"AtkinsonHyperlegibleNext_{weight}.ttf").read_bytes()


def _wide_font() -> Path:
    """DejaVu Sans as it comes with matplotlib (its licence beside it): Arabic, Hebrew, Cyrillic, Greek and more."""
    import matplotlib

    return Path(matplotlib.get_data_path()) / "fonts" / "ttf" / "DejaVuSans.ttf"


@dataclass(frozen=True, slots=True)
class Table:
    """A table of the report."""

    title: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numeric_from: int = 1


@dataclass(frozen=True, slots=True)
class Content:
    """Everything a report says, in order."""

    title: str
    headline: str
    facts: tuple[tuple[str, str], ...]
    verdicts: tuple[tuple[str, str, str], ...]  # may say, reason, may not
    figures: tuple[tuple[str, str], ...]  # caption, SVG
    tables: tuple[Table, ...]
    concerns: tuple[tuple[str, str, str, str, str], ...]  # severity, title, charge, message, next step
    left_out: tuple[str, ...]
    notes: str
    made: str


def content(study: Study, analysis: Analysis, choice: u.UnitChoice, now: datetime) -> Content:
    """Gather what the report says."""
    headline = analysis.missing
    if analysis.comparisons:
        c = analysis.comparisons[0]
        headline = f"{study.configuration(c.trial).label}: {c.verdict}"
        if c.verdict in {"uses more", "uses less"}:
            headline = f"{study.configuration(c.trial).label} {c.verdict}: {signed(c.effect_percent)} %"
    return Content(
        title=study.title or "Study",
        headline=headline,
        facts=_facts(study, analysis, choice),
        verdicts=tuple(
            (
                may_say(study, c, choice),
                " ".join([_with_prediction(study, c), *beside(study, analysis, c)]),
                may_not(study, analysis, c, choice),
            )
            for c in analysis.comparisons
        ),
        figures=tuple(_figures(study, analysis)),
        tables=(
            _readings(study, choice, {leg.leg for leg in analysis.legs}),
            _corrections(study, analysis),
            _results(study, analysis, choice),
        ),
        concerns=tuple(
            (
                x.severity,
                x.title,
                "not priced"
                if x.bias_percent is None
                else f"{signed(x.bias_percent) if x.signed else f'±{abs(x.bias_percent):.1f}'} %",
                x.message,
                x.next_step,
            )
            for x in analysis.concerns
        ),
        left_out=tuple(
            f"{leg.leg} ({study.configuration(leg.configuration).label}): {leg.reason or 'no reason given'}"
            + (" Left out after the result was seen." if leg.left_out_after_result else "")
            for leg in study.legs
            if not leg.included
        )
        + tuple(
            f"The road from {choice.show('distance', x.from_m / 1000):.2f} to {choice.show('distance', x.to_m / 1000):.2f} "
            f"{choice.distance}, out of every logged leg: {x.reason}"
            + (" Left out after the result was seen." if x.after_result else "")
            for x in study.left_out_stretches
        ),
        notes=study.notes,
        made=f"Made by Fair Margin {__version__} on {now:%Y-%m-%d %H:%M}. Positive: the trial uses more energy per distance; "
        "per cent of the baseline's consumption.",
    )


def _with_prediction(study: Study, c: Comparison) -> str:
    words = c.reason
    said = study.change.prediction_percent
    if said is not None:
        sealed = study.change.prediction_sealed_at
        when = f" (sealed {sealed:%Y-%m-%d %H:%M})" if sealed else " (not sealed)"
        inside = c.interval_percent[0] <= said <= c.interval_percent[1]
        words += f" Predicted: {signed(said)} %{when}, {'inside' if inside else 'outside'} the interval."
    return words


def _facts(study: Study, analysis: Analysis, choice: u.UnitChoice) -> tuple[tuple[str, str], ...]:
    v, k = study.vehicle, study.vehicle.constants()
    days = sorted({leg.started_at.date() for leg in study.legs if leg.started_at})
    mark = dict.fromkeys(k.assumed, " (assumed from its class)")
    facts = [
        ("Question", f"{study.trials[0].label if study.trials else 'no trial'} against {study.baseline.label} ({study.change.kind}, works through {' and '.join(study.change.mechanisms)})"),
        ("Method", f"{study.method}, order {study.order or 'none'}"),
        ("Route", study.route_name or "not named"),
        ("Driven", ", ".join(f"{d:%d %B %Y}" for d in days) or "not dated"),
        ("Stated for", conditions_words(study, analysis.comparisons[0], analysis.view, choice) if analysis.comparisons else "no comparison yet"),
        *(("Climb", line) for line in climb_lines(study, analysis)),
        ("Run-to-run scatter", scatter_words(analysis.scatter_prior)),
        ("Smallest effect that matters", f"{study.smallest_effect_percent:g} %"),
        ("Vehicle", f"{v.name or 'not named'}, {v.energy}, {choice.show('mass', k.mass_kg):.0f} {choice.mass}{mark.get('mass_kg', '')}, "
                    f"drag area {k.drag_area_m2:g} m²{mark.get('drag_area_m2', '')}, rolling coefficient {k.rolling_coefficient:g}{mark.get('rolling_coefficient', '')}"),
        ("Wind", f"measured at {study.wind.measured_at_m:g} m, {study.wind.terrain} land along the road"),
    ]  # fmt: skip
    return tuple(facts)


def shown_reading(leg: Leg) -> str:
    """Write every reading of a leg as it was read."""
    parts = []

    if leg.average_shown is not None and leg.average_unit:
        parts.append(f"{u.to_step(leg.average_shown, leg.average_step)} {u.label(leg.average_unit)}")
    if leg.energy_kwh is not None:
        parts.append(f"{u.to_step(leg.energy_kwh, leg.energy_step_kwh)} kWh")
    if leg.fuel_l is not None:
        parts.append(f"{leg.fuel_l:g} L")
    if leg.charger_kwh is not None:
        parts.append(f"{leg.charger_kwh:g} kWh charged")
    if leg.soc_start_percent is not None and leg.soc_end_percent is not None:
        parts.append(f"{leg.soc_start_percent:g}\u2013{leg.soc_end_percent:g} %")
    return ", ".join(parts)


def _readings(study: Study, choice: u.UnitChoice, read: set[str]) -> Table:
    def show(quantity: str, value: float | None, decimals: int) -> str:
        return "" if value is None else f"{choice.show(quantity, value):.{decimals}f}"

    rows = []
    for leg in study.legs:
        wind = show("wind", leg.wind_speed_ms, 1)
        if wind and leg.wind_from_deg is not None:
            wind += f" / {leg.wind_from_deg:.0f}°"
        duration = u.show_duration(leg.duration_s)
        state = "left out" if not leg.included else "driven" if leg.leg in read else leg.state
        rows.append(
            (
                leg.leg,
                study.configuration(leg.configuration).label,
                leg.direction,
                f"{leg.started_at:%H:%M}" if leg.started_at else "",
                shown_reading(leg),
                show("distance", leg.distance_km, 2),
                duration,
                show("temperature", leg.temperature_c, 1),
                wind,
                show("pressure", leg.pressure_hpa, 0 if choice.pressure == "hPa" else 2),
                state + (f": {leg.note}" if leg.note else ""),
            )
        )
    heads = ("Leg", "Configuration", "Way", "Start", "Reading", f"Distance, {choice.distance}", "Time, min:s",
             f"Air, {choice.temperature}", f"Wind, {choice.wind} / from", f"Pressure, {choice.pressure}", "State and note")  # fmt: skip
    return Table("Readings as read", heads, tuple(rows), 3)


def _corrections(study: Study, analysis: Analysis) -> Table:
    legs = [leg for leg in analysis.legs if leg.corrected_wh_per_km is not None]
    names = [n for n in LINES if any(abs(leg.corrections_wh_per_km.get(n, 0.0)) >= 0.05 for leg in legs)]
    rows = tuple(
        (
            leg.leg,
            study.configuration(leg.configuration).label,
            f"{leg.measured_wh_per_km:.1f}",
            *(signed(leg.corrections_wh_per_km.get(n, 0.0)) for n in names),
            f"{leg.corrected_wh_per_km:.1f}",
        )
        for leg in legs
    )
    heads = ("Leg", "Configuration", "As read", *(LINES[n] for n in names), "Corrected")
    return Table("Corrections, Wh/km", heads, rows, 2)


def _results(study: Study, analysis: Analysis, choice: u.UnitChoice) -> Table:
    rows = []
    for c in analysis.comparisons:
        low, high = c.interval_percent
        rows.append(
            (
                f"{study.configuration(c.trial).label} / {study.configuration(c.baseline).label}",
                speed_words(c.speed_kmh, choice) + (f", {c.sector}" if c.sector else ""),
                signed(c.as_measured_percent),
                signed(c.effect_percent),
                f"{signed(low)} to {signed(high)}",
                consumption_words(c.baseline_wh_per_km, choice),
                consumption_words(c.trial_wh_per_km, choice),
                signed(c.range_change_percent),
                str(c.pairs)
                + (f" of {c.pairs_needed}" if c.pairs_needed and c.pairs_needed > c.pairs else ""),
                c.verdict,
            )
        )
    level = f"{100 * study.confidence:g} %"
    heads = ("Trial / baseline", "At", "As read, %", "Effect, %", f"Interval ({level}), %", "Baseline", "Trial",
             "Range, %", "Pairs", "Verdict")  # fmt: skip
    return Table("Result", heads, tuple(rows), 2)


# ---------------------------------------------------------------- figures


def _figures(study: Study, analysis: Analysis) -> list[tuple[str, str]]:
    """Draw the figures as SVG text with outlines for letters, so that no reader needs the font."""
    import matplotlib

    matplotlib.use("svg", force=False)
    from matplotlib import font_manager
    from matplotlib.figure import Figure

    if not any(f.name == "Atkinson Hyperlegible Next" for f in font_manager.fontManager.ttflist):
        for weight in FONTS.values():
            font_manager.fontManager.addfont(str(_kept_font(weight)))
    style = {
        "font.family": ["Atkinson Hyperlegible Next", "DejaVu Sans"], "font.size": 9, "svg.fonttype": "path", "axes.edgecolor": RULE,
        "axes.labelcolor": MUTED, "xtick.color": MUTED, "ytick.color": MUTED, "text.color": INK, "axes.spines.top": False,
        "axes.spines.right": False, "svg.hashsalt": "fairmargin",
        "text.parse_math": False,  # a leg may be called $x$
    }  # fmt: skip
    result: list[tuple[str, str]] = []

    def finish(figure: Any, caption: str) -> None:
        out = io.StringIO()
        figure.savefig(out, format="svg", metadata={"Date": None}, transparent=True)
        text = out.getvalue()
        text = re.sub(r"<metadata>.*?</metadata>", "", text, flags=re.DOTALL)
        result.append((caption, text[text.index("<svg") :]))

    with matplotlib.rc_context(style), warnings.catch_warnings():
        warnings.filterwarnings("ignore", message="Glyph .* missing")  # drawn as a box
        for c in analysis.comparisons:
            index = [t.id for t in study.trials].index(c.trial)
            colour = TRIALS[index % 3]
            rows = len(c.pair_list) + 1
            figure = Figure(figsize=(7.2, 0.55 + 0.26 * (rows + 1)), layout="constrained")
            axes = figure.subplots()
            smallest = study.smallest_effect_percent
            axes.axvspan(-smallest, smallest, color="#e8e3d8", lw=0)
            axes.axvline(0, color=INK, lw=1.2)
            low, high = c.interval_percent
            axes.plot([low, high], [0, 0], color=colour, lw=7, alpha=0.35, solid_capstyle="butt")
            axes.plot(c.effect_percent, 0, MARKERS[index % 3], color=colour, ms=9)
            labels = ["effect"]
            for i, pair in enumerate(c.pair_list, start=1):
                labels.append(f"{pair.number} {pair.direction}" + ("" if pair.included else " (left out)"))
                alpha = 1.0 if pair.included else 0.4
                if pair.corrected_percent is not None and pair.included:
                    half = pair.half_width_percent
                    axes.plot(
                        [pair.corrected_percent - half, pair.corrected_percent + half],
                        [i, i],
                        color=colour,
                        lw=2.5,
                        alpha=0.4,
                    )
                    axes.plot(
                        [pair.measured_percent, pair.corrected_percent], [i, i], ":", color=MUTED, lw=0.9
                    )
                    axes.plot(pair.corrected_percent, i, MARKERS[index % 3], color=colour, ms=6)
                axes.plot(
                    pair.measured_percent, i, MARKERS[index % 3], mfc="white", mec=colour, ms=6, alpha=alpha
                )
            if study.change.prediction_percent is not None:
                axes.axvline(study.change.prediction_percent, color=MUTED, lw=1, ls="--")
            axes.set_yticks(range(rows), labels)
            axes.invert_yaxis()
            axes.grid(axis="x", color=RULE, lw=0.6)
            axes.set_axisbelow(True)
            axes.set_xlabel("% of baseline consumption, + is more")
            finish(
                figure,
                "Effect with its interval, and every pair: open as read, filled corrected, bar its own margin. Shaded: what "
                "does not matter. Dashed: the prediction.",
            )
        legs = [leg for leg in analysis.legs if leg.corrected_wh_per_km is not None]
        if legs:
            figure = Figure(figsize=(7.2, 2.5), layout="constrained")
            axes = figure.subplots()
            trials = [t.id for t in study.trials]
            for i, leg in enumerate(legs):
                which = trials.index(leg.configuration) if leg.configuration in trials else None
                colour = BASELINE if which is None else TRIALS[which % 3]
                marker = "o" if which is None else MARKERS[which % 3]
                axes.plot(
                    [i, i], [leg.measured_wh_per_km, leg.corrected_wh_per_km or 0], ":", color=MUTED, lw=0.9
                )
                axes.plot(i, leg.measured_wh_per_km, marker, mfc="white", mec=colour, ms=6)
                axes.plot(i, leg.corrected_wh_per_km, marker, color=colour, ms=6)
            axes.set_xticks(range(len(legs)), [leg.leg for leg in legs], fontsize=8)
            axes.set_ylabel("Wh/km")
            axes.grid(axis="y", color=RULE, lw=0.6)
            axes.set_axisbelow(True)
            finish(figure, "Every leg in the order driven: open as read, filled corrected. Circle: baseline.")
    return result


def _kept_font(weight: str) -> Path:
    """Return a path of the font on disk (package files are on disk unless zipped)."""
    with resources.as_file(
        resources.files("fairmargin.desktop.theme") / "fonts" / f"AtkinsonHyperlegibleNext_{weight}.ttf"
    ) as path:
        return Path(path)


# ---------------------------------------------------------------- writing


def to_html(made: Content) -> str:
    """Render the report as one HTML page that needs nothing else."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("fairmargin.exchange", "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        finalize=lambda value: printable(value) if type(value) is str else value,
    )
    fonts = {
        w: base64.b64encode(_font(name)).decode()
        for w, name in (("400", "400Regular"), ("600", "600SemiBold"))
    }
    return environment.get_template("report.html").render(c=made, fonts=fonts)


def to_pdf(made: Content) -> bytes:
    """Render the report as a PDF with vector figures."""
    from fpdf import FPDF
    from fpdf.enums import TableBordersLayout
    from fpdf.fonts import FontFace

    pdf = FPDF(format="A4")
    pdf.set_title(made.title)
    pdf.set_margins(16, 16)
    pdf.set_auto_page_break(True, 16)
    for style, weight in FONTS.items():
        pdf.add_font("body", style, _kept_font(weight))  # read again when a text is shaped
    # Names may be in any script: what the type does not have comes from a wider one, shaped and from right to left.
    pdf.add_font("wide", "", _wide_font())
    pdf.set_fallback_fonts(["wide"], exact_match=False)
    pdf.set_text_shaping(True)
    pdf.add_page()

    def text(words: str, size: float = 10, style: str = "", colour: str = INK, gap: float = 1.5) -> None:
        if not words:
            return
        pdf.set_font("body", style, size)
        pdf.set_text_color(colour)
        pdf.multi_cell(0, size * 0.46, printable(words), align="L", new_x="LMARGIN", new_y="NEXT")
        pdf.ln(gap)

    def heading(words: str) -> None:
        if pdf.get_y() > 250:
            pdf.add_page()
        pdf.ln(2)
        text(words, 13, "B")

    text(made.title, 12, "", MUTED, 0)
    text(made.headline, 19, "B")
    for say, reason, not_ in made.verdicts:
        text(say, 11)
        text(reason, 9.5, "", MUTED)
        text(f"What may not be said: {not_}", 9.5, "", MUTED)
    for caption, svg in made.figures:
        height = 178 * _aspect(svg)
        if pdf.get_y() + height > 275:
            pdf.add_page()
        pdf.image(io.BytesIO(svg.encode()), w=178)
        text(caption, 8.5, "", MUTED)
    heading("Question and set-up")
    for name, value in made.facts:
        text(f"{name}: {value}", 9.5, gap=0.5)
    for table in made.tables:
        heading(table.title)
        if not table.rows:
            text("Nothing yet.", 9.5, "", MUTED)
            continue
        pdf.set_font("body", "", 6.8)
        pdf.set_text_color(INK)
        pdf.set_draw_color(220, 214, 201)
        align = tuple("LEFT" if i < table.numeric_from else "RIGHT" for i in range(len(table.heads)))
        widths = [
            max(6, min(WIDEST, max(len(r[i]) for r in table.rows)), len(max(h.split(), key=len)))
            for i, h in enumerate(table.heads)
        ]
        with pdf.table(
            headings_style=FontFace(emphasis="BOLD"),
            borders_layout=TableBordersLayout.HORIZONTAL_LINES,
            line_height=3.6,
            text_align=align,
            col_widths=tuple(widths),
        ) as out:
            for row in (table.heads, *table.rows):
                cells = out.row()
                for cell in row:
                    cells.cell(printable(cell))
    heading("Fairness ledger")
    for severity, title, charge, message, step in made.concerns:
        text(f"{severity}: {title} ({charge})", 9.5, "B", gap=0)
        text(f"{message} {step}", 9, "", MUTED)
    if not made.concerns:
        text("No doubts found.", 9.5, "", MUTED)
    heading("Left-out legs")
    for line in made.left_out or ("None.",):
        text(line, 9.5, gap=0.5)
    if made.notes:
        heading("Notes")
        text(made.notes, 9.5)
    pdf.ln(3)
    text(made.made, 8, "", MUTED)
    return bytes(pdf.output())


def _aspect(svg: str) -> float:
    box = re.search(r'viewBox="0 0 ([\d.]+) ([\d.]+)"', svg)
    return float(box[2]) / float(box[1]) if box else 0.5


def write_report(
    path: str | Path, study: Study, analysis: Analysis, choice: u.UnitChoice, now: datetime | None = None
) -> None:
    """Write the report; the kind follows the name (.html or .pdf). Written whole or not at all.

    Raises
    ------
    InputFault
        If the name ends otherwise, or the file cannot be written.
    """
    target = Path(path)
    kind = target.suffix.lower()
    if kind not in {".html", ".htm", ".pdf"}:
        raise InputFault(
            f'{target}: "{target.suffix}" is no kind of report; expected a name ending in .html or .pdf'
        )
    made = content(study, analysis, choice, now or datetime.now())
    data = to_pdf(made) if kind == ".pdf" else to_html(made).encode()
    try:
        handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=".fairmargin-")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
            os.chmod(temporary, 0o644)
            os.replace(temporary, target)
        finally:
            Path(temporary).unlink(missing_ok=True)
    except OSError as error:
        raise InputFault(f"{target}: cannot be written: {error.strerror or error}") from error
