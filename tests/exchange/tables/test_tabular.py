"""What parts the columns of strangers' tables."""

import pytest

from fairmargin.exchange.tables.rows import delimiter_of, filled_rows, in_brackets


@pytest.mark.parametrize(
    "text, sign",
    [
        ("time,speed\n0,90\n1,91", ","),
        ("time;speed\n0;90,5\n1;91,2", ";"),
        ("L01\t15,4\t18,4\nL02\t16,2\t18,4", "\t"),
        ("time|kWh\n12:40|4,1", "|"),
        ("15,4\n16,2\n15,9", None),  # decimal commas part nothing
        ("15.4\n16.2", None),
        ("leg,reading\n", ","),
        ("L01,15.4", ","),
        ("", None),
        ("note; with a word\nL01\nL02", ";"),  # the header alone says it
    ],
)
def test_the_sign_between_columns(text, sign):
    assert delimiter_of(text) == sign


def test_rows_that_hold_nothing_are_no_rows():
    assert filled_rows("a;b\n;\n\n1;2\n", ";") == [["a", "b"], ["1", "2"]]


@pytest.mark.parametrize("head, unit", [("Speed (km/h)", "km/h"), ("Air [ °C ]", "°C"), ("Power kW", ""), ("", "")])
def test_a_unit_in_brackets(head, unit):
    assert in_brackets(head) == unit
