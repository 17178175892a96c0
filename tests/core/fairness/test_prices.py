"""Every concern: its price against a value worked out by hand, its sign, its severity, and that it goes with its cause.

The studies stand in ``tests.unlike``: one thing unlike at a time, on an oblique hilly road in a light cross wind. The
hand values come from the van's own forces at 90 km/h, written out below without the code under test.
"""

from dataclasses import dataclass
from functools import cache
from math import atan, cos, degrees, exp, hypot, radians, sin, sqrt

import pytest
from tests.unlike import calm, on_legs, unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.fairness.checks import rules

# ---------------------------------------------------------------- the van by hand

DRAG_AREA, MASS, CRR, AUX_W, ETA = 0.83, 1710.0, 0.0095, 300.0, 0.88
DENSITY = 1.2215  # kg/m³ at 15 °C, 1013.25 hPa, 60 % (CIPM-2007)
EFFECT = 0.95  # trial over baseline, as the legs show it


def air_n(v=25.0, wind=2.0, across_deg=60.0, sigma=0.36, density=DENSITY):
    """Mean force of the air there and back: wind at 0.635 of the mast's, 1.2 % of drag for ψ²/10° of yaw."""
    total = 0.0
    for angle in (across_deg, 180.0 - across_deg):
        u, c, gust = v + 0.635 * wind * cos(radians(angle)), 0.635 * wind * sin(radians(angle)), 0.9 * sigma
        yaw = degrees(atan(sqrt(c * c + gust**2) / u)) ** 2 / 10.0
        total += 0.5 * density * DRAG_AREA * (hypot(u, c) * u + gust**2) * (1 + 0.012 * yaw) / 2
    return total


def tyres_n(temperature=15.0):
    return MASS * 9.80665 * CRR * exp(-0.006 * (temperature - 20.0))


def whole_n(v=25.0, temperature=15.0, aux_w=AUX_W, **weather):
    return (air_n(v, **weather) + tyres_n(temperature)) * exp(0.0007 * (15 - temperature)) + aux_w * ETA / v


AIR, TYRES = air_n() / whole_n(), tyres_n() / whole_n()  # shares: 0.65 and 0.33
#: A thing that raises trial consumption by x is corrected away: the effect falls by about 0.95 x.
FALLS = -100.0 * EFFECT
COLDER = whole_n(temperature=8.0, density=DENSITY * 288.15 / 281.15) / whole_n()
COLDER_AND_WINDY = whole_n(temperature=8.0, wind=4.5, sigma=0.81, density=DENSITY * 288.15 / 281.15) / whole_n()
FASTER = whole_n(18_400 / 700) / whole_n()
FASTER_TAKES = (whole_n(25.25) / whole_n() - 1) / 0.01
SCATTER = 1.05 * sqrt(30 / 18.4)  # per cent, of one leg


@dataclass(frozen=True)
class Priced:
    """What a study must be charged, within how much, and how loudly."""

    study: str
    code: str
    percent: float | None
    within: float
    severity: str
    covered: bool
    title: str = ""


BY_HAND = (
    Priced("direction-confounded", "direction-confounded", None, 0, "blocks", False),
    Priced("vehicle-confounded", "vehicle-confounded", None, 0, "blocks", False),
    # two days of their own: √2 · 0.8 % · 1.96
    Priced("days-apart", "days-apart", 1.96 * sqrt(2) * 1.2, 0.06, "caution", True),
    # one pair there and back is two legs each: √(1/2 + 1/2) · scatter · 1.96, the scatter a little above the usual since
    # some days are rough and a pair does not say which
    # a run has 0.4 % of its own beside its legs
    Priced("one-pair-only", "one-pair-only", 1.96 * hypot(1.05 * SCATTER, 0.4 * sqrt(2)), 0.3, "caution", True),
    # said for the 90 km/h driven; at the 110 aimed for the part of the air is larger, and the covers' 4.9 % grow with it
    Priced("outside-tested-speed", "outside-tested-speed",
           4.92 * (air_n(110 / 3.6) / whole_n(110 / 3.6) / AIR - 1), 0.12, "note", True),
    Priced("colder", "weather-unlike", FALLS * (1 - 1 / COLDER), 0.15, "note", True, "Unlike weather"),
    # gusts of 11 over 2 m/s: a spread of 3 m/s at the mast where 0.36 is usual
    Priced("gusts", "gusts", FALLS * (1 - whole_n() / whole_n(sigma=3.0)), 0.25, "caution", True),
    Priced("wet-road", "wet-road", 6.0 * 2 / 4, 1e-9, "caution", True),
    Priced("wet-alike", "wet-road", 0.0, 1e-9, "note", True),
    Priced("snow", "wet-road", (3 * 12.0 + 2.0) / 4 - 2.0, 1e-9, "caution", True),
    Priced("speed-unlike", "speed-unlike", FALLS * (1 - 1 / FASTER), 0.4, "caution", True),
    Priced("rain-all", "wet-road", 6.0, 1e-9, "caution", False),
    Priced("following-all", "following-closely", -15.0 * AIR, 0.3, "caution", False),
    # 95 s of 300 W in four trial legs of 18.4 km at about 166 Wh/km
    Priced("stopped-with-car-on", "stopped-with-car-on", 100 * 300 * 95 / 3600 / (4 * 18.4 * 166.4), 2e-3, "note", True),
    # a step of 10 in about 165: the difference of two roundings stays within 0.776 steps, of four legs each half
    Priced("display-too-coarse", "display-too-coarse", 100 * 10 / 166 * 0.7764 / 2, 0.05, "note", True),
    # 0.1 kWh in about 3.05
    Priced("trip-energy", "display-too-coarse", 100 * hypot(0.1 / 3.05, 0.1 / 18.4) * 0.7764 / 2, 0.03, "note", True),
    # √2 · 1 and 0.3 points in about 5.85: √12 of it is counted as a step
    Priced("gauge-too-coarse", "gauge-too-coarse",
           100 * sqrt(12) * hypot(sqrt(2 / 12), 0.3) / 5.85 * 0.7764 / 2, 0.5, "caution", True),
    Priced("rolling-circumference-changed", "rolling-circumference-changed", 1.96 * (1 + FASTER_TAKES), 0.25, "caution", True),
    Priced("grid-energy-left-out", "grid-energy-left-out", None, 0, "caution", False),
    # 240 instead of 280 kPa: (280/240)^0.4 = +6.4 % of the tyres' third
    Priced("tyre-pressure-unlike", "tyre-pressure-unlike", FALLS * TYRES * ((280 / 240) ** 0.4 - 1), 0.1, "note", True),
    # 16 K · 55 W/K = 880 W at 25 m/s are 9.8 of the 161.5 Wh/km shown; 1000 W · 16/20 bring a cold cabin to it, a seventh of
    # that is left on the trial's second and third run
    Priced("climate-unlike", "climate-unlike", FALLS * (880 + 1000 * 0.8 / 7) / 25 / 3.6 / 161.5, 0.25, "caution", True),
    Priced("battery-temperature-unlike", "battery-temperature-unlike", 0.1 * 14, 1e-9, "caution", False),
    Priced("charge-window-unlike", "charge-window-unlike", None, 0, "note", True),
    Priced("mass-unlike", "mass-unlike", FALLS * TYRES * 75 / MASS, 0.15, "note", True),
    Priced("second-change", "second-change", 100 * TYRES * 90 / MASS, 0.2, "caution", False),
    Priced("second-wheels", "second-change", None, 0, "caution", False),
    Priced("extra-frontal-area", "extra-frontal-area", 100 * AIR * 0.5 * 0.3 / DRAG_AREA, 0.6, "caution", False),
    # 6 % where 60 kg explain 1.15 %
    Priced("load-beyond-mass", "extra-frontal-area", 6.07 - 100 * TYRES * 60 / MASS, 0.2, "caution", False),
    Priced("driver-or-mode-changed", "driver-or-mode-changed", 2.0, 1e-9, "caution", False),
    Priced("driver-mixed", "driver-or-mode-changed", None, 0, "", True),
    # 120 W of sun at noon against none at 19 o'clock, mean heights 0.97 and 0.01: less cooling load would not change it
    Priced("sun-load", "sun-load", 100 * 120 * ETA / 25 / whole_n(temperature=27.0) * 0.92, 0.1, "note", False),
    Priced("sun-cold", "sun-load", -100 * 120 * ETA / 25 / whole_n(temperature=3.0) * 0.92, 0.2, "note", False),
    # one reading of 184 where about 162 was expected, of four: a quarter of 13.6 %, the rest of the fit holds back some
    Priced("one-leg-decides", "one-leg-decides", 100 * (184 / 161.8 - 1) / 4, 1.3, "caution", True),
    Priced("everyday-wet", "wet-road", 6.0, 1e-9, "caution", False),
    Priced("everyday-snow", "wet-road", 12.0, 1e-9, "caution", False),
    # the trip's energy of every trial leg 3 % below its display
    Priced("instruments-apart", "instruments-apart", -3.0, 0.05, "caution", False),
    Priced("coast-wind", "coast-wind", None, 0, "caution", False),
    # the believed charger would make one of four trial legs read 5.2 · 0.9 kWh instead of about 3.0
    Priced("instruments-disagree", "instruments-disagree", -100 * EFFECT * ((5.2 * 0.9 / 2.97) ** 0.25 - 1), 3.0, "caution", False),
)  # fmt: skip


@cache
def made():
    return unlike()


@cache
def concerns(study):
    return analyse(*made()[study]).concerns


def of(study, code, title=""):
    return next(c for c in concerns(study) if c.code == code and title in c.title)


@pytest.mark.parametrize("case", [c for c in BY_HAND if c.severity], ids=lambda c: f"{c.study}: {c.code}")
def test_a_concern_costs_what_it_costs_by_hand(case):
    found = of(case.study, case.code, case.title)
    if case.percent is None:
        assert found.bias_percent is None
    else:
        assert found.bias_percent == pytest.approx(case.percent, abs=case.within)
    assert (found.severity, found.covered) == (case.severity, case.covered)
    assert found.legs and found.message.endswith(".") and found.next_step.endswith(".")


#: What is there anyway: the first leg is cold, and everyday logs of six trips are few and on days of their own.
ALWAYS = {"cold-tyres", "days-apart", "few-trips"}


@pytest.mark.parametrize("case", BY_HAND, ids=lambda c: f"{c.study}: {c.code}")
def test_it_vanishes_with_its_cause(case):
    clean = "everyday" if case.study.startswith("everyday") else "none"
    assert case.code not in {c.code for c in concerns(clean)} - ALWAYS


def test_a_clean_day_has_nothing_but_its_cold_start():
    assert {c.code for c in concerns("none")} == {"cold-tyres"}
    assert abs(of("none", "cold-tyres").bias_percent) < 0.3


def test_what_is_not_seen_is_not_priced_twice():
    assert {c.code for c in concerns("driver-mixed")} == {"cold-tyres"}  # both modes on both sides
    assert {c.code for c in concerns("grid-energy")} == {"cold-tyres"}
    # A wrong turn is told by its leg's length where that is clearly another, else by the note; never by both.
    assert {c.code for c in concerns("wrong-turn")} == {"cold-tyres", "wrong-turn"}
    study = made()["wrong-turn"][0]
    longer = analyse(study.with_leg("L04", distance_km=1.05 * study.leg("L04").distance_km)).concerns
    codes = {c.code for c in longer if c.legs == ("L04",)}
    assert "distance-unlike" in codes and "wrong-turn" not in codes


def test_the_margin_carries_a_wind_that_nobody_noted():
    unknown, routeless = of("wind-unknown", "weather-unlike"), of("road-unknown", "weather-unlike")
    assert unknown.title != routeless.title
    for found in (unknown, routeless):
        assert found.bias_percent > 1.2 and found.covered and found.severity == "caution"
    # By hand: a wind noted as 2 m/s, from a side that no road tells, wanders by 0.25 + 0.17 * 2 m/s; one that nobody noted as
    # the usual one of 4.5 m/s does.
    assert routeless.bias_percent / unknown.bias_percent == pytest.approx(
        (0.25 + 0.17 * 2) / (0.25 + 0.17 * 4.5), abs=0.05
    )
    strong = of("wind-strong", "wind-strong")
    assert strong.severity == "caution" and 0.2 < strong.bias_percent < 2.0 and strong.covered


def test_a_reported_wind_is_believed_in_part():
    # The colder trial legs alone, and with all of the wind that was reported: smoothing leaves it in between.
    found = of("weather-unlike", "weather-unlike").bias_percent
    assert FALLS * (1 - 1 / COLDER_AND_WINDY) < found < FALLS * (1 - 1 / COLDER) - 0.3


def test_a_drift_of_the_day_is_priced_by_what_the_order_keeps():
    # By hand: 0.3 % a leg in AABB makes the four trial legs 1.2 % dearer than the four of the baseline.
    def price(share):
        study = on_legs(calm("AABB"), lambda i, leg: {"average_shown": leg.average_shown * (1 + share * i)})
        return next(c.bias_percent for c in analyse(study).concerns if c.code == "order-drift")

    assert price(0.003) - price(0.0) == pytest.approx(1.2, abs=0.3)
    assert price(-0.003) - price(0.0) == pytest.approx(-1.2, abs=0.3)


def test_a_spoilt_leg_is_priced_by_leaving_it_out():
    base, without = (analyse(s).comparisons[0].effect_percent for s in (
        made()["none"][0], made()["none"][0].with_leg("L04", included=False, reason="test")
    ))  # fmt: skip
    for study, code in (
        ("following-closely", "following-closely"),
        ("reset-doubtful", "trip-meter-not-reset"),
        ("lift-off", "read-off-point-moved"),
        ("wrong-turn", "wrong-turn"),
        ("rain", "wet-road"),
    ):
        found = of(study, code)
        assert found.bias_percent == pytest.approx(base - without, abs=0.02)
        assert found.legs == ("L04",) and found.covered  # a quarter of a per cent is not worth a caution


def test_legs_of_another_length_are_priced_by_leaving_them_out():
    study = made()["distance-unlike"][0]
    whole = analyse(study).comparisons[0].effect_percent
    without = analyse(study.with_leg("L03", included=False, reason="test")).comparisons[0].effect_percent
    found = of("distance-unlike", "distance-unlike")
    assert found.bias_percent == pytest.approx(whole - without, abs=0.05) and found.legs == ("L03",)


def test_slow_traffic_made_its_leg_cheaper():
    # By hand: 3 of 18.4 km at 60 instead of 90 km/h, of one trial leg in four, saves about 0.16 · 40 % / 4.
    found = of("slow-traffic", "slow-traffic")
    assert 0.5 < found.bias_percent < 2.0 and found.covered


def test_cold_start_of_the_baseline_flatters_the_trial():
    # By hand: 4 % of the tyres' third, cold by 0.6 for the first of four baseline legs, is about 0.2 %.
    found = of("cold-tyres", "cold-tyres")
    assert found.bias_percent == pytest.approx(4 * TYRES * 0.6 / 4, abs=0.1)


def test_scatter_and_left_out_legs():
    # By hand: readings that swing by 6 % where 1.3 % are usual.
    loud = of("scatter-large", "scatter-large")
    assert loud.severity == "caution" and 1.5 < loud.bias_percent < 6.5 and loud.covered
    late = of("left-out-after-result", "left-out-after-result")
    there, gone = analyse(made()["none"][0]), analyse(made()["left-out-after-result"][0])
    apart = gone.comparisons[0].effect_percent - there.comparisons[0].effect_percent
    assert late.bias_percent == pytest.approx(apart, abs=0.02) and late.legs == ("L03",)


def test_a_reading_that_cannot_be_right_is_priced_by_leaving_it_out():
    odd = of("reading-doubtful", "reading-doubtful")
    assert odd.severity == "blocks" and odd.legs == ("L03",) and not odd.covered
    # By hand: one leg of four is 9.9 times what it was; 1646 instead of 164.6 is worth ln 10 / 4 of the plain mean.
    assert odd.bias_percent > 40 and "9.9 times" in odd.message


def test_a_model_that_is_contradicted_is_priced_against_the_plain_difference():
    found = of("model-contradicted", "model-contradicted")
    c = analyse(made()["model-contradicted"][0]).comparisons[0]
    assert c.method == "plain" and found.covered and found.severity == "caution"
    # By hand: as read exactly 0.95; the wind of 9 m/s typed from ahead where it came from behind.
    assert c.effect_percent == pytest.approx(-5.0, abs=0.05)
    said = float(found.message.split("Its figure, ")[1].split(" %")[0].replace("\u2212", "-"))
    assert found.bias_percent == pytest.approx(c.effect_percent - said, abs=0.06)


def test_gaps_in_a_log_are_told_with_their_share():
    # By hand: 44 s without samples of 736 s are 6 %.
    found = of("log-gaps", "log-gaps")
    assert "6 %" in found.title and found.severity == "caution" and found.legs == ("L03", "L04")
    assert "log-gaps" not in {c.code for c in concerns("logged")}


def test_everyday_trips_lean_on_the_regression():
    warm, fast = of("everyday-apart", "weather-unlike"), of("everyday-apart", "speed-unlike")
    assert warm.bias_percent < -3 and warm.severity == "caution"  # colder trial trips: corrected downwards
    # By hand: faster in km per second but over 12 km: slower trips, corrected upwards.
    assert fast.bias_percent > 3 and fast.covered
    # By hand: 12 km in 620 s are 69.7 km/h; 18.4, 19.2, 18.8 km in 736, 754, 772 s are 89.8 on average.
    assert "\u221220.1" in fast.message and "km/h" in fast.message
    assert of("everyday-apart", "distance-unlike").covered
    assert of("few-trips", "one-pair-only").severity == "caution"
    # By hand: six trips of 5 % · √(10/18.8), three a side: 1.96 · 3.6 · √(2/3); the days on top. They were quieter.
    assert of("everyday", "few-trips").bias_percent == pytest.approx(
        0.87 * 1.96 * 5 * sqrt(10 / 18.8) * sqrt(2 / 3), abs=0.3
    )
    assert of("everyday", "days-apart").bias_percent == pytest.approx(0.87 * 1.96 * 2.0 * sqrt(2 / 3), abs=0.4)


def test_every_registered_code_is_priced_here():
    here = {c.code for study in made() for c in concerns(study)}
    records = {"log-doubtful", "clock-doubtful", "date-doubtful"}  # tests of their own: test_records.py
    assert {rule.code for rule in rules()} - records == here - records
