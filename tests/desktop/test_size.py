"""How large everything is drawn: by the desktop's type, by wish, and never larger than the screen; nothing is cut."""

import json
import re

import pytest
from PySide6.QtCore import QRect, QSettings, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QToolButton,
    QWidget,
)
from tests.desktop.on_the_road import plan, press

from fairmargin.core.units import UNIT_CHOICES
from fairmargin.demo import make_demo_logbook
from fairmargin.desktop.commands.sizing import come_back
from fairmargin.desktop.stages.plan import PAGES as PLAN
from fairmargin.desktop.stages.use import PAGES as USE
from fairmargin.desktop.system import size
from fairmargin.desktop.widgets.stage_rail import STAGES
from fairmargin.desktop.window import MainWindow


@pytest.fixture
def kept(tmp_path):
    return QSettings(str(tmp_path / "own.ini"), QSettings.Format.IniFormat)


def settle():
    for _ in range(8):
        QApplication.processEvents()


def test_steps_go_up_and_down_and_stop_at_the_ends():
    assert size.larger(1.0, +1) == 1.1 and size.larger(1.0, -1) == 0.9
    assert size.larger(3.0, +1) == 3.0 and size.larger(0.7, -1) == 0.7
    assert size.larger(1.07, +1) == 1.25  # a wish that is no step counts as the nearest


def test_nothing_wished_changes_nothing_of_the_environment(kept):
    assert size.prepare(kept, {}) == {}
    assert size.prepare(kept, {"QT_SCALE_FACTOR": "1.5"}) == {}


def test_a_wish_multiplies_the_persons_own_factor_once_however_often_it_starts(kept):
    size.wish_for(kept, 1.25)
    first = size.prepare(kept, {"QT_SCALE_FACTOR": "2"})
    assert first["QT_SCALE_FACTOR"] == "2.5"
    again = size.prepare(kept, {"QT_SCALE_FACTOR": "2", **first})
    assert again["QT_SCALE_FACTOR"] == "2.5"
    size.wish_for(kept, 1.0)  # as it was
    assert size.prepare(kept, {**first})["QT_SCALE_FACTOR"] == "2"


def test_it_grows_with_the_desktops_type_and_only_where_a_desktop_tells(kept, monkeypatch):
    class Large:
        def pointSizeF(self):
            return 14.625  # half as large again as 9.75

    monkeypatch.setattr(size.QFontDatabase, "systemFont", lambda _which: Large())
    assert not size.desktop_changed(kept, {})  # nobody says that this is a wish
    assert size.desktop_changed(kept, {"XDG_CURRENT_DESKTOP": "any"})
    assert not size.desktop_changed(kept, {"XDG_CURRENT_DESKTOP": "any"})  # known by now
    assert size.prepare(kept, {})["QT_SCALE_FACTOR"] == "1.5"


def test_broken_settings_are_no_size(kept):
    kept.setValue("type/wish", "huge")
    assert size.wish(kept) == 1.0
    kept.setValue("type/wish", "900")
    assert size.wish(kept) == 1.0


@pytest.fixture
def sized(opened, monkeypatch):
    """A window on a large screen that would open anew, but for the tests notes it."""
    anew = []
    opened.sizing.anew = lambda: anew.append(True)
    monkeypatch.setattr(type(opened.screen()), "availableGeometry", lambda _self: QRect(0, 0, 1920, 1080))
    opened.anew = anew
    return opened


def test_larger_opens_anew_at_the_same_page_of_the_same_study(sized, qtbot):
    sized.go_to("correct")
    kept, study, path = sized.session.settings, sized.session.study_id, sized.session.logbook.path
    qtbot.keyClick(sized, Qt.Key.Key_Plus, Qt.KeyboardModifier.ControlModifier)
    assert sized.anew == [True] and not sized.isVisible()
    assert size.wish(kept) == 1.1
    assert json.loads(kept.value("window/again")) == [str(path), study, "correct"]
    sized.show()
    assert come_back(sized, kept)
    assert sized.in_sight() == "correct" and sized.session.study_id == study
    assert not come_back(sized, kept)  # once


def test_smaller_and_as_it_was(sized, qtbot):
    sized.sizing.smaller()
    assert size.wish(sized.session.settings) == 0.9
    sized.sizing.as_it_was()
    assert size.wish(sized.session.settings) == 1.0
    sized.sizing.as_it_was()
    assert len(sized.anew) == 2 and "as large as" in sized.notice_text.text()


def test_nothing_grows_beyond_the_screen(sized, monkeypatch):
    monkeypatch.setattr(type(sized.screen()), "availableGeometry", lambda _self: QRect(0, 0, 860, 610))
    sized.sizing.larger()
    assert not sized.anew and "would not fit" in sized.notice_text.text()
    assert size.fits(1.5, 1.0, (1280, 860)) and not size.fits(1.5, 1.0, (1280, 800))


def test_nothing_opens_anew_while_a_leg_is_driven(sized, qtbot):
    sized.session.add_study(plan())
    sized.drive_now()
    press(qtbot, sized, Qt.Key.Key_Space)
    assert sized.drive.controller.drive is not None
    sized.sizing.larger()
    assert not sized.anew and "being driven" in sized.notice_text.text()


def test_a_screen_below_the_least_page_scrolls(session, qtbot, monkeypatch):
    monkeypatch.setattr(type(QApplication.primaryScreen()), "availableGeometry", lambda _self: QRect(0, 0, 640, 400))
    made = MainWindow(session)
    qtbot.addWidget(made)
    made.show()
    settle()
    assert made.width() <= 640 and made.height() <= 400
    area = made.centralWidget()
    assert isinstance(area, QScrollArea) and area.widget().width() == 800
    assert area.horizontalScrollBar().maximum() > 0


def cut(window):
    """What of the words in sight does not fit its place."""
    for w in window.findChildren(QLabel) + window.findChildren(QLineEdit):
        if w.isVisible() and w.width() > 1 and w.text() and "<" not in w.text():
            wide = w.fontMetrics().horizontalAdvance(w.text())
            if isinstance(w, QLineEdit):
                fits = wide <= w.width() - 10
            elif w.wordWrap():
                fits = w.heightForWidth(w.width()) <= w.height() + 1
            else:  # a heading that shares its line may end in an ellipsis, if its tip has it all
                fits = wide <= w.contentsRect().width() + 1 or (w.objectName() == "heading" and w.text() in w.toolTip())
            if not fits:
                yield w.text()
    for w in window.findChildren(QPushButton) + window.findChildren(QToolButton) + window.findChildren(QCheckBox):
        if w.isVisible() and w.text() and w.fontMetrics().horizontalAdvance(w.text().replace("&", "")) > w.width():
            yield w.text()
    for w in window.findChildren(QComboBox):
        if w.isVisible() and w.fontMetrics().horizontalAdvance(w.currentText()) + 30 > w.width():
            yield w.currentText()


#: A hyphen that stands for a minus before a figure: not in a range, a date or a name.
HYPHEN = re.compile(r"(?<![\w\-\u2013.])-\d")


def hyphens(window):
    """Figures in sight, or said of what is, whose minus sign is a hyphen."""
    for w in window.findChildren(QWidget):
        if not w.isVisible():
            continue
        for told in (w.accessibleName(), w.toolTip(), getattr(w, "text", str)(), getattr(w, "currentText", str)()):
            if isinstance(told, str) and HYPHEN.search(told):
                yield told
        if isinstance(w, QAbstractItemView) and w.model() is not None:
            cells = [(i, j) for i in range(min(w.model().rowCount(), 40)) for j in range(w.model().columnCount())]
            told = (str(w.model().index(i, j).data() or "") for i, j in cells)
            yield from (text for text in told if HYPHEN.search(text))


@pytest.mark.parametrize("units", ["metric", "us"])
def test_no_word_is_cut_at_1280_by_800_and_every_minus_is_one(window, tmp_path, units):
    book = tmp_path / "demo.fairmargin"
    make_demo_logbook(book)
    assert window.session.open_logbook(book)
    window.session.settings.remove("sheet")  # as it is at first
    window.session.set_units(UNIT_CHOICES[units])
    entries = window.session.logbook.studies()
    frost = next(e.id for e in entries if "frost" in e.title)
    chosen = {max(entries, key=lambda e: len(e.title)).id, entries[0].id, frost, entries[-1].id}
    found = []
    for study in sorted(chosen):
        window.show_study(study)
        for name in STAGES:
            window.go_to(name)
            stage = window.stage(name)
            for page in {"plan": PLAN, "use": USE}.get(name, ((None, ""),)):
                if page[0] is not None:
                    stage.show_page(page[0])
                settle()
                found += [(units, study, name, page[0], words) for words in (*cut(window), *hyphens(window))]
    assert not found, found
