"""A trailer over a mountain: there and back by energies, charge at the top, forecast against outcome."""

import pytest


def test_there_and_back_over_a_mountain(tester):
    t = tester
    t.new("one", "Trailer over the pass", order="A", method="out-and-back", capacity="190")
    t.leg("L01", reading="1.15 km/kWh", distance_km="128", soc="97-44", on_the_way="96 km 1.45 km/kWh")
    t.leg("L02", reading="2.9 km/kWh", distance_km="128")
    result = t.result()
    # 256 km over 128/1.15 + 128/2.9 kWh; never the mean of the two figures, 2.03.
    assert 1000 / result.as_driven_wh_per_km == pytest.approx(1.647, abs=0.002)
    assert t.analysis.climbs == ()
    text = t.shown("verdict")
    assert "returned" not in text
    assert "Up | 111.3 kWh over 128 km: 87.0 kWh/100 km" in text  # 128 / 1.15
    assert "Down | 44.14 kWh over 128 km: 34.5 kWh/100 km" in text  # 128 / 2.9
    assert "Both ways | 155.4 kWh over 256 km: 60.7 kWh/100 km" in text
    # By hand: 96 km at 1.45 are 66.2 kWh; of 128 / 1.15 = 111.3 the last 32 km took 45.1, 141 kWh/100 km: the climb.
    parts = "0.0 to 96.0 km +66.21 kWh (69.0 kWh/100 km); 96.0 to 128.0 km +45.10 kWh (141 kWh/100 km)"
    assert f"L01 by the average shown on the way: {parts}." in text
    t.units("metric")
    assert result.range_km == pytest.approx(190 * 1.647, rel=0.002)
    assert {d.direction for d in result.directions} == {"out", "back"}
    t.check()


def test_as_a_climb_no_share_comes_back_where_nothing_did(tester):
    t = tester
    t.new("climb", "Trailer over the pass", capacity="190")
    t.leg("L01", reading="1.15 km/kWh", distance_km="128")
    t.leg("L02", reading="2.9 km/kWh", distance_km="128")
    assert t.analysis.climbs == () or all(c.down_wh > 0 for c in t.analysis.climbs)
    assert "returned" not in t.shown("verdict")
    result = t.result()
    assert 1000 / result.as_driven_wh_per_km == pytest.approx(1.647, abs=0.002)


def test_forecast_against_outcome(tester):
    t = tester
    t.new("one", "Trailer over the pass", order="A", method="out-and-back", capacity="190")
    t.leg("L01", soc="97-44", distance_km="128", reading="1.15 km/kWh")
    t.leg("L02", soc="44-28", distance_km="128", reading="2.9 km/kWh", forecast="35")
    text = t.shown("verdict")
    # 35 % forecast, 28 % found: 7 % of 190 kWh.
    assert "13.3 kWh more" in text
    assert "13.3 kWh more" in t.report()
