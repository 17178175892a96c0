"""Climb and descent with one configuration: charge down, charge up, and a reading on the way."""

import pytest


def test_what_a_hill_costs_and_what_comes_back(tester):
    t = tester
    t.new("climb", "Up to the pass", capacity="31")
    assert t.study.trials == ()
    card = t.window.drive.cards["L01"] if t.window.go_to("drive") is None else None
    assert {"soc", "on_the_way"} <= set(card.fields)  # what a climb needs is open
    t.leg("L01", soc="91-83", distance_km="6.1", on_the_way="1.9 km 89 %")
    t.leg("L02", distance_km="6.1", soc="83-86")
    (climb,) = t.analysis.climbs
    assert climb.up_wh == pytest.approx(2480)  # 8 % of 31 kWh
    assert climb.down_wh == pytest.approx(930)
    assert climb.returned_percent == pytest.approx(37.5)
    half = (climb.step_interval_percent[1] - climb.step_interval_percent[0]) / 2
    assert half == pytest.approx(11, abs=1)  # the gauge's whole per cents alone
    assert (climb.interval_percent[1] - climb.interval_percent[0]) / 2 == pytest.approx(13.3, abs=0.2)  # and its lag
    text = t.shown("verdict")
    assert "Up | 2.48 kWh over 6.1 km: 40.7 kWh/100 km" in text  # 248 / 6.1
    assert "Down | 0.93 kWh back over 6.1 km: 38 % returned of what the way up took (24 to 51 %" in text
    assert "Both ways | 1.55 kWh over 12.2 km: 12.7 kWh/100 km" in text  # 2.48 - 0.93; 155 / 12.2
    (hill,) = t.analysis.hills
    # (2.48 - 0.93 / 0.528) / 2 = 0.36 kWh for the level road on one slope, 0.25 braked all along: written out, the middle counts.
    assert (
        "0.30 kWh one way: between 0.36 kWh, (2.48 kWh - 0.93 kWh / 0.53) / 2, on one slope all the way, and 0.25 kWh"
        in text
    )
    flat = hill.level.wh_per_km * 6.1
    assert hill.costs_wh == pytest.approx(2480 - flat)
    assert hill.comes_back_wh == pytest.approx(930 + flat)
    assert hill.lost_wh == pytest.approx(2480 - 930 - 2 * flat)
    words = f"Costs {hill.costs_wh / 1000:.2f} kWh beyond the level road; the way down takes {hill.comes_back_wh / 1000:.2f} kWh less"
    assert words in text
    assert "trial" not in t.window.bar.accessibleName().lower()
    assert "38 % returned" in t.report()
    assert t.study.readings[0].value == 89
    # 91 to 89 % of 31 kWh to 1.9 km, then to 83 %.
    assert "0.0 to 1.9 km +0.62 kWh (32.6 kWh/100 km); 1.9 to 6.1 km +1.86 kWh (44.3 kWh/100 km)" in text
    t.window.go_to("examine")
    stage = t.window.stage("examine")
    assert stage.what.currentData() == "energy"  # what each leg really took, not the run's mean
    results = {x.leg: x for x in t.analysis.legs}
    shown = [stage._value("energy", leg, results) for leg in t.study.legs]
    assert shown == pytest.approx([2.48, -0.93])
    assert "+1.86 kWh" in stage.way_words.text()
    t.check()
