"""Covers on going, off coming home: direction and change cannot be told apart, however it was laid out."""

import pytest


@pytest.mark.parametrize("method", ["out-and-back", "one-way", "loop"])
def test_refused_however_it_was_laid_out(tester, method):
    t = tester
    t.units("metric-wh")
    t.new("change", "Holiday", kind="aero covers", names=("Covers off", "Covers on"), order="", method=method)
    said = t.paste(
        "configuration\tway\tdistance (km)\treading\tcharge\nCovers on\tout\t176.2\t178\t82-41 %\nCovers off\tback\t176.2\t181\t90-48 %"
    )
    assert "2 would be added" in said
    for leg in t.study.legs:
        t.leg(leg.leg, energy="31")
    c = t.effect
    assert c.verdict == "not a fair comparison"
    assert c.standing.word == "not fair"
    text = t.shown("verdict")
    assert "hill and wind cannot be told from the change" in text
    assert "not a fair comparison" in t.window.bar.accessibleName()
    by_leg = {leg.leg: leg for leg in t.analysis.legs}
    # 178 * 176.2 = 31.36, 181 * 176.2 = 31.89 kWh exactly; the display of whole kWh is the coarser one.
    assert by_leg["L01"].instrument == "trip average"
    assert by_leg["L01"].measured_wh_per_km * 176.2 == pytest.approx(31363.6)
    assert by_leg["L02"].measured_wh_per_km * 176.2 == pytest.approx(31892.2)
    capacity = t.analysis.capacity
    assert [round(kwh, 1) for _, kwh, _ in capacity.by_leg] == [76.5, 75.9]
    assert "Usable capacity by charge and energy: 76.2 kWh" in text
    assert round(t.result("B").as_driven_wh_per_km) == 178
    t.check()
    t.question("v_usable_capacity_kwh", "76")
    assert [round(t.result(c).range_km) for c in "BA"] == [427, 420]
