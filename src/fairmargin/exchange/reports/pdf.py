"""The report as a PDF with vector figures."""

from __future__ import annotations

import io
import re
from typing import Final

from fairmargin.exchange.files.plain import printable
from fairmargin.exchange.reports.content import Content, Table
from fairmargin.exchange.reports.style import FONTS, INK, MUTED, WIDEST, kept_font, wide_font

LOWEST_MM: Final = 275.0  # nothing is begun below it
HEADING_MM: Final = 250.0  # no heading stands alone below it
WIDTH_MM: Final = 178.0


class _Sheet:
    """A PDF that is written from top to bottom."""

    def __init__(self, title: str) -> None:
        from fpdf import FPDF

        self.pdf = FPDF(format="A4")
        self.pdf.set_title(title)
        self.pdf.set_margins(16, 16)
        self.pdf.set_auto_page_break(True, 16)
        for style, weight in FONTS.items():
            self.pdf.add_font("body", style, kept_font(weight))  # read again when a text is shaped
        # Names may be in any script: what the type does not have comes from a wider one, shaped and from right to left.
        self.pdf.add_font("wide", "", wide_font())
        self.pdf.set_fallback_fonts(["wide"], exact_match=False)
        self.pdf.set_text_shaping(True)
        self.pdf.add_page()

    def text(self, words: str, size: float = 10, style: str = "", colour: str = INK, gap: float = 1.5) -> None:
        """A paragraph."""
        if not words:
            return
        self.pdf.set_font("body", style, size)
        self.pdf.set_text_color(colour)
        self.pdf.multi_cell(0, size * 0.46, printable(words), align="L", new_x="LMARGIN", new_y="NEXT")
        self.pdf.ln(gap)

    def heading(self, words: str) -> None:
        """A heading, never the last line of a page."""
        if self.pdf.get_y() > HEADING_MM:
            self.pdf.add_page()
        self.pdf.ln(2)
        self.text(words, 13, "B")

    def figure(self, caption: str, svg: str) -> None:
        """A figure over the whole width, with its caption."""
        if self.pdf.get_y() + WIDTH_MM * _aspect(svg) > LOWEST_MM:
            self.pdf.add_page()
        self.pdf.image(io.BytesIO(svg.encode()), w=WIDTH_MM)
        self.text(caption, 8.5, "", MUTED)

    def table(self, table: Table) -> None:
        """A table with its title; columns as wide as their texts, within limits."""
        from fpdf.enums import TableBordersLayout
        from fpdf.fonts import FontFace

        self.heading(table.title)
        if not table.rows:
            self.text("Nothing yet.", 9.5, "", MUTED)
            return
        self.pdf.set_font("body", "", 6.8)
        self.pdf.set_text_color(INK)
        self.pdf.set_draw_color(220, 214, 201)
        widths = [
            max(6, min(WIDEST, max(len(r[i]) for r in table.rows)), len(max(h.split() or [""], key=len)))
            for i, h in enumerate(table.heads)
        ]
        with self.pdf.table(
            headings_style=FontFace(emphasis="BOLD"),
            borders_layout=TableBordersLayout.HORIZONTAL_LINES,
            line_height=3.6,
            text_align=tuple("LEFT" if i < table.numeric_from else "RIGHT" for i in range(len(table.heads))),
            col_widths=tuple(widths),
        ) as out:
            for row in (table.heads, *table.rows):
                cells = out.row()
                for cell in row:
                    cells.cell(printable(cell))


def to_pdf(made: Content) -> bytes:
    """Render the report as a PDF with vector figures."""
    sheet = _Sheet(made.title)
    sheet.text(made.title, 12, "", MUTED, 0)
    sheet.text(made.headline, 19, "B")
    for say, reason, not_ in made.verdicts:
        sheet.text(say, 11)
        sheet.text(reason, 9.5, "", MUTED)
        sheet.text(f"What may not be said: {not_}", 9.5, "", MUTED)
    for caption, svg in made.figures:
        sheet.figure(caption, svg)
    sheet.heading("Question and set-up")
    for name, value in made.facts:
        sheet.text(f"{name}: {value}", 9.5, gap=0.5)
    for table in made.tables:
        sheet.table(table)
    sheet.heading("Fairness ledger")
    for severity, title, charge, message, step in made.concerns:
        sheet.text(f"{severity}: {title} ({charge})", 9.5, "B", gap=0)
        sheet.text(f"{message} {step}", 9, "", MUTED)
    if not made.concerns:
        sheet.text("No doubts found.", 9.5, "", MUTED)
    sheet.heading("Left-out legs")
    for line in made.left_out or ("None.",):
        sheet.text(line, 9.5, gap=0.5)
    if made.notes:
        sheet.heading("Notes")
        sheet.text(made.notes, 9.5)
    sheet.pdf.ln(3)
    sheet.text(made.made, 8, "", MUTED)
    return bytes(sheet.pdf.output())


def _aspect(svg: str) -> float:
    box = re.search(r'viewBox="0 0 ([\d.]+) ([\d.]+)"', svg)
    return float(box[2]) / float(box[1]) if box else 0.5
