"""Covers, there and back, hardly any notes: driven already, typed afterwards, nothing but distances and readings."""

import pytest


@pytest.mark.parametrize("units", ["metric-wh", "us"])
def test_covers_there_and_back(tester, units):
    t = tester
    t.units("metric-wh")
    t.new("change", "Covers", kind="aero covers", names=("Covers on", "Covers off"), order="AB", capacity="58")
    assert [leg.state for leg in t.study.legs] == ["planned"] * 4
    for name, km, shown in (
        ("L01", "18.6", "172"),
        ("L02", "19,2", "151"),
        ("L03", "18,6", "184"),
        ("L04", "19.2", "162"),
    ):
        if units == "us":  # typed in other units than those chosen, and in another order
            t.leg(name, distance_km=f"{float(km.replace(',', '.')) / 1.609344:.4f} mi", reading=f"{shown} Wh/km")
        else:
            t.leg(name, reading=shown, distance_km=km)
    t.units(units)
    # 184/172, 162/151; energies over distances: (184*18.6 + 162*19.2) / (172*18.6 + 151*19.2).
    ways = {d.direction: d.as_measured_percent for d in t.effect.directions}
    assert (round(ways["out"], 1), round(ways["back"], 1)) == (7.0, 7.3)
    assert round(t.effect.as_measured_percent, 1) == 7.1
    on, off = t.result("A"), t.result("B")
    assert [round(d.range_km) for d in on.directions] == [337, 384]
    assert [round(d.range_km) for d in off.directions] == [315, 358]
    assert (round(on.range_km), round(off.range_km)) == (360, 336)
    # Nobody said on which days: it may have been two. One click says that it was one.
    assert t.effect.half_width_percent > 10 and t.effect.verdict == "not settled"
    t.answer("one outing")
    assert 3 < t.effect.half_width_percent < 10  # a few per cent, not tens; nothing was noted
    assert t.effect.interval_percent[0] < 7.1 < t.effect.interval_percent[1]
    assert t.effect.standing.word != "fair"
    told = {x.source: x for x in t.effect.margin}
    assert "not noted" in told["wind"].cause
    assert "time" in told["speed"].remedy.lower()
    text = t.shown("verdict")
    assert "+7.1 %" in text
    # Range against range, each direction beside it, as a pencil has it.
    by_hand = {
        "metric-wh": "360 km with \u201cCovers on\u201d, 336 with \u201cCovers off\u201d: 24 km less (-6.6 %); out 337 and 315, 22 km less; back "
        "384 and 358, 26 km less",
        "us": "223 mi with \u201cCovers on\u201d, 209 with \u201cCovers off\u201d: 14 mi less (-6.6 %)",
    }
    assert by_hand[units] in text
    assert "+7.1" in t.report()
    assert ("360 km" if units == "metric-wh" else "223 mi") in t.report()
    t.check()


@pytest.mark.inputs(13)
def test_one_tick_or_a_time_narrows_it(tester):
    t = tester
    t.units("metric-wh")
    t.new("change", "Covers", kind="aero covers", names=("Covers on", "Covers off"), order="AB", capacity="58")
    t.legs("reading", "172", "151", "184", "162")
    t.legs("distance_km", "18.6", "19.2", "18.6", "19.2")
    before = t.effect.half_width_percent
    t.leg("L01", speed_held="cruise")
    t.menu("L01", "Same for all legs", "Speed held by")
    assert [leg.speed_held for leg in t.study.legs] == ["cruise"] * 4
    held = t.effect.half_width_percent
    assert held < before
    t.legs("duration_s", "12:24", "12:48", "12:24", "12:48")
    assert t.effect.half_width_percent < held
