"""What a logbook adds travels with the package: window, command line and another laptop come to the same."""

import json

import pytest
from tests.conftest import driven_study
from typer.testing import CliRunner

from fairmargin.cli import app
from fairmargin.core.analysis import analyse
from fairmargin.core.inference.scatter import ScatterPrior, as_learned, learned_scatter, scatter_of
from fairmargin.core.study.remembered import Learned
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package
from fairmargin.exchange.words.results import scatter_words


def steady(study, n=4):
    """Scatter evidence of n studies like this one."""
    return [analyse(study).scatter_evidence] * n


def test_it_comes_back_as_it_went(tmp_path):
    own = learned_scatter(steady(driven_study("ABBAABBA")))
    assert own.studies == 4
    study = driven_study("ABBA").with_(learned=as_learned(own))
    write_package(tmp_path / "s.zip", study)
    back = read_package(tmp_path / "s.zip").study
    assert back.learned == study.learned
    got = scatter_of(back.learned)
    assert got.share == pytest.approx(own.share, rel=1e-6)
    assert (got.freedom, got.studies, got.days, got.travelled) == (own.freedom, 4, own.days, True)
    assert as_learned(ScatterPrior()) is None, "nothing learned, nothing said"


def test_the_same_result_with_the_logbook_and_with_the_package():
    """The margin is that of the logbook's scatter, not of common practice; and it is said whose it is."""
    own = learned_scatter(steady(driven_study("ABBAABBA"), 6))
    study = driven_study("ABBA")
    window = analyse(study, scatter=own).comparisons[0]
    package = analyse(study.with_(learned=as_learned(own)))
    usual = analyse(study).comparisons[0]
    assert package.comparisons[0].interval_percent == pytest.approx(window.interval_percent, abs=1e-5)
    assert package.comparisons[0].interval_percent != pytest.approx(usual.interval_percent, abs=1e-2)
    assert "Scatter starts from its tester's 6 other studies" in scatter_words(
        package.scatter_prior, UNIT_CHOICES["metric"]
    )


def test_a_writer_that_says_only_scatter_and_studies():
    """Two keys are enough: 0.9 % of ten studies narrows more than of one, and is taken as it is said."""
    many = scatter_of(Learned(scatter_percent_30km=0.9, studies=10))
    one = scatter_of(Learned(scatter_percent_30km=0.9, studies=1))
    assert many.share == one.share == pytest.approx(0.009)
    assert many.freedom > one.freedom


def test_an_export_takes_it_along(tmp_path):
    from fairmargin.logbook import Logbook
    from fairmargin.logbook.freshen import freshen_all

    path = tmp_path / "book.fairmargin"
    with Logbook.open(path) as book:
        for i in range(3):
            book.add(driven_study("ABBAABBA", effect=0.95 + 0.01 * i, title=f"Study {i}"), {})
        freshen_all(book)
        evidence = book.scatter_evidence(book.studies()[0].id)
    done = CliRunner().invoke(app, ["export", str(path), "Study 0", str(tmp_path / "out.zip")])
    assert done.exit_code == 0, done.output
    study = read_package(tmp_path / "out.zip").study
    assert study.learned is not None and study.learned.studies == len(evidence) == 2
    told = CliRunner().invoke(app, ["analyse", str(tmp_path / "out.zip")])
    assert "its tester's 2 other studies" in told.output
    found = json.loads(CliRunner().invoke(app, ["analyse", str(tmp_path / "out.zip"), "--json"]).stdout)
    expected = analyse(study.with_(learned=None), scatter=learned_scatter(evidence)).comparisons[0]
    assert found["comparisons"][0]["interval_percent"] == pytest.approx(expected.interval_percent, abs=2e-3)


def test_in_another_logbook_it_stays_its_testers(tmp_path):
    """Brought into a logbook with a hand of its own, the package keeps its tester's; its line is not worked out anew each time."""
    from fairmargin.logbook import Logbook
    from fairmargin.logbook.freshen import freshen_all, stale

    own = learned_scatter(steady(driven_study("ABBAABBA"), 6))
    with Logbook.open(tmp_path / "other.fairmargin") as book:
        for i in range(3):
            book.add(driven_study("ABBAABBA", effect=0.95 + 0.01 * i, title=f"Study {i}"), {})
        guest = book.add(driven_study("ABBA").with_(learned=as_learned(own)), {})
        freshen_all(book)
        assert stale(book) == []
        line = json.loads(next(e.summary for e, _ in book.memories() if e.id == guest))
        assert line["prior"][:2] == pytest.approx(list(own.figures[:2]), rel=1e-5)
