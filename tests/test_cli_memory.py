"""compare, vehicle, practise on the command line: figures by hand, faults in a line, nothing written to what is only read."""

import json
from dataclasses import replace
from datetime import datetime, timedelta

import pytest
from typer.testing import CliRunner

from fairmargin.cli import app
from fairmargin.core.memory.practice import Solution
from fairmargin.core.study import Configuration
from fairmargin.logbook import Logbook
from fairmargin.logbook.freshen import freshen_all
from tests.conftest import VAN, driven_study


class Done:
    """What a command said."""

    def __init__(self, result):
        self.returncode, self.stdout, self.stderr = result.exit_code, result.stdout, result.stderr


def run(*arguments):
    return Done(CliRunner().invoke(app, [str(a) for a in arguments]))


def study(title, effect, year, trial="Discs on", vehicle="Orrin 1", **fields):
    made = driven_study("ABBA", effect=effect)
    legs = [
        leg.with_(started_at=datetime(year, 5, 2, 9) + timedelta(minutes=20 * i)) for i, leg in enumerate(made.legs)
    ]
    a, b = Configuration(id="A", name="Discs off", baseline=True), Configuration(id="B", name=trial)
    return made.with_(
        title=title,
        legs=tuple(legs),
        configurations=(a, b),
        vehicle=VAN.with_(name=vehicle),
        route_name="Dyke Road",
        **fields,
    )


@pytest.fixture
def books(tmp_path):
    paths = [tmp_path / "one.fairmargin", tmp_path / "two.fairmargin"]
    with Logbook.open(paths[0]) as book:
        book.add(study("Discs", 0.95, 2025))
        book.add(study("Spats", 0.99, 2025, "Spats"))
    with Logbook.open(paths[1]) as book:
        book.add(study("Discs again", 0.96, 2026))
        book.add(study("Another van", 1.05, 2026, vehicle="Orrin 2"))
        freshen_all(book)
    return paths


def test_compare_joins_logbooks(books):
    before = [p.read_bytes() for p in books]
    done = run("compare", *map(str, books), "--json")
    assert done.returncode == 0, done.stderr
    value = json.loads(done.stdout)
    assert [p.read_bytes() for p in books] == before, "logbooks are only read"
    vans = {v["vehicle"]: v for v in value["vehicles"]}
    assert set(vans) == {"Orrin 1", "Orrin 2"}
    (group,) = vans["Orrin 1"]["groups"]
    assert group["reference"] == "Discs off"
    assert [c["name"] for c in group["configurations"]] == ["Discs on", "Spats", "Discs off"]
    discs = group["configurations"][0]
    assert discs["effect_percent"] == pytest.approx(-4.5, abs=0.4)
    assert {(s["logbook"], s["study"]) for s in discs["studies"]} == {(str(books[0]), 1), (str(books[1]), 1)}
    assert sum(discs["chances_of_ranks"]) == pytest.approx(1, abs=1e-3)
    (again,) = value["asked_again"]
    assert again["moved_percent"] == pytest.approx(100 * (0.96 / 0.95 - 1), abs=0.3)
    assert again["moved_interval_percent"][0] < 0 < again["moved_interval_percent"][1]
    assert [f["when"] for f in again["findings"]] == ["2025-05-02", "2026-05-02"]
    assert again["changed"] == []
    assert group["spread"]["freedom"] == 1


def test_compare_in_words_for_one_vehicle(books):
    done = run("compare", *map(str, books), "--vehicle", "orrin 1")
    assert done.returncode == 0
    assert "1. Discs on: \u22124." in done.stdout
    assert "Discs on against Discs off, asked twice:" in done.stdout
    assert "it is not settled whether it stayed so" in done.stdout
    assert "Orrin 2" not in done.stdout


def test_faults_of_compare(books, tmp_path):
    done = run("compare", str(books[0]), str(tmp_path / "none.fairmargin"))
    assert done.returncode == 2
    assert "none.fairmargin" in done.stderr and "Traceback" not in done.stderr
    assert "Discs on" in done.stdout, "the others are still joined"
    assert run("compare", str(books[0]), "--vehicle", "Orrin 9").returncode == 2
    assert "expected one of Orrin 1" in run("compare", str(books[0]), "--vehicle", "Orrin 9").stderr
    assert "expected 0.5 to 0.999" in run("compare", str(books[0]), "--confidence", "95").stderr


def test_names_that_mean_the_same(books):
    (group,) = json.loads(run("compare", books[0], "--json", "--same", "Spats=discs ON").stdout)["vehicles"][0][
        "groups"
    ]
    assert [c["name"] for c in group["configurations"]] == ["Discs on", "Discs off"]
    assert "expected" in run("compare", books[0], "--same", "Spats").stderr


def test_vehicle(books):
    done = run("vehicle", str(books[0]), "ORRIN 1", "--json")
    assert done.returncode == 0, done.stderr
    value = json.loads(done.stdout)
    assert value["vehicle"] == "Orrin 1"
    assert value["as_of"] == "2025-05-02"
    constants = {c["name"]: c for c in value["constants"]}
    drag = constants["drag area"]
    assert drag["before"]["value"] == pytest.approx(VAN.drag_area_m2)
    assert len(drag["steps"]) == 2
    assert drag["now"]["interval"][0] < drag["now"]["value"] < drag["now"]["interval"][1]
    assert value["scatter_percent"] is None or value["scatter_percent"] < 2
    assert "Drag area" in run("vehicle", str(books[0]), "Orrin 1").stdout
    done = run("vehicle", str(books[0]), "Orrin 9")
    assert done.returncode == 2
    assert 'no study is of a vehicle "Orrin 9"; expected one of Orrin 1' in done.stderr


def test_practise(tmp_path):
    path = tmp_path / "b.fairmargin"
    Logbook.open(path).close()
    cases = json.loads(run("practise", "--json").stdout)["cases"]
    assert len(cases) == 20
    shown = json.loads(run("practise", "8", "--json").stdout)
    assert shown["case"] == "case-08"
    assert len(shown["legs"]) == 12
    assert "truth" not in json.dumps(shown)
    given = ("--verdict", "not settled", "--flaw", "following", "--low", "-1", "--high", "4")
    done = run("practise", "8", *given, "--json", "--logbook", str(path))
    assert done.returncode == 0, done.stderr
    value = json.loads(done.stdout)
    assert value["true_flaw"] == "following"
    assert value["right_flaw"] and value["right_verdict"]
    # The leg, its figure, what it would have shown; the program's own interval and score; whoever reads no leg.
    (leg,) = value["told_by"]
    assert leg in value["explained"] and f"{value['would_have_shown'][leg]:.1f}" in value["explained"]
    assert value["program"]["interval_percent"][0] < value["program"]["interval_percent"][1]
    assert value["program"]["interval_score"] < value["unread_interval_score"]
    words = run("practise", "8", *given).stdout
    assert "The program, as sure" in words and "Whoever reads no leg" in words and f"{leg} shows" in words
    missed = max(-1 - value["truth_percent"], 0) + max(value["truth_percent"] - 4, 0)
    assert value["interval_score"] == pytest.approx(5 + 10 * missed)
    told = json.loads(run("practise", "--json", "--logbook", str(path)).stdout)
    assert told["calibration"]["answers"] == 1
    assert told["cases"][7]["answered"]
    assert run("practise", "seed-12", "--json").returncode == 0
    for bad, words in (
        (("99",), "is not a case"), (("5", "--low", "1"), "expected both ends"), (("5", *given[:4], "--low", "4", "--high", "1"), "from low to high"),
        (("5", "--verdict", "maybe", *given[2:]), "not a verdict"),
    ):  # fmt: skip
        done = run("practise", *bad)
        assert done.returncode == 2
        assert words in done.stderr
        assert "Traceback" not in done.stderr


def test_practise_tells_nothing_before_an_answer(monkeypatch):
    """Without an answer, or with half of one, a case is told alike whatever is true of it."""
    from fairmargin import practice

    asked = [("practise", "8"), ("practise", "8", "--json"), ("practise",), ("practise", "--json"), ("practise", "8", "--low", "1"),
             ("practise", "8", "--verdict", "uses less", "--low", "1", "--high", "2"), ("practise", "8", "--flaw", "following")]  # fmt: skip
    before = [(done.stdout, done.stderr) for done in (run(*a) for a in asked)]
    other = Solution(33.3, "wind", ("uses less",), ("L01",), {"L01": 99.9})
    turned = tuple(replace(c, solution=other) for c in practice.shipped())
    monkeypatch.setattr(practice, "shipped", lambda: turned)
    assert [(done.stdout, done.stderr) for done in (run(*a) for a in asked)] == before
    given = ("--verdict", "uses less", "--flaw", "wind", "--low", "30", "--high", "40", "--json")
    assert json.loads(run("practise", "8", *given).stdout)["truth_percent"] == 33.3, "the answer is held against it"
