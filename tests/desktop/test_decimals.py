"""Decimals as the desktop's locale writes them: seen, heard and typed; files and what was typed in words stay as they are."""

import re
from collections.abc import Iterator

import pytest
from PySide6.QtCore import QLocale, Qt
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QWidget,
)
from tests.conftest import driven_study
from tests.desktop.conftest import type_into
from tests.reading_pages import Painted, pages, settle

from fairmargin.core.study.own_words import own_words
from fairmargin.core.study.statements import WayReading
from fairmargin.core.study.trip import Charger, Trip, TripStretch
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.core.words import minus
from fairmargin.demo.studies import demo_studies
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.home import PAGES as HOME_PAGES
from fairmargin.desktop.stages.leg_table import NAMES
from fairmargin.desktop.stages.using.trip_form import TripForm
from fairmargin.desktop.widgets.axis import nice_step
from fairmargin.desktop.widgets.decimals import Cells, as_here, figure_here
from fairmargin.desktop.widgets.inputs import NumberBox
from fairmargin.desktop.widgets.tables import Table, copy_rows, save_rows

WITH_POINT = re.compile(r"\d\.\d")


@pytest.mark.parametrize(
    "text, here",
    [
        ("\u22122.7 \u2212 0.2 + 0.4 = \u22122.5 %.", "\u22122,7 \u2212 0,2 + 0,4 = \u22122,5 %."),
        ("between 0.5 and 4.3 % less, 95 %", "between 0,5 and 4,3 % less, 95 %"),
        ("16.0 kWh/100 km, or 15.0", "16,0 kWh/100 km, or 15,0"),
        ("with 17.1, 3 and 4, 17.5", "with 17,1; 3 and 4; 17,5"),  # a comma would stand for two things
        ("driven 08 Apr 2026, 07:30, 18.4 km", "driven 08 Apr 2026, 07:30; 18,4 km"),
        ("75.7min or 2.5\u00d7", "75.7min or 2,5\u00d7"),
        ("Fair Margin 1.0.0, log.2.5.csv, hill-2.5.csv, v2.5", "Fair Margin 1.0.0, log.2.5.csv, hill-2.5.csv, v2.5"),
        ("8.4.2026", "8.4.2026"),
        (
            '"18.4 parsecs" is no distance; expected such as 18.4',
            '"18.4 parsecs" is no distance; expected such as 18,4',
        ),
        ("15 legs, 95 %", "15 legs, 95 %"),
    ],
)
def test_figures_in_a_sentence(at_home_in, text, here):
    assert as_here(text) == text
    at_home_in("de_DE")
    assert as_here(text) == here
    assert as_here(here) == here
    at_home_in("en_GB")
    assert as_here(text) == text


@pytest.mark.parametrize("locale", ["fr_FR", "sv_SE", "pt_BR", "nl_NL", "es_ES"])
def test_every_locale_with_a_comma(at_home_in, locale):
    at_home_in(locale)
    assert as_here("14.7 kWh/100 km") == "14,7 kWh/100 km"


@pytest.mark.parametrize(
    "text, here",
    [
        ("15.4", "15,4"),
        ("\u22123.2 \u00b0C", "\u22123,2 \u00b0C"),
        ("15.4 kWh/100 km; 1234.5 km", "15,4 kWh/100 km; 1234,5 km"),
        ("16:30.5", "16:30,5"),
        ("52.6, 0.1", "52.6, 0.1"),  # a place has its own commas
        ("2.9 bar all round", "2.9 bar all round"),
        ("6.2 km NE +12 m dyke", "6.2 km NE +12 m dyke"),
    ],
)
def test_a_field_writes_figures_and_leaves_words(at_home_in, text, here):
    at_home_in("de_DE")
    assert figure_here(text) == here


def seen(window: QWidget) -> Iterator[tuple[str, str]]:
    """What can be seen or heard of a window now, and of what it is."""
    with Painted() as painted:
        window.grab()
    yield from (("painted", x) for x in painted)
    for x in window.findChildren(QWidget):
        if not x.isVisible():
            continue
        kind = type(x).__name__
        if isinstance(x, QLabel | QAbstractButton | QLineEdit):
            yield kind, x.text()
        if isinstance(x, QLineEdit | QPlainTextEdit):
            yield kind, x.placeholderText()
        if isinstance(x, QComboBox):
            yield from ((kind, x.itemText(i)) for i in range(x.count()))
        if isinstance(x, QAbstractItemView) and not isinstance(x, QHeaderView) and x.model() is not None:
            yield from ((f"{kind}, a cell", text) for text in cells(x))
        yield f"{kind}, its tip", x.toolTip()
        yield f"{kind}, heard", f"{x.accessibleName()} {x.accessibleDescription()}"


def cells(view: QAbstractItemView) -> Iterator[str]:
    """Cells as they are painted."""
    model, painter = view.model(), view.itemDelegate()
    for i in range(model.rowCount(view.rootIndex())):
        for j in range(model.columnCount(view.rootIndex()) if hasattr(view, "horizontalHeader") else 1):
            text = str(model.index(i, j).data() or "")
            yield painter.displayText(text, QLocale()) if isinstance(painter, Cells) else text


@pytest.mark.parametrize("units", ["metric", "us"])
def test_no_page_shows_or_says_a_point(window, session, at_home_in, units):
    at_home_in("de_DE")
    session.set_units(UNIT_CHOICES[units])
    with_comma, found = 0, []
    # What one study says in its own words may stand as an example beside another's field.
    own = [x for made in demo_studies() for x in own_words(made.study) if WITH_POINT.search(x)]
    for made in demo_studies():
        window.show_study(session.add_study(made.study, made.traces))
        settle()
        for page in pages(window):
            for kind, text in seen(window):
                with_comma += len(re.findall(r"\d,\d", text))
                for words in own:
                    text = text.replace(words, "\u2026")
                found += [f"{page}: {kind}: {text}"] if WITH_POINT.search(text) else []
    window.go_home()
    for page, *_ in HOME_PAGES:
        window.home.show_page(page)
        settle()
        found += [f"{page}: {kind}: {x}" for kind, x in seen(window) if WITH_POINT.search(x)]
    assert found == []
    assert with_comma > 1000


def test_the_same_figures_stand_there_whatever_the_locale(qtbot, window, session, at_home_in):
    window.show_study(session.add_study(driven_study("ABBAABBA")))
    qtbot.waitUntil(lambda: session.comparison is not None, timeout=20000)
    window.go_to("verdict")
    settle()
    plain = {x for _, x in seen(window)}
    at_home_in("de_DE")
    session.set_units(UNIT_CHOICES["us"])
    session.set_units(UNIT_CHOICES["metric"])
    settle()
    now = {x for _, x in seen(window)}  # a question may have come in the meantime
    assert set(map(as_here, plain)) <= now
    assert sum("," in x for x in map(as_here, plain)) > sum("," in x for x in plain)


def test_what_was_typed_in_words_stands_as_it_was(window, session, at_home_in):
    at_home_in("de_DE")
    study = driven_study("ABBAABBA")
    baseline = study.baseline.with_(name="Tyres at 2.9 bar")
    window.show_study(
        session.add_study(
            study.with_(title="Vans, 2.4 t", configurations=(baseline, *study.configurations[1:]), route_name="")
        )
    )
    window.go_to("verdict")
    settle()
    texts = [x for _, x in seen(window)]
    assert any("Vans, 2.4 t" in x for x in texts) and any("\u201cTyres at 2.9 bar\u201d" in x for x in texts)
    rest = [x.replace("Vans, 2.4 t", "").replace("Tyres at 2.9 bar", "") for x in texts]
    assert not any(WITH_POINT.search(x) for x in rest) and any(re.search(r"\d,\d", x) for x in rest)
    # ... but for figures that stand by themselves, and in other words
    assert as_here("12.9 bar, 2.9 bar, Tyres at 2.9 bars") == "12,9 bar, 2,9 bar, Tyres at 2,9 bars"


def test_a_figure_is_typed_shown_and_left_in_the_locales_way(qtbot, opened, session, at_home_in):
    at_home_in("de_DE")
    opened.go_to("drive")
    field = opened.drive.cards["L01"].fields["distance_km"]
    type_into(qtbot, field, "18,35")
    assert session.study.leg("L01").distance_km == 18.35
    type_into(qtbot, field, "18.45")  # a point is taken as well
    assert session.study.leg("L01").distance_km == 18.45
    type_into(qtbot, opened.drive.cards["L01"].fields["temperature_c"], "14,5")
    settle()
    assert field.edit.text() == "18,45"
    before = session.undo.count()
    field.edit.setFocus()
    field.edit.editingFinished.emit()
    type_into(qtbot, field, "18,45")
    assert session.undo.count() == before and not field.has_fault
    type_into(qtbot, field, "far,5")
    assert field.has_fault and "far,5" in field.fault.text()


def test_a_cell_is_typed_shown_and_left_in_the_locales_way(qtbot, opened, session, at_home_in):
    at_home_in("de_DE")
    opened.go_to("drive")
    opened.drive.show_sheet(True)
    opened.drive.begin_typing()
    settle()
    table = opened.drive.table
    at = table.model.index(0, len(NAMES) + table.model.keys.index("distance_km"))
    view = table.view

    def open_cell():
        view.setCurrentIndex(at)
        qtbot.keyClick(view, Qt.Key.Key_F2)
        return [x for x in view.viewport().findChildren(QLineEdit) if x.isVisible()][-1]

    editor = open_cell()
    editor.selectAll()
    qtbot.keyClicks(editor, "18,35")
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    QApplication.processEvents()
    assert session.study.leg("L01").distance_km == 18.35
    with Painted():
        assert view.itemDelegate().displayText(at.data(), QLocale()) == "18,35"
    before = session.undo.count()
    editor = open_cell()
    assert editor.text() == "18,35"
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    QApplication.processEvents()
    assert session.undo.count() == before and session.study.leg("L01").distance_km == 18.35
    # So is one of several figures.
    assert table.model.type_in([("L01", "reading", "2,7 kWh; 14,7 kWh/100 km")])
    QApplication.processEvents()
    at = table.model.index(0, len(NAMES) + table.model.keys.index("reading"))
    before = session.undo.count()
    editor = open_cell()
    assert editor.text() == "2,7 kWh; 14,7 kWh/100 km" == view.itemDelegate().displayText(at.data(), QLocale())
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    QApplication.processEvents()
    assert session.undo.count() == before


def test_a_file_has_points_and_the_clipboard_what_the_spreadsheet_reads(qtbot, at_home_in, tmp_path, monkeypatch):
    from PySide6.QtWidgets import QTableWidgetItem

    at_home_in("de_DE")
    table = Table(1, 2, "Figures")
    qtbot.addWidget(table)
    for j, text in enumerate(("\u22123.2", "0.5 to 4.3 %")):
        table.setItem(0, j, QTableWidgetItem(text))
    table.setHorizontalHeaderLabels(["percent", "95 %"])
    table.resize(400, 120)
    assert list(cells(table)) == ["\u22123,2", "0,5 to 4,3 %"]
    monkeypatch.setattr("fairmargin.desktop.widgets.tables.ask_save", lambda *_: (str(tmp_path / "t.csv"), ""))
    assert save_rows(table)
    assert (tmp_path / "t.csv").read_text("utf-8").splitlines()[1] == "-3.2,0.5 to 4.3 %"
    copy_rows(table)
    assert QApplication.clipboard().text().splitlines()[1].startswith("-3,2\t")


def test_cells_of_a_file_are_shown_to_the_letter(qtbot, at_home_in):
    at_home_in("de_DE")
    table = Table(1, 1, "As it was", as_typed=True)
    qtbot.addWidget(table)
    assert not isinstance(table.itemDelegate(), Cells)


def test_axes_have_the_locales_ticks(window, session, at_home_in):
    at_home_in("de_DE")
    made = demo_studies()[0]
    window.show_study(session.add_study(made.study, made.traces))
    window.go_to("examine")
    settle()
    left = window.stage("examine").plot.getAxis("left")
    step = nice_step(1.0)
    assert left.tickStrings([-0.5, 14.5], 1.0, step)[1].startswith("14,5")
    assert left.tickStrings([-0.5], 1.0, step)[0].startswith("\u22120,5")


@pytest.mark.parametrize("locale", ["C", "de_DE"])
def test_a_cell_of_two_lines_has_two_lines(qtbot, at_home_in, locale):
    at_home_in(locale)
    table = Table(1, 1, "Figures")
    qtbot.addWidget(table)
    assert "\u2028" in table.itemDelegate().displayText("15.7\n\u00b10.02", QLocale())


def test_every_field_reads_what_it_shows(opened, session, at_home_in):
    """Whatever a field writes with a comma is read as the same value: typed again, nothing is stored and nothing refused."""
    at_home_in("de_DE")
    made = demo_studies()[0].study
    legs = made.legs
    study = made.with_(
        legs=(
            legs[0].with_(soc_start_percent=81.5, soc_end_percent=79.5, charger_kwh=2.45, energy_kwh=2.7, energy_step_kwh=0.1),
            legs[1].with_(running_shown=15.2, running_unit="kWh/100km", running_step=0.1, running_since=legs[0].leg),
            *legs[2:],
        ),
        readings=(WayReading(leg=legs[0].leg, instrument="state of charge", at_km=4.25, value=80.5, unit="%"),),
        change=made.change.with_(prediction=None, prediction_percent=-4.5),
        trip=Trip(
            stretches=(TripStretch(km=60.5, speed_kmh=87.5, climb_m=40), TripStretch(km=200, name="fen, 2.5 t limit")),
            chargers=(Charger(at_km=84.5, name="Mill Quay 1.2", kw=50.5, price_per_kwh=0.39),),
        ),
    )  # fmt: skip
    opened.show_study(session.add_study(study, {}))
    for choice in ("metric", "us"):
        session.set_units(UNIT_CHOICES[choice])
        settle()
        typed = []
        for page in pages(opened):
            fields = [f for f in opened.findChildren(Field) if f.isVisible() and not f.edit.isReadOnly()]
            for field in (f for f in fields if re.search(r"\d,\d", f.edit.text())):
                text = field.edit.text().strip()
                typed.append(text)
                field.edit.setText(f"{text} ")
                field.edit.setModified(True)
                field.edit.editingFinished.emit()
                assert not field.has_fault, (page, field.edit.accessibleName(), text, field.fault.text())
                settle()
                assert field.edit.text().strip() == text, (page, field.edit.accessibleName())
        assert len(set(typed)) > 20
        if choice == "metric":
            assert "60,5 at 87,5 +40 m; 200, fen, 2.5 t limit" in typed
            assert "2,7 kWh; 14,7; 2,45 kWh charged; 81,5-79,5 %" in typed
            assert "17,5; 15,2 kWh/100 km since L01" in typed and "4,25 km 80,5 %" in typed
            chargers = opened.stage("use").findChild(TripForm).chargers
            assert chargers.toPlainText() == "84,5 Mill Quay 1.2 50,5 kW 0,39"


@pytest.mark.parametrize(
    ("locale", "asked", "taken", "stored"),
    [
        ("en_US", "12,000", "12000", 12000.0),
        ("de_DE", "12.000", "12 000", 12000.0),
        ("de_DE", "12.000", "12000,5", 12000.5),
        ("en_GB", "12,000", "12000.5", 12000.5),
    ],
)
def test_what_may_be_a_thousand_is_asked_about(qtbot, opened, session, at_home_in, locale, asked, taken, stored):
    """A price or a year's distance of 12,000 is not 12 (common practice: what groups thousands hangs on the country)."""
    at_home_in(locale)
    opened.go_to("use")
    opened.stage("use").show_page("money")
    field = opened.stage("use").pages["money"].purchase
    type_into(qtbot, field, asked)
    assert (
        field.has_fault and f'"{asked}" may be 12000 or' in field.fault.text() and "write which" in field.fault.text()
    )
    decimal = "12,000" if locale == "de_DE" else "12.000"
    assert f"or {decimal}:" in field.fault.text(), "as it would be typed here"
    kept = session.study
    type_into(qtbot, field, taken)
    assert not field.has_fault and session.study != kept
    assert session.study.change.purchase_price == stored


def test_a_cell_of_the_sheet_asks_alike(qtbot, opened, session, at_home_in):
    at_home_in("en_US")
    opened.go_to("drive")
    opened.drive.show_sheet(True)
    settle()
    table = opened.drive.table
    before = session.study
    assert not table.model.type_in([("L01", "distance_km", "1,350")])
    assert "may be 1350 or 1.350" in table.model.fault and session.study == before
    assert table.model.type_in([("L01", "distance_km", "18,35")])
    assert session.study.leg("L01").distance_km == 18.35


@pytest.mark.parametrize("locale", ["C", "en_US", "de_DE", "fr_FR"])
@pytest.mark.parametrize(
    ("typed", "value"),
    [("1.5", 1.5), ("1,5", 1.5), ("-0.5", -0.5), ("\u22120,5", -0.5), (",5", 0.5), ("-7", -7.0), ("99", 9.0), ("-", 2.0), ("", 2.0), ("2h", 2.0)],
)  # fmt: skip
def test_a_number_with_arrows_takes_either_sign(qtbot, at_home_in, locale, typed, value):
    """Half an hour typed with the other sign became five: the toolkit takes that for what groups thousands."""
    at_home_in(locale)
    box = NumberBox()
    qtbot.addWidget(box)
    box.setRange(-14, 14)
    box.setDecimals(1)
    box.setValue(2.0)
    box.lineEdit().selectAll()
    if not typed.isascii():
        box.lineEdit().insert(typed)  # keys of a test are those of a plain keyboard
    elif typed:
        qtbot.keyClicks(box.lineEdit(), typed)
    else:
        qtbot.keyClick(box.lineEdit(), Qt.Key.Key_Delete)
    box.interpretText()
    assert box.value() == value
    assert box.text() == as_here(minus(f"{value:.1f}"))
    qtbot.keyClick(box, Qt.Key.Key_Up)
    assert box.value() == min(value + box.singleStep(), 14.0)


def test_what_is_stored_is_not_asked_about_again(qtbot, opened, session, at_home_in):
    """Masses from another country's laptop stand in the study; an edit draws the page that weighs them."""
    at_home_in("en_US")
    study = session.study
    details = {**study.plan.details, "wheel_mass": "9,800 kg; 12,200 kg"}
    change = study.change.with_(kind="wheels")
    assert session.edit(study.with_(change=change, plan=study.plan.with_(details=details)), "brought in")
    opened.go_to("question")
    settle()
    field = opened.stage("question").fields["speed"]
    type_into(qtbot, field, "91")
    assert not field.has_fault and session.study.target_speed_kmh == 91
