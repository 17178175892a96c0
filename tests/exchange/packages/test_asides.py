"""Readings by way of another stand in readings.csv, and come back as they were."""

import csv

import pytest
from tests.conftest import driven_study

from fairmargin.core.study import WayReading
from fairmargin.core.study.entry import READING_FIELDS
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.packages.asides import laid_on
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package

RUNNING = {"running_shown": 10.8, "running_unit": "kWh/100km", "running_step": 0.01, "running_since": "L01"}


def study_of(**changes):
    study = driven_study("AB")
    legs = [leg.with_(**dict.fromkeys(READING_FIELDS)) for leg in study.legs]
    return study.with_legs([*legs[:1], legs[1].with_(**changes), *legs[2:]])


def test_a_package_keeps_them_apart_from_the_legs(tmp_path):
    study = study_of(
        **RUNNING, range_before=250.0, range_after=210.0, range_unit="mi", charged_percent=64.0, charged_s=4020.0
    )
    study = study.with_leg("L03", rated_range_used=40.0, rated_range_unit="km")
    study = study.with_(readings=(WayReading(leg="L04", at_km=9.0, instrument="range left", value=99.0, unit="km"),))
    write_package(tmp_path / "p", study)
    with open(tmp_path / "p" / "legs.csv", encoding="utf-8") as file:
        assert not {"running_shown", "range_before", "charged_percent"} & set(next(csv.reader(file)))
    with open(tmp_path / "p" / "readings.csv", encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    assert [(r["leg"], r["at_km"], r["instrument"], r["value"], r["unit"], r["since"]) for r in rows] == [
        ("L04", "9", "range left", "99", "km", ""),
        ("L02", "", "running average", "10.8", "kWh/100km", "L01"),
        ("L02", "0", "range left", "250", "mi", ""),
        ("L02", "", "range left", "210", "mi", ""),
        ("L02", "", "charge back", "64", "%", ""),
        ("L02", "", "charge time", "4020", "s", ""),
        ("L03", "", "rated range used", "40", "km", ""),
    ]
    again = read_package(tmp_path / "p")
    assert again.study == study and again.notices == ()


def test_what_others_wrote_is_read_and_what_has_no_room_stays():
    study = study_of()

    def row(**more):
        return WayReading(**{"leg": "L02", "instrument": "running average", "unit": "kWh/100km", "value": 10.8, **more})

    rows = (
        row(since="L01"),
        row(since="L01", value=10.9),  # a second one
        row(value=11.0),  # nobody said since when
        row(since="L01", unit="furlongs"),
        row(instrument="state of charge", unit="%", at_km=4.0, value=80.0),
        row(instrument="range left", unit="km", value=210.0),  # nobody noted the one before
    )
    legs, rest = laid_on(study.legs, rows)
    assert legs[1].running_shown == 10.8 and legs[1].running_step == 0.1
    assert rest == rows[1:]


def test_what_a_leg_refuses_is_told_by_file(tmp_path):
    write_package(tmp_path / "p", study_of(charged_percent=64.0))
    path = tmp_path / "p" / "readings.csv"
    path.write_text(path.read_text(encoding="utf-8").replace(",64,", ",640,"), encoding="utf-8")
    with pytest.raises(InvalidInput, match=r"readings\.csv, leg L02: 640 is not possible; expected 0 to 100 %"):
        read_package(tmp_path / "p")
