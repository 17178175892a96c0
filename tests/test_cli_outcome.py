"""Ranges and trips on the command line: the figures of the package, in JSON and words; faults in one line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from fairmargin.cli import app
from fairmargin.core.study.trip import Trip, TripStretch, chargers_every
from fairmargin.exchange.packages.writing import write_package
from tests.conftest import VAN, driven_study


@pytest.fixture
def package(tmp_path: Path) -> Path:
    study = driven_study("ABBA", effect=285 / 170, kind="towing", title="Bread trailer").with_(
        vehicle=VAN.with_(usable_capacity_kwh=80),
        trip=Trip(stretches=(TripStretch(km=300, speed_kmh=90),), chargers=chargers_every(90, 140, 300, 150, 0.5)),
    )
    write_package(tmp_path / "study", study, {})
    return tmp_path / "study"


def run(*arguments: object) -> tuple[int, str, str]:
    made = CliRunner().invoke(app, [str(a) for a in arguments])
    return made.exit_code, made.stdout, made.stderr


def test_range_of_each_configuration(package: Path) -> None:
    code, out, _ = run("range", package, "--json", "--reserve", 20)
    assert code == 0
    found = json.loads(out)
    base, trial = found["predictions"]
    assert (base["configuration"], trial["configuration"]) == ("A", "B")
    assert base["wh_per_km"] == pytest.approx(170, rel=0.01)
    assert base["range_km"] == pytest.approx(80_000 / base["wh_per_km"], rel=1e-4)
    assert base["to_reserve_km"] == pytest.approx(0.8 * base["range_km"], rel=1e-4)
    assert trial["range_km"] == pytest.approx(80_000 / 285, rel=0.01)
    assert base["not_driven"] == []


def test_the_effect_in_the_wind_of_the_place(package: Path) -> None:
    code, out, _ = run("range", package, "--json", "--place-wind", 6)
    (w,) = json.loads(out)["wind_averaged"]
    assert code == 0 and (w["configuration"], w["wind_ms"]) == ("B", 6.0)
    # A trailer adds air: 67.6 % in still air, more where the wind makes more of it.
    assert w["still_percent"] == pytest.approx(67.6, abs=1.0) and w["percent"] > w["still_percent"] + 0.3
    assert w["interval_percent"][0] < w["percent"] < w["interval_percent"][1]
    said = run("range", package, "--place-wind", 6)[1]
    assert "in still air +6" in said and "in 6 m/s at the mast, from every side alike, +" in said
    assert json.loads(run("range", package, "--json")[1])["wind_averaged"] == []
    code, _, fault = run("range", package, "--place-wind", 40)
    assert code == 2 and "0 to 15 m/s" in fault


def test_faster_colder_and_into_the_wind_takes_more(package: Path) -> None:
    def level(*more: object) -> float:
        return json.loads(run("range", package, "--json", *more)[1])["predictions"][0]["wh_per_km"]

    usual = level()
    assert level("--speed", 110) > 1.12 * usual
    assert level("--temperature", -5, "--climate", "auto") > 1.12 * usual
    assert level("--head-wind", 6) > 1.1 * usual
    assert level("--head-wind", -6) < 0.93 * usual
    assert level("--road", "wet") == pytest.approx(1.06 * usual, rel=1e-3)
    code, out, _ = run("range", package, "--speed", 110, "--temperature", -5)
    assert code == 0
    assert "110 km/h was not driven (90 km/h was)" in out
    assert "to the reserve" in out and "kWh/100 km" in out


def test_the_trip_that_the_study_keeps(package: Path) -> None:
    code, out, _ = run("trip", package, "--json", "--temperature", 15, "--climate", "off", "--price", 0.4)
    assert code == 0
    found = json.loads(out)
    assert found["km"] == 300 and found["configuration"] == "B"
    assert found["kwh"] == pytest.approx(0.3 * 285, rel=0.01)
    hours = found["hours"]
    assert hours["total"] == pytest.approx(
        sum(hours[k] for k in ("driving", "charging", "pauses", "waiting", "other")), abs=0.01
    )
    assert hours["driving"] == pytest.approx(300 / 90, abs=0.001)
    assert [s["at_km"] for s in found["stops"]] and all(s["at_km"] in (140, 230) for s in found["stops"])
    assert found["arrival"]["percent"] == pytest.approx(15, abs=1)
    assert {w["case"] for w in found["what_if"]} >= {"rain", "15 K colder", "5 m/s more head wind", "10 km/h slower"}
    assert found["fuel_vehicle"] is None


def test_a_trip_told_on_the_command_line_and_in_words(package: Path, tmp_path: Path) -> None:
    table = tmp_path / "chargers.csv"
    table.write_text("at,name,kW,price\n120,Mill Quay,150,0.45\n210,Sluice,50,0.39\n", encoding="utf-8")
    code, out, _ = run(
        "trip", package, "--way", "300 at 90", "--chargers", table, "--configuration", "A", "--unhitch", 12, "--queue", "0.25, 15",
        "--price", 0.3, "--fuel", 8, "--fuel-price", 1.95, "--start", 60,
    )  # fmt: skip
    assert code == 0
    assert "Mill Quay" in out or "Sluice" in out
    assert "fuel vehicle: 24.0 L" in out and "46.80 in your money" in out
    assert "nine times in ten" in out
    code, out, _ = run("trip", package, "--back", "--json")
    assert code == 0 and json.loads(out)["stops"][0]["at_km"] in (70, 160)


@pytest.mark.parametrize(
    ("arguments", "expected"),
    [
        (("trip", "--way", "900", "--chargers", "every 300 to 500 km"), "It cannot be done: from"),
        (("trip", "--chargers", "nowhere.csv"), "cannot be read"),
        (("trip", "--queue", "often"), "expected a chance and minutes"),
        (("trip", "--start", "140"), "expected 1 to 100 %"),
        (("trip", "--configuration", "Z"), '"Z" was not driven'),
        (("range", "--speed", "900"), "expected 5 to 250 km/h"),
        (("range", "--reserve", "120"), "reserve"),
    ],
)
def test_faults_are_one_line_each(package: Path, arguments: tuple[str, ...], expected: str) -> None:
    code, out, err = run(arguments[0], package, *arguments[1:])
    assert code == 2
    assert expected in err and len(err.strip().splitlines()) == 1 and "Traceback" not in err
    assert out == ""


def test_a_study_that_cannot_be_asked_says_why(tmp_path: Path) -> None:
    write_package(tmp_path / "empty", driven_study("AB").with_(legs=()), {})
    code, _, err = run("range", tmp_path / "empty")
    assert code == 2 and "nothing to ask" in err
