"""Readings typed by way of another: read in any spelling, written as they were typed, refused in words."""

from datetime import datetime

import pytest
from tests.conftest import driven_study

from fairmargin.core.conditions.typed import doubt, read_leg_field, show_leg_field
from fairmargin.core.study.entry import READING_FIELDS, read_reading, show_readings
from fairmargin.core.study.indirect import since_leg
from fairmargin.core.units import UNIT_CHOICES

METRIC, US = UNIT_CHOICES["metric"], UNIT_CHOICES["us"]
DAY = datetime(2026, 5, 2, 9, 0)


def typed(text, choice=METRIC, leg="L04"):
    """A leg of four of which this alone was typed."""
    study = driven_study("AB")
    before = study.leg(leg).with_(**dict.fromkeys(READING_FIELDS))
    return before.with_(**read_leg_field("reading", text, choice, before, DAY, study.with_leg(leg, **dict.fromkeys(READING_FIELDS))))  # fmt: skip


@pytest.mark.parametrize(
    "text, choice, written",
    [
        ("9.9 since L01", METRIC, "9.9 kWh/100 km since L01"),
        ("9,90 kWh/100km since L2", METRIC, "9.90 kWh/100 km since L02"),
        ("3.4 mi/kWh avg since start", US, "3.4 mi/kWh since L01"),
        ("9.6 after two laps", METRIC, "9.6 kWh/100 km since L03"),
        ("9.6 over 3 legs", METRIC, "9.6 kWh/100 km since L02"),
        ("range 250 to 210 km", METRIC, "range 250-210 km"),
        ("Range left 155-130", US, "range 155-130 mi"),
        ("rated 40 km", US, "rated 40 km"),
        ("25,5 mi rated range used", METRIC, "rated 25.5 mi"),
        ("64 % put back in 67 minutes", METRIC, "64 % put back in 67 min"),
        ("64% charged in 1:07:30", METRIC, "64 % put back in 67:30"),
        ("12 % back", METRIC, "12 % put back"),
        ("82 %", METRIC, "82 % at the start"),
        ("10.1 since L01; 2.1 kWh", METRIC, "2.1 kWh; 10.1 kWh/100 km since L01"),
    ],
)
def test_what_was_typed_is_written_again(text, choice, written):
    leg = typed(text, choice)
    assert show_readings(leg) == written
    # and what is written is read as the same
    again = typed(written, choice)
    assert again == leg


@pytest.mark.parametrize(
    "text, words",
    [
        ("range 210 to 250 km", "tells of nothing used"),
        ("9.9 since L09", "no such leg up to L04"),
        ("9.9 after 7 laps", "there are 3 legs up to L04"),
        ("0.5 since L01", "is not possible"),
        ("120 % put back", "120"),
        ("64 % put back in a while", "is not a number"),
    ],
)
def test_what_cannot_be_is_refused_in_words(text, words):
    with pytest.raises(ValueError, match=words.replace("L04", "L03")):
        typed(text, leg="L03")


def test_a_reset_after_the_leg_is_none():
    with pytest.raises(ValueError, match="up to L02"):
        typed("9.9 since L03", leg="L02")
    study = driven_study("AB")
    assert since_leg(study.legs, study.leg("L04"), "l3") == "L03"


def test_a_cleared_cell_clears_them_all():
    assert set(read_reading("", "kWh/100km")) >= {"running_shown", "rated_range_used", "range_after", "charged_percent"}


def test_an_average_needs_its_unit_and_its_reset():
    leg = driven_study("AB").legs[0]
    with pytest.raises(ValueError, match="before which it was reset"):
        leg.with_(running_shown=9.9, running_unit="kWh/100km")


def test_the_tester_is_asked_about_an_average_that_tells_nothing():
    study = driven_study("AB")
    bare = [leg.with_(**dict.fromkeys(READING_FIELDS)) for leg in study.legs]
    running = {"running_unit": "kWh/100km", "running_step": 0.1, "running_since": "L01"}
    mixed = study.with_legs([*bare[:2], bare[2].with_(running_shown=16.0, **running), bare[3]])
    # L01 and L02 are the baseline, L03 is the trial: one average over all three tells of neither
    assert "covers L01, L02, L03 in one, which are not alike" in doubt(mixed, mixed.leg("L03"))
    fell = study.with_legs(
        [bare[0].with_(running_shown=17.0, **running), bare[1].with_(running_shown=8.0, **running), *bare[2:]]
    )
    assert "is the reset right?" in doubt(fell, fell.leg("L02"))
    nowhere = study.with_legs([leg.with_(distance_km=None, gps_distance_km=None) for leg in fell.legs]).with_(route=())
    assert "the distance of every leg since then is needed" in doubt(nowhere, nowhere.leg("L02"))
    assert show_leg_field("reading", fell.leg("L02"), METRIC) == "8.0 kWh/100 km since L01"
