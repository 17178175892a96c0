"""A payload that stands above the cab: two changes at once, a predicted range of consumption, and a split."""

import pytest


@pytest.mark.inputs(16)
def test_mass_and_shape_are_told_apart(tester):
    t = tester
    t.new(
        "change", "Shed on the bed", kind="payload", names=("Unladen", "Laden"), order="AB", method="loop", speed="90"
    )
    t.question("v_mass_kg", "2600")
    t.question("prediction", "3.0 to 3.2 km/kWh")
    t.seal(pairs="1")
    assert t.study.registration.intact and t.study.registration.pairs == 1
    assert (t.study.change.prediction.low, t.study.change.prediction.high) == (3.0, 3.2)
    t.window.go_to("question")
    assert t.window.stage("question").fields["prediction"].edit.text() == "3 to 3.2 km/kWh"
    t.side(1, "mass", "420 kg")
    box = t.window.stage("question").boxes["mechanism"]
    box.setCurrentText("mixed")
    box.textActivated.emit("mixed")
    t.legs("reading", "3.45 km/kWh", "3.22 km/kWh")
    t.legs("distance_km", "60", "60")
    t.leg("L01", temperature_c="17", climate="20", started_at="2026-06-01 10:00")
    t.leg("L02", temperature_c="22", climate="auto 20", started_at="2026-06-02 10:00")
    c = t.effect
    assert round(c.as_measured_percent, 1) == 7.1
    assert "Two changes at once: mass and shape" in {x.title for x in c.concerns}
    # 420 of 2600 kg on the rolling half or so of the consumption: some 6 to 9 %.
    assert 4 < c.declared_mass_percent < 11
    text = t.shown("verdict")
    assert "The declared difference of mass alone explains +" in text
    assert "is left for everything else, such as shape" in text
    assert "You said 3 to 3.2 km/kWh: it took 3.22, above it" in text
    assert "mass alone explains" in t.report()
    t.check()
