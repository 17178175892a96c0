"""A report on paper: its pages, what it is made of, and words that can be read after names in any script."""

import base64
import io
import re
import zlib

import pytest
from PIL import Image
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.study.attachments import Attachment
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.reports.content import Table, content
from fairmargin.exchange.reports.pdf import Sheet, finished, to_pdf
from fairmargin.exchange.reports.writing import usual_paper, write_report

METRIC, US = UNIT_CHOICES["metric"], UNIT_CHOICES["us"]
NOW = __import__("datetime").datetime(2026, 5, 3)


def picture():
    out = io.BytesIO()
    Image.new("RGB", (60, 40), "navy").save(out, "PNG")
    return base64.b64encode(out.getvalue()).decode()


@pytest.fixture(scope="module")
def study():
    made = driven_study("ABBA", values=[165, 160, 158, 167, 160, 166, 164, 161], tester="I. Fenn")
    photo = Attachment(file="meter.png", of="study", note="the trip computer before L01", data=picture())
    return made.with_(attachments=(photo,), plan=made.plan.with_(place="Wexmoor"))


@pytest.fixture(scope="module")
def told(study):
    return content(study, analyse(study), US, NOW)


def streams(pdf):
    """What the pages draw, unpacked."""
    for raw in re.findall(rb"stream\r?\n(.*?)endstream", pdf, re.DOTALL):
        try:
            yield zlib.decompress(raw)
        except zlib.error:
            continue


def test_it_names_tester_place_and_instruments(told):
    facts = dict(told.facts)
    assert facts["Tester"] == "I. Fenn" and facts["Place"] == "Wexmoor"
    own = next(t for t in told.tables if t.title == "Instruments")
    assert own.rows[0][:2] == ("trip average", "8")
    assert [p.caption for p in told.photos] == ["the study: the trip computer before L01"]


def test_corrections_add_up_in_the_units_of_the_reader(study, told):
    table = next(t for t in told.tables if t.title.startswith("Corrections"))
    assert table.title == "Corrections, Wh/mi"
    metric = next(t for t in content(study, analyse(study), METRIC, NOW).tables if t.title == "Corrections, Wh/km")
    for mine, theirs in zip(table.rows, metric.rows, strict=True):
        figures = [float(x.replace("\u2212", "-")) for x in mine[2:]]
        assert sum(figures[:-1]) == pytest.approx(figures[-1], abs=0.06 * len(figures))
        assert figures[0] == pytest.approx(float(theirs[2]) * 1.609344, abs=0.1)
    assert "Wh/km" not in " ".join(svg for _, svg in told.figures) and any("Wh/mi" in svg for _, svg in told.figures)


def test_figures_stand_from_the_right_and_words_from_the_left():
    table = Table(
        "T",
        ("Leg", "At", "Wind", "Note"),
        (("L01", "08:30", "\u22123.1", "driven"), ("L02", "", "4 / 20\u00b0", "")),
        1,
    )
    assert [table.is_figures(i) for i in range(4)] == [False, True, True, False]


def test_pages_are_numbered_tagged_and_of_the_paper_asked_for(told):
    for paper, size in (("A4", b"595.28 841.89"), ("Letter", b"612")):
        pdf = to_pdf(told, paper)
        assert size in re.search(rb"/MediaBox \[([^\]]+)\]", pdf)[1]
        assert b"/MarkInfo" in pdf and b"/Lang (en)" in pdf and b"/Outlines" in pdf and b"/Alt" in pdf
        assert b"I. Fenn" in pdf or "I. Fenn".encode("utf-16-be") in pdf
        assert pdf.count(b"/Type /Page\n") >= 3
    assert (usual_paper(US), usual_paper(METRIC), usual_paper(UNIT_CHOICES["uk"])) == ("Letter", "A4", "A4")


def test_no_table_is_set_smaller_than_eight_and_a_half_points(told):
    sizes = {float(x) for s in streams(to_pdf(told)) for x in re.findall(rb"/F\d+ ([\d.]+) Tf", s)}
    assert sizes and min(sizes) >= 8.5


def test_wide_tables_lie_across_and_the_rest_stands(told):
    boxes = re.findall(rb"/MediaBox \[0 0 ([\d.]+) ([\d.]+)\]", to_pdf(told))
    assert any(float(w) > float(h) for w, h in boxes)


def test_words_after_letters_of_the_wider_type_can_be_read():
    """The writer forgets that the page stands in the wider type; each text names its own again."""
    sheet = Sheet("t", "foot", "A4")
    sheet.text("\u2610 \u041f\u0440\u0438\u0432\u0435\u0442", 9.5)
    sheet.text("Plain words.", 9.5)
    page = max(streams(finished(sheet)), key=len)
    texts = re.findall(rb"BT (.*?) ET", page, re.DOTALL)
    assert all(b" Tf" in t for t in texts), texts


def test_a_page_has_its_photograph_and_words_for_who_cannot_see_it(study, tmp_path):
    write_report(tmp_path / "r.html", study, analyse(study), US, NOW)
    page = (tmp_path / "r.html").read_text()
    assert f'<img alt="the study: the trip computer before L01" src="data:image/png;base64,{picture()}">' in page
    assert '<meta name="author" content="I. Fenn">' in page and 'scope="col"' in page and "counter(pages)" in page
    assert page.count('role="img"') >= 2
