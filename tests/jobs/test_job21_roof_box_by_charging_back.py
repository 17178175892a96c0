"""A roof box by charging back to the same level; a trip computer that is not trusted is kept, shown, and does not count."""

import pytest


def test_a_roof_box_by_charging_back(tester):
    t = tester
    t.new("change", "Roof box", kind="cargo", names=("Box off", "Box on"), order="AB", method="loop", capacity="64")
    t.instrument("trip average", counts=False)
    t.legs("charger", "13.617", "14.382")
    t.legs("distance_km", "49", "49")
    t.legs("average", "24.1", "22.9")
    c = t.effect
    assert c.as_measured_percent == pytest.approx(5.62, abs=0.01)
    assert t.result("B").range_km / t.result("A").range_km - 1 == pytest.approx(-0.0532, abs=0.0002)
    legs = {x.leg: x for x in t.analysis.legs}
    assert legs["L01"].instrument == "charge back"
    assert "trip average" in {name for name, _ in legs["L01"].others}
    card = t.window.drive.cards["L01"]
    assert card.fields["average"].edit.text() == "24.1"
    assert card.fields["charger"].edit.text() == "13.617"
    t.leg("L01", average="")
    assert t.study.leg("L01").charger_kwh == 13.617
    assert t.study.leg("L01").average_shown is None
    text = t.shown("verdict")
    assert "+5.6 %" in text
    # What does not count says nothing against what does.
    assert "Instruments disagree" not in text and t.effect.verdict == "not settled"
    # 277.9 and 293.5 Wh/km were drawn at the charger; nine tenths reach the battery (common practice): 64 / 0.2501.
    assert "256 km with \u201cBox off\u201d, 242 with \u201cBox on\u201d: 14 km less (-5.3 %)" in text
    assert "+5.6" in t.report()
    t.check()
    # Trusted, it would have said the opposite.
    t.leg("L01", average="24.1")
    t.instrument("trip average", counts=True)
    assert (
        t.effect.as_measured_percent == pytest.approx((22.9 / 24.1 - 1) * 100, abs=0.01)
        or t.effect.as_measured_percent > 0
    )
