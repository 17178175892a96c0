"""Units against NIST SP 811 and the arithmetic of the trade."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fairmargin.core import units as u
from fairmargin.core.planning.load import read_item
from fairmargin.core.study.statement_entry import read_prediction

# Source: NIST SP 811 (2008), Appendix B.8: mile 1.609344 km, gallon (US) 3.785412 L, knot 0.5144444 m/s,
# psi 6.894757 kPa, inHg 3.386389 kPa, pound 0.45359237 kg (factors as printed, seven figures).
NIST = [
    ("distance", "mi", 1.609344),
    ("volume", "gal-us", 3.785412),
    ("wind", "kn", 0.5144444),
    ("tyre", "psi", 6.894757),
    ("pressure", "inHg", 33.86389),
    ("mass", "lb", 0.45359237),
]


@pytest.mark.parametrize("quantity, unit, factor", NIST)
def test_factors_of_nist_sp_811(quantity, unit, factor):
    assert u.unit_of(quantity, unit).to_base(1.0) == pytest.approx(factor, rel=2e-7)


# Common practice: definitions worked by hand.
@pytest.mark.parametrize(
    "value, source, target, expected",
    [
        (1.0, "mi/kWh", "Wh/mi", 1000.0),
        (4.0, "mi/kWh", "kWh/100mi", 25.0),
        (200.0, "Wh/mi", "Wh/km", 124.274),
        (15.0, "kWh/100km", "km/kWh", 6.66667),
        (30.0, "mpg-us", "L/100km", 7.84049),
        (40.0, "mpg-imp", "L/100km", 7.06202),
        (20.0, "km/L", "L/100km", 5.0),
    ],
)
def test_conversions(value, source, target, expected):
    assert u.convert(value, source, target) == pytest.approx(expected, rel=1e-5)


@given(st.floats(1.0, 1000.0), st.sampled_from(u.CONSUMPTION_UNITS), st.sampled_from(u.CONSUMPTION_UNITS))
def test_there_and_back_conversion_is_the_identity(value, source, target):
    assert u.convert(u.convert(value, source, target), target, source) == pytest.approx(value, rel=1e-12)


def test_fuel_goes_through_its_heating_value():
    assert u.to_wh_per_km(6.0, "L/100km", 8900.0) == pytest.approx(534.0)
    with pytest.raises(u.UnitError, match="not a consumption unit; expected one of Wh/km"):
        u.to_wh_per_km(6.0, "furlongs")


# Common practice: figures worked by hand.
def test_means_are_total_energy_over_total_distance():
    assert u.per_distance_mean([198, 234], [32, 32]) == pytest.approx(216)
    up, down = (u.to_wh_per_km(x, "mi/kWh") for x in (1.8, 0.7))
    mean = u.from_wh_per_km(u.per_distance_mean([up, down], [1, 1]), "mi/kWh")
    assert mean == pytest.approx(1.01, abs=0.005)
    with pytest.raises(u.UnitError, match="total distance above 0"):
        u.per_distance_mean([1.0], [0.0])


@pytest.mark.parametrize("effect, change", [(71, -42), (101, -50), (25, -20), (0, 0)])
def test_consumption_rise_is_not_range_loss(effect, change):
    assert u.range_change_percent(effect) == pytest.approx(change, abs=0.5)


@pytest.mark.parametrize(
    "text, value, unit, step",
    [
        ("3.4 mi/kWh", 3.4, "mi/kWh", 0.1),
        ("212 Wh/mi", 212, "Wh/mi", 1),
        ("15,0", 15.0, "kWh/100km", 0.1),
        ("15.04 kWh/100 km", 15.04, "kWh/100km", 0.01),
        ("34 MPG (US)", 34, "mpg-us", 1),
    ],
)
def test_typed_consumption_keeps_unit_and_step(text, value, unit, step):
    typed = u.read_consumption(text, "kWh/100km")
    assert (typed.value, typed.unit) == (value, unit)
    assert typed.step == pytest.approx(step)


@pytest.mark.parametrize(
    "text, words",
    [
        ("abc", '"abc" is not a number'),
        ("1,234.5", "more than one decimal sign"),
        ("15 mpg", 'say "mpg-us" or "mpg-imp"'),
        ("15 bananas", "not a consumption unit"),
        ("1500", "Is the unit right"),
        ("0", "above 0"),
    ],
)
def test_impossible_consumption_is_refused_in_words(text, words):
    with pytest.raises(u.UnitError, match=words):
        u.read_consumption(text, "kWh/100km")


@pytest.mark.parametrize(
    "text, quantity, unit, expected",
    [
        ("57.2", "temperature", "°F", 14.0),
        ("14 C", "temperature", "°F", 14.0),
        ("10 kt", "wind", "m/s", 5.1444),
        ("2,9", "tyre", "bar", 290),
    ],
)
def test_typed_quantities(text, quantity, unit, expected):
    assert u.read_quantity(text, quantity, unit) == pytest.approx(expected, abs=1e-3)


@pytest.mark.parametrize("text, seconds", [("16:30", 990), ("1:02:10", 3730), ("17 min", 1020), ("17,5", 1050)])
def test_typed_durations(text, seconds):
    assert u.read_duration_s(text) == pytest.approx(seconds)


def test_a_bad_duration_says_what_was_expected():
    with pytest.raises(u.UnitError, match="expected min:s such as 16:30"):
        u.read_duration_s("16:75")


@pytest.mark.parametrize(
    "value, step, text", [(15.0, 0.1, "15.0"), (212, 1.0, "212"), (3.1, 0.01, "3.10"), (15.5, None, "15.5")]
)
def test_values_are_written_with_the_digits_their_display_shows(value, step, text):
    assert u.to_step(value, step) == text


def test_a_vehicle_that_burns_diesel_is_shown_at_diesels_heating_value():
    """Common practice: 9.97 kWh/L of diesel, 8.9 of petrol; 9.5 L/100 km must come back as 9.5."""
    choice = u.UNIT_CHOICES["metric"].for_vehicle(True, 9970.0)
    stored = u.to_wh_per_km(9.5, "L/100km", 9970.0)
    assert choice.consumption == "L/100km" and choice.show_consumption(stored) == pytest.approx(9.5)
    assert u.UNIT_CHOICES["us"].for_vehicle(True, 8900.0).consumption == "mpg-us"
    assert u.UNIT_CHOICES["uk"].for_vehicle(True, 8900.0).consumption == "mpg-imp"
    assert u.UNIT_CHOICES["metric"].for_vehicle(False, 8900.0) == u.UNIT_CHOICES["metric"]


@pytest.mark.parametrize(
    ("groups", "text", "value"),
    [
        ("", "1,350", 1.35),  # nobody told how they write: as it always was
        (",", "1,350", None),
        (",", "1,350 kg", None),
        (",", "12,345", None),
        (",", "123,456", None),
        (",", "\u22121,350", None),
        (",", "1.350", 1.35),
        (",", "0,350", 0.35),
        (",", "1,35", 1.35),
        (",", "1,3500", 1.35),
        (",", "1234,567", 1234.567),
        (",", "1 350", 1350.0),
        (".", "1.350", None),
        (".", "15.000 km", None),
        (".", "1,350", 1.35),
        (".", "0.350", 0.35),
        (".", "15.4", 15.4),
    ],
)
def test_a_thousand_or_thousandths_is_asked_about_where_the_sign_groups_thousands(groups, text, value):
    """Common practice: 1,350 is a thousand in English, 1.350 in German; they differ by a thousand times."""
    with u.typed_with_groups(groups):
        if value is not None:
            assert u.read_number(text).value == value
            return
        with pytest.raises(u.UnitError, match=r"may be \S*\d{4,6}.* or .*: write which"):
            u.read_number(text)
    assert u.read_number("1,350").value == 1.35, "told for what was typed then alone"


def test_the_question_names_both_figures():
    with (
        u.typed_with_groups(","),
        pytest.raises(u.UnitError, match=r'"1,350 lb" may be 1350 lb or 1\.350 lb: write which'),
    ):
        u.read_quantity("1,350 lb", "mass", "kg")
    with u.typed_with_groups("."):
        assert read_item("kit", "1,200 kg", "aboard").mass_kg == 1.2
        with pytest.raises(ValueError, match=r"1200 kg or 1\.200 kg"):
            read_item("kit", "1.200 kg", "aboard")


def test_only_what_was_typed_is_asked_about_not_what_is_made_of_it():
    """1234 g are 1.234 kg, and 17,125 is a decimal where a point groups thousands."""
    with u.typed_with_groups("."):
        assert read_item("kit", "1234 g", "aboard").mass_kg == pytest.approx(1.234)
        assert read_item("kit", "1,125 kg", "aboard").mass_kg == 1.125
        assert read_item("kit", "2,125 lb", "aboard").mass_kg == pytest.approx(2.125 * 0.45359237)
        assert read_item("water", "1,125 gal-us", "aboard").litres == pytest.approx(1.125 * 3.785411784)
        said = read_prediction("17,125 to 17,375 kWh/100 km", u.UNIT_CHOICES["metric"])["prediction"]
        assert (said.low, said.high) == (17.125, 17.375)
        with pytest.raises(u.UnitError, match="is not possible"):
            read_prediction("0,125 to 0,375 kWh/100 km", u.UNIT_CHOICES["metric"])
