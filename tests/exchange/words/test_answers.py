"""What each kind of question asks, line by line: figures that a pencil finds, and none that nobody read."""

import re

import pytest
from tests.conftest import driven_study
from tests.core.result.test_hills import alone, hill

from fairmargin.core.analysis import analyse
from fairmargin.core.study import RoutePoint, Vehicle
from fairmargin.core.study.aims import laid_out
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.words.answers import answers, warm_up_minutes

WH, US = UNIT_CHOICES["metric-wh"], UNIT_CHOICES["us"]


def told(study, units=WH, which=0):
    found = analyse(study)
    c = found.comparisons[which] if found.comparisons else None
    return {a.name: a.words for a in answers(study, found, c, units)}


def test_a_hill_in_lines():
    lines = told(hill())
    assert list(lines)[:5] == ["Up", "Down", "Both ways", "Level road", "The hill"]
    # 8 and 3 % of 31 kWh; 2480 / 6.1 = 407; 1550 / 12.2 = 127.
    assert lines["Up"] == "2.48 kWh over 6.1 km: 407 Wh/km"
    assert lines["Down"].startswith("0.93 kWh back over 6.1 km: 38 % returned of what the way up took (")
    assert lines["Both ways"] == "1.55 kWh over 12.2 km: 127 Wh/km"
    assert "comes back" in lines["The hill"] and "is lost" in lines["The hill"]
    assert "3.8 mi" in told(hill(), US)["Up"]


def test_a_climb_whose_battery_nobody_told_says_its_share():
    lines = told(hill(usable_capacity_kwh=None))
    assert "% of the charge returned" in lines["As it is"]
    assert not any("kWh" in words for words in lines.values())


def test_a_burning_vehicles_hill_is_in_litres():
    study = alone(600.0, 150.0).with_(vehicle=Vehicle(energy="diesel"))
    lines = told(study)
    per_l = study.vehicle.heating_value
    assert lines["Up"].startswith(f"{600 * 52 / per_l:.2f} L over 52.0 km")
    assert "kWh" not in lines["Up"] + lines["Down"] + lines["The hill"]


def warm_up(**wall):
    study = laid_out(
        "change", title="Warm-up", kind="preconditioning", order="AB", method="one-way", names=["Cabin only", "Battery too"],
    )  # fmt: skip
    for name, shown in (("L01", 178.0), ("L02", 167.0)):
        study = study.with_leg(
            name, average_shown=shown, average_unit="Wh/km", distance_km=41.0, grid_kwh=wall.get(name)
        )
    return study


def test_a_warm_up_of_one_drive_on_the_road_from_the_wall_and_both():
    study = warm_up(L01=1.1, L02=1.7)
    lines = told(study)
    c = analyse(study).comparisons[0]
    road = (c.baseline_wh_per_km - c.trial_wh_per_km) * 41 / 1000
    assert f"{road:.2f} kWh less a drive of 41.0 km" in lines["On the road"]
    assert lines["From the wall"] == "1.10 kWh with \u201cCabin only\u201d, 1.70 kWh with \u201cBattery too\u201d"
    # 0.6 kWh more from the wall, less what the road saved.
    both = 0.6 - road
    assert f"{abs(both):.2f} kWh {'more' if both > 0 else 'less'} a drive" in lines["Both"]
    minutes = study.with_(plan=study.plan.with_(details={"what": "both, 30 min before departure"}))
    assert warm_up_minutes(minutes) == 30.0
    assert f"of 30 min: {0.6 / 30:.2f} kWh from the wall" in told(minutes)["A minute of it"]


def test_a_wall_nobody_read_is_unknown():
    lines = told(warm_up())
    assert lines["From the wall"] == "nobody read it: unknown, not nothing"
    assert "Both" not in lines
    assert "L01: not read" in told(warm_up(L02=1.7))["From the wall"]


def at_two_speeds(slow=(160.0, 168.0), fast=(200.0, 230.0)):
    study = laid_out(
        "change", title="Wheels", kind="wheels", order="ABAB", method="loop", names=["Small", "Large"],
        vehicles=[Vehicle(usable_capacity_kwh=60.0)],
    )  # fmt: skip
    shown = [(85, slow[0]), (85, slow[1]), (100, fast[0]), (100, fast[1])]
    for leg, (speed, x) in zip(study.legs, shown, strict=True):
        study = study.with_leg(
            leg.leg, speed_kmh=speed, average_shown=x, average_unit="Wh/km", distance_km=60.0, average_step=0.1
        )
    return study


def test_one_sentence_over_all_speeds():
    study = at_two_speeds()
    lines = told(study)
    found = analyse(study).comparisons
    both = {x.verdict for x in found}
    assert ("at both speeds" in lines["Every speed"]) == (len(both) == 1)
    for c in found:
        assert f"{c.speed_kmh:.0f} km/h +{c.effect_percent:.1f} %" in lines["Every speed"]
    # By hand: 8 / 160 and 30 / 200.
    assert "as read +5.0 %" in lines["Every speed"] and "as read +15.0 %" in lines["Every speed"]
    assert told(study, which=1)["Every speed"] == lines["Every speed"]
    assert "Every speed" not in told(driven_study("ABBA"))


def test_ranges_differ_by_what_a_pencil_finds():
    """By hand: 60 kWh at 160, 168 and at 200, 230 Wh/km: 375 and 357, 300 and 261 km."""
    assert told(at_two_speeds())["Range as driven"] == (
        "375 km with \u201cSmall\u201d, 357 with \u201cLarge\u201d: 18 km less (\u22124.8 %)"
    )
    assert told(at_two_speeds(), which=1)["Range as driven"].startswith("300 km with \u201cSmall\u201d, 261")
    better = at_two_speeds(slow=(168.0, 160.0))
    assert told(better)["Range as driven"].startswith(
        "357 km with \u201cSmall\u201d, 375 with \u201cLarge\u201d: 18 km further (+5.0 %)"
    )
    study = at_two_speeds()
    assert "Range as driven" not in told(study.with_(vehicle=Vehicle()))


def test_each_direction_has_its_own_ranges():
    study = driven_study("AB", method="out-and-back", vehicle=Vehicle(usable_capacity_kwh=58.0))
    shown = {"L01": 172.0, "L02": 151.0, "L03": 184.0, "L04": 162.0}
    for name, x in shown.items():
        study = study.with_leg(name, average_shown=x, average_unit="Wh/km", distance_km=19.0, gps_distance_km=None)
    words = told(study)["Range as driven"]
    # 58000 / 172 = 337, / 184 = 315; / 151 = 384, / 162 = 358.
    assert "out 337 and 315, 22 km less; back 384 and 358, 26 km less" in words


def test_nothing_is_said_of_the_range_of_what_is_not_fair():
    study = driven_study("ABBA")
    study = study.with_legs(leg for leg in study.legs if (leg.direction == "out") == (leg.configuration == "A"))
    assert analyse(study).comparisons[0].verdict == "not a fair comparison"
    assert "Range as driven" not in told(study)


def test_one_configuration_in_lines():
    study = alone(123.0, 147.0).with_(vehicle=Vehicle(usable_capacity_kwh=72.0))
    lines = told(study)
    # (123 + 147) / 2; 72000 / 135.
    assert lines["As driven"].startswith("135 Wh/km (") and lines["As driven"].endswith("104 km in all")
    assert lines["Range"].startswith("533 km full to empty, as driven (")
    assert lines["Each way"].startswith("out 123 Wh/km, 585 km; back 147 Wh/km, 490 km")
    assert pytest.approx(72000 / 123, abs=0.5) == 585


def test_one_of_two_vehicles_drove_further():
    """By hand: 1.2 km of 50 are 2.4 %."""
    study = laid_out(
        "side", title="Box", kind="cargo", order="B", method="side-by-side", names=["Box off", "Box on"],
        vehicles=[Vehicle(name="Orrin 1"), Vehicle(name="Orrin 2")],
    )  # fmt: skip
    for leg, shown, km in zip(study.legs, (171.0, 160.0), (50.0, 51.2), strict=True):
        study = study.with_leg(leg.leg, average_shown=shown, average_unit="Wh/km", distance_km=km)
    assert told(study)["Driven"] == "50.0 km by Orrin 1, 51.2 km by Orrin 2: 1.2 km further, 2.4 %"
    assert told(study.with_leg("L02", distance_km=50.0))["Driven"] == "50.0 km by both"
    assert "Driven" not in told(driven_study("ABBA"))


def test_the_range_that_was_shown_stands_against_what_was_driven():
    """By hand: 250 - 210 = 40 km gone over 6.1 km, 6.6 times as far."""
    study = hill()
    study = study.with_leg("L01", range_before=250.0, range_after=210.0, range_unit="km")
    assert told(study)["Range shown"] == "L01 250 \u2212 210 = 40 km gone over 6.1 km driven, 6.6 times as far"
    assert "Range shown" not in told(hill())


def test_why_two_ways_differ_where_wind_and_heights_were_noted():
    """Out against the wind and up: the parts and the rest add up to what a pencil has between the two, 150 - 126 = 24 Wh/km."""
    study = alone(150.0, 126.0)
    assert told(study)["Each way"].endswith("They differ by hill and wind; neither is the consumption of the road")
    points = tuple(
        RoutePoint(distance_m=520.0 * i, latitude=52 + i * 0.00467, longitude=0.1, elevation_m=10 + i * 0.5)
        for i in range(101)
    )
    for leg in study.legs:
        study = study.with_leg(leg.leg, wind_speed_ms=4.0, wind_from_deg=0.0, duration_s=2080.0)
    windy = told(study)["Each way"]
    found = re.search(r"Out takes \+24 Wh/km against back: wind \+(\d+), the rest ([+\u2212]\d+)", windy)
    assert found and int(found[1]) + int(found[2].replace("\u2212", "-")) == pytest.approx(24, abs=1)
    both = told(study.with_(route=points))["Each way"]
    parts = [int(x.replace("\u2212", "-")) for x in re.findall(r"(?:wind|hills|rest) ([+\u2212]\d+)", both)]
    assert len(parts) == 3 and sum(parts) == pytest.approx(24, abs=1) and min(parts[:2]) > 5


def test_a_warm_up_says_what_mornings_it_holds_for():
    study = warm_up(L01=1.1, L02=1.7).with_leg("L01", temperature_c=-4.0).with_leg("L02", temperature_c=1.0)
    assert told(study)["These drives"].startswith("air \u22124 \u00b0C to 1 \u00b0C; frost on 1 of 2")
    assert told(study, US)["These drives"].startswith("air 25 \u00b0F to 34 \u00b0F")
    assert "These drives" not in told(warm_up(L01=1.1))
