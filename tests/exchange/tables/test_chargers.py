"""Chargers and stretches as people type them."""

from __future__ import annotations

import pytest

from fairmargin.core.study.trip import Charger, TripStretch
from fairmargin.exchange.tables.chargers import read_chargers, read_stretches, show_chargers, show_stretches

MILL, SLUICE = (
    Charger(at_km=140, name="Mill Quay", kw=150, price_per_kwh=0.45),
    Charger(at_km=230, name="Sluice", kw=50),
)


@pytest.mark.parametrize(
    "text",
    [
        "140 Mill Quay 150 kW 0.45\n230 Sluice 50 kW",
        "230 km: Sluice, 50 kW\n140 km, Mill Quay, 150 kW, 0,45",
        "at,name,kW,price\n140,Mill Quay,150,0.45\n230,Sluice,50,",
        "Name;Distance (km);Power (kW);Price\nMill Quay;140;150;0,45\nSluice;230;50;",
    ],
)
def test_lists_and_tables(text: str) -> None:
    assert read_chargers(text, 420) == (MILL, SLUICE)


def test_every_so_far_in_either_unit() -> None:
    assert [c.at_km for c in read_chargers("every 90 to 140 km", 420)] == [140, 230, 370]
    miles = read_chargers("every 60 to 90, 350 kW", 420, "mi")
    assert [round(c.at_km / 1.609344, 1) for c in miles] == [90, 150, 240]
    assert {c.kw for c in miles} == {350}


def test_out_of_order_stays_in_the_list() -> None:
    (c,) = read_chargers("140 Mill Quay 150 kW out of order", 420)
    assert not c.working and c.name == "Mill Quay"
    (c,) = read_chargers("at,name,state\n140,Mill,closed", 420)
    assert not c.working


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("Mill Quay", "expected a distance first"),
        ("140 m Mill Quay", "no unit of a distance"),
        ("at,kW\n140,fast", "line 2"),
        ("140 Mill 2000 kW", "1 to 1500 kW"),
        ("every 0 to 10 km", "above 0"),
    ],
)
def test_what_cannot_be_read_is_said(text: str, expected: str) -> None:
    with pytest.raises(ValueError, match=expected):
        read_chargers(text, 420)


def test_a_way_in_stretches() -> None:
    made = read_stretches("60 km at 90; 300 at 85 +400 m; 60 at 50, town; 12")
    assert made == (
        TripStretch(km=60, speed_kmh=90), TripStretch(km=300, speed_kmh=85, climb_m=400),
        TripStretch(km=60, speed_kmh=50, name="town"), TripStretch(km=12),
    )  # fmt: skip
    (miles,) = read_stretches("260 mi at 56 mph -300 ft")
    assert miles.km == pytest.approx(418.43, abs=0.01)
    assert miles.speed_kmh == pytest.approx(90.12, abs=0.01)
    assert miles.climb_m == pytest.approx(-91.44)
    assert read_stretches("12,5 at 90")[0].km == 12.5
    with pytest.raises(ValueError, match="expected a distance and a speed"):
        read_stretches("fast")
    with pytest.raises(ValueError, match="60 kg"):
        read_stretches("60 kg at 50")


def test_what_is_shown_is_what_is_typed() -> None:
    made = read_stretches("60 at 90; 300 at 85 +400 m; 60 at 50, town; 380; 40, town")
    assert read_stretches(show_stretches(made)) == made
    assert show_stretches(read_stretches("380 km")) == "380"  # and no speed that nobody typed
    chargers = (MILL.with_(hitched=True), SLUICE.with_(working=False, hitched=True), MILL.with_(at_km=300))
    assert read_chargers(show_chargers(chargers), 420) == chargers


def test_chargers_at_one_distance_and_their_price() -> None:
    assert [c.at_km for c in read_chargers("every 140 km, 50 kW", 420)] == [140.0, 280.0]
    assert {c.kw for c in read_chargers("every 140 km, 50 kW", 420)} == {50.0}
    miles = read_chargers("every 60 to 90 mi, 150 kW 0.45", 420)
    assert miles[0].at_km == pytest.approx(144.8, abs=0.05)
    assert {c.price_per_kwh for c in miles} == {0.45}


def test_where_a_trailer_may_stay_on() -> None:
    line, plain = read_chargers("140 Mill Quay 150 kW 0.45 hitched\n200 Top 50 kW", 420)
    assert (line.name, line.price_per_kwh, line.hitched) == ("Mill Quay", 0.45, True)
    assert plain.hitched is None
    yes, no, unsaid = read_chargers("at,name,kW,trailer\n140,Mill,150,yes\n200,Top,50,no\n300,Far,50,", 420)
    assert (yes.hitched, no.hitched, unsaid.hitched) == (True, False, None)


@pytest.mark.parametrize("text", ["every 90.5 to 140 km, 150.5 kW, 0.45", "every 90,5 to 140 km, 150,5 kW, 0,45"])
def test_every_so_far_with_a_decimal_comma(text: str) -> None:
    found = read_chargers(text, 420)
    assert [c.at_km for c in found] == [140, 230.5, 370.5]
    assert {(c.kw, c.price_per_kwh) for c in found} == {(150.5, 0.45)}
    assert [c.at_km for c in read_chargers("every 90,5 km", 420)] == [
        c.at_km for c in read_chargers("every 90.5 km", 420)
    ]
