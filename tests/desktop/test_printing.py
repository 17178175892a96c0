"""Printing with Ctrl+P: what there is, on which paper, on which printer; nothing is lost where there is none."""

import os
import stat
from functools import partial

import pandas as pd
import pytest
from PySide6.QtCore import QLocale, Qt
from PySide6.QtWidgets import QApplication, QDialog
from tests.desktop.conftest import type_into
from tests.desktop.on_the_road import plan

from fairmargin.desktop.dialogs import printing as dialogs
from fairmargin.desktop.system import printers


@pytest.fixture
def printed(opened, monkeypatch):
    """A window that notes what would be printed, and shown."""
    opened.papers, opened.seen = [], []
    opened.printing.print_file = lambda path, printer: opened.papers.append((path, printer)) or ""
    opened.printing.show_file = lambda path: opened.seen.append(path) or True
    opened.printing.printers = lambda: ["workshop"]
    return opened


def answer(monkeypatch, what=None, paper=None, printer=None):
    """Answer the dialog as somebody would."""
    seen = []

    def choose(self):
        seen.append([self.what.itemText(i) for i in range(self.what.count())])
        for box, wanted in ((self.what, what), (self.paper, paper), (self.printer, printer)):
            if wanted is not None:
                assert box.findText(wanted) >= 0, wanted
                box.setCurrentIndex(box.findText(wanted))
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(dialogs.PrintDialog, "exec", choose)
    return seen


def test_ctrl_p_prints_the_report_on_the_usual_printer(printed, qtbot, monkeypatch):
    offered = answer(monkeypatch)
    qtbot.keyClick(printed, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    assert offered == [["Report", "Sheet of the day", "Result card"]]
    [(path, printer)] = printed.papers
    assert printer == "workshop" and path.name.endswith(", report.pdf") and path.read_bytes()[:5] == b"%PDF-"
    assert stat.S_IMODE(path.stat().st_mode) == 0o600 and stat.S_IMODE(path.parent.stat().st_mode) == 0o700
    assert printed.notice_text.text() == "Printed on workshop."


@pytest.mark.parametrize(
    ("what", "paper", "size"), [("Sheet of the day", "Letter", b"612"), ("Result card", "A4", b"595.28")]
)
def test_sheet_and_card_are_shown_first_where_that_is_wanted(printed, monkeypatch, what, paper, size):
    answer(monkeypatch, what, paper, dialogs.READER)
    printed.printing.ask()
    [path] = printed.seen
    assert not printed.papers and size in path.read_bytes()


def test_a_printer_that_refuses_is_told(printed, monkeypatch):
    printed.printing.print_file = lambda path, printer: "out of paper"
    answer(monkeypatch)
    printed.printing.ask()
    assert printed.notice_text.text() == "Not printed: out of paper"


def test_where_nothing_opens_a_pdf_its_place_is_told(printed, monkeypatch):
    printed.printing.show_file = lambda path: False
    answer(monkeypatch, printer=dialogs.READER)
    printed.printing.ask()
    assert "Nothing on this machine opens a PDF; it lies at " in printed.notice_text.text()


def test_of_a_plan_the_sheet_and_the_report_but_no_card(printed, monkeypatch):
    printed.session.add_study(plan())
    offered = answer(monkeypatch, "Sheet of the day")
    printed.printing.ask()
    assert "Result card" not in offered[0] and "Sheet of the day" in offered[0]


def test_without_a_study_it_is_said(window):
    window.printing.ask()
    assert "Open a study first" in window.notice_text.text()


def test_paper_goes_by_the_desktops_country():
    assert printers.paper_here(QLocale("en_US")) == "Letter" and printers.paper_here(QLocale("es_MX")) == "Letter"
    assert printers.paper_here(QLocale("en_GB")) == "A4" and printers.paper_here(QLocale("de_DE")) == "A4"


def test_printers_are_those_of_the_print_system_the_usual_first(tmp_path, monkeypatch):
    for name, text in (
        ("lpstat", '[ "$1" = -e ] && printf "attic\\nworkshop\\n" || echo "system default destination: workshop"'),
        (
            "lp",
            f'echo "$@" > {tmp_path}/told; [ "$2" = attic ] && {{ echo "attic is switched off" >&2; exit 1; }}; exit 0',
        ),
    ):
        path = tmp_path / name
        path.write_text(f"#!/bin/sh\n{text}\n")
        path.chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
    assert printers.printers() == ["workshop", "attic"]
    pdf = tmp_path / "a report.pdf"
    pdf.write_bytes(b"%PDF-")
    assert printers.print_file(pdf, "workshop") == ""
    assert (tmp_path / "told").read_text().strip() == f"-d workshop -t a report -- {pdf}"
    assert printers.print_file(pdf, "attic") == "attic is switched off"
    monkeypatch.setenv("PATH", "/nowhere")
    assert printers.printers() == []


@pytest.mark.parametrize("ending", ["csv", "xlsx", "parquet"])
def test_legs_and_corrections_are_saved_and_add_up(opened, tmp_path, ending):
    path = tmp_path / f"legs.{ending}"
    assert opened.packages.table_to(path)
    read = {"csv": pd.read_csv, "xlsx": partial(pd.read_excel, engine="openpyxl"), "parquet": pd.read_parquet}[ending]
    frame = read(path)
    legs = opened.session.analysis.legs
    assert list(frame["leg"]) == [leg.leg for leg in legs]
    lines = [c for c in frame.columns if c in legs[0].corrections_wh_per_km]
    by_hand = frame["measured_wh_per_km"] + frame[lines].sum(axis=1)
    assert by_hand.tolist() == pytest.approx(frame["corrected_wh_per_km"].tolist(), abs=1e-6)


def test_a_table_of_another_kind_is_refused(opened, tmp_path):
    assert not opened.packages.table_to(tmp_path / "legs.doc")
    assert "expected a name that ends in .csv, .xlsx or .parquet" in opened.notice_text.text()


def test_the_tester_is_typed_once_and_stands_in_the_report(opened, qtbot, tmp_path):
    opened.go_to("question")
    type_into(qtbot, opened.stage("question").fields["tester"], "I. Fenn")
    assert opened.session.study.tester == "I. Fenn"
    assert opened.packages.report_to(tmp_path / "r.html")
    QApplication.processEvents()
    assert "I. Fenn" in (tmp_path / "r.html").read_text()
