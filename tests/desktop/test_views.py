"""Every view: small and large windows, empty and huge studies, long names, light and dark; the toolkit pinned."""

import numpy as np
import PySide6
import pytest
from PySide6.QtCore import QObject, QPoint, QPointF, QRect, Qt, Signal
from PySide6.QtGui import QAction, QColor, QFontInfo, QImage, QPainter
from PySide6.QtWidgets import QApplication, QCheckBox, QComboBox, QDialogButtonBox, QInputDialog, QLineEdit
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.study import Trace, new_study
from fairmargin.demo import make_demo_logbook
from fairmargin.demo.studies import demo_studies
from fairmargin.desktop import application
from fairmargin.desktop.system import paths
from fairmargin.desktop.system.install import install
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.basics import draw_mark, sign_of
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.desktop.widgets.stage_rail import STAGES
from fairmargin.logbook import Logbook
from fairmargin.looks import DARK, FAMILY, LIGHT
from fairmargin.simulation.day import DayPlan, simulate

CASES = {
    "empty": new_study(title="", kind="other", order="AB").with_legs(()),
    "planned": new_study(title="Planned", kind="tyres", order="ABBA"),
    "one leg": driven_study("AB").with_legs(driven_study("AB").legs[:1]),
    "usual": driven_study("ABBAABBA"),
    "huge": driven_study("ABBA" * 8),
    "long names": driven_study(
        "ABBA",
        title="A title that goes on and on about every circumstance of the comparison " * 2,
        configurations=tuple(
            c.with_(name="A configuration with a very long name indeed, and more")
            for c in driven_study().configurations
        ),
        route_name="The long road from one end of the fen to the other and back again",
    ),
}


@pytest.mark.parametrize("size", [(1280, 800), (1100, 700), (1000, 640)])
@pytest.mark.parametrize("case", CASES)
def test_every_stage_draws_every_study(qtbot, window, case, size):
    window.resize(*size)
    window.session.add_study(CASES[case])
    for stage in STAGES:
        window.go_to(stage)
        picture = window.grab()
        assert picture.width() == size[0] and picture.height() == size[1]  # nothing forces the window wider
        page = window.stage(stage)
        assert page.title.text().lower() == stage
        assert page.minimumSizeHint().width() <= size[0] - 148 - 250


def luminance(name):
    def channel(x):
        return x / 12.92 if x <= 0.03928 else ((x + 0.055) / 1.055) ** 2.4

    c = QColor(name)
    return 0.2126 * channel(c.redF()) + 0.7152 * channel(c.greenF()) + 0.0722 * channel(c.blueF())


def ratio(a, b):
    low, high = sorted((luminance(a), luminance(b)))
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("colours", [LIGHT, DARK], ids=["light", "dark"])
def test_text_has_contrast(colours):
    # WCAG 2.1, success criterion 1.4.3: 4.5:1 for text.
    grounds = [colours.paper, colours.panel, colours.field, colours.band]
    pairs = [(n, g) for n in ("ink", "muted", "link", "fine", "caution", "blocks") for g in grounds]
    for name, ground in [*pairs, ("rail_ink", colours.rail), ("rail_muted", colours.rail)]:
        a, b = sorted((luminance(getattr(colours, name, name)), luminance(ground)), reverse=True)
        assert (a + 0.05) / (b + 0.05) >= 4.5, (name, ground)


@pytest.mark.parametrize("colours", [LIGHT, DARK], ids=["light", "dark"])
def test_edges_and_the_ring_of_the_keys_have_contrast(colours):
    # WCAG 2.1, success criterion 1.4.11: 3:1 for what tells a control from its ground.
    for name in ("edge", "here"):
        for ground in (colours.paper, colours.panel, colours.field, colours.band):
            assert ratio(getattr(colours, name), ground) >= 3.0, (name, ground)
    assert ratio(colours.here, colours.rail) >= 3.0


def seen(widget, at):
    return widget.grab().toImage().pixelColor(at).name()


@pytest.mark.parametrize("choice", ["light", "dark"])
def test_borders_are_seen_in_the_picture(qtbot, opened, request, choice):
    """Measured from pixels: the border of a field and of a list, the ring of what has the keys, band and hatch of the bar."""
    request.addfinalizer(lambda: theme.choose("light"))
    theme.choose(choice)
    opened.go_to("question")
    opened.activateWindow()
    QApplication.processEvents()
    field = next(
        w
        for w in opened.findChildren(QLineEdit)
        if w.isVisible() and not w.hasFocus() and w.objectName() != "inner" and w.isEnabled()
    )
    inside = seen(field, QPoint(field.width() // 2, 3))
    assert ratio(seen(field, QPoint(field.width() // 2, 0)), inside) >= 3.0
    field.setFocus(Qt.FocusReason.TabFocusReason)
    qtbot.waitUntil(field.hasFocus)
    QApplication.processEvents()
    assert ratio(seen(field, QPoint(field.width() // 2, 1)), seen(field, QPoint(field.width() // 2, 3))) >= 3.0
    box = next(w for w in opened.findChildren(QComboBox) if w.isVisible() and not w.hasFocus())
    assert ratio(seen(box, QPoint(box.width() // 2, 0)), seen(box, QPoint(box.width() // 2, 3))) >= 3.0
    bar = opened.bar
    picture = bar.grab().toImage()
    ground = picture.pixelColor(4, 60).name()
    row = [picture.pixelColor(x, 100 if picture.height() > 104 else 60).name() for x in range(24, bar.width() - 460)]
    band_edge = [c for c in row if ratio(c, ground) >= 3.0]
    assert len(band_edge) >= 2, "both ends of what does not matter are lines"


def test_a_ticked_box_shows_a_tick(qtbot, opened):
    """Not only a darker square: what is drawn in it is lighter than its ground."""
    box = QCheckBox("Something may go wrong")
    qtbot.addWidget(box)
    box.show()
    QApplication.processEvents()
    box.setChecked(True)
    image = box.grab().toImage()
    shades = [image.pixelColor(x, y).lightness() for x in range(4, 16) for y in range(4, image.height() - 4)]
    assert min(shades) < 60 and sum(s > 180 for s in shades) >= 8


@pytest.mark.qt_log_ignore("This plugin does not support")
@pytest.mark.parametrize("count", [2, 3, 8])
def test_a_list_shows_its_last_entry_whole(qtbot, opened, count):
    box = Choice()
    box.addItems([f"entry {i}" for i in range(count)])
    qtbot.addWidget(box)
    box.show()
    box.showPopup()
    QApplication.processEvents()
    view = box.view()
    last = view.visualRect(view.model().index(count - 1, 0))
    assert last.bottom() <= view.viewport().rect().bottom()
    assert view.verticalScrollBar().maximum() == 0
    box.hidePopup()


def test_dialogs_have_no_foreign_icons(qtbot, opened):
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
    qtbot.addWidget(buttons)
    buttons.show()
    QApplication.processEvents()
    assert all(b.icon().isNull() for b in buttons.buttons())


@pytest.mark.parametrize("colours", [LIGHT, DARK], ids=["light", "dark"])
def test_five_trials_are_told_apart_by_colour_and_by_shape(qapp, colours):
    # WCAG 2.1, success criterion 1.4.11: 3:1 for graphics.
    assert len(set(colours.trials)) == 5
    for colour in (*colours.trials, colours.baseline):
        a, b = sorted((luminance(colour), luminance(colours.panel)), reverse=True)
        assert (a + 0.05) / (b + 0.05) >= 3.0, colour
    shapes = set()
    for trial in (None, *range(5)):
        image = QImage(24, 24, QImage.Format.Format_RGB32)
        image.fill(0xFFFFFF)
        painter = QPainter(image)
        draw_mark(painter, QPointF(12, 12), 16, trial, QColor("black"))
        painter.end()
        shapes.add(bytes(image.constBits()))
    assert len(shapes) == 6


def test_examine_opens_with_the_leg_that_is_most_in_doubt(qtbot, opened):
    """A reading a third off its likes is chosen when the page opens; what somebody chose stays chosen."""
    leg = opened.session.study.legs[5]
    opened.session.edit(
        opened.session.study.with_leg(leg.leg, average_shown=round(1.3 * leg.average_shown, 1)), "reading"
    )
    opened.go_to("examine")
    QApplication.processEvents()
    page = opened.stage("examine")
    assert page.table.chosen == leg.leg
    # The hour of the day is written as clocks write it.
    assert page.plot.getAxis("bottom").tickStrings([8.5, 9.25], 1.0, 0.5) == ["08:30", "09:15"]
    page.table.selectRow(1)
    opened.session.edit(opened.session.study.with_leg("L01", note="dry"), "note")
    QApplication.processEvents()
    assert page.table.chosen == opened.session.study.legs[1].leg


def test_five_trials_have_five_signs():
    assert len({sign_of(None), *(sign_of(i) for i in range(5))}) == 6


def test_light_and_dark(qtbot, opened):
    opened.go_to("verdict")
    light = opened.grab().toImage().pixelColor(400, 140).lightness()
    theme.choose("dark")
    try:
        dark = opened.grab().toImage().pixelColor(400, 140).lightness()
    finally:
        theme.choose("light")
    assert light > 200 and dark < 60


def test_shipped_font_is_in_use(qapp):
    assert QFontInfo(font(13)).family() == FAMILY


def test_toolkit_release_that_survives_its_signals(qtbot):
    # PySide6 6.12.0 on Python 3.11 loses a reference at every emit from Python and aborts after some 500.
    class Bell(QObject):
        rung = Signal(bool)

    assert PySide6.__version__ == "6.11.3"
    bell, heard = Bell(), []
    bell.rung.connect(heard.append)
    for _ in range(100_000):
        bell.rung.emit(True)
    assert len(heard) == 100_000


def test_window_size_and_choices_are_remembered(qtbot, session, monkeypatch):
    from fairmargin.desktop.window import MainWindow

    monkeypatch.setattr(type(QApplication.primaryScreen()), "availableGeometry", lambda _self: QRect(0, 0, 1920, 1080))
    first = MainWindow(session)
    qtbot.addWidget(first)
    first.resize(1111, 777)
    first.show()
    path = session.logbook.path
    first.close()
    session.open_logbook(path)
    second = MainWindow(session)
    qtbot.addWidget(second)
    assert (second.width(), second.height()) == (1111, 777)
    monkeypatch.setattr(type(second.screen()), "availableGeometry", lambda _self: QRect(0, 0, 1024, 700))
    third = MainWindow(session)  # on a smaller screen
    qtbot.addWidget(third)
    assert (third.width(), third.height()) == (1024, 700)
    assert session.recent()[0] == str(path)


def test_demo_logbook_opens_with_finished_studies(qtbot, window):
    window.logbooks.open_demo()
    titles = [e.title for e in window.session.logbook.studies()]
    assert titles == [
        "Wheel discs, Dyke Road",
        "All-weather against summer tyres",
        "320 kg of flour",
        "Ladder rack with name board",
        "Bread trailer at 70 and 85 km/h",
        "Warm-up from the wall, frost mornings",
        "Gentle against brisk, town round",
        "The two vans side by side, name board",
        "Rear wheel spats, Dyke Road",
        "Wheel discs once more, November",
        "Hallock Bank, up and down",
        "Orrin 1 and Orrin 2, what they differ by",
        "To the upland market, Saturdays",
        "Wheel discs by coasting",
    ]
    window.show_study(window.session.logbook.studies()[0].id)
    assert window.bar.comparison is not None
    assert window.session.logbook.path == paths.demo_path()


def test_demo_is_made_once_and_holds_its_truth(tmp_path):
    path = tmp_path / "demo.fairmargin"
    make_demo_logbook(path)
    with Logbook.open(path) as book:
        book.save(1, book.load(1)[0].with_(title="Mine"))
    make_demo_logbook(path)
    with Logbook.open(path) as book:
        assert book.studies()[0].title == "Mine"
    for made in demo_studies():
        low, high = analyse(made.study).comparisons[0].interval_percent
        assert low < made.truth["effect_percent"] < high, made.study.title


@pytest.mark.parametrize("what", ["own", "package", "logbook", "absent", "foreign"])
def test_opening_by_name(qtbot, window, tmp_path, abba, what):
    from fairmargin.exchange.packages.writing import write_package

    write_package(tmp_path / "pack", abba)
    (tmp_path / "foreign.fairmargin").write_text("x")
    paths = {
        "own": None,
        "package": str(tmp_path / "pack"),
        "logbook": str(tmp_path / "new.fairmargin"),
        "absent": str(tmp_path / "nothing.txt"),
        "foreign": str(tmp_path / "foreign.fairmargin"),
    }
    application.open_first(window, paths[what], demo=False)
    own = window.session.logbook.path.name
    assert own == ("new.fairmargin" if what == "logbook" else "logbook.fairmargin")
    if what == "package":
        assert window.session.study == abba
    if what in {"absent", "foreign"}:
        assert window.notice_text.text()


def test_closed_windows_leave_nothing_behind(qtbot, session, abba):
    from PySide6.QtCore import QCoreApplication, QEvent
    from PySide6.QtWidgets import QApplication

    from fairmargin.desktop.window import MainWindow

    def widgets():
        return {type(w).__name__ for w in QApplication.topLevelWidgets()} - {"QMenu", "QFrame"}

    before = widgets()
    window = MainWindow(session)
    window.show()
    session.add_study(abba)
    for stage in STAGES:
        window.go_to(stage)
    QApplication.processEvents()
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    assert widgets() <= before


def test_published_schema_is_that_of_the_code():
    import json
    from pathlib import Path

    from fairmargin.core.study import Study

    published = Path(__file__).parents[2] / "docs" / "study.schema.json"
    assert json.loads(published.read_text()) == Study.model_json_schema(by_alias=True)


def test_desktop_files_are_installed(tmp_path):
    done = install()
    data = tmp_path / "xdg_data_home"
    entry = (data / "applications" / "fairmargin.desktop").read_text()
    assert "MimeType=application/x-fairmargin-logbook;" in entry and 'Exec="' in entry
    assert (data / "icons/hicolor/scalable/apps/fairmargin.svg").exists()
    assert "*.fairmargin" in (data / "mime/packages/fairmargin.xml").read_text()
    assert len(done) >= 3


def test_logged_legs_are_driven_and_drawn_along_the_road(qtbot, window):
    from PySide6.QtCore import QThreadPool

    from fairmargin.simulation import DayPlan, simulate

    made = simulate(11, DayPlan(samples=True, instrument="logger"))
    window.session.add_study(made.study, made.traces)
    qtbot.waitUntil(lambda: window.session.analysis is not None and not window.session._jobs, timeout=10_000)
    QThreadPool.globalInstance().waitForDone()
    window.go_to("examine")
    stage = window.stage("examine")
    assert "8 legs with a reading" in stage.subtitle.text()
    assert stage.table.item(0, 3).text().startswith("driven")
    for what, unit in (("along:speed", "km/h"), ("along:power", "kW"), ("along:height", "m")):
        stage.what.setCurrentIndex(stage.what.findData(what))
        assert "8 legs over the same road" in stage.plot_words.text()
        said = stage.traces.reading_at(9.0)
        assert said.startswith("9.00 km: baseline") and unit in said and "trial 1" in said
    # All legs hold about 90 km/h at the ninth kilometre.
    stage.what.setCurrentIndex(stage.what.findData("along:speed"))
    speeds = [float(np.interp(9.0, *_rising(line))) for line in stage.traces.lines]
    assert np.median(speeds) == pytest.approx(90, abs=2)
    stage.what.setCurrentIndex(stage.what.findData("along:soc"))
    assert stage.plot_words.text() == "No leg has this in its log."
    window.go_to("drive")
    assert "8 of 8 legs driven" in window.stage("drive").subtitle.text()
    # A study without logs offers no traces.
    window.session.add_study(driven_study("AB"))
    window.go_to("examine")
    assert stage.what.findData("along:speed") < 0 and stage.what.currentData() == "consumption"


def _rising(line):
    turned = line.place[0] > line.place[-1]
    return (line.place[::-1], line.value[::-1]) if turned else (line.place, line.value)


def logged(window, order="AB", **plan):
    made = simulate(4, DayPlan(order=order, samples=True, instrument="logger", **plan))
    window.session.add_study(made.study, made.traces)
    return made


def along(qtbot, window, what):
    window.go_to("examine")
    stage = window.stage("examine")
    qtbot.waitUntil(lambda: window.session.analysis is not None and not window.session._jobs, timeout=10_000)
    stage.what.setCurrentIndex(stage.what.findData(what))
    return stage


def test_a_brushed_stretch_goes_out_of_all_legs_and_comes_back(qtbot, window, monkeypatch):
    logged(window)
    stage = along(qtbot, window, "along:speed")
    assert not stage.leave_stretch.isVisibleTo(window)
    stage.brush.click()
    stage.traces._brush.setRegion((6.0, 8.0))  # as it is dragged
    assert "6.00 to 8.00 km of the road, on every logged leg" in stage.plot_words.text()
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("  ", True))
    stage.leave_stretch.click()
    assert "only with a reason" in window.notice_text.text() and not window.session.study.left_out_stretches
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("road works", True))
    before = window.session.analysis.comparisons[0].effect_percent
    stage.leave_stretch.click()
    stretch = window.session.study.left_out_stretches[0]
    assert (stretch.from_m, stretch.to_m, stretch.reason) == (pytest.approx(6000, abs=1), pytest.approx(8000, abs=1), "road works")  # fmt: skip
    assert stretch.after_result
    qtbot.waitUntil(lambda: window.session.analysis.comparisons[0].effect_percent != before, timeout=10_000)
    assert stage.stretches.text() == "1 left out"
    stage.stretches.menu().actions()[0].trigger()
    assert window.session.study.left_out_stretches == ()
    window.session.undo.undo()
    assert len(window.session.study.left_out_stretches) == 1


def test_events_stand_on_the_traces_where_they_happened(qtbot, window):
    made = logged(window, traffic=1.0)
    stage = along(qtbot, window, "along:speed")
    events = [e for e in made.study.events if e.at_km is not None]
    assert events and len(stage.traces.marks) == len(events)
    mark = stage.traces.marks[0]
    # It stands where the speed dips: the mean of the next kilometre is below the aim.
    line = next(x for x in stage.traces.lines if x.leg == mark.leg)
    near = np.abs(line.place - mark.place) < 0.5
    assert line.value[near].min() < 0.93 * 90
    assert mark.kind.replace("-", " ") in stage.traces.reading_at(mark.place)


def test_reported_wind_along_the_road_is_the_cosine_of_its_angle(qtbot, window):
    """10 m/s from the north on a road that leads north: +10 head wind out, -10 back."""
    study = driven_study("AB")
    traces = {}
    for leg in study.legs:
        s = np.arange(0.0, 18_400.0, 25.0)
        place = 18_400.0 - s if leg.direction == "back" else s
        traces[leg.leg] = Trace(
            time_s=s / 25.0, speed_kmh=np.full(len(s), 90.0), latitude=52.0 + place / 111_250.0, longitude=np.full(len(s), 0.1)
        )  # fmt: skip
        study = study.with_leg(leg.leg, wind_speed_ms=10.0, wind_from_deg=0.0)
    window.session.add_study(study, traces)
    stage = along(qtbot, window, "along:wind")
    by_leg = {line.leg: line.value for line in stage.traces.lines}
    assert by_leg["L01"] == pytest.approx(np.full(len(by_leg["L01"]), 10.0), abs=0.05)
    assert by_leg["L02"] == pytest.approx(np.full(len(by_leg["L02"]), -10.0), abs=0.05)


def test_instruments_of_the_chosen_leg_side_by_side(qtbot, window):
    study = driven_study("AB").with_leg("L02", energy_kwh=3.1, energy_step_kwh=0.1)
    window.session.add_study(study)
    window.go_to("examine")
    stage = window.stage("examine")
    stage.what.setCurrentIndex(stage.what.findData("instruments"))
    stage.table.selectRow(0)
    assert "L01: One instrument was read" in stage.plot_words.text()
    stage.table.selectRow(1)
    assert [b.instrument for b in stage.bands.bands] == ["trip energy", "trip average"]
    assert "agree within their steps" in stage.plot_words.text() and stage.bands.isVisibleTo(window)


def test_no_two_commands_share_a_key(window):
    keys = [a.shortcut().toString() for a in window.findChildren(QAction) if not a.shortcut().isEmpty()]
    assert len(keys) == len(set(keys)), sorted(k for k in keys if keys.count(k) > 1)
