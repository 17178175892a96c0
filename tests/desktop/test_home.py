"""The list of studies: drawn as seen, opened and taken off by mouse and keyboard, texts of strangers as texts."""

import json
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import Qt as RichText
from PySide6.QtWidgets import QApplication, QLabel, QWidget
from pytestqt.modeltest import ModelTester
from tests.conftest import driven_study

from fairmargin.desktop.stages.keeping.listing import ENTRY, ROW, StudyModel, entry_words
from fairmargin.logbook import Logbook, StudyEntry


def fill(window, count):
    window.session.logbook.close()
    path = window.session.logbook.path
    window.session.logbook = None
    study = driven_study("AB")
    with Logbook.open(path) as book:
        for i in range(count):
            summary = {"words": "uses more", "effect": 0.1 * i, "low": 0.0, "high": 0.2 * i, "legs": 4}
            book.add(study.with_(title=f"Study {i}"), None, json.dumps(summary))
    window.session.open_logbook(path)


def click(qtbot, window, row):
    place = window.home.list.visualRect(window.home.list.model().index(row)).center()
    qtbot.mouseClick(window.home.list.viewport(), Qt.MouseButton.LeftButton, pos=place)
    QApplication.processEvents()


def test_a_click_opens_delete_takes_off_and_undo_puts_back(window, qtbot):
    fill(window, 3)
    click(qtbot, window, 1)
    assert window.session.study.title == "Study 1"
    window.go_home()
    window.home.list.setFocus()
    qtbot.keyClick(window.home.list, Qt.Key.Key_Down)
    assert window.home.list.current.title == "Study 2"
    qtbot.keyClick(window.home.list, Qt.Key.Key_Delete)
    assert [e.title for e in window.home.list.entries] == ["Study 0", "Study 1"]
    window.session.undo.undo()
    assert [e.title for e in window.home.list.entries] == ["Study 0", "Study 1", "Study 2"]


def test_a_thousand_studies_make_no_thousand_widgets(window, qtbot):
    before = len(window.findChildren(QLabel))
    fill(window, 120)
    assert len(window.home.list.entries) == 120
    assert len(window.findChildren(QLabel)) == before
    bottom = window.home.list.verticalScrollBar()
    bottom.setValue(bottom.maximum())
    assert window.home.list.indexAt(QPoint(40, window.home.list.viewport().height() - ROW // 2)).row() == 119


def test_the_list_is_read_again_only_when_it_is_seen(window, qtbot, monkeypatch):
    fill(window, 2)
    window.show_study(1)
    reads = []
    whole = window.session.logbook.studies
    monkeypatch.setattr(window.session.logbook, "studies", lambda: reads.append(1) or whole())
    window.session.edit(window.session.study.with_(title="Renamed"), "rename")
    assert reads == []
    window.go_home()
    assert reads == [1] and window.home.list.entries[0].title == "Renamed"
    window.go_home()
    assert reads == [1]


def test_the_model_keeps_the_rules_of_models(qtbot, qapp):
    model = StudyModel()
    tester = ModelTester(qapp)  # qtmodeltester keeps the model past the application's end
    tester.check(model)
    entry = StudyEntry(1, "", "{", None, "")
    model.show_entries([entry])
    model.show_entries([StudyEntry(1, "a", "", None, "damaged: x")])
    assert model.data(model.index(0)) == "a" and model.data(model.index(0), ENTRY).id == 1
    assert entry_words(entry) == "not analysed yet" and entry_words(model.entries[0]) == "\u2715 damaged: x"


@pytest.mark.parametrize("name", ['<h1>big</h1><img src="file:///etc/hostname">'])
def test_texts_of_strangers_are_texts_on_every_page(window, qtbot, name):
    study = driven_study("ABBA", title=name, notes=name, route_name=name)
    study = study.with_leg("L03", included=False, reason=name, note=name)
    study = study.with_(configurations=[c.with_(name=name) for c in study.configurations])
    study = study.with_(vehicle=study.vehicle.with_(name=name))
    window.session.add_study(study)
    for stage in ("question", "plan", "drive", "examine", "correct", "verdict", "use"):
        window.go_to(stage)
        QApplication.processEvents()
    window.tell(name)
    shown = [made for made in window.findChildren(QLabel) if RichText.mightBeRichText(made.text())]
    assert shown, "the name stands somewhere"
    for made in window.findChildren(QLabel):
        assert made.textFormat() == Qt.TextFormat.PlainText, made.text()
    for made in window.findChildren(QWidget):
        text = made.toolTip()
        assert not (RichText.mightBeRichText(text) and "<h1>" in text), text


def test_eight_logbooks_are_remembered_the_newest_first(window, session, tmp_path):
    for i in range(10):
        assert session.open_logbook(tmp_path / f"{i}.fairmargin")
    session.open_logbook(tmp_path / "5.fairmargin")
    assert [Path(p).stem for p in session.recent()] == ["5", "9", "8", "7", "6", "4", "3", "2"]
    window.menus.fill_recent()
    assert len(window.menus.recent.actions()) == 8
