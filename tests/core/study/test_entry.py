"""What is typed into a leg, without a screen: in any order, in miles, with a decimal comma, with a unit of its own."""

from datetime import datetime

import pytest
from tests.conftest import driven_study

from fairmargin.core.conditions.typed import read_leg_field
from fairmargin.core.study.entry import read_card, read_clock, read_reading, show_number, show_reading, words_of
from fairmargin.core.study.runs import with_run
from fairmargin.core.units import UNIT_CHOICES

METRIC, US = UNIT_CHOICES["metric"], UNIT_CHOICES["us"]
DAY = datetime(2026, 5, 2, 9, 0)


@pytest.mark.parametrize(
    "text, field, value",
    [
        ("15,4", "average_shown", 15.4),
        ("212 Wh/mi", "average_shown", 212.0),
        ("2.86 kWh", "energy_kwh", 2.86),
        ("2860 Wh", "energy_kwh", 2.86),
        ("82-71 %", "soc_start_percent", 82.0),
        ("82 to 70,5 %", "soc_end_percent", 70.5),
        ("4.1 kWh charged", "charger_kwh", 4.1),
        ("1,9 L", "fuel_l", 1.9),
    ],
)
def test_a_reading_says_what_was_read(text, field, value):
    assert read_reading(text, "kWh/100km")[field] == pytest.approx(value)


def test_the_step_is_that_of_the_last_figure_shown():
    assert read_reading("15.4", "kWh/100km")["average_step"] == pytest.approx(0.1)
    assert read_reading("2.86 kWh", "kWh/100km")["energy_step_kwh"] == pytest.approx(0.01)
    assert read_reading("82-70,5 %", "kWh/100km")["soc_step_percent"] == pytest.approx(0.1)


def test_what_cannot_be_is_refused_in_words():
    with pytest.raises(ValueError, match="no discharge"):
        read_reading("71-82 %", "kWh/100km")
    with pytest.raises(ValueError, match="Is the unit right"):
        read_reading("400", "kWh/100km")
    with pytest.raises(ValueError, match="another instrument"):
        read_card("average", "82-71 %", METRIC)


def test_clock_times_are_of_the_study_s_day():
    assert read_clock("9:35", DAY) == datetime(2026, 5, 2, 9, 35)
    assert read_clock("2026-05-03 10:00", DAY) == datetime(2026, 5, 3, 10, 0)
    assert read_clock("2026-05-03 9:05", DAY) == datetime(2026, 5, 3, 9, 5)
    assert read_clock("", DAY) is None
    with pytest.raises(ValueError, match="expected 9:35"):
        read_clock("25:00", DAY)


@pytest.mark.parametrize(
    "key, text, choice, value",
    [
        ("distance_km", "18,4", METRIC, 18.4),
        ("distance_km", "11.43", US, 18.395),
        ("distance_km", "18.4 km", US, 18.4),
        ("temperature_c", "59", US, 15.0),
        ("wind_speed_ms", "10 kn", METRIC, 5.144),
        ("wind_from_deg", "WSW", METRIC, 247.5),
        ("wind_from_deg", "110°", METRIC, 110.0),
        ("duration_s", "12:16", METRIC, 736.0),
        ("pressure_hpa", "29.92 inHg", METRIC, 1013.2),
        ("distance_km", "", METRIC, None),
    ],
)
def test_a_cell_in_any_unit(key, text, choice, value):
    leg = driven_study().legs[0]
    found = read_leg_field(key, text, choice, leg, DAY)[key]
    assert found is None if value is None else found == pytest.approx(value, rel=1e-4)


def test_a_unit_of_another_quantity_is_refused():
    with pytest.raises(ValueError, match="not a unit of distance"):
        read_leg_field("distance_km", "18 kg", METRIC, driven_study().legs[0], DAY)


def test_a_reading_is_written_as_it_was_typed():
    leg = driven_study().legs[0].with_(average_shown=15.0, average_unit="kWh/100km", average_step=0.1)
    assert show_reading(leg) == "15.0 kWh/100 km"


def test_an_emptied_card_clears_its_own_instrument_only():
    assert set(read_card("soc", "", METRIC)) == {"soc_start_percent", "soc_end_percent", "soc_step_percent"}
    assert read_card("energy", "2,9", METRIC)["energy_kwh"] == pytest.approx(2.9)
    assert read_card("distance", "11.43", US)["distance_km"] == pytest.approx(18.395, rel=1e-3)


def test_a_run_more_takes_names_of_its_own():
    study = with_run(driven_study("AB"), "A")
    assert study.order == "ABA"
    assert len({leg.leg for leg in study.legs}) == 6
    assert [leg.direction for leg in study.legs[-2:]] == ["out", "back"]


@pytest.mark.parametrize(
    "fields, shown",
    [
        ({"energy_kwh": 2.9, "energy_step_kwh": 0.1}, "2.9 kWh"),
        ({"fuel_l": 1.9}, "1.9 L"),
        ({"charger_kwh": 4.1}, "4.1 kWh charged"),
        ({"soc_start_percent": 82.0, "soc_end_percent": 71.0}, "82-71 %"),
        ({}, ""),
    ],
)
def test_every_instrument_is_written_as_it_is_typed(fields, shown):
    bare = {"average_shown": None, "average_unit": None, "average_step": None}
    leg = driven_study().legs[0].with_(**{**bare, **fields})
    assert show_reading(leg) == shown
    if shown:
        again = read_reading(shown, "kWh/100km")
        assert {k: again[k] for k in fields} == pytest.approx(fields)


def test_emptied_cells_clear_what_they_held():
    leg = driven_study().legs[0]
    beside = leg.with_(energy_kwh=2.9)  # shown together, cleared together
    assert not beside.with_(**read_leg_field("reading", "", METRIC, beside, DAY)).has_reading
    assert set(read_leg_field("reading", "", METRIC, leg, DAY)) >= {"average_shown", "average_unit"}
    assert read_leg_field("note", "gate shut", METRIC, leg, DAY) == {"note": "gate shut"}
    assert read_leg_field("started_at", "9:05", METRIC, leg, DAY)["started_at"].hour == 9


def test_words_and_numbers_for_a_field():
    with pytest.raises(ValueError) as caught:
        driven_study().legs[0].with_(temperature_c=99.0)
    assert words_of(caught.value) == "99 is not possible; expected -50 to 60 °C"
    assert words_of(ValueError("plain")) == "plain"
    assert [show_number(x, 2) for x in (None, 1.5, 2.0, 18.4)] == ["", "1.5", "2", "18.4"]
