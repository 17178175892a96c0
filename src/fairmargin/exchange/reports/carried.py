"""A report that can be checked: it carries its study's package and its settings, and everything in it is worked out again.

The package is a zip in base64 with its SHA-256, the settings are what else a figure hangs on: units, view, the tester's scatter
from other studies, reserve, prices. Checking reads nothing but the file.
"""

from __future__ import annotations

import base64
import hashlib
import html
import io
import json
import re
import tempfile
import zipfile
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path
from typing import Any, Final

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.outcome.asking import askings
from fairmargin.core.outcome.money import Prices
from fairmargin.core.result.types import Analysis, View
from fairmargin.core.study import Study, Trace
from fairmargin.core.units import UnitChoice
from fairmargin.core.units.quantities import ALSO_USUAL
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import package_files
from fairmargin.exchange.reports.content import content
from fairmargin.exchange.reports.use import ReportUse, report_use

#: A report does not carry more than this: mails and browsers have their limits. [bytes]
MOST_CARRIED: Final = 20_000_000
_PACKAGE = re.compile(
    r'<script type="application/zip" id="package" data-sha256="([0-9a-f]{64})">([A-Za-z0-9+/=\s]*)</script>'
)
_SETTINGS = re.compile(r'<script type="application/json" id="settings">(.*?)</script>', re.DOTALL)
_NOT_TEXT = re.compile(r"<(script|style|svg)\b.*?</\1>|<[^>]+>", re.DOTALL)


@dataclass(frozen=True, slots=True)
class Settings:
    """What a report's figures hang on beside its study."""

    view: View
    made: str  # ISO 8601
    units: dict[str, Any]
    scatter: dict[str, Any]
    use: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Carried:
    """What stands in the page: base64 of the zip, its checksum, the settings as JSON that no tag can end."""

    package: str
    checksum: str
    settings: str

    @property
    def words(self) -> str:
        """What the page says of it."""
        return (
            f"This page carries its study (SHA-256 {self.checksum[:16]}\u2026). \u201cfairmargin verify\u201d and its file name work "
            "everything out again and say whether it is the same."
        )


@dataclass(frozen=True, slots=True)
class Difference:
    """A line that the page has and the recomputation has not, or the other way round."""

    in_page: str
    worked_out: str


def carried(
    study: Study, traces: Mapping[str, Trace], analysis: Analysis, choice: UnitChoice, now: datetime, use: ReportUse
) -> Carried | None:
    """What a report is to carry; None where the study is too large for a page."""
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in package_files(study, traces):
            archive.writestr(zipfile.ZipInfo(name), data, zipfile.ZIP_DEFLATED)
    data = held.getvalue()
    if len(data) > MOST_CARRIED:
        return None
    told = Settings(
        analysis.view,
        now.isoformat(),
        asdict(choice),
        asdict(analysis.scatter_prior or ScatterPrior()),
        {
            "asked": bool(use.askings),
            "reserve": use.reserve,
            "fade": use.fade,
            "km_per_year": use.km_per_year,
            "prices": asdict(use.prices),
        },
    )
    text = json.dumps(asdict(told), ensure_ascii=True).replace("<", "\\u003c")
    return Carried(base64.b64encode(data).decode(), hashlib.sha256(data).hexdigest(), text)


def verify(page: str, name: str) -> list[Difference]:
    """Work a report out again from what it carries.

    Parameters
    ----------
    page : str
        The HTML file.
    name : str
        Of the file, for faults.

    Returns
    -------
    list of Difference
        Empty where every figure and word is the same; drawings are not compared.

    Raises
    ------
    InvalidInput
        If it carries no package, or what it carries cannot be read.
    """
    from fairmargin.exchange.reports.writing import to_html

    study, traces, told = _unpacked(page, name)
    try:
        scatter = ScatterPrior(**{**told.scatter, "days": tuple(told.scatter["days"])})
        choice, now = (
            UnitChoice(**{**told.units, "also": tuple(told.units.get("also", ALSO_USUAL))}),
            datetime.fromisoformat(told.made),
        )
        prices = Prices(**told.use["prices"])
        reserve, fade, year = (float(str(told.use[key])) for key in ("reserve", "fade", "km_per_year"))
        analysis = analyse(study, traces, told.view, scatter)
        asked = askings(study, traces, analysis.results, told.view, scatter) if told.use["asked"] else ()
        use = report_use(study, asked, reserve, fade, prices, year)
    except (TypeError, KeyError, ValueError) as error:
        raise InvalidInput([f"{name}: its settings cannot be read: {error}"]) from error
    made = content(study, analysis, choice, now, use)
    again = to_html(made, carried(study, traces, analysis, choice, now, use))
    return _differences(_lines(page), _lines(again))


def _unpacked(page: str, name: str) -> tuple[Study, dict[str, Trace], Settings]:
    """The study that a page carries."""
    found, settings = _PACKAGE.search(page), _SETTINGS.search(page)
    if found is None or settings is None:
        raise InvalidInput(
            [f"{name}: no package is in it; a report written by an earlier version, or too large, carries none"]
        )
    if len(found[2]) > 2 * MOST_CARRIED:
        raise InvalidInput([f"{name}: its package is larger than {MOST_CARRIED} bytes"])
    data = base64.b64decode(found[2])
    if hashlib.sha256(data).hexdigest() != found[1]:
        raise InvalidInput(
            [f"{name}: its package was changed: the checksum {found[1][:16]}… is not that of what it carries"]
        )
    try:
        told = Settings(**json.loads(settings[1]))
    except (TypeError, ValueError) as error:
        raise InvalidInput([f"{name}: its settings cannot be read: {error}"]) from error
    with tempfile.TemporaryDirectory(prefix="fairmargin-") as folder:
        path = Path(folder) / "carried.zip"
        path.write_bytes(data)
        read = read_package(path)
    return read.study, dict(read.traces), told


def _lines(page: str) -> list[str]:
    """Everything that can be read in a page, a piece of text a line."""
    text = _NOT_TEXT.sub("\n", page)
    return [line for piece in text.split("\n") if (line := re.sub(r"\s+", " ", html.unescape(piece)).strip())]


def _differences(page: list[str], again: list[str]) -> list[Difference]:
    """Where two pages differ, in order."""
    import difflib

    found = []
    matcher = difflib.SequenceMatcher(None, page, again, autojunk=False)
    for kind, a, b, c, d in matcher.get_opcodes():
        if kind != "equal":
            found.append(Difference(" / ".join(page[a:b]), " / ".join(again[c:d])))
    return found
