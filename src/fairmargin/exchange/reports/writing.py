"""Reports: one self-contained HTML file, or a PDF, with vector figures.

Both are made from the same content. HTML goes through a Jinja2 template with inline SVG and fonts; PDF
through fpdf2, which draws the same SVG figures as vectors.
"""

from __future__ import annotations

import base64
from collections.abc import Mapping
from datetime import datetime
from pathlib import Path

from fairmargin.core import units as u
from fairmargin.core.result.types import Analysis
from fairmargin.core.study import Study, Trace
from fairmargin.exchange.files.atomic import write_whole
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.plain import printable
from fairmargin.exchange.reports.carried import Carried, carried
from fairmargin.exchange.reports.content import Content, content
from fairmargin.exchange.reports.pdf import Paper, to_pdf
from fairmargin.exchange.reports.style import font_bytes
from fairmargin.exchange.reports.use import ReportUse


def to_html(made: Content, held: Carried | None = None) -> str:
    """Render the report as one HTML page that needs nothing else, with what it carries to be checked by."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("fairmargin.exchange.reports", "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        finalize=lambda value: printable(value) if type(value) is str else value,
    )
    fonts = {
        w: base64.b64encode(font_bytes(name)).decode() for w, name in (("400", "400Regular"), ("600", "600SemiBold"))
    }
    return environment.get_template("report.html").render(c=made, fonts=fonts, carried=held)


def usual_paper(choice: u.UnitChoice) -> Paper:
    """The sheet of whoever reads those units."""
    return "Letter" if choice.temperature == "°F" else "A4"


def write_report(
    path: str | Path,
    study: Study,
    analysis: Analysis,
    choice: u.UnitChoice,
    now: datetime | None = None,
    use: ReportUse | None = None,
    traces: Mapping[str, Trace] | None = None,
    paper: Paper | None = None,
) -> None:
    """Write the report; the kind follows the name (.html or .pdf). Written whole or not at all.

    With `traces` (empty where nothing was logged) a page carries its study, so that anybody can check it. `paper` is that of
    a PDF; where nobody says, Letter for miles and pounds of the United States, else A4.

    Raises
    ------
    InvalidInput
        If the name ends otherwise, or the file cannot be written.
    """
    target = Path(path)
    kind = target.suffix.lower()
    if kind not in {".html", ".htm", ".pdf"}:
        raise InvalidInput(f'{target}: "{target.suffix}" is no kind of report; expected a name ending in .html or .pdf')
    now, use = now or datetime.now(), use or ReportUse()
    made = content(study, analysis, choice, now, use)
    if kind == ".pdf":
        data = to_pdf(made, paper or usual_paper(choice))
    else:
        held = None if traces is None else carried(study, traces, analysis, choice, now, use)
        data = to_html(made, held).encode()
    write_whole(target, data)
