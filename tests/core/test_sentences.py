"""Sentences that carry values, written out in the units that a person chose."""

import pytest
from tests.unlike import unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.result.as_json import as_json
from fairmargin.core.study.entry import words_of
from fairmargin.core.units import UNIT_CHOICES, SaidError, in_units, plain, said, said_range

US, METRIC, WH = (UNIT_CHOICES[n] for n in ("us", "metric", "metric-wh"))


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        (f"Trial legs {said(8.0, 'km/h', 1)} faster", "Trial legs 5.0 mph faster"),
        (f"trial legs were {said(5, 'K')} warmer", "trial legs were 9 \u00b0F warmer"),
        (f"{said(12, '°C')}, colder than {said(0, '°C')}", "54 \u00b0F, colder than 32 \u00b0F"),
        (f"wind {said(6, 'm/s')}, above your limit of {said(5, 'm/s')}", "wind 13 mph, above your limit of 11 mph"),
        (f"{said_range(200, 240, 'kPa', word='and')} apart", "29 and 35 psi apart"),
        (f"{said(50, 'kg')} alone would cost about 2.5 %", "110 lb alone would cost about 2.5 %"),
        (f"about {said(10, 'Wh/km')}", "about 16 Wh/mi"),
        (f"legs of {said(20, 'km')} or more", "legs of 12 mi or more"),
        ("2026-05-02, leg L05, 95 %, 3 legs", "2026-05-02, leg L05, 95 %, 3 legs"),
        (said_range(-5, 3, "°C"), "23 to 37 \u00b0F"),
        # NIST SP 811: 1 mi/h is 0.44704 m/s; from the value itself, not from "5 m/s"
        (f"wind {said(4.6, 'm/s')}", "wind 10 mph"),
        (f"{said(1013.25, 'hPa')}, {said(3.0, 'K', plus=True)}", "29.9 inHg, +5 \u00b0F"),
    ],
)  # fmt: skip
def test_values_are_written_out_in_the_persons_units(text, shown):
    assert in_units(text, US) == shown


def test_what_nobody_marked_is_nobodys_to_convert():
    """A title, a note, a reading: they stay as they were typed."""
    text = f"\u201cVans at 80 km/h, 300 kg\u201d: {said(80, 'km/h')}, L05 showed 160 Wh/km"
    assert in_units(text, US) == "\u201cVans at 80 km/h, 300 kg\u201d: 50 mph, L05 showed 160 Wh/km"


def test_own_units_are_those_of_the_file():
    text = f"at {said(90, 'km/h')} and {said(15, '°C')}, {said(3, 'm/s', 1)}, {said(150, 'Wh/km')}, {said(-5, 'K')}"
    assert plain(text) == in_units(text, METRIC) == "at 90 km/h and 15 \u00b0C, 3.0 m/s, 150 Wh/km, \u22125 K"
    assert in_units(f"wind {said(3, 'm/s', 1)}", WH) == "wind 10.8 km/h"
    assert in_units(said(230, "kPa"), METRIC) == "2.30 bar"


def test_a_unit_that_sentences_do_not_know_is_refused():
    with pytest.raises(KeyError):
        said(3.0, "furlong")


def test_a_fault_is_told_in_the_persons_units():
    fault = SaidError(f"stop at {said(140, 'km')}: no charger stands there")
    assert str(fault) == words_of(fault) == "stop at 140 km: no charger stands there"
    assert words_of(fault, US) == "stop at 87 mi: no charger stands there"


@pytest.mark.parametrize("name", sorted(unlike()))
def test_what_leaves_the_program_has_no_marks(name):
    study, traces = unlike()[name]
    assert "\ue000" not in str(as_json(analyse(study, traces)))
