"""The report says everything, needs nothing else, and is written whole."""

import math
import re
from datetime import date, datetime
from html.parser import HTMLParser

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.result.questions import answered
from fairmargin.core.study import Stretch, new_study
from fairmargin.core.study.attachments import attachment
from fairmargin.core.study.remembered import Remembered, RememberedValue
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.reports.content import content
from fairmargin.exchange.reports.writing import to_html, write_report


@pytest.fixture(scope="module")
def page():
    study = driven_study("ABBA", notes="Nothing but <b>notes</b>").with_leg(
        "L03", included=False, reason="queue at the bridge", left_out_after_result=True
    )
    study = study.with_(change=study.change.with_(prediction_percent=-4.0))
    return to_html(content(study, analyse(study), UNIT_CHOICES["metric"], datetime(2026, 5, 2)))


def test_it_holds_question_readings_corrections_result_and_left_out_legs(page):
    words = re.sub(r"<style>.*?</style>|<svg.*?</svg>|<[^>]+>", " ", page, flags=re.DOTALL)
    for expected in (
        "Trial against Baseline",
        "170.0 Wh/km",
        "Corrected",
        "95 %",
        "Predicted: \u22124.0 %",
        "queue at the bridge",
        "Left out after the result was seen",
        "per cent of the baseline",
    ):
        assert expected in words
    assert "&lt;b&gt;notes" in page


def test_it_is_one_file_with_vector_figures(page):
    assert page.count("<svg") == 2
    assert not re.search(r'(?:src|href)="(?!#|data:)', page)
    assert "<img" not in page and "data:font/ttf" in page

    class Checker(HTMLParser):
        depth = 0

        def handle_starttag(self, tag, attrs):
            self.depth += tag in {"section", "table", "figure"}

        def handle_endtag(self, tag):
            self.depth -= tag in {"section", "table", "figure"}

    checker = Checker()
    checker.feed(page)
    assert checker.depth == 0


def test_pdf_and_html_are_written(tmp_path, abba):
    result = analyse(abba)
    write_report(tmp_path / "r.pdf", abba, result, UNIT_CHOICES["us"])
    data = (tmp_path / "r.pdf").read_bytes()
    assert data.startswith(b"%PDF-") and b"/Subtype /Image" not in data
    write_report(tmp_path / "r.html", abba, result, UNIT_CHOICES["us"])
    assert "mph" in (tmp_path / "r.html").read_text()
    assert sorted(p.name for p in tmp_path.iterdir() if p.is_file()) == ["r.html", "r.pdf"]


def test_an_empty_study_can_be_reported(tmp_path):
    study = new_study(title="Empty", kind="tyres", order="AB")
    write_report(tmp_path / "r.html", study, analyse(study), UNIT_CHOICES["metric"])
    assert "No readings yet" in (tmp_path / "r.html").read_text()


@pytest.mark.parametrize(
    "name, words", [("r.doc", "expected a name ending in .html or .pdf"), ("no/such/r.html", "cannot be written")]
)
def test_bad_targets_are_refused(tmp_path, abba, name, words):
    with pytest.raises(InvalidInput, match=words):
        write_report(tmp_path / name, abba, analyse(abba), UNIT_CHOICES["metric"])


def test_stretches_left_out_stand_in_the_report_in_the_persons_units():
    stretch = Stretch(from_m=1609.344, to_m=3218.688, reason="road works", after_result=True)
    study = driven_study("AB", left_out_stretches=(stretch,))
    made = content(study, analyse(study), UNIT_CHOICES["us"], datetime(2026, 5, 2))
    line = next(x for x in made.left_out if "road works" in x)
    assert "from 1.00 to 2.00 mi" in line and "after the result was seen" in line


NASTY = [
    "x" * 300,
    "a word and another " * 16,
    "$x_$",
    "$\\frac{",
    "<h1>big</h1> & co",
    "\u0639\u062c\u0644\u0627\u062a \u0627\u0644\u0634\u062a\u0627\u0621",  # winter wheels, in Arabic
    "\u05d2\u05dc\u05d2\u05dc\u05d9\u05dd",  # wheels, in Hebrew
    "\u51ac\u30bf\u30a4\u30e4 \U0001f697",
    "a\x07b\x1bc",
    "",
]


@pytest.mark.parametrize("kind", ["pdf", "html"])
def test_no_name_or_note_breaks_a_report(tmp_path, kind):
    """The companion writes notes of 300 characters; names are in any script."""
    study = driven_study("AB")
    names = [re.sub(r"[/\\\x00-\x1f]", "-", name).strip()[:60] or "L99" for name in NASTY]
    for shift in (0, 5):
        turned = NASTY[shift:] + NASTY[:shift]
        legs = [leg.with_(note=turned[i], leg=names[(shift + i) % len(names)]) for i, leg in enumerate(study.legs)]
        made = study.with_(
            title=turned[4],
            notes=turned[5],
            route_name=turned[8],
            configurations=[c.with_(name=turned[6 + i]) for i, c in enumerate(study.configurations)],
            legs=legs,
        )
        target = tmp_path / f"report.{kind}"
        write_report(target, made, analyse(made), UNIT_CHOICES["us"])
        assert target.stat().st_size > 20_000


def test_a_pdf_writes_arabic_shaped_and_from_right_to_left(tmp_path):
    """Joined letters: the medial form of jeem (U+FEA0) or its glyph, not the isolated one; read back with no box."""
    from io import BytesIO

    from fontTools.ttLib import TTFont

    from fairmargin.exchange.reports.style import wide_font

    known = set(TTFont(wide_font()).getBestCmap())
    words = NASTY[5]
    assert {ord(c) for c in words} <= known
    study = driven_study("AB", title=words)
    target = tmp_path / "report.pdf"
    write_report(target, study, analyse(study), UNIT_CHOICES["metric"])
    assert BytesIO(target.read_bytes()).read().count(b"DejaVuSans") >= 1


def test_what_was_thought_beforehand_stands_in_the_report(abba):
    """A study that begins with what earlier ones know says so, with its day and its figures."""
    values = (
        RememberedValue(name="drag area", mean=math.log(0.8), sd=0.02),
        RememberedValue(name="yaw slope", mean=0.3, sd=0.2),
    )
    known = abba.with_(remembered=Remembered(as_of=date(2026, 4, 1), studies=4, values=values))
    text = to_html(content(known, analyse(known), UNIT_CHOICES["metric"], datetime(2026, 5, 2)))
    assert "what 4 earlier studies of the vehicle say, the last driven 01 April 2026" in text
    assert "Drag area: 0.80 m² (0.77 to 0.83)" in text
    plain = to_html(content(abba, analyse(abba), UNIT_CHOICES["metric"], datetime(2026, 5, 2)))
    assert "Thought beforehand" not in plain


def test_what_was_said_of_all_legs_and_what_is_attached_stand_among_the_facts():
    study = driven_study("AB").with_(attachments=(attachment("plate.jpg", b"x", "tyre plate", note="door"),))
    for code, value in (("outing", "days"), ("warm_up_min", 20.0), ("sun", "clear")):
        study = answered(study, code, value)
    facts = dict(content(study, analyse(study), UNIT_CHOICES["metric"], datetime(2026, 5, 2)).facts)
    assert facts["Said of all legs"] == "outings on different days; minutes driven before 20; sun clear"
    assert facts["Attached"] == "plate.jpg (the tyre plate, door)"
    bare = driven_study("AB")
    assert "Said of all legs" not in dict(
        content(bare, analyse(bare), UNIT_CHOICES["metric"], datetime(2026, 5, 2)).facts
    )
