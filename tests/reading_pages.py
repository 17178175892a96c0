"""Every page of a study as it is seen: labels, tips, tables, and what is painted; and what no page may say."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Final

from PySide6.QtCore import QModelIndex, QThreadPool
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QAbstractButton, QAbstractItemView, QApplication, QLabel, QWidget

from fairmargin.core.result.types import Comparison, LegResult
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_reading, show_readings
from fairmargin.core.units import UNIT_CHOICES, UnitChoice, in_units
from fairmargin.desktop.stages.plan import PAGES as PLAN_PAGES
from fairmargin.desktop.stages.use import PAGES as USE_PAGES
from fairmargin.desktop.window import MainWindow

#: What is not of a set of units. Readings stay in the unit that they were read in; kWh is of every set.
FOREIGN: Final = {
    "metric": "mi|mph|°F|lb|psi|inHg|Wh/mi|mi/kWh",
    "metric-wh": "mi|mph|°F|lb|psi|inHg|Wh/mi|mi/kWh",
    "us": "km|km/h|°C|kg|kPa|hPa|bar|m/s|Wh/km|km/kWh",
    "uk": "km|km/h|°F|lb|kPa|bar|inHg|m/s|Wh/km|km/kWh",
}
#: Tips that say how anything may be typed, whatever is chosen; figures of the road, which are metres everywhere.
TYPED_ANYHOW: Final = ("off, auto, or the temperature set", "km NE +12 m dyke", "As shown: 15.4")
_FIGURE: Final = r"[+\-−]?\d+(?:[.,]\d+)?"
_SPAN: Final = re.compile(rf"({_FIGURE})(?: %| [^\d\s.;,:]+)? to ({_FIGURE})(?= |%|\)|$)")


@dataclass(frozen=True)
class Said:
    """A text, and where it stands."""

    page: str
    text: str


class Painted:
    """Collects the texts that are painted while it is open."""

    def __enter__(self) -> list[str]:
        texts: list[str] = []
        self._draw = QPainter.drawText

        def draw(painter: QPainter, *args: Any) -> Any:
            texts.extend(x for x in args if isinstance(x, str))
            return self._draw(painter, *args)

        setattr(QPainter, "drawText", draw)  # noqa: B010  (a method of the toolkit)
        return texts

    def __exit__(self, *_: object) -> None:
        setattr(QPainter, "drawText", self._draw)  # noqa: B010


def settle() -> None:
    """Let everything be drawn that is under way."""
    for _ in range(2):
        for _ in range(3):
            QApplication.processEvents()
        QThreadPool.globalInstance().waitForDone(20000)
    for _ in range(3):
        QApplication.processEvents()


def texts_of(window: MainWindow) -> Iterator[str]:
    """Texts of what is visible now."""
    with Painted() as painted:
        window.grab()
    yield from painted
    for x in window.findChildren(QWidget):
        if not x.isVisible():
            continue
        if isinstance(x, QLabel | QAbstractButton):
            yield x.text()
        if isinstance(x, QAbstractItemView) and x.model() is not None:
            yield from _cells(x)
        yield x.toolTip()


def _cells(view: QAbstractItemView) -> Iterator[str]:
    model = view.model()
    try:
        columns = model.columnCount(QModelIndex())
    except TypeError:  # a list's is private
        columns = 1
    for i in range(model.rowCount(QModelIndex())):
        for j in range(columns):
            yield str(model.index(i, j).data() or "")


def pages(window: MainWindow) -> Iterator[str]:
    """Turn to every page of the study that is open, one after another."""
    for stage in ("question", "drive", "examine", "correct", "verdict"):
        window.go_to(stage)
        settle()
        yield stage
    window.go_to("plan")
    for page, *_ in PLAN_PAGES:
        window.stage("plan").show_page(page)
        settle()
        yield f"plan, {page}"
    window.go_to("use")
    for page, *_ in USE_PAGES:
        window.stage("use").show_page(page)
        settle()
        yield f"use, {page}"


def read_pages(window: MainWindow, choice: UnitChoice) -> list[Said]:
    """All that the pages of the study that is open say in a set of units."""
    window.session.set_units(choice)
    settle()
    return [Said(page, text) for page in pages(window) for text in dict.fromkeys(texts_of(window)) if text]


def own_words(study: Study, legs: Sequence[LegResult], units: str) -> list[str]:
    """What the tester typed or read, which stands as it was: the longest first."""
    choice = UNIT_CHOICES[units]
    own = [study.title, study.notes, *(c.label for c in study.configurations), *(v.label for v in study.vehicles)]
    own += [*study.plan.details.values(), *(e.note for e in study.events), *(leg.reason for leg in study.legs)]
    own += [study.plan.tyre_baseline, study.plan.tyre_trial, *(p.example for p in study.change.about.prompts)]
    own += [show_readings(leg) for leg in study.legs] + [show_reading(leg) for leg in study.legs]
    own += [in_units(x.shown, choice) for x in legs]
    return sorted(filter(None, own), key=len, reverse=True)


def faults(study: Study, said: list[Said], units: str, legs: Sequence[LegResult] = ()) -> list[str]:
    """What is wrong on these pages: marks left in, units of another set, ends of an interval the wrong way round, hyphens for minus."""
    own = own_words(study, legs, units)
    foreign = re.compile(rf"(?<![\w/.]){_FIGURE} ?({FOREIGN[units]})(?![\w/²])")
    found = []
    for x in said:
        text = x.text
        for name in own:
            text = text.replace(name, "…")
        if "\ue000" in text or "\ue001" in text:
            found.append(f"{x.page}: a mark in “{text}”")
        if not any(words in x.text for words in TYPED_ANYHOW):
            found += [f"{x.page}: {m[0]} in “{text}”" for m in foreign.finditer(text)]
        for m in _SPAN.finditer(text):
            low, high = (float(y.replace("−", "-").replace(",", ".")) for y in m.groups())
            if low > high:
                found.append(f"{x.page}: {m[0]} in “{text}”")
        found += [f"{x.page}: {m[0]} in “{text}”" for m in re.finditer(r"(?<![\w)–-])-\d+[.,]\d", text)]
    return found


#: Texts with intervals of something else than the effect, which may lie beside it by chance.
OF_SOMETHING_ELSE: Final = (
    "direction",
    "every side",
    "foretold",
    "pairs",
    "Alone",
    "alone",
    "priors",
    "Expected",
    "\u00b7 out",
)


def other_figures(said: list[Said], c: Comparison) -> list[str]:
    """Intervals that are nearly the effect's and not quite: a second figure for one thing."""
    low, high = (round(x, 1) for x in c.interval_percent)
    found = []
    for x in said:
        if any(words in x.text for words in OF_SOMETHING_ELSE):
            continue
        for m in _SPAN.finditer(x.text):
            a, b = (float(y.replace("\u2212", "-").replace(",", ".")) for y in m.groups())
            near = max(abs(a - low), abs(b - high)) < 0.35 or max(abs(a + high), abs(b + low)) < 0.35
            if near and sorted((abs(a), abs(b))) != sorted((abs(low), abs(high))):
                found.append(f"{x.page}: {m[0]} beside {low} to {high} in “{x.text}”")
    return found
