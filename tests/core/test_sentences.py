"""Sentences of the core in the units that a person chose."""

import pytest

from fairmargin.core.units import UNIT_CHOICES, in_units

US, METRIC, WH = (UNIT_CHOICES[n] for n in ("us", "metric", "metric-wh"))


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("Trial legs 8.0 km/h faster", "Trial legs 5.0 mph faster"),
        ("trial legs were 5 K warmer", "trial legs were 9 \u00b0F warmer"),
        ("12 \u00b0C, colder than your limit of 0 \u00b0C", "54 \u00b0F, colder than your limit of 32 \u00b0F"),
        ("wind 6 m/s, above your limit of 6", "wind 13 mph, above your limit of 6"),
        ("200 and 240 kPa apart", "29 and 35 psi apart"),
        ("50 kg alone would cost about 2.5 %", "110 lb alone would cost about 2.5 %"),
        ("about 10 Wh/km", "about 16 Wh/mi"),
        ("legs of 20 km or more", "legs of 12 mi or more"),
        ("2026-05-02, leg L05, 95 %, 3 legs", "2026-05-02, leg L05, 95 %, 3 legs"),
        ("\u22125 to 3 \u00b0C", "23 to 37 \u00b0F"),
    ],
)  # fmt: skip
def test_figures_with_units_are_converted_and_others_stay(text, shown):
    assert in_units(text, US) == shown


def test_units_already_chosen_stay_as_they_were_written():
    text = "at 90 km/h and 15 \u00b0C, 3.0 m/s, 150 Wh/km, 5 K"
    assert in_units(text, METRIC) == text
    assert in_units("wind 3.0 m/s", WH) == "wind 10.8 km/h"
