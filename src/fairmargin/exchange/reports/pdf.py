"""The report as a PDF with vector figures."""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from typing import Any, Final, Literal

from fairmargin.exchange.files.plain import printable
from fairmargin.exchange.reports.content import Content, Photo, Table
from fairmargin.exchange.reports.style import FONTS, INK, MUTED, WIDEST, kept_font, wide_font

#: Sheets that printers take.
Paper = Literal["A4", "Letter"]
MARGIN_MM: Final = 16.0
FOOT_MM: Final = 20.0  # with the line of the page's number
HEADING_MM: Final = 34.0  # that a heading wants below it, so that it stands not alone
TABLE_PT: Final = 8.5  # no table is set smaller
UPRIGHT_COLUMNS: Final = 8  # of more, the sheet lies across
LINE_MM: Final = 4.3
PHOTO_MM: Final = 84.0


class Sheet:
    """A PDF that is written from top to bottom, with its title and numbers below each page.

    Parameters
    ----------
    title : str
    foot : str
        Said below every page, before its number.
    paper : {'A4', 'Letter'}
    """

    def __init__(self, title: str, foot: str, paper: Paper) -> None:
        from fpdf import FPDF

        class Numbered(FPDF):
            def multi_cell(self, *told: Any, **more: Any) -> Any:
                # After letters of the wider type the page still stands in it, which the writer forgets.
                self.current_font_is_set_on_page = False
                return super().multi_cell(*told, **more)

            def footer(self) -> None:
                self.set_y(-12)
                self.set_font("body", "", 8.5)
                self.set_text_color(MUTED)
                self.current_font_is_set_on_page = False
                self.cell(0, 5, printable(f"{foot}   {self.page_no()} of {{nb}}"), align="R")

        self.pdf = Numbered(format=paper)
        self.pdf.set_title(title)
        self.pdf.set_lang("en")
        self.pdf.set_creator("Fair Margin")
        self.pdf.set_margins(MARGIN_MM, MARGIN_MM)
        self.pdf.set_auto_page_break(True, FOOT_MM)
        for style, weight in FONTS.items():
            self.pdf.add_font("body", style, kept_font(weight))  # read again when a text is shaped
        # Names may be in any script: what the type does not have comes from a wider one, shaped and from right to left.
        self.pdf.add_font("wide", "", wide_font())
        self.pdf.set_fallback_fonts(["wide"], exact_match=False)
        self.pdf.set_text_shaping(True)
        self.pdf.add_page()

    @property
    def left_mm(self) -> float:
        """What is left of the page below. [mm]"""
        return float(self.pdf.h - FOOT_MM - self.pdf.get_y())

    @property
    def _now(self) -> str:
        """How the page lies: P or L."""
        return "L" if self.pdf.w > self.pdf.h else "P"

    def upright(self, orientation: str = "P") -> None:
        """Go on upright (or across, "L"), on a page of its own where the last one is not."""
        if self._now != orientation:
            self.pdf.add_page(orientation)

    def text(self, words: str, size: float = 10, style: str = "", colour: str = INK, gap: float = 1.5) -> None:
        """A paragraph."""
        if not words:
            return
        self.pdf.set_font("body", style, size)
        self.pdf.set_text_color(colour)
        self.pdf.multi_cell(0, size * 0.46, printable(words), align="L", new_x="LMARGIN", new_y="NEXT")
        self.pdf.ln(gap)

    def heading(self, words: str) -> None:
        """A heading, never the last line of a page; a reader lists them beside the pages."""
        if self.left_mm < HEADING_MM:
            self.pdf.add_page(self._now)
        self.pdf.ln(2)
        self.pdf.start_section(printable(words))
        self.text(words, 13, "B")

    def figure(self, caption: str, svg: str) -> None:
        """A figure over the whole width, with its caption, which is also what is said of it to whoever hears it."""
        wide = self.pdf.epw
        if self.left_mm < wide * _aspect(svg) + 6:
            self.pdf.add_page()
        self.pdf.image(io.BytesIO(svg.encode()), w=wide, alt_text=printable(caption))
        self.text(caption, 9, "", MUTED)

    def photos(self, photos: tuple[Photo, ...]) -> None:
        """Photographs, two abreast."""
        for i in range(0, len(photos), 2):
            pair = [(p, self._opened(p)) for p in photos[i : i + 2]]
            tall = max((PHOTO_MM * h / w for _, (_, w, h) in pair), default=0.0)
            tall = min(tall, PHOTO_MM)
            if self.left_mm < tall + 12:
                self.pdf.add_page()
            top = self.pdf.get_y()
            for k, (photo, (data, _, _)) in enumerate(pair):
                x = MARGIN_MM + k * (PHOTO_MM + 6)
                self.pdf.image(
                    io.BytesIO(data), x, top, PHOTO_MM, tall, alt_text=printable(photo.caption), keep_aspect_ratio=True
                )
                self.pdf.set_xy(x, top + tall + 1)
                self.pdf.set_font("body", "", 9)
                self.pdf.set_text_color(MUTED)
                self.pdf.multi_cell(PHOTO_MM, 4.2, printable(photo.caption), align="L")
            self.pdf.set_xy(MARGIN_MM, top + tall + 11)

    @staticmethod
    def _opened(photo: Photo) -> tuple[bytes, int, int]:
        from PIL import Image

        with Image.open(io.BytesIO(photo.data)) as image:
            return photo.data, max(image.width, 1), max(image.height, 1)

    def table(self, table: Table) -> None:
        """A table with its title; across the sheet where it is wide, and no column narrower than its words want."""
        from fpdf.enums import TableBordersLayout, WrapMode
        from fpdf.fonts import FontFace

        widths = [_letters(table, i) for i in range(len(table.heads))]
        self.upright("L" if len(widths) > UPRIGHT_COLUMNS else "P")
        self.heading(table.title)
        if not table.rows:
            self.text("Nothing yet.", 9.5, "", MUTED)
            return
        self.pdf.set_font("body", "", TABLE_PT)
        self.pdf.set_text_color(INK)
        self.pdf.set_draw_color(220, 214, 201)
        with self.pdf.table(
            headings_style=FontFace(emphasis="BOLD"),
            borders_layout=TableBordersLayout.HORIZONTAL_LINES,
            line_height=LINE_MM,
            text_align=tuple("RIGHT" if table.is_figures(i) else "LEFT" for i in range(len(table.heads))),
            col_widths=tuple(widths),
            wrapmode=WrapMode.WORD,
        ) as out:
            for row in (table.heads, *table.rows):
                cells = out.row()
                for cell in row:
                    cells.cell(printable(cell))

    def rows(
        self, title: str, heads: tuple[str, ...], rows: Sequence[tuple[str, ...]], widths: tuple[int, ...]
    ) -> None:
        """Plain rows without lines."""
        self.heading(title)
        self.pdf.set_font("body", "", 9.5)
        self.pdf.set_text_color(INK)
        with self.pdf.table(
            borders_layout="NONE", col_widths=widths, line_height=4.8, text_align="LEFT", first_row_as_headings=False
        ) as out:
            for row in ((heads,) if any(heads) else ()) + tuple(rows):
                cells = out.row()
                for cell in row:
                    cells.cell(printable(cell))

    def boxes(self, title: str, heads: tuple[str, ...], rows: Sequence[tuple[str, str]]) -> None:
        """A blank box for each reading of each leg, named at the left; across the sheet, so that a hand finds room."""
        self.upright("L")
        self.heading(title)
        self.pdf.set_font("body", "", TABLE_PT)
        self.pdf.set_text_color(INK)
        self.pdf.set_draw_color(90, 106, 111)
        widths = (34, *(12 for _ in heads))
        with self.pdf.table(col_widths=widths, line_height=LINE_MM, text_align="LEFT", v_align="TOP") as out:
            for cells in (("", *heads),):
                row = out.row()
                for cell in cells:
                    row.cell(printable(cell))
            for name, about in rows:
                row = out.row(min_height=11)
                row.cell(printable(f"{name}\n{about}"))
                for _ in heads:
                    row.cell("")
        self.upright()


def _letters(table: Table, i: int) -> int:
    """How wide a column is, in letters: whole words of its head, short cells whole, long ones wrapped."""
    longest = max((len(r[i]) for r in table.rows), default=0)
    return max(5, min(WIDEST, longest), len(max(table.heads[i].split() or [""], key=len))) + 1


def to_pdf(made: Content, paper: Paper = "A4") -> bytes:
    """Render the report as a PDF with vector figures."""
    sheet = Sheet(made.title, made.title, paper)
    if made.by:
        sheet.pdf.set_author(printable(made.by))
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
    sheet.upright()
    if made.photos:
        sheet.heading("Photographs")
        sheet.photos(made.photos)
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
    sheet.text(made.made, 8.5, "", MUTED)
    return finished(sheet)


def finished(sheet: Sheet) -> bytes:
    """The bytes of what was written."""
    return bytes(sheet.pdf.output())


def _aspect(svg: str) -> float:
    box = re.search(r'viewBox="0 0 ([\d.]+) ([\d.]+)"', svg)
    return float(box[2]) / float(box[1]) if box else 0.5
