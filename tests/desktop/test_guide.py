"""The guide inside the window: opened at the stage one is on, its contents, a word found; the same source as the docs."""

import re
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from fairmargin.desktop.application import offer_guide
from fairmargin.desktop.dialogs.guide import AT, GuideDialog, guide_text

ROOT = Path(__file__).parents[2]


@pytest.fixture
def guide(qtbot):
    made = GuideDialog()
    qtbot.addWidget(made)
    made.show()
    QApplication.processEvents()
    return made


def at_top(guide):
    """The text at the top of what is in sight."""
    return (
        guide.text.cursorForPosition(guide.text.viewport().rect().topLeft()).block().text()
        + " "
        + (guide.text.cursorForPosition(guide.text.viewport().rect().topLeft()).block().next().text())
    )


def test_it_is_the_guide_of_the_docs():
    assert guide_text() == (ROOT / "docs" / "guide.md").read_text(encoding="utf-8")
    wheel = (ROOT / "pyproject.toml").read_text(encoding="utf-8")
    assert '"docs/guide.md" = "fairmargin/desktop/data/guide.md"' in wheel


@pytest.mark.parametrize("place", AT)
def test_it_opens_at_what_is_in_sight(guide, place):
    assert guide.open_at(place), place
    QApplication.processEvents()
    assert guide.text.textCursor().block().text().startswith(AT[place])
    if place in {"plan", "verdict", "home"}:  # not at the very end, where nothing can be scrolled to the top
        assert AT[place] in at_top(guide)


def test_every_picture_is_there_and_as_wide_as_the_page(guide):
    from PySide6.QtCore import QUrl
    from PySide6.QtGui import QTextDocument

    named = re.findall(r"\]\((screenshots/[\w-]+\.png)\)", guide_text())
    assert len(named) >= 14
    for name in named:
        picture = guide.text.loadResource(QTextDocument.ResourceType.ImageResource.value, QUrl(name))
        assert 200 <= picture.deviceIndependentSize().width() <= guide.text.viewport().width(), name


def test_every_task_is_a_short_list(guide):
    tasks = guide_text().split("## Tasks")[1].split("## A study of your own")[0]
    for task in tasks.split("### ")[1:]:
        steps = re.findall(r"^\d\. ", task, re.MULTILINE)
        assert 3 <= len(steps) <= 6, task.splitlines()[0]


def test_contents_and_a_word(qtbot, guide):
    titles = [guide.contents.item(i).text().strip() for i in range(guide.contents.count())]
    assert "On the road" in titles and "Rehearse the day" in titles
    guide.contents.setCurrentRow(titles.index("Rehearse the day"))
    assert guide.text.textCursor().block().text() == "Rehearse the day"
    qtbot.keyClicks(guide.typed, "stall")
    assert guide.found.text() in {"nowhere"} or "place" in guide.found.text()
    guide.typed.clear()
    qtbot.keyClicks(guide.typed, "checksum")
    first = guide.text.textCursor().position()
    assert guide.text.textCursor().selectedText().lower() == "checksum" and "place" in guide.found.text()
    guide.typed.clear()
    qtbot.keyClicks(guide.typed, "margin")
    first = guide.text.textCursor().position()
    qtbot.keyClick(guide.typed, Qt.Key.Key_Return)
    assert guide.text.textCursor().position() > first, "Return goes on to the next"
    guide.typed.clear()
    qtbot.keyClicks(guide.typed, "zzzz")
    assert guide.found.text() == "nowhere"


@pytest.mark.qt_log_ignore("This plugin does not support")
def test_ctrl_f1_opens_it_beside_the_work(qtbot, opened):
    opened.go_to("verdict")
    opened.helping.show_guide()
    guide = opened.helping.guide
    assert guide.isVisible() and not guide.isModal()
    assert guide.text.textCursor().block().text().startswith("Verdict")
    opened.go_to("plan")
    opened.helping.show_guide()
    assert opened.helping.guide is guide and guide.text.textCursor().block().text().startswith("Plan")
    assert any(a.shortcut().toString() == "Ctrl+F1" for m in opened.helping.menus() for a in m.actions())
    guide.close()


def test_it_is_offered_once(opened):
    opened.notice.hide()
    offer_guide(opened)
    assert opened.notice.isVisible() and "Ctrl+F1" in opened.notice_text.text()
    opened.notice.hide()
    offer_guide(opened)
    assert not opened.notice.isVisible()
