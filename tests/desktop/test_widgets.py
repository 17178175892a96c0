"""The shared widgets, each by itself."""

from datetime import datetime

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QFont, QTextCursor
from PySide6.QtWidgets import QApplication, QLabel
from tests.conftest import driven_study
from tests.desktop.conftest import type_into
from tests.reading_pages import Painted
from tests.unlike import unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.planning import Share
from fairmargin.core.study.entry import read_clock, show_number, show_reading
from fairmargin.core.units import UNIT_CHOICES, show_duration
from fairmargin.desktop.stage_progress import stops_of
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.axis import Axis, nice_step
from fairmargin.desktop.widgets.basics import WrappedLabel, percent, signed
from fairmargin.desktop.widgets.charts import fall_of
from fairmargin.desktop.widgets.fairness import FairnessLedger, leg_words
from fairmargin.desktop.widgets.inputs import Words
from fairmargin.desktop.widgets.marginbar import MarginBar, between
from fairmargin.desktop.widgets.planning.expected import SplitBar
from fairmargin.exchange.tables.pasted import apply_cells, read_cells
from fairmargin.exchange.words.steps import shown_steps

METRIC = UNIT_CHOICES["metric"]


@pytest.mark.parametrize("value, text", [(-3.61, "\u22123.6 %"), (0.04, "0.0 %"), (-0.04, "0.0 %"), (2.0, "+2.0 %")])
def test_per_cents_are_written_with_true_signs(value, text):
    assert percent(value) == text
    assert signed(value) == text.removesuffix(" %")


def test_a_label_knows_its_height_again_after_every_change(qtbot):
    """What is kept of a height is what the toolkit says of the same text, type and width."""
    words = "A sentence that takes several lines in a narrow column, and says which leg is meant. "
    made = WrappedLabel(words)
    plain = QLabel(words)
    plain.setTextFormat(Qt.TextFormat.PlainText)
    plain.setWordWrap(True)
    plain.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    for one in (made, plain):
        qtbot.addWidget(one)
        one.show()

    def alike(change=lambda one: None):
        for one in (made, plain):
            change(one)
        heights = [[one.heightForWidth(w) for w in (90, 200, 400, 90)] for one in (made, plain)]
        assert heights[0] == heights[1]
        return heights[0]

    first = alike()
    assert first[0] > first[1] > first[2]
    assert alike(lambda one: one.setText(3 * words))[0] > 2 * first[0]
    larger = QFont(made.font())
    larger.setPixelSize(30)
    taller = alike(lambda one: one.setFont(larger))
    assert taller[1] > 3 * first[1]
    assert alike(lambda one: one.setStyleSheet("padding: 12px; font-size: 11px;"))[1] < taller[1]
    assert alike(lambda one: one.setText(words))[2] < taller[2]


@pytest.mark.parametrize("span, step", [(12, 2), (0.9, 0.2), (70, 20), (6, 1)])
def test_ticks_are_round(span, step):
    assert nice_step(span) == pytest.approx(step)


def test_legs_are_named_briefly():
    study = driven_study("ABBA")
    names = [leg.leg for leg in study.legs]
    assert leg_words(study, tuple(names)) == "all legs"
    assert leg_words(study, ("L03",)) == "leg L03"
    assert leg_words(study, ("L04", "L03", "L05")) == "legs L03 to L05"
    assert leg_words(study, ("L01", "L03", "L05", "L07")) == "legs L01, L03, L05 and 1 more"
    without = study.with_leg("L08", included=False, reason="x")
    assert leg_words(without, tuple(names[:-1])) == "all legs used"
    assert leg_words(study, ()) == ""


def test_margin_bar_says_what_it_draws(qtbot, qapp):
    bar = MarginBar()
    qtbot.addWidget(bar)
    bar.show_analysis(None, None)
    assert bar.accessibleName() == "No study open"
    study = driven_study("ABBAABBA")
    result = analyse(study)
    bar.show_analysis(study, result)
    words = bar.accessibleName()
    assert words.startswith("Trial: ") and "% less" in words and "95 %" in words and "as read \u22125.0 %" in words
    bar.resize(900, bar.HEIGHT)
    assert not bar.grab().isNull()
    assert between(result.comparisons[0]).startswith("between ")


def test_fairness_ledger_leads_to_the_stage(qtbot, qapp):
    ledger = FairnessLedger()
    qtbot.addWidget(ledger)
    study = driven_study("AABB")
    ledger.show_analysis(study, analyse(study))
    ledger.show()
    from PySide6.QtWidgets import QPushButton

    plan = next(b for b in ledger.findChildren(QPushButton) if "Look in Plan" in b.text())
    with qtbot.waitSignal(ledger.goTo) as heard:
        qtbot.mouseClick(plan, Qt.MouseButton.LeftButton)
    assert heard.args == ["plan"]
    ledger.show_analysis(None, None)
    assert "appear here" in ledger._intro.text()


def words_of(widget):
    return [x.text() for x in widget.findChildren(QLabel) if x.text()]


def test_the_ledger_is_the_margin(qtbot, qapp):
    """Its lines add in squares to the interval on screen, and the largest says what would help."""
    ledger = FairnessLedger()
    qtbot.addWidget(ledger)
    study = driven_study("AABB")
    c = analyse(study).comparisons[0]
    ledger.show_analysis(study, analyse(study))
    shown = words_of(ledger)
    first = shown.index("What makes the margin") + 1
    last = next(i for i, x in enumerate(shown) if x in {"Open doubts", "Seen to"})
    halves = [float(x[1:]) for x in shown[first:last] if x.startswith("\u00b1")]
    assert sum(h * h for h in halves) ** 0.5 == pytest.approx(c.half_width_percent, abs=0.15)
    assert c.margin[0].remedy in shown[first:last]
    assert shown[-3:-1] == ["Margin", f"\u00b1{c.half_width_percent:.1f}"]
    assert shown[-1] == c.standing.sentence


def test_the_ledger_tells_open_doubts_from_what_is_seen_to(qtbot, qapp):
    ledger = FairnessLedger()
    qtbot.addWidget(ledger)
    study, traces = unlike()["distance-unlike"]
    result = analyse(study, traces)
    ledger.show_analysis(study, result)
    shown = words_of(ledger)
    still = {x.title for x in result.comparisons[0].concerns if not x.covered}
    assert still
    cut = shown.index("Seen to") if "Seen to" in shown else len(shown)
    assert still <= set(shown[shown.index("Open doubts") : cut])
    assert "neither corrected nor in the margin" in shown[-1]


def test_a_field_keeps_a_fault_until_it_is_mended(qtbot, qapp):
    stored = []

    def commit(text):
        if not text.isdigit():
            raise ValueError("expected digits")
        stored.append(text)

    field = Field("Count", commit)
    qtbot.addWidget(field)
    field.show()
    field.show_text("5")
    field.edit.selectAll()
    qtbot.keyClicks(field.edit, "x")
    qtbot.keyClick(field.edit, Qt.Key.Key_Return)
    assert field.fault.text() == "expected digits" and field.has_fault and stored == []
    field.show_text("5")
    assert field.edit.text() == "x"
    field.edit.selectAll()
    qtbot.keyClicks(field.edit, "7")
    qtbot.keyClick(field.edit, Qt.Key.Key_Return)
    assert stored == ["7"] and not field.has_fault
    field.show_text("7")
    assert field.edit.text() == "7"


@pytest.mark.parametrize(
    "text, header, rows, roles",
    [
        ("15.4\t18.4\n15.6\t18.4\n", None, 2, ["reading", "distance_km"]),
        ("Average (kWh/100 km);Temp;Remark\n15,4;12;ok\n", 3, 1, ["reading", "temperature_c", "note"]),
        ("leg,average,wind,from\nL01,15.4,3,220\n", 4, 1, ["leg", "reading", "wind_speed_ms", "wind_from_deg"]),
        ("15.4", None, 1, ["reading"]),
    ],
)
def test_pasted_columns_are_guessed(text, header, rows, roles):
    pasted = read_cells(text)
    assert (len(pasted.header) if pasted.header else None) == header
    assert len(pasted.rows) == rows and pasted.roles == roles


def test_pasted_rows_beyond_the_legs_are_told():
    study = driven_study("AB")
    pasted = read_cells("\n".join("15.0\t18.0" for _ in range(6)))
    made = apply_cells(study, pasted, pasted.roles, METRIC, "L02", datetime(2026, 5, 2))
    after, changed, faults = made.study, made.changed, made.faults
    assert changed == 3 and len(faults) == 3 and "more rows than legs" in faults[0][2]
    assert after.leg("L01") == study.leg("L01")


def test_small_texts():
    leg = driven_study("AB").legs[0]
    assert show_reading(leg) == "170.0 Wh/km"
    assert show_reading(leg.with_(energy_kwh=2.9, energy_step_kwh=0.01)) == "2.90 kWh"
    assert show_duration(1019.7) == "17:00" and show_duration(990) == "16:30" and show_duration(None) == ""
    assert show_number(1.50) == "1.5" and show_number(None) == "" and show_number(100.0, 0) == "100"
    assert read_clock("9:05", leg.started_at).hour == 9
    assert read_clock("", leg.started_at) is None


def test_an_axis_puts_values_and_round_ticks_where_they_belong():
    across = Axis.whole_ticks(-3.3, 2.1, 20.0, 620.0)
    assert (across.low, across.high) == (-4.0, 3.0)
    assert list(across.ticks()) == [-4.0, -3.0, -2.0, -1.0, 0.0, 1.0, 2.0, 3.0]
    assert across.at(-4.0) == 20.0
    assert across.at(3.0) == 620.0
    upright = Axis(0.0, 1.0, 200.0, 0.0, 4)
    assert upright.at(0.25) == 150.0  # more is higher up
    assert (upright.step, upright.decimals) == (0.5, 1)
    assert list(Axis(101.3, 104.9, 0.0, 1.0, 4).ticks()) == [102.0, 103.0, 104.0]


def test_the_band_of_what_does_not_matter_is_as_wide_as_it_says(qtbot, qapp, monkeypatch):
    bar = MarginBar()
    qtbot.addWidget(bar)
    study = driven_study("ABBAABBA").with_(smallest_effect_percent=2.0)
    bar.show_analysis(study, analyse(study))
    bar.resize(900, bar.HEIGHT)
    axes, made = [], bar._axis
    monkeypatch.setattr(bar, "_axis", lambda *given: axes.append(made(*given)) or axes[-1])
    image = bar.grab().toImage()
    scale = image.width() / 900
    axis = axes[-1]
    band = theme.colour("band").rgb()
    row = round(46 * scale)
    shown = [x for x in range(image.width()) if image.pixel(x, row) == band]
    per_percent = (axis.at(2.0) - axis.at(-2.0)) / 4.0
    assert (max(shown) - min(shown)) / scale / per_percent == pytest.approx(4.0, abs=0.15)


def test_headline_and_small_print_agree(qtbot, window):
    """Not settled: the best figure, in grey, and no range beside the stage; not fair: no tick, no range anywhere."""
    from fairmargin.desktop.widgets.marginbar import verdict_head

    def shown(study):
        window.session.add_study(study)
        stops = {s.stage: s for s in stops_of(window.session, window.session.study)}
        return window.session.comparison, stops

    c, stops = shown(driven_study("AB", effect=0.99))
    assert c.verdict == "not settled"
    size = f"{abs(c.effect_percent):.1f} % {'more' if c.effect_percent > 0 else 'less'}"
    assert verdict_head(window.session.study, c) == f"Trial: {size}, not settled"
    assert stops["use"].word == "" and stops["verdict"].state == "begun"
    c, stops = shown(driven_study("ABBAABBA", effect=0.9))
    assert c.verdict == "uses less" and stops["use"].word.endswith("range")
    moved = sum(s.percent for s in shown_steps(c))
    assert stops["correct"].word == f"steps {percent(moved)}"
    one_way = [x for x in driven_study("ABBA").legs if (x.direction == "out") == (x.configuration == "A")]
    c, stops = shown(driven_study("ABBA").with_legs(one_way))
    assert c.verdict == "not a fair comparison"
    assert stops["use"].word == "" and stops["verdict"].state == "begun"
    window.go_to("use")
    assert "range" not in window.stage("use").range.range_words.text()


def test_a_prediction_has_its_flag_whatever_its_unit(qtbot, window):
    """Baseline 170 Wh/km as read; 3.6 to 3.8 mi/kWh are 172.6 and 163.5 Wh/km, in the middle −1.1 %."""
    from fairmargin.core.result.claims import predicted_percent
    from fairmargin.core.study.statements import Prediction

    study = driven_study("ABBA")
    said = study.with_(change=study.change.with_(prediction=Prediction(low=3.6, high=3.8, unit="mi/kWh")))
    window.session.add_study(said)
    c = window.session.comparison
    middle = (621.371 / 3.6 + 621.371 / 3.8) / 2
    assert predicted_percent(said, c) == pytest.approx(100 * (middle / c.baseline_as_read - 1), abs=0.01)
    assert predicted_percent(study, c) is None
    per_cent = study.with_(change=study.change.with_(prediction_percent=-4.0))
    assert predicted_percent(per_cent, c) == -4.0 and predicted_percent(said, None) is None


@pytest.mark.parametrize("name", ["none", "colder", "wind-strong", "logged"])
def test_the_way_of_every_leg_adds_up_as_it_is_printed(name):
    """As read, each correction, corrected: to the tenth of a Wh/km, in kilometres and in miles."""
    for leg in analyse(*unlike()[name]).legs:
        lines = list(leg.corrections_wh_per_km.items())
        for factor, unit in ((1.0, "Wh/km"), (1.609344, "Wh/mi")):
            fall = fall_of(leg.measured_wh_per_km, lines, factor, unit, 1)
            total = float(f"{fall.start:.1f}") + sum(x for _, x in fall.lines)
            assert total == pytest.approx(float(f"{fall.end:.1f}"), abs=1e-6)
            for (_, exact), (_, x) in zip(lines, fall.lines, strict=True):
                assert abs(x - exact * factor) <= 0.1 + 1e-9


def test_the_sum_is_written_out_when_it_is_asked_for(qtbot, window):
    window.session.add_study(driven_study("ABBA"))
    window.go_to("verdict")
    page = window.stage("verdict")
    assert not page.sums.isVisibleTo(page) and page.sums.text() == ""
    page.show_sum.click()
    assert page.sums.isVisibleTo(page) and "/ 2 = " in page.sums.text() and "nothing else" in page.sums.text()
    window.session.edit(window.session.study.with_leg("L01", average_shown=180.0), "another reading")
    assert "out 17.50" in page.sums.text(), "it follows the readings while it is open"
    page.show_sum.click()
    assert not page.sums.isVisibleTo(page)


def test_where_the_energy_goes_is_told_in_ones_own_unit(qtbot, qapp):
    """By hand: 100 Wh/km are 160.9 Wh/mi and 10 kWh/100 km; who reads mi/kWh gets energy over distance, which adds up."""
    bar = SplitBar()
    qtbot.addWidget(bar)
    share = Share(air=60.0, tyres=40.0, hills=0.0, climate=0.0, driveline=0.0)
    for units, said in (("us", "air 97 Wh/mi"), ("metric-wh", "air 60 Wh/km"), ("metric", "air 6.0 kWh/100 km")):
        bar.show_share(share, 100.0, UNIT_CHOICES[units])
        assert bar.accessibleName().startswith(said)
        assert not bar.grab().isNull()


def test_an_entry_of_the_ledger_that_says_the_same_stays_where_it_is(opened):
    """Only what an edit changes is made anew; nothing is left behind, nothing shown twice."""
    ledger = opened.ledger
    opened.go_to("drive")
    QApplication.processEvents()
    before = dict(ledger._made)
    assert len(before) > 3
    opened.session.edit(opened.session.study.with_leg("L01", note="calm"), "note")  # moves no figure
    QApplication.processEvents()
    assert set(ledger._made) == set(before)
    opened.session.edit(opened.session.study.with_leg("L01", temperature_c=24.0), "air")
    QApplication.processEvents()
    kept = set(ledger._made) & set(before)
    assert kept and set(ledger._made) - kept, "some lines say another thing now"
    places = [ledger._list.itemAt(i).widget() for i in range(ledger._list.count())]
    assert [w for w in places if w is not None] == list(ledger._made)
    opened.session.set_units(UNIT_CHOICES["us"])
    QApplication.processEvents()
    assert not ({w for w, key in ledger._made.items() if key[0] != "section"} & set(before)), "said in other units"


def test_a_field_that_says_what_is_wrong_leaves_those_beside_it_where_they_were(qtbot, opened):
    opened.go_to("question")
    stage = opened.stage("question")
    air, speed = stage.fields["reference_t"], stage.fields["speed"]
    QApplication.processEvents()

    def places():
        # the prediction stands in the panel beside, the claim below it
        fields = (air, speed, stage.fields["prediction"], stage.fields["claim"])
        return [(x.mapTo(stage, x.rect().topLeft())).y() for f in fields for x in (f.caption, f.edit)]

    before, labels = places(), len(stage.findChildren(QLabel))
    type_into(qtbot, speed, "900")
    QApplication.processEvents()
    assert speed.fault.isVisible() and "expected 5 to 300 km/h" in speed.fault.text()
    assert speed.fault.height() >= speed.fault.heightForWidth(speed.fault.width())  # all of it is seen
    assert speed.fault.mapTo(stage, speed.fault.rect().topLeft()).y() >= before[3] + speed.edit.height()
    assert places() == before
    assert len(stage.findChildren(QLabel)) == labels + 1  # made when it was wanted
    type_into(qtbot, speed, "90")
    QApplication.processEvents()
    assert not speed.fault.isVisible() and places() == before


@pytest.mark.parametrize("points", [9, 12, 17])
def test_the_last_line_in_sight_is_whole_whatever_the_type(qtbot, points):
    text = Words("\n".join(f"line {i}" for i in range(1, 9)), lines=4)
    qtbot.addWidget(text)
    text.setStyleSheet(f"font-size: {points}pt; padding: 3px 6px; border: 1px solid black;")
    text.show()
    QApplication.processEvents()

    def bottom(line):
        return text.cursorRect(QTextCursor(text.document().findBlockByNumber(line - 1))).bottom()

    room = text.viewport().height()
    assert bottom(4) <= room < bottom(5) - 4


@pytest.mark.parametrize("unit", ["metric", "us"])
def test_the_rail_has_the_whole_consumption_of_one_configuration(qtbot, window, unit):
    study = driven_study("AAAA")
    window.session.set_units(UNIT_CHOICES[unit])
    window.session.add_study(study.with_(configurations=study.configurations[:1]))
    window.go_to("verdict")
    QApplication.processEvents()
    (word,) = {s.word for s in stops_of(window.session, window.session.study) if "Wh" in s.word}
    assert word.split()[-1] in {"km", "Wh/mi"}
    with Painted() as painted:
        window.road.update()
        window.road.grab()
    assert word in painted
