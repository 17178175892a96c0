"""The window as it is heard and walked through by keys: names and roles of everything, the rail's stages, charts as pictures."""

import pytest
from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAccessible, QImage
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSlider,
    QWidget,
)  # fmt: skip

from fairmargin.desktop.dialogs.new_study import NewStudyDialog
from fairmargin.desktop.widgets.charts import LegStrips, OrderStrip, PairsChart
from fairmargin.desktop.widgets.drawn import Drawn, _Ring, save_picture
from fairmargin.desktop.widgets.stage_rail import STAGES
from fairmargin.simulation import DayPlan, simulate

INPUTS = (QLineEdit, QComboBox, QAbstractSpinBox, QSlider, QPlainTextEdit, QAbstractButton, QAbstractItemView)


def heard(widget):
    return QAccessible.queryAccessibleInterface(widget)


def nameless(root):
    """Inputs and drawn widgets in sight that a screen reader has no name for."""
    found = []
    for w in root.findChildren(QWidget):
        if (
            not w.isVisible()
            or w.objectName().startswith("qt_")
            or not isinstance(w, (*INPUTS, Drawn))
            or isinstance(w, QHeaderView)
        ):
            continue
        if not heard(w).text(QAccessible.Text.Name):
            found.append(f"{type(w).__name__} in {type(w.parent()).__name__}: {w.toolTip()[:60]}")
    return found


def test_everything_of_every_stage_has_a_name(opened):
    for stage in STAGES:
        opened.go_to(stage)
        QApplication.processEvents()
        assert nameless(opened) == [], stage
        page = opened.stage(stage)
        for button in page.findChildren(QPushButton):
            if button.isVisible() and button.isCheckable() and button.objectName() != "event":
                button.click()
                QApplication.processEvents()
                assert nameless(opened) == [], (stage, button.text())
    opened.go_home()
    for button in opened.home.buttons.values():
        button.click()
        QApplication.processEvents()
        assert nameless(opened) == [], button.text()


def test_a_new_study_is_asked_for_by_name(qtbot, session):
    dialog = NewStudyDialog(session.units, [], [])
    qtbot.addWidget(dialog)
    dialog.show()
    assert nameless(dialog) == []


def test_drawn_widgets_are_charts_that_say_what_they_show(opened):
    opened.go_to("correct")
    QApplication.processEvents()
    drawn = [w for w in opened.findChildren(Drawn) if w.isVisible()]
    assert drawn
    for w in drawn:
        assert heard(w).role() == QAccessible.Role.Chart
    (strips,) = opened.findChildren(LegStrips) or [None]
    if strips is not None and strips.isVisible():
        name = heard(strips).text(QAccessible.Text.Name)
        assert "L01 out" in name and "corrected" in name
    opened.go_to("verdict")
    QApplication.processEvents()
    pairs = next(w for w in opened.findChildren(PairsChart) if w.isVisible())
    assert "Pairs: " in heard(pairs).text(QAccessible.Text.Name) and "%" in heard(pairs).text(QAccessible.Text.Name)
    opened.go_to("plan")
    QApplication.processEvents()
    order = next(w for w in opened.findChildren(OrderStrip) if w.isVisible())
    assert heard(order).text(QAccessible.Text.Name).startswith("Order of runs: R1 baseline, driven; R2 trial 1, driven")


def test_the_rail_has_its_seven_stages_as_buttons(opened):
    """Each stage is heard with its name and state, and pressed by whoever cannot point."""
    rail = opened.road
    children = [heard(rail).child(i) for i in range(heard(rail).childCount())]
    buttons = [c for c in children if c.role() == QAccessible.Role.Button]
    assert [b.text(QAccessible.Text.Name) for b in buttons] == [s.capitalize() for s in STAGES]
    opened.go_to("question")
    assert "shown now" in rail.buttons[0].accessibleDescription()
    assert "done" in rail.buttons[2].accessibleDescription() or "begun" in rail.buttons[2].accessibleDescription()
    rail.buttons[STAGES.index("verdict")].click()
    QApplication.processEvents()
    assert opened.pages.currentWidget() is opened.stage("verdict")


@pytest.mark.parametrize("stage", STAGES)
def test_tab_alone_reaches_everything_of_a_stage_and_comes_round(opened, qtbot, stage):
    """From the first to the first again; nothing holds Tab, and every button, field and list in sight is met."""
    opened.go_to(stage)
    QApplication.processEvents()
    opened.activateWindow()
    page = opened.stage(stage)
    start = next(
        w
        for w in page.findChildren(QWidget)
        if w.isVisible() and w.isEnabled() and w.focusPolicy() & Qt.FocusPolicy.TabFocus
    )
    start.setFocus(Qt.FocusReason.TabFocusReason)
    met, now = [start], start
    for _ in range(900):
        qtbot.keyClick(now, Qt.Key.Key_Tab)
        QApplication.processEvents()
        after = QApplication.focusWidget()
        assert after is not None and after is not now, f"{type(now).__name__} {now.objectName()} holds Tab"
        now = after
        if now is start:
            break
        met.append(now)
    assert now is start, f"never came round: {[type(w).__name__ for w in met[-6:]]}"
    wanted = [
        w
        for w in page.findChildren(QWidget)
        if isinstance(w, INPUTS) and w.isVisible() and w.isEnabled() and w.focusPolicy() & Qt.FocusPolicy.TabFocus
        and not w.visibleRegion().isEmpty()
    ]  # fmt: skip
    missed = [
        w
        for w in wanted
        if w not in met
        and w.focusProxy() not in met
        and not any(m.isAncestorOf(w) for m in met if isinstance(m, QAbstractItemView))
    ]
    assert missed == [], [f"{type(w).__name__} {w.accessibleName()}" for w in missed]


def test_a_chart_is_copied_and_saved(opened, qtbot, tmp_path, monkeypatch):
    opened.go_to("verdict")
    QApplication.processEvents()
    chart = next(w for w in opened.findChildren(PairsChart) if w.isVisible())
    chart.setFocus(Qt.FocusReason.TabFocusReason)
    assert chart._ring.isVisible(), "a ring shows where the keys are"
    qtbot.keyClick(chart, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    image = QApplication.clipboard().image()
    assert (image.width(), image.height()) == (2 * chart.width(), 2 * chart.height())
    assert "Pairs: " in QApplication.clipboard().text()
    for name in ("pairs.png", "pairs.svg"):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, n=name: (str(tmp_path / n), ""))
        assert save_picture(chart)
    assert QImage(str(tmp_path / "pairs.png")).width() == 2 * chart.width()
    svg = (tmp_path / "pairs.svg").read_text(encoding="utf-8")
    assert "<svg" in svg and svg.count("<path") + svg.count("<polyline") + svg.count("<rect") > 10
    opened.setFocus()
    assert not chart._ring.isVisible()
    assert isinstance(chart, QObject)


def test_charts_of_the_library_are_heard_reached_and_copied_like_the_others(opened, qtbot):
    made = simulate(3, DayPlan(order="AB", samples=True))
    opened.session.add_study(made.study, made.traces)
    opened.go_to("examine")
    page = opened.stage("examine")
    for what, words in (("consumption", "L01 "), ("along:speed", "legs over")):
        page.what.setCurrentIndex(page.what.findData(what))
        QApplication.processEvents()
        plot = page.traces if what.startswith("along") else page.plot
        assert plot.isVisible() and heard(plot).role() == QAccessible.Role.Chart
        name = heard(plot).text(QAccessible.Text.Name)
        assert words in name and page.what.currentText() in name
        QApplication.clipboard().clear()
        plot.setFocus(Qt.FocusReason.TabFocusReason)
        assert any(isinstance(x, _Ring) and x.isVisible() for x in plot.children())
        qtbot.keyClick(plot, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
        taken = QApplication.clipboard().mimeData()
        assert taken.hasImage() and taken.text() == name


def test_the_sheet_of_keys_is_made_of_the_actions(opened, qtbot):
    """F1 lists every action that has keys, as it has them; a word finds a row."""
    from fairmargin.desktop.dialogs.forms import KeysDialog

    dialog = KeysDialog(opened.helping.menus())
    qtbot.addWidget(dialog)
    rows = [[dialog.table.item(i, j).text() for j in range(3)] for i in range(dialog.table.rowCount())]
    shown = {row[1] for row in rows}
    for menu in opened.helping.menus():
        for action in menu.actions():
            if action.shortcut().toString():
                assert action.shortcut().toString() in shown, action.text()
    assert ["On the road", "T", "slow traffic"] in rows
    dialog.typed.setText("undo")
    seen = [rows[i] for i in range(len(rows)) if not dialog.table.isRowHidden(i)]
    assert [row[1] for row in seen] == ["Ctrl+Z"]
