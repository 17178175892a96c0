"""A window on a logbook of its own."""

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QLocale, QSettings, Qt, QThreadPool
from PySide6.QtWidgets import QApplication

from fairmargin.desktop.application import make_application
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme
from fairmargin.desktop.window import MainWindow


@pytest.fixture(scope="session")
def qapp_cls():
    return QApplication


@pytest.fixture(scope="session")
def qapp():
    application = QApplication.instance() or make_application(["fairmargin"])  # one for every folder of tests
    theme.choose("light")
    return application


@pytest.fixture
def session(qapp, tmp_path):
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    settings.setValue("sheet", "cards")  # most tests type into the cards; `test_leg_table` into the table
    made = Session(settings)
    assert made.open_logbook(tmp_path / "book.fairmargin")
    yield made
    made.close()


@pytest.fixture
def window(qtbot, session):
    made = MainWindow(session)
    made.resize(1280, 800)
    made.show()
    qtbot.waitExposed(made)
    yield made
    QThreadPool.globalInstance().waitForDone(3000)
    made.close()
    made.deleteLater()  # only an event loop deletes by itself; without this windows pile up
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture
def opened(window, abba):
    """A window with the ABBA study open."""
    window.session.add_study(abba)
    return window


def type_into(qtbot, field, text):
    QApplication.processEvents()  # new widgets are shown by a queued event
    field.edit.setFocus()
    field.edit.selectAll()
    if text:
        qtbot.keyClicks(field.edit, text)
    else:
        qtbot.keyClick(field.edit, Qt.Key.Key_Delete)
    field.edit.editingFinished.emit()


@pytest.fixture
def at_home_in():
    """Makes the desktop's locale another one."""
    was = QLocale()
    yield lambda name: QLocale.setDefault(QLocale(name))
    QLocale.setDefault(was)
