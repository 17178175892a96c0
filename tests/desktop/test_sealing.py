"""Sealing in the window: what is sealed, that it stays, and what is said afterwards."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel
from tests.conftest import VAN, driven_study
from tests.desktop.conftest import type_into

from fairmargin.core.study import new_study
from fairmargin.desktop.dialogs.sealing import SealDialog


@pytest.fixture
def question(window, session):
    study = new_study(title="P", kind="aero covers", order="ABBAABBA", speed_kmh=90, vehicle=VAN)
    session.add_study(study)
    window.go_to("question")
    QApplication.processEvents()
    return window.stage("question")


def seal(monkeypatch, qtbot, question, pairs="", leaving_out=""):
    """Press Seal…, fill the dialog in as a person would, and accept it; what it showed."""
    shown = []

    def fill(dialog):
        shown.append(" ".join(x.text() for x in dialog.findChildren(QLabel)) + dialog.pairs.edit.text())
        if pairs:
            type_into(qtbot, dialog.pairs, pairs)
        type_into(qtbot, dialog.leaving_out, leaving_out)
        qtbot.mouseClick(dialog.seal, Qt.MouseButton.LeftButton)
        if dialog.sealed is None:
            shown.append(dialog.fault.text())
        return dialog.result()

    monkeypatch.setattr(SealDialog, "exec", fill)
    qtbot.mouseClick(question.seal, Qt.MouseButton.LeftButton)
    QApplication.processEvents()
    return shown


def test_what_is_sealed_stands_there_and_no_undo_takes_it_off(monkeypatch, qtbot, question, session):
    type_into(qtbot, question.fields["prediction"], "-4")
    type_into(qtbot, question.fields["smallest"], "1.5")
    shown = seal(monkeypatch, qtbot, question, leaving_out="held up")
    assert "\u22124" in shown[0].replace("-", "\u2212") and "±1.5 %" in shown[0] and shown[0].endswith("4")
    r = session.study.registration
    assert (r.prediction, r.smallest_effect_percent, r.pairs, r.leaving_out) == (-4.0, 1.5, 4, "held up")
    assert r.intact and f"checksum {r.checksum[:8]}" in question.sealed.text()
    assert not question.seal.isVisibleTo(question) and question.fields["prediction"].edit.isReadOnly()
    session.undo.undo()
    session.undo.undo()
    assert session.study.registration == r and session.study.smallest_effect_percent == 1.0
    assert "Changed since" in question.sealed.text()
    session.undo.redo()
    assert session.study.registration == r
    again = session.logbook.read(session.study_id).study
    assert again.registration == r


@pytest.mark.parametrize("text", ["0", "2.5", "many", "4 km", "201"])
def test_what_is_no_number_of_pairs_is_refused(monkeypatch, qtbot, question, session, text):
    shown = seal(monkeypatch, qtbot, question, pairs=text)
    assert session.study.registration is None and "expected" in shown[-1]


def test_once_something_was_read_nothing_is_sealed(qtbot, window, session):
    session.add_study(driven_study("ABBA"))
    window.go_to("question")
    QApplication.processEvents()
    question = window.stage("question")
    assert not question.seal.isEnabled() and "said afterwards" in question.sealed.text()
    qtbot.waitUntil(lambda: session.analysis is not None)
    type_into(qtbot, question.fields["smallest"], "9")
    assert session.study.said_afterwards == ("smallest effect that matters",)
    qtbot.waitUntil(lambda: session.analysis.comparisons[0].standing.word == "with reservations")
    type_into(qtbot, question.fields["prediction"], "-5")
    window.go_to("verdict")
    QApplication.processEvents()
    assert "said afterwards" in " ".join(x.text() for x in window.stage("verdict").findChildren(QLabel))


def test_looks_on_the_way_are_counted_with_the_study(monkeypatch, qtbot, question, window, session):
    seal(monkeypatch, qtbot, question)
    driven = driven_study("ABBAABBA", effect=0.96)
    seen = []
    for leg in driven.legs:
        session.edit(session.study.with_leg(leg.leg, **{
            name: getattr(leg, name) for name in ("average_shown", "average_unit", "average_step", "distance_km", "duration_s", "started_at")
        }), f"reading of {leg.leg}")  # fmt: skip
        qtbot.waitUntil(lambda: session.analysis is not None)
        seen.append(session.study.registration.looks)
    # runs of two legs, ABBAABBA: a first pair after the third leg, looked at when the next is typed; three before the last
    assert seen == sorted(seen) and seen[-1] == 3
    c = session.analysis.comparisons[0]
    assert c.look is None and c.pairs == 4
    assert "Looked at 3 times on the way" in question.sealed.text()
