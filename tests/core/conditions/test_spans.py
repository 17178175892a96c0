"""Conditions as people note them: an interval, or a word that stands for one; it widens, and is kept as it was typed."""

from datetime import datetime, timedelta

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.typed import read_leg_field, show_leg_field
from fairmargin.core.study import Leg
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package

US, METRIC = UNIT_CHOICES["us"], UNIT_CHOICES["metric"]
DAY = datetime(2026, 5, 2)


def typed(key, text, choice=METRIC, leg=None):
    leg = driven_study("AB").legs[0] if leg is None else leg
    return leg.with_(**read_leg_field(key, text, choice, leg, DAY))


@pytest.mark.parametrize(
    ("key", "text", "choice", "low", "high"),
    [
        ("temperature_c", "80-84 °F", METRIC, 26.667, 28.889),
        ("temperature_c", "68 to 70", US, 20.0, 21.111),
        ("temperature_c", "14,5 – 16", METRIC, 14.5, 16.0),
        ("temperature_c", "−3 to 2", METRIC, -3.0, 2.0),
        ("temperature_c", "below freezing", US, -8.0, 0.0),
        ("wind_speed_ms", "light wind", METRIC, 1.6, 5.4),  # Beaufort 2 to 3, WMO code table 1100
        ("wind_speed_ms", "10 to 15 mph", METRIC, 4.470, 6.706),
        ("humidity_percent", "60-80 %", METRIC, 60.0, 80.0),
        ("tyre_pressure_kpa", "2.8 to 2.9", METRIC, 280.0, 290.0),
    ],
)
def test_an_interval_is_read_in_its_unit_and_kept_as_typed(key, text, choice, low, high):
    leg = typed(key, text, choice)
    span = leg.span(key)
    assert (span.low, span.high) == (pytest.approx(low, abs=1e-3), pytest.approx(high, abs=1e-3))
    assert getattr(leg, key) == pytest.approx((low + high) / 2, abs=1e-3)
    assert show_leg_field(key, leg, METRIC) == show_leg_field(key, leg, US) == text


def test_a_figure_typed_later_ends_the_interval():
    leg = typed("temperature_c", "14 to 18")
    later = typed("temperature_c", "16", leg=leg)
    assert later.temperature_c == 16 and later.span("temperature_c") is None and later.spans == ()
    other = leg.with_(temperature_c=12.0)  # by any other way
    assert other.span("temperature_c") is None


def test_a_negative_figure_is_no_interval():
    assert typed("temperature_c", "-4").temperature_c == -4 and typed("temperature_c", "-4").spans == ()
    with pytest.raises(ValueError):
        typed("temperature_c", "warmish")
    with pytest.raises(ValueError):
        typed("temperature_c", "10 to 300")


def test_it_travels_in_the_package_as_low_to_high(tmp_path):
    study = driven_study("AB")
    study = study.with_legs([typed("temperature_c", "14 to 18", leg=study.legs[0]), *study.legs[1:]])
    path = tmp_path / "a.zip"
    write_package(path, study)
    again = read_package(path)
    assert again.notices == ()
    span = again.study.legs[0].span("temperature_c")
    assert (span.low, span.high) == (14, 18) and again.study.legs[0].temperature_c == 16
    assert Leg(leg="L", configuration="A", wind_speed_ms="2..4").span("wind_speed_ms").middle == 3


@pytest.mark.parametrize(
    ("key", "sure", "open_by"), [("temperature_c", "15", "5 to 25"), ("wind_speed_ms", "4", "1 to 7")]
)
def test_an_interval_widens_the_margin_and_its_middle_is_the_figure(key, sure, open_by):
    study = driven_study("ABBA")
    study = study.with_legs([leg.with_(wind_speed_ms=4.0, wind_from_deg=30.0) for leg in study.legs])

    def with_trial(text):
        return study.with_legs([typed(key, text, leg=x) if x.configuration == "B" else x for x in study.legs])

    a, b = (analyse(with_trial(text)).comparisons[0] for text in (sure, open_by))
    assert b.half_width_percent > 1.01 * a.half_width_percent
    assert b.effect_percent == pytest.approx(a.effect_percent, abs=0.5)


@pytest.mark.parametrize(
    "text, low, high",
    [
        ("a few degrees warmer", 16.0, 19.0),
        ("a little colder than L01", 11.0, 13.0),
        ("5 degrees warmer", 17.5, 20.5),
        ("9 °F cooler", 7.5, 10.5),
        ("about 5,5 warmer than l01", 18.0, 21.0),
        ("above 28 °C", 28.0, 38.0),
        ("below 0", -10.0, 0.0),
    ],
)
def test_words_for_the_air_stand_for_an_interval(text, low, high):
    """By hand from 14 °C on L01: 5 degrees are meant to 1.5, 9 °F are 5 K."""
    study = driven_study("AB")
    study = study.with_legs([leg.with_(temperature_c=14.0 if leg.leg == "L01" else None) for leg in study.legs])
    leg = study.leg("L03")
    leg = leg.with_(**read_leg_field("temperature_c", text, METRIC, leg, DAY, study))
    span = leg.span("temperature_c")
    assert (span.low, span.high, span.said) == (pytest.approx(low), pytest.approx(high), text)
    assert show_leg_field("temperature_c", leg, METRIC) == text


def test_warmer_than_nothing_is_refused():
    study = driven_study("AB")
    study = study.with_legs([leg.with_(temperature_c=None) for leg in study.legs])
    with pytest.raises(ValueError, match="than what"):
        read_leg_field("temperature_c", "5 degrees warmer", METRIC, study.leg("L03"), DAY, study)


def test_warmer_than_an_interval_is_one():
    study = driven_study("AB")
    base = study.leg("L01").with_(**read_leg_field("temperature_c", "10 to 12", METRIC, study.leg("L01"), DAY, study))
    study = study.with_legs([base, *(leg.with_(temperature_c=None) for leg in study.legs[1:])])
    found = read_leg_field("temperature_c", "5 warmer", METRIC, study.leg("L03"), DAY, study)
    assert (found["spans"][0].low, found["spans"][0].high) == (13.5, 18.5)


def test_legs_of_a_day_with_one_interval_were_in_it_together():
    """What all legs of an outing share of the air cancels: an interval that wide costs hardly more than a figure."""
    study = driven_study("ABBA")
    wide = [leg.with_(temperature_c="8..20") for leg in study.legs]
    sure = [leg.with_(temperature_c=14.0) for leg in study.legs]
    a, b = (analyse(study.with_legs(legs)).comparisons[0].half_width_percent for legs in (wide, sure))
    assert b < a < 1.1 * b
    # of two days each has its own
    apart = [
        [leg.with_(started_at=leg.started_at + timedelta(days=2 * (leg.configuration == "B"))) for leg in legs]
        for legs in (wide, sure)
    ]
    c, d = (analyse(study.with_legs(legs)).comparisons[0].half_width_percent for legs in apart)
    assert c > 1.25 * d
