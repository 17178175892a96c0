"""Wet against dry: the road's state is the change; temperature and heating are what it is not."""

import re

import pytest


@pytest.mark.inputs(13)
def test_wet_against_dry(tester):
    t = tester
    t.units("metric-wh")
    t.new("road", "The same road in the rain", order="AB", capacity="70")
    assert [c.label for c in t.study.configurations] == ["Dry", "Wet"]
    assert [leg.road for leg in t.study.legs] == ["dry", "dry", "wet", "wet"]
    t.legs("reading", "217", "217", "238", "238")
    t.legs("distance_km", *["44"] * 4)
    t.legs("temperature_c", "14", "14", "8", "8")
    t.legs("climate", "off", "off", "21", "21")
    c = t.effect
    assert round(c.as_measured_percent, 1) == 9.7
    assert c.effect_percent < 6  # heater and cold air explain a good part
    assert c.interval_percent[0] < c.effect_percent < c.interval_percent[1]
    assert "wet-road" not in {x.code for x in c.concerns}
    assert (round(t.result("B").range_km), round(t.result("A").range_km)) == (294, 323)
    text = t.shown("verdict")
    assert "recorded conditions" not in text
    # The sum stands there as a pencil writes it, and comes out.
    (left, right), *_ = re.findall(r"([+-][\d.]+(?: [+-] [\d.]+)+) = ([+-]?[\d.]+) %", text)
    total = sum(float(x.replace(" ", "")) for x in re.findall(r"[+-] ?[\d.]+", left))
    assert total == pytest.approx(float(right), abs=1e-9)
    assert left.startswith("+9.7") and total == pytest.approx(c.effect_percent, abs=0.051)
    assert "cabin -" in t.report() and f"{left} = {right} %" in t.report()
    assert "reserve" in t.shown("use").lower()
    t.check()


def test_the_road_is_corrected_for_nobody(tester):
    # Told as a change of the road or as one of nobody knows what: what was read stays what was read.
    t = tester
    t.units("metric-wh")
    t.new("road", "Rain", order="AB", method="loop")
    t.legs("reading", "200", "220")
    t.legs("distance_km", "44", "44")
    for leg in t.study.legs:
        t.leg(leg.leg, climate="off", temperature_c="15")
    assert t.effect.as_measured_percent == pytest.approx(10)
    assert t.effect.effect_percent == pytest.approx(10, abs=1.5)
