"""A maker's claim for covers, held against what was driven; and a hot week that is not fair beside it."""

import pytest


@pytest.mark.parametrize(
    ("claim", "percent", "tolerance"), [("no difference", 0, 1), ("5 % better \u00b1 1", -5, 1), ("-5 +/- 2 %", -5, 2)]
)
def test_a_claim_is_entered_and_judged(tester, claim, percent, tolerance):
    t = tester
    t.units("metric-wh")
    t.new(
        "change",
        "Covers",
        kind="aero covers",
        names=("Covers off", "Covers on"),
        order="AB",
        method="loop",
        speed="115",
    )
    t.question("claim", claim)
    t.question("claim_by", "the maker")
    assert t.study.change.claim.percent == percent
    assert t.study.change.claim.tolerance_percent == tolerance
    t.legs("reading", "161", "154")
    t.legs("distance_km", "34", "34")
    c = t.effect
    assert c.as_measured_percent == pytest.approx(-4.35, abs=0.01)
    word = t.analysis.claim.verdict
    low, high = c.interval_percent
    inside = percent - tolerance <= low and high <= percent + tolerance
    outside = high < percent - tolerance or low > percent + tolerance
    assert word == ("borne out" if inside else "refuted" if outside else "not refuted")
    text = t.shown("verdict")
    assert f"Claim {word}" in text
    assert "the maker" in text
    assert f"Claim {word}" in t.report()
    t.check()


@pytest.mark.inputs(24)
def test_more_pairs_refute_it(tester):
    t = tester
    t.units("metric-wh")
    t.new(
        "change",
        "Covers",
        kind="aero covers",
        names=("Covers off", "Covers on"),
        order="ABBAABBA",
        method="loop",
        speed="115",
    )
    t.question("claim", "no difference")
    t.legs("reading", "161.0", "154.2", "153.6", "160.5", "161.4", "154.0", "153.9", "160.8")
    for name, text in (
        ("distance_km", "34"),
        ("climate", "off"),
        ("road", "dry"),
        ("temperature_c", "15"),
        ("wind_speed_ms", "1"),
        ("duration_s", "17:44"),
    ):
        t.leg("L01", **{name: text})
    t.menu("L01", "Same for all legs", "All of these")
    t.legs("duration_s", *["17:44"] * 8)
    assert t.analysis.claim.verdict != "refuted"  # nobody said that it was one day
    t.answer("one outing")
    assert t.effect.interval_percent[1] < -1
    assert t.analysis.claim.verdict == "refuted"
    assert "lies outside" in t.analysis.claim.reason


@pytest.mark.inputs(14)
def test_a_hot_week_is_not_fair_beside_the_cool_one(tester):
    t = tester
    t.units("metric-wh")
    t.new(
        "change",
        "Covers",
        kind="aero covers",
        names=("Covers off", "Covers on"),
        order="AB",
        method="loop",
        speed="115",
    )
    t.legs("reading", "161", "154")
    t.legs("distance_km", "34", "34")
    t.leg("L01", temperature_c="38", climate="20", started_at="2026-07-01 14:00")
    t.leg("L02", temperature_c="19", climate="off", started_at="2026-07-08 10:00")
    c = t.effect
    assert c.standing.word != "fair"
    codes = {x.code for x in c.concerns}
    assert {"climate-unlike", "days-apart", "weather-unlike"} <= codes
    # Cooling, thicker air and cooler tyres are worth as much as the covers: the margin says so.
    assert c.half_width_percent > 5
    assert c.verdict in {"not settled", "not a fair comparison"}
    t.check()
