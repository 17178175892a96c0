"""The result card says what the verdict and the report say, at one glance, as a picture, as vectors and as text."""

from __future__ import annotations

import re
import struct
from datetime import date
from pathlib import Path

import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.reports.card import Card, card_of, drawn, write_card
from fairmargin.looks import DARK, LIGHT

METRIC, US = UNIT_CHOICES["metric"], UNIT_CHOICES["us"]
TODAY = date(2026, 5, 3)


def card(units=METRIC, **fields: object) -> Card:
    study = driven_study("ABBA", title="Wheel discs", route_name="Dyke Road", **fields).with_(
        vehicle=VAN.with_(usable_capacity_kwh=52)
    )
    found = analyse(study)
    return card_of(study, found, found.comparisons[0], "reference", units, TODAY)


def test_one_glance_has_it_all() -> None:
    text = card().text()
    assert text.splitlines()[0] == "Wheel discs"
    assert "Trial: 4.8 % less" in text
    assert re.search(r"\u22124\.8 % \(\u22126\.\d to \u22122\.\d %, 95 %\), of the baseline\u2019s consumption", text)
    assert "16.9 kWh/100 km with \u201cBaseline\u201d, 16.1 kWh/100 km with \u201cTrial\u201d" in text
    assert "Range +5.1 %: 307 km to empty, then 323 km" in text  # 52 kWh over 169.3 and 161.2 Wh/km
    assert "On the Dyke Road: corrected to 15 \u00b0C, calm, 90 km/h." in text
    assert "2 pairs of runs, order ABBA, 1 day, read off the trip average." in text
    assert "The comparison is fair." in text
    assert text.rstrip().endswith("Fair Margin, 2026-05-03")


def test_its_figures_are_those_of_the_analysis_in_either_unit() -> None:
    study = driven_study("ABBA")
    found = analyse(study)
    c = found.comparisons[0]
    for units in (METRIC, US):
        made = card_of(study, found, c, "reference", units, TODAY)
        assert made.effect_percent == c.effect_percent and made.interval_percent == c.interval_percent
    assert "mi" in made.text() and " km" not in made.text()


def test_an_unfair_comparison_gets_no_figure() -> None:
    study = driven_study("AB")
    legs = tuple(x for x in study.legs if (x.configuration == "A") == (x.direction == "out"))
    study = study.with_(legs=legs)  # out with the one, back with the other
    found = analyse(study)
    (c,) = found.comparisons
    assert c.verdict == "not a fair comparison"
    text = card_of(study, found, c, "reference", METRIC, TODAY).text()
    assert "not a fair comparison" in text and "no margin can cover" in text
    assert "kWh/100 km with" not in text


def test_one_configuration_and_nothing_yet() -> None:
    study = driven_study("ABBA")
    one = study.with_(
        configurations=study.configurations[:1], legs=tuple(x for x in study.legs if x.configuration == "A")
    )
    text = card_of(one, analyse(one), None, "reference", METRIC, TODAY).text()
    assert "Baseline, 90 km/h: 17.0 kWh/100 km" in text and "Nothing is compared." in text
    empty = study.with_(legs=())
    with pytest.raises(ValueError, match=r"\w"):
        card_of(empty, analyse(empty), None, "reference", METRIC, TODAY)


def test_pictures_have_their_size_and_differ_in_the_dark() -> None:
    light, dark = drawn(card(), "png"), drawn(card(), "png", dark=True)
    assert struct.unpack(">II", light[16:24]) == (1200, 630)
    assert light != dark
    svg = drawn(card(), "svg").decode()
    assert svg.startswith("<svg") and LIGHT.panel in svg and "<metadata" not in svg
    assert DARK.panel in drawn(card(), "svg", dark=True).decode()
    assert drawn(card(), "svg") == drawn(card(), "svg").replace(b"\r", b"")


def test_written_whole_or_not_at_all(tmp_path: Path) -> None:
    for name in ("a.png", "a.svg", "a.txt"):
        write_card(tmp_path / name, card())
        assert (tmp_path / name).stat().st_size > 200
    with pytest.raises(InvalidInput, match="no kind of card"):
        write_card(tmp_path / "a.gif", card())
    with pytest.raises(InvalidInput, match="cannot be written"):
        write_card(tmp_path / "nowhere" / "a.png", card())
    assert sorted(p.name for p in tmp_path.iterdir() if p.is_file()) == ["a.png", "a.svg", "a.txt"]
