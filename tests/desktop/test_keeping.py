"""Home's pages: searching, grouping, tagging, putting aside; what is known of vehicles and roads; practice; read on the screen."""

import json
import re

import pytest
from benchmarks.truths.years import simulate_years
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QInputDialog, QLabel
from tests.conftest import VAN, driven_study
from tests.desktop.conftest import type_into
from tests.reading_pages import Painted

from fairmargin.core.study import Configuration
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.core.units.sentences import said
from fairmargin.desktop.dialogs.new_study import NewStudyDialog
from fairmargin.desktop.stages.keeping.listing import StudyList
from fairmargin.logbook.freshen import stale
from fairmargin.logbook.rows import StudyEntry
from fairmargin.practice import shipped


def named(title, baseline="Discs off", trial="Discs on", **fields):
    a, b = Configuration(id="A", name=baseline, baseline=True), Configuration(id="B", name=trial)
    given = {
        "title": title,
        "configurations": (a, b),
        "vehicle": VAN.with_(name="Orrin 1"),
        "route_name": "Dyke Road",
    } | fields
    return driven_study("ABBA", effect=given.pop("effect", 0.95)).with_(**given)


def columns_of(table):
    return [table.horizontalHeaderItem(i).text() for i in range(table.columnCount())]


def texts(page):
    QApplication.processEvents()
    return "\n".join(x.text() for x in page.findChildren(QLabel) if x.isVisible())


@pytest.fixture
def home(window):
    window.session.set_units(UNIT_CHOICES["metric"])
    for study in (
        named("Wheel discs", tags=("covers",)),
        named(
            "Roof box", "Bare roof", "Roof box", effect=1.09, vehicle=VAN.with_(name="Orrin 2"), notes="charged back"
        ),
        named("Discs, a year on", effect=0.96),
    ):
        window.session.add_study(study)
    window.go_home()
    return window.home


def titles(home):
    return [e.title for e in home.list.entries]


def test_search_group_and_sort_by_keys(qtbot, home, window):
    page = home.studies
    assert titles(home) == ["Wheel discs", "Roof box", "Discs, a year on"]
    qtbot.keyClick(page, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    assert page.search.hasFocus()
    qtbot.keyClicks(page.search, "disc orrin")
    assert titles(home) == ["Wheel discs", "Discs, a year on"]
    qtbot.keyClick(page.search, Qt.Key.Key_Return)
    assert home.list.hasFocus()
    page.search.clear()
    qtbot.keyClicks(page.search, "zeppelin")
    assert titles(home) == []
    assert page.nothing.isVisible() and "No study is like that" in page.nothing.text()
    page.search.clear()
    page.group.setCurrentText("vehicle")
    rows = [home.list.model().index(i).data() for i in range(home.list.model().rowCount())]
    assert rows == ["Orrin 1, 2", "Wheel discs", "Discs, a year on", "Orrin 2, 1", "Roof box"]
    page.sort.setCurrentText("effect")
    assert titles(home) == ["Wheel discs", "Discs, a year on", "Roof box"]
    # Headings are no studies: nothing opens, and arrows pass over them.
    model = home.list.model()
    assert not model.flags(model.index(0)) & Qt.ItemFlag.ItemIsSelectable
    home.list.clicked.emit(model.index(0))
    QApplication.processEvents()
    assert window.session.study is not None and window.pages.currentWidget() is home
    # The choice is kept for the next time.
    assert window.session.settings.value("home/group") == "vehicle"
    assert re.search(r"Bars: effect of the trial, \u2212[0-9]+ % to \+1[0-9] %", page.legend.text())


def test_put_aside_and_taken_back_with_undo(qtbot, home, window):
    home.list.setCurrentIndex(home.list.model().index(1))
    menu = home.list.menu_of(home.list.current)
    assert [a.text() for a in menu.actions()] == ["Open", "Tags\u2026", "Put aside", "Take off the list"]
    menu.actions()[2].trigger()
    assert titles(home) == ["Wheel discs", "Discs, a year on"]
    assert home.studies.aside.text() == "Put aside (1)"
    home.studies.aside.click()
    assert titles(home) == ["Roof box"]
    assert home.list.menu_of(home.list.current).actions()[2].text() == "Take back among the others"
    window.session.undo.undo()
    assert titles(home) == []
    home.studies.aside.click()
    assert titles(home) == ["Wheel discs", "Roof box", "Discs, a year on"]


def test_tags_are_typed_shown_and_undone(qtbot, home, window, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("covers, spring  2026, covers", True))
    home.list.setCurrentIndex(home.list.model().index(1))
    home.list.tag()
    assert home.list.entries[1].about.tags == ("covers", "spring 2026")
    home.studies.search.setText("spring")
    assert titles(home) == ["Roof box"]
    home.studies.search.clear()
    window.session.undo.undo()
    assert home.list.entries[1].about.tags == ()
    # Of the study that is open it is an edit like any other.
    window.show_study(1)
    window.go_home()
    home.list.setCurrentIndex(home.list.model().index(0))
    home.list.tag()
    assert window.session.study.tags == ("covers", "spring 2026")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("x" * 60, True))
    home.list.tag()
    assert "too long for a tag" in window.notice_text.text()
    assert window.session.study.tags == ("covers", "spring 2026")


def test_the_list_says_what_opening_a_study_says(qtbot, home, window):
    """The other studies taught the tester's hand meanwhile: lines are brought up to date beside the work."""
    book = window.session.logbook
    wild = [170 * (1 + 0.05 * (-1) ** (k // 2)) for k in range(8)]
    window.session.add_study(named("Wild").with_(legs=driven_study("ABBA", values=wild).legs))
    window.go_home()
    assert set(stale(book)) >= {1, 2, 3}
    home.studies.upkeep.begin()
    qtbot.waitUntil(lambda: not stale(book), timeout=20000)
    QApplication.processEvents()
    for e in book.studies():
        window.show_study(e.id)
        known = json.loads(e.summary)
        assert window.session.comparison.effect_percent == pytest.approx(known["effect"], abs=6e-4)
        assert window.session.comparison.interval_percent[0] == pytest.approx(known["low"], abs=6e-4)


def test_together_joins_and_says_what_is_not_in_it(qtbot, home, window):
    home.buttons["together"].click()
    page = home.page("together")
    words = texts(page)
    assert page.vehicle.currentText() == "Orrin 1", "the vehicle of most studies"
    assert "Discs on against Discs off, asked twice" in words
    assert "Against Discs off, 90 km/h: 2 studies" in words
    page.vehicle.setCurrentText("Orrin 2")
    page.vehicle.textActivated.emit("Orrin 2")
    assert "Against Bare roof" in texts(page)
    assert "One study" not in texts(page)
    # A line of a study opens it, by the mouse and by keys.
    chart = page.charts[0]
    at = next(line for line in chart._lines if line.finding is not None)
    qtbot.mouseClick(
        chart, Qt.MouseButton.LeftButton, pos=chart.rect().topLeft() + type(chart.rect().topLeft())(60, int(at.top + 8))
    )
    assert window.session.study.title == "Roof box"
    window.go_home()
    home.buttons["together"].click()
    chart = home.page("together").charts[0]
    chart.setFocus()
    qtbot.keyClick(chart, Qt.Key.Key_Down)
    qtbot.keyClick(chart, Qt.Key.Key_Return)
    assert window.session.study.title in {"Wheel discs", "Discs, a year on", "Roof box"}
    # A study that was never analysed is told as not in it yet.
    window.session.logbook.add(named("Brought in"))
    window.session.studiesChanged.emit()
    window.go_home()
    home.buttons["together"].click()
    assert "1 study is still to be analysed" in texts(home.page("together"))


def test_very_many_studies_are_joined_beside_the_window(qtbot, home, window, monkeypatch):
    from fairmargin.desktop.stages.keeping import together as module

    monkeypatch.setattr(module, "AT_ONCE", 1)
    window.go_home("together")
    page = home.page("together")
    assert "are being joined" in texts(page) or page.joints
    qtbot.waitUntil(lambda: "asked twice" in texts(page), timeout=10000)
    assert [len(j.studies) for j in page.joints] == [2]


def test_names_that_mean_the_same_are_joined_and_parted(qtbot, home, window):
    window.session.add_study(named("Covers, older notes", "No covers", "Discs on", effect=0.955))
    window.go_home("together")
    page = home.page("together")
    texts(page)
    assert [len(j.names) for j in page.joints] == [3], "joined by the trial alone: two baselines are two"
    page.one.setCurrentText("No covers")
    page.other.setCurrentText("Discs off")
    page.join.click()
    assert "asked 3 times" in texts(page)
    assert page.said.text() == "No covers is Discs off"
    assert [j.names for j in page.joints] == [("Discs off", "Discs on")]
    page.apart.click()
    assert [len(j.names) for j in page.joints] == [3]
    assert not page.apart.isVisible()


def test_what_is_known_of_a_vehicle_and_a_road(qtbot, window):
    years = simulate_years(31, studies=4, wind="windy")
    for s in years.studies:
        window.session.add_study(s.study)
    window.go_home()
    window.home.buttons["vehicles"].click()
    page = window.home.page("vehicles")
    words = texts(page)
    assert "Orrin 1, from 4 studies" in words
    assert "Your scatter from run to run" in words
    assert "Step of trip average: 0.1 kWh/100 km" in words
    assert "Distance shown over GPS" in words
    assert "Dyke Road" in words and "Out it climbs" in words
    assert "Wind that reaches it" in words
    chart = page.chart
    labels = [k.label for k in chart._known]
    assert labels[0] == "Drag area"
    k = chart._known[0]
    assert k.before.middle == pytest.approx(years.studies[0].study.vehicle.drag_area_m2)
    row = 22 + 20
    assert chart.words_at(chart.width() * 0.46 + 20, row).startswith("Drag area, before any study")
    last = chart.words_at(chart.width() - 24, row)
    assert years.studies[-1].study.title in last
    assert chart.words_at(5, row) == ""
    mass = [k.label for k in chart._known].index("Mass")
    at_mass = (chart.width() * 0.46 + 20, row + mass * 62)
    assert " kg" in chart.accessibleDescription() and " kg" in chart.words_at(*at_mass)
    window.session.set_units(UNIT_CHOICES["us"])
    # Masses change with the units, and no mark of a quantity is left in the words.
    for told in (chart.accessibleDescription(), chart.words_at(*at_mass)):
        assert " lb" in told and " kg" not in told and "|kg|" not in told
    assert " km" not in page.road_words.text()
    assert " mi" in page.road_words.text()


def test_a_new_study_begins_with_what_is_known_unless_it_is_refused(qtbot, window, monkeypatch):
    years = simulate_years(31, studies=4, wind="windy")
    for s in years.studies:
        window.session.add_study(s.study)
    window.go_home()

    def fill(wanted):
        def execute(dialog):
            dialog.show()
            dialog.road.setCurrentIndex(1)
            QApplication.processEvents()
            assert "Begin with what 4 studies know of Orrin 1" in dialog.begin_with.text()
            assert "Drag area" in dialog.begin_with.toolTip()
            dialog.begin_with.setChecked(wanted)
            # Another vehicle has taught nothing.
            dialog.vehicle.setCurrentIndex(dialog.vehicle.findData("car"))
            assert dialog.begin_with.isHidden()
            dialog.vehicle.setCurrentIndex(0)
            assert not dialog.begin_with.isHidden()
            dialog.make.click()
            return dialog.result()

        monkeypatch.setattr(NewStudyDialog, "exec", execute)
        window.new_study()

    fill(False)
    assert window.session.study.remembered is None
    panel = window.stage("question").remembered
    assert "4 studies of Orrin 1 know more of it than its papers" in panel.words.text()
    panel.use.click()
    known = window.session.study.remembered
    assert known.studies == 4
    assert {v.name for v in known.values} >= {"drag area", "height factor"}
    assert "This study begins with what 4 studies of Orrin 1 say" in panel.words.text()
    panel.refuse.click()
    assert window.session.study.remembered is None
    fill(True)
    assert window.session.study.remembered == known
    window.session.undo.undo()


def test_practice_is_answered_scored_and_kept(qtbot, window):
    window.home.buttons["practice"].click()
    page = window.home.page("practice")
    QApplication.processEvents()
    case = shipped()[0]
    assert page.case == case
    assert page.table.rowCount() == len(case.study.legs)
    assert page.table.item(0, 0).text() == "L01"
    assert not page.truth_frame.isVisible()
    assert str(case.solution.effect_percent) not in texts(page)
    page.show_truth.click()
    assert "choose a verdict first" in page.fault.text()
    page.verdict.setCurrentText("uses more")
    page.show_truth.click()
    assert "choose what is wrong with it first" in page.fault.text()
    page.flaw.setCurrentIndex(page.flaw.findData("none"))
    page.show_truth.click()
    assert "is empty" in page.fault.text()
    type_into(qtbot, page.low, "abc")
    assert page.low.has_fault
    type_into(qtbot, page.low, "-9,0 %")  # a decimal comma, a unit typed
    type_into(qtbot, page.high, "-10")
    page.show_truth.click()
    assert "from low to high" in page.fault.text()
    type_into(qtbot, page.high, "-6")
    assert "unspoilt" not in columns_of(page.table)
    page.show_truth.click()
    qtbot.waitUntil(page.truth_frame.isVisible, timeout=10000)
    words = texts(page)
    assert "The change alone does \u22127.4 %" in words and case.solution.effect_percent == pytest.approx(
        -7.4, abs=0.05
    )
    assert "score 3.0" in words
    # The program's own stands beside it, and what is said without reading a leg.
    beside = case.beside()
    assert f"The program, as sure: {beside.low:+.1f} to {beside.high:+.1f} %".replace("-", "\u2212") in words
    assert "Whoever reads no leg (\u22128.0 to +8.0 %" in words
    assert f"The program says \u201c{beside.verdict}\u201d" in words
    # What each leg would have shown stands beside what it did, set to the right.
    at = columns_of(page.table).index("unspoilt")
    assert page.table.item(0, at).text() == f"{case.solution.clean['L01']:.1f}"
    assert page.table.item(0, at).textAlignment() & Qt.AlignmentFlag.AlignRight
    assert "Your 80 % hold 100 % (1 of 1)" in words
    assert len(window.session.logbook.practice()) == 1
    # The answer stays; the case cannot be answered again.
    assert not page.answer_frame.isVisible()
    page.next.click()
    assert page.case == shipped()[1]
    assert page.answer_frame.isVisible() and page.low.edit.text() == ""
    assert page.list.item(0).text().startswith("\u2713 1")
    # One from chance has no answer yet either.
    page.another.click()
    qtbot.waitUntil(lambda: len(page.cases) == 21, timeout=20000)
    assert page.case.id.startswith("seed-")
    # Looked at as a study it is a rehearsal: nothing is learned from it.
    page.list.setCurrentRow(0)
    before = len(window.session.logbook.scatter_evidence())
    page.as_study.click()
    assert window.session.study.title.startswith("Practice: ")
    assert len(window.session.logbook.scatter_evidence()) == before
    assert window.session.memory.read().findings == ()
    # It is no rehearsal: it has no seed of a day that could be driven on.
    assert window.drive_now()
    assert window.drive.controller.truth_percent() is None
    assert "rehearsal" not in window.session.study.plan.details


def test_practice_shows_which_leg_gave_it_away(qtbot, window):
    """A reset that did not take: its leg is bold, the figure and what it would have shown are said; −100 to 100 earns no tick."""
    window.home.buttons["practice"].click()
    page = window.home.page("practice")
    page.list.setCurrentRow(5)
    case = shipped()[5]
    (leg,) = case.solution.told_by
    page.verdict.setCurrentText("not settled")
    page.flaw.setCurrentIndex(page.flaw.findData("reset did not take"))
    type_into(qtbot, page.low, "-100")
    type_into(qtbot, page.high, "100")
    page.show_truth.click()
    qtbot.waitUntil(page.truth_frame.isVisible, timeout=10000)
    words = texts(page)
    shown = case.study.leg(leg).average_shown
    assert f"{leg} shows {shown:.1f}" in words
    assert f"the {case.solution.clean[leg]:.1f}" in words and "twice the road" in words
    assert "score 200.0" in words
    assert "no more than whoever reads no leg" in words
    assert page.list.item(5).text().startswith("\u2022"), "no tick: it says nothing"
    rows = {page.table.item(i, 0).text(): page.table.item(i, 0).font().bold() for i in range(page.table.rowCount())}
    assert [name for name, bold in rows.items() if bold] == [leg]


def test_practice_without_a_place_to_write(qtbot, window, monkeypatch):
    """In a logbook that is only read, cases can be answered; the answers are not kept, and nothing fails."""
    window.home.buttons["practice"].click()
    page = window.home.page("practice")
    monkeypatch.setattr(type(window.session.logbook), "read_only", property(lambda _: True))
    page.verdict.setCurrentText("not settled")
    page.flaw.setCurrentIndex(1)
    type_into(qtbot, page.low, "-1")
    type_into(qtbot, page.high, "1")
    page.show_truth.click()
    qtbot.waitUntil(page.truth_frame.isVisible, timeout=10000)
    assert window.session.logbook.practice() == []


def test_home_in_the_smallest_window(qtbot, home, window):
    """Every word of the head is whole: the page's own title makes room."""
    window.resize(800, 560)
    QApplication.processEvents()
    for button in (*home.buttons.values(), home.bring, home.new):
        assert button.width() >= button.sizeHint().width() - 2, button.text()
    assert not home.title.isVisible()
    window.resize(1280, 800)
    QApplication.processEvents()
    assert home.title.isVisible()
    assert home.buttons["vehicles"].text() == "Vehicles and roads"


def test_a_package_says_on_the_command_line_what_the_window_says(qtbot, home, window, tmp_path):
    """The logbook's other studies narrow the margin here; exported, the package takes that along, and is said to."""
    from typer.testing import CliRunner

    from fairmargin.cli import app

    session = window.session
    window.show_study(session.logbook.studies()[0].id)
    assert session.scatter.studies == 2
    shown = session.comparison.interval_percent
    assert window.packages.export_to(tmp_path / "s.zip")
    assert session.study.learned is None, "the study here goes on learning"
    told = json.loads(CliRunner().invoke(app, ["analyse", str(tmp_path / "s.zip"), "--json"]).stdout)
    assert told["comparisons"][0]["interval_percent"] == pytest.approx(shown, abs=2e-3)
    # Brought in again it is its tester's, on every page.
    assert window.packages.import_from(tmp_path / "s.zip")
    assert session.study.learned.studies == 2 and session.scatter.travelled
    assert session.comparison.interval_percent == pytest.approx(shown, abs=1e-4)
    window.go_to("correct")
    assert "its tester's 2 other studies" in texts(window.stage("correct"))


@pytest.mark.parametrize("units, words", [("metric", "at 90 km/h"), ("us", "at 56 mph")])
def test_the_next_step_is_said_in_ones_own_units(qtbot, units, words):
    step = f"Drive two more pairs at {said(90, 'km/h')}"
    shown = StudyList()
    qtbot.addWidget(shown)
    model = shown.model()
    model.units = UNIT_CHOICES[units]
    model.show_entries([StudyEntry(1, "Discs", json.dumps({"state": "open", "next": step}), None)])
    shown.resize(900, 300)
    with Painted() as painted:
        shown.grab()
    assert f"Next: Drive two more pairs {words}" in painted
    assert model.index(0).data(Qt.ItemDataRole.AccessibleTextRole).endswith(f"Drive two more pairs {words}")
