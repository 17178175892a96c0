"""A caravan at two speeds: any two configurations and speeds are compared."""

import pytest


@pytest.mark.inputs(12)
def test_any_two_can_be_compared(tester):
    t = tester
    t.units("metric-wh")
    t.new(
        "change",
        "Caravan",
        kind="towing",
        names=("Solo", "Caravan"),
        order="ABB",
        method="loop",
        speed="80",
        capacity="44",
    )
    t.legs("reading", "141", "236", "274")
    t.legs("distance_km", "57", "57", "57")
    t.leg("L03", speed_kmh="95")
    assert round(t.effect.as_measured_percent, 1) == 67.4
    faster = t.compare("Caravan, 95 km/h", "Caravan, 80 km/h")
    assert round(faster.as_measured_percent, 1) == 16.1
    assert faster.effect_percent == pytest.approx(16.1, abs=2)
    across = t.compare("Caravan, 95 km/h", "Solo, 80 km/h")
    assert round(across.as_measured_percent, 1) == 94.3
    assert across.effect_percent == pytest.approx(94.3, abs=4)
    ranges = [round(r.range_km) for r in t.analysis.results]
    assert ranges == [312, 186, 161]
    text = t.shown("verdict")
    assert "Caravan, 95 km/h against Caravan, 80 km/h" in text
    assert "Caravan, 95 km/h against Solo, 80 km/h" in text
    # Bar, ledger and headings speak of the comparison chosen.
    t.window.session.choose(1)
    assert "Caravan, 95 km/h" in t.window.bar.accessibleName()
    assert "Caravan, 95 km/h" in t.window.choice.currentText()
    # So do the sentence and Use, at both speeds and with both ranges.
    said = t.shown("verdict")
    assert "at 80 and 95 km/h the vehicle used" in said
    assert (
        "186 km with \u201cCaravan, 80 km/h\u201d, 161 with \u201cCaravan, 95 km/h\u201d: 25 km less (-13.9 %)" in said
    )
    use = t.shown("use")
    assert "Wh/km with \u201cCaravan, 80 km/h\u201d, 2" in use and "with \u201cCaravan, 95 km/h\u201d: range -1" in use
    report = t.report()
    assert "+16.1" in report
    assert "+94.3" in report
    t.check()
    t.press("verdict", "Remove those added")
    assert len(t.analysis.comparisons) == 1
    t.window.session.undo.undo()
    assert len(t.analysis.comparisons) == 3
