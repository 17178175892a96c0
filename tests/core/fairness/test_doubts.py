"""Readings that cannot be: doubted before anything is compared, with what they most likely were; confirmed by a word."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.study.entry import show_readings
from fairmargin.core.study.slips import is_confirmed, likely, slips_of

NONE = {"average_shown": None, "average_unit": None, "average_step": None}


def one_pair(**fields):
    """A null: 17.4 there and 17.0 back, with and without."""
    study = driven_study("AB", **fields)
    for leg in study.legs:
        shown = 17.4 if leg.direction == "out" else 17.0
        study = study.with_leg(leg.leg, average_shown=shown, average_unit="kWh/100km", average_step=0.1)
    return study


def by_charge():
    """The same by charge: seven per cent a leg of 20 km, of 52 kWh."""
    study = driven_study("AB")
    spans = [(62, 56), (56, 50), (50, 44), (48, 42)]
    for leg, (before, after) in zip(study.legs, spans, strict=True):
        study = study.with_leg(leg.leg, **NONE, soc_start_percent=before, soc_end_percent=after)
    return study


def doubts(study):
    """Concerns about readings of the one comparison, and its verdict."""
    (c,) = analyse(study).comparisons
    return [x for x in c.concerns if x.code in {"reading-doubtful", "reading-unconfirmed"}], c.verdict


def test_an_ordinary_pair_is_not_doubted():
    assert doubts(one_pair()) == ([], "not settled")
    assert doubts(by_charge())[0] == []


# What was typed for 17.4 on L01, and what is offered instead.
SLIPS = [
    (174.0, 1.0, "17.4 kWh/100 km"),
    (34.8, 0.1, ""),
    (8.7, 0.1, ""),
    (177.4, 0.1, "17.4 kWh/100 km"),
    (71.4, 0.1, "17.4 kWh/100 km"),
    (1.74, 0.01, "17.4 kWh/100 km"),
]


@pytest.mark.parametrize(("typed", "step", "offered"), SLIPS)
def test_a_slip_settles_nothing(typed, step, offered):
    (doubt, *_), verdict = doubts(one_pair().with_leg("L01", average_shown=typed, average_step=step))
    assert verdict == "not a fair comparison"
    assert (doubt.severity, doubt.legs[0], doubt.suggested) == ("blocks", "L01", offered)


def test_a_slip_of_the_gauge():
    (doubt, *_), verdict = doubts(by_charge().with_leg("L02", soc_end_percent=5))
    assert (verdict, doubt.legs, doubt.suggested) == ("not a fair comparison", ("L02",), "56-50 %")
    # A charge that rises on the flat.
    (doubt, *_), verdict = doubts(by_charge().with_leg("L04", soc_start_percent=48, soc_end_percent=53))
    assert verdict == "not a fair comparison"
    assert "L04" in {name for d in [doubt] for name in d.legs}


@pytest.mark.parametrize("kwh", [0.0, -1.0, -5.0])
def test_energies_that_no_drive_gives_are_told(kwh):
    study = one_pair()
    only = study.with_(legs=tuple(x.with_(**NONE, energy_kwh=3.2, energy_step_kwh=0.1) for x in study.legs))
    found, verdict = doubts(only.with_leg("L01", energy_kwh=kwh))
    assert verdict == "not a fair comparison"
    assert any("L01" in d.legs and d.severity == "blocks" for d in found)
    # Beside an average as well.
    found, verdict = doubts(study.with_leg("L01", energy_kwh=kwh))
    assert verdict == "not a fair comparison"
    assert any("L01" in d.legs and d.severity == "blocks" for d in found)


def test_a_confirmed_reading_is_believed():
    slipped = one_pair().with_leg("L01", average_shown=34.8)
    leg = slipped.leg("L01")
    confirmed = slipped.with_leg("L01", confirmed=show_readings(leg))
    assert is_confirmed(confirmed.leg("L01"))
    found, _ = doubts(confirmed)
    assert all("L01" not in d.legs for d in found)
    # Another reading is not: the word was given for 34.8.
    other = confirmed.with_leg("L01", average_shown=36.1)
    assert not is_confirmed(other.leg("L01"))
    assert doubts(other)[1] == "not a fair comparison"


def test_one_drive_each_and_more_than_is_usual():
    """Covers on a loop, once each, 15 % apart: as likely a swapped digit (17.4, 14.7) as the covers."""
    study = driven_study("AB", method="loop")
    for leg, shown in zip(study.legs, (17.4, 14.7), strict=True):
        study = study.with_leg(leg.leg, average_shown=shown, average_unit="kWh/100km", average_step=0.1)
    (doubt,), verdict = doubts(study)
    assert (verdict, doubt.code, doubt.unsettles) == ("not settled", "reading-unconfirmed", True)
    assert doubt.legs == ("L01", "L02")
    for leg in study.legs:
        study = study.with_leg(leg.leg, confirmed=show_readings(leg))
    assert doubts(study) == ([], "uses less")
    # A trailer makes as much: nothing is asked.
    assert doubts(study.with_(change=study.change.with_(kind="towing", mechanism="mixed")))[0] == []


def test_slips_are_undone_the_likeliest_first():
    assert "17.4" in list(slips_of("174"))[:1]
    assert {"17.4", "147", "74"} <= set(slips_of("174"))
    assert likely(one_pair().legs[0].with_(average_shown=177.4), 10.2, 1) == "17.4 kWh/100 km"
    leg = one_pair().legs[0]
    assert likely(leg.with_(average_shown=280.0, average_unit="Wh/km"), 1.609) == "280.0 Wh/mi"
    assert likely(leg.with_(average_shown=0.34, average_unit="mi/kWh", average_step=0.01), 10) == "3.4 mi/kWh"
    assert likely(leg.with_(**NONE, energy_kwh=32.0, energy_step_kwh=1.0), 10) == "3.2 kWh"
    assert likely(leg.with_(**NONE), 10) == ""
