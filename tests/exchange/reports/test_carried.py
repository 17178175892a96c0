"""A report that carries its study: worked out again, changed by hand, broken, written in the window."""

from __future__ import annotations

import re
from datetime import datetime

import pytest
from tests.conftest import VAN, driven_study
from tests.unlike import unlike
from typer.testing import CliRunner

from fairmargin.cli import app
from fairmargin.core.analysis import analyse
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.outcome.asking import askings
from fairmargin.core.outcome.money import Prices
from fairmargin.core.study.trip import Trip, TripStretch, chargers_every
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.reports.carried import verify
from fairmargin.exchange.reports.use import report_use
from fairmargin.exchange.reports.writing import write_report

NOW = datetime(2026, 5, 2, 12, 0)


def page_of(path, study, traces, units="metric", scatter=None, view="reference", **use):
    found = analyse(study, traces, view, scatter)
    asked = askings(study, traces, found.results, view, scatter)
    write_report(path, study, found, UNIT_CHOICES[units], NOW, report_use(study, asked, **use), traces)
    return path.read_text(encoding="utf-8")


def run(*arguments):
    made = CliRunner().invoke(app, [str(a) for a in arguments])
    return made.exit_code, made.stdout, made.stderr


@pytest.mark.parametrize(
    "name, units", [("logged", "us"), ("coasted", "uk"), ("everyday", "metric-wh"), ("left-out-after-result", "us")]
)
def test_every_kind_of_study_in_every_set_of_units_is_the_same(name, units, tmp_path):
    study, traces = unlike()[name]
    assert verify(page_of(tmp_path / "r.html", study, traces, units), "r.html") == []


def test_what_it_hangs_on_beside_the_study_is_carried(tmp_path):
    """The tester's scatter, the view, prices, the reserve, a trip: each moves a figure of the page, and is worked out again."""
    study = driven_study("ABBA", title="Trailer").with_(
        vehicle=VAN.with_(usable_capacity_kwh=80),
        trip=Trip(stretches=(TripStretch(km=200, speed_kmh=90),), chargers=chargers_every(90, 140, 200, 150, 0.5)),
    )
    plain = page_of(tmp_path / "a.html", study, {})
    told = page_of(
        tmp_path / "b.html", study, {}, scatter=ScatterPrior(0.02, 40.0, 3), view="study-mean",
        reserve=0.1, prices=Prices(energy=0.31), km_per_year=9000.0,
    )  # fmt: skip
    assert plain != told and verify(plain, "a") == [] and verify(told, "b") == []


def test_a_figure_changed_by_hand_is_found(tmp_path):
    path = tmp_path / "r.html"
    page = page_of(path, driven_study("ABBA", title="Discs"), {})
    (said,) = re.findall(r"used (\d\.\d) % less", page)
    path.write_text(page.replace(f"used {said} % less", "used 9.9 % less"), encoding="utf-8")
    code, out, _ = run("verify", path)
    assert code == 1 and "used 9.9 % less" in out and f"used {said} % less" in out and "1 differences" in out
    path.write_text(page, encoding="utf-8")
    code, out, _ = run("verify", path)
    assert code == 0 and out.startswith("Same:")


def test_what_was_changed_in_its_package_or_is_not_there_is_refused(tmp_path):
    path = tmp_path / "r.html"
    page = page_of(path, driven_study("ABBA"), {})
    at = page.index('data-sha256="') + 100
    other = "B" if page[at] != "B" else "C"
    for broken, words in (
        (page[:at] + other + page[at + 1 :], "was changed"),
        (re.sub(r'<script type="application/zip".*?</script>', "", page, flags=re.DOTALL), "no package is in it"),
        (re.sub(r'(id="settings">)\{', r"\1", page), "settings cannot be read"),
        ("<html></html>", "no package is in it"),
    ):
        with pytest.raises(InvalidInput, match=words):
            verify(broken, "r.html")
        path.write_text(broken, encoding="utf-8")
        assert run("verify", path)[0] == 2
    assert run("verify", tmp_path / "none.html")[0] == 2
    # A printed page and a PDF carry nothing.
    write_report(tmp_path / "bare.html", driven_study("AB"), analyse(driven_study("AB")), UNIT_CHOICES["metric"])
    assert run("verify", tmp_path / "bare.html")[0] == 2


def test_a_report_of_the_command_line_is_the_same(tmp_path):
    from fairmargin.exchange.packages.writing import write_package

    study, traces = unlike()["logged"]
    write_package(tmp_path / "p.zip", study, traces)
    assert run("report", tmp_path / "p.zip", tmp_path / "r.html", "--units", "us")[0] == 0
    assert run("verify", tmp_path / "r.html")[0] == 0
