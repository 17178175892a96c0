"""A photograph attached to a leg, the load, a tyre plate: made small, kept with the study, taken away and brought back."""

from datetime import datetime

import numpy as np
import pytest
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog, QInputDialog, QPushButton, QToolButton

from fairmargin.core.study.attachments import MOST_BYTES
from fairmargin.desktop.bringing import attaching
from fairmargin.desktop.bringing.attaching import attach, attached_to, small_picture
from fairmargin.logbook import Logbook


@pytest.fixture
def photo(tmp_path, qapp):
    """A noisy picture, as a camera makes it: far more than may be kept."""
    noise = np.random.default_rng(5).integers(0, 255, (1500, 2000, 3), dtype=np.uint8)
    image = QImage(noise.tobytes(), 2000, 1500, 6000, QImage.Format.Format_RGB888)
    path = tmp_path / "IMG 4711.PNG"
    assert image.save(str(path), "PNG")
    assert path.stat().st_size > 10 * MOST_BYTES
    return path


def test_a_photograph_is_made_small_and_kept_with_the_study(qtbot, opened, session, photo, tmp_path):
    name = session.study.legs[0].leg
    assert attach(session, photo, name)
    (item,) = attached_to(session.study, name)
    assert item.file == "IMG-4711.jpg" and len(item.content) <= MOST_BYTES
    image = QImage.fromData(item.content)
    assert image.width() / image.height() == pytest.approx(4 / 3, abs=0.01) and image.width() >= 350
    # In the file at once, and as any edit undone.
    with Logbook.open(session.logbook.path) as book:
        assert book.read(session.study_id).study.attachments == session.study.attachments
    session.undo.undo()
    assert session.study.attachments == ()
    session.undo.redo()
    assert session.study.attachments == (item,)


def test_a_small_file_is_kept_as_it_is_and_a_large_one_told(qtbot, opened, session, tmp_path):
    said = []
    session.failed.connect(said.append)
    receipt = tmp_path / "receipt.txt"
    receipt.write_text("41.2 kWh")
    assert attach(session, receipt, "load")
    assert session.study.attachments[0].content == b"41.2 kWh"
    big = tmp_path / "log.bin"
    big.write_bytes(bytes(MOST_BYTES + 1))
    before = session.study
    assert not attach(session, big, "load") and "too much" in said[-1]
    assert not attach(session, tmp_path / "absent.jpg", "load") and session.study == before
    assert small_picture(b"no picture") is None


def test_the_leg_s_menu_attaches_opens_and_removes(qtbot, opened, session, photo, monkeypatch):
    opened.go_to("drive")
    name = session.study.legs[0].leg
    card = opened.drive.cards[name]
    shown = []
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(photo), ""))
    monkeypatch.setattr(attaching.QDesktopServices, "openUrl", lambda url: shown.append(url.toLocalFile()))

    def act(words, within=""):
        card.menu.aboutToShow.emit()
        actions = card.menu.actions()
        if within:
            actions = next(a for a in actions if a.text().startswith(within)).menu().actions()
        next(a for a in actions if a.text().startswith(words)).trigger()

    act("Attach a photograph")
    assert [x.of for x in session.study.attachments] == [name]
    act("Open", "Attached (1)")
    assert shown[0].endswith("IMG-4711.jpg")
    act("Remove", "Attached (1)")
    assert session.study.attachments == ()


def test_the_load_shows_its_files(qtbot, opened, session, photo, monkeypatch):
    opened.go_to("plan")
    stage = opened.stage("plan")
    stage.show_page("load")
    row = stage.pages["load"].attached
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(photo), ""))
    row.add.click()
    assert [b.text() for b in row.findChildren(QPushButton) if b is not row.add] == ["IMG-4711.jpg"]
    row.findChildren(QToolButton)[0].click()
    assert session.study.attachments == ()


def test_a_comment_has_the_time_it_was_made_at_and_follows_those_before(qtbot, opened, session, monkeypatch):
    opened.go_to("drive")
    name = session.study.legs[0].leg
    session.edit(session.study.with_leg(name, note=""), "clear")
    opened.drive.comment_at(name, "headlights on", datetime(2026, 5, 2, 9, 5))
    opened.drive.comment_at(name, "lorry gone", datetime(2026, 5, 2, 9, 12))
    assert session.study.leg(name).note == "09:05 headlights on; 09:12 lorry gone"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("  ", True))
    opened.drive.comment(name)
    assert session.study.leg(name).note.endswith("lorry gone"), "nothing said adds nothing"
