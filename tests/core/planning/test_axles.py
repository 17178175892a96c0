"""Axles by a weighbridge, tyres by their marking."""

import pytest

from fairmargin.core.planning.axles import axle_kg, check_axles
from fairmargin.core.planning.load import check_load, nose_by_weighbridge
from fairmargin.core.planning.tyres import tyre_rating
from fairmargin.core.study.plan import LimitSource, Load
from fairmargin.core.units import plain

#: ETRTO Standards Manual and ISO 4000-1, load index and load [kg]; from memory.
PUBLISHED = {60: 250, 75: 387, 82: 475, 91: 615, 97: 730, 100: 800, 104: 900, 110: 1060, 121: 1450, 126: 1700}
#: The same, speed symbols [km/h].
SYMBOLS = {"N": 140, "Q": 160, "T": 190, "H": 210, "V": 240, "W": 270, "Y": 300}


@pytest.mark.parametrize("index, kg", PUBLISHED.items())
def test_load_indices_are_those_of_the_published_table(index, kg):
    assert tyre_rating(f"195/65 R 15 {index}T").load_kg == kg


@pytest.mark.parametrize("symbol, kmh", SYMBOLS.items())
def test_speed_symbols_are_those_of_the_published_table(symbol, kmh):
    assert tyre_rating(f"91{symbol}").speed_kmh == kmh


def test_a_marking_without_an_index_says_nothing_and_one_that_cannot_be_is_refused():
    assert tyre_rating("225/55R17") is None and tyre_rating("") is None
    assert tyre_rating("195/70R15C 104/102R").index == 104  # single, not twin
    with pytest.raises(ValueError, match="200 is no load index"):
        tyre_rating("225/55R17 200W")


def said(load, speed=None):
    return {c.name: (c.state, plain(c.words)) for c in (*check_load(load), *check_axles(load, speed))}


def test_the_heavier_weighing_of_an_axle_counts_against_the_lowest_limit():
    load = Load(
        front_axle_kg=1010, rear_axle_kg=1080, front_axle_towing_kg=985, rear_axle_towing_kg=1165,
        rear_axle_limit=(LimitSource(mass_kg=1200, source="plate"), LimitSource(mass_kg=1150, source="handbook")),
        front_axle_limit=(LimitSource(mass_kg=1100, source="plate"),),
    )  # fmt: skip
    assert axle_kg(load, "front") == 1010 and axle_kg(load, "rear") == 1165
    found = said(load)
    assert found["front axle"] == ("fine", "90 kg left of the 1100 kg of the plate.")
    assert found["rear axle"][0] == "over" and "15 kg over the 1150 kg of the handbook" in found["rear axle"][1]
    # By hand: 985 + 1165 hitched less 1010 + 1080 alone.
    assert nose_by_weighbridge(load) == 60


def test_the_nose_weight_is_weighed_where_nobody_measured_it():
    load = Load(
        front_axle_kg=1010, rear_axle_kg=1080, front_axle_towing_kg=985, rear_axle_towing_kg=1165, trailer_kg=1200,
        nose_limit=(LimitSource(mass_kg=75, source="coupling"),), towing_limit=(LimitSource(mass_kg=1350, source="plate"),),
    )  # fmt: skip
    assert said(load)["nose weight"] == (
        "fine",
        "60 kg is 5.0 % of the trailer; 5 to 7 % is usual; at most 75 kg (coupling).",
    )
    assert "40 kg" in said(load.with_(nose_kg=40))["nose weight"][1]  # what was measured at the nose counts first


def test_sum_and_weighbridge_of_the_laden_vehicle_are_held_against_each_other():
    load = Load(
        vehicle_kg=1710, people_kg=150, front_axle_kg=1010, rear_axle_kg=1080,
        gross_limit=(LimitSource(mass_kg=2100, source="plate"),),
    )  # fmt: skip
    state, words = said(load)["laden vehicle"]
    assert state == "close" and "10 kg left of the 2100 kg" in words
    assert "By sum 1860 kg, 240 kg left; by the scale 2090 kg, 10 kg left: they disagree" in words


def test_tyres_are_held_against_their_axle_and_the_speed_that_is_planned():
    load = Load(front_axle_kg=1010, rear_axle_kg=1250, tyres="195/65 R 15 91Q")
    found = said(load, 165.0)
    # Two tyres of 615 kg carry 1230 kg.
    assert found["front tyres"] == ("fine", "220 kg left of the 1230 kg of the two tyres of load index 91.")
    assert found["rear tyres"][0] == "over" and "20 kg over" in found["rear tyres"][1]
    assert found["tyres\u2019 speed"] == (
        "over", "Planned 165 km/h, at most 160 km/h by their symbol Q. Do not drive that fast.",
    )  # fmt: skip
    assert said(load, 100.0)["tyres\u2019 speed"][0] == "fine" and "tyres\u2019 speed" not in said(load)
    trailer = Load(trailer_axles_kg=1700, trailer_axle_count=2, trailer_tyres="155/70 R 13 75N")
    # Two axles of 850 kg on two tyres of 387 kg each: 774 kg.
    assert said(trailer)["trailer tyres"][0] == "over" and "76 kg over the 774 kg" in said(trailer)["trailer tyres"][1]
