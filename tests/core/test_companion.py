"""What the companion works out: prices by hand arithmetic, resets, watches, lateness, instruments side by side."""

import math
from datetime import date, datetime, time, timedelta

import pytest
from tests.conftest import VAN, driven_study, straight_route

from fairmargin.core.companion import (
    SpeedWatch,
    again,
    agreement,
    aimed_kmh,
    compare_readings,
    disturbances_of_leg,
    lateness,
    leg_checklist,
    price,
    reset_took,
    road_places,
    worth_repeating,
)
from fairmargin.core.leg_drive import LegDrive
from fairmargin.core.planning import split
from fairmargin.core.study import Event, new_study


@pytest.fixture
def study():
    return driven_study()


def test_a_stop_costs_its_auxiliaries_and_the_speed_regained(study):
    """½ · 1710 kg · 1.04 · (25 m/s)² = 154.4 Wh; of it 1/0.88 − 0.6 is lost; 60 s at 300 W are 5 Wh (by hand)."""
    whole = split(study, 90).total * 18.4
    wh = 154.375 * (1 / 0.88 - 0.6) + 5.0
    assert price(study, study.legs[0], "stop", 60).percent == pytest.approx(100 * wh / whole, rel=1e-3)


def test_slow_traffic_saves_drag_and_pays_for_the_restart(study):
    found = price(study, study.legs[0], "slow-traffic", 180, 74)
    saved = (split(study, 74).total - split(study, 90).total) * 3.7
    kinetic = 0.5 * 1710 * 1.04 * (25**2 - (74 / 3.6) ** 2) / 3600 * (1 / 0.88 - 0.6)
    assert found.percent == pytest.approx(100 * (saved + kinetic) / (split(study, 90).total * 18.4), rel=1e-6)
    assert found.percent < -1 and worth_repeating(study, [found])
    assert not worth_repeating(study, [price(study, study.legs[0], "slow-traffic", 20, 80)])


def test_a_longer_leg_suffers_less(study):
    longer = study.with_(route=straight_route(36_800))
    a, b = (price(s, s.legs[0], "slow-traffic", 180, 74).percent for s in (study, longer))
    assert b == pytest.approx(a / 2, rel=0.02)


def test_rain_and_wake_by_their_share_of_the_leg(study):
    """Rain costs 6 % and up to some 10 % (common practice): the whole leg in rain +6 %, half of it +3 %."""
    seconds = 18.4 / 90 * 3600
    assert price(study, study.legs[0], "rain", seconds).percent == pytest.approx(6.0)
    assert price(study, study.legs[0], "rain", seconds / 2).percent == pytest.approx(3.0)
    assert price(study, study.legs[0], "following-closely", seconds).percent < -3
    assert price(study, study.legs[0], "wrong-turn", 60).percent is None
    assert price(study.with_(target_speed_kmh=None), study.legs[0], "stop", 60).percent is None


def test_the_speedometer_figure(study):
    """Indicated 73 for a true 70: an error of +4.3 % (common practice)."""
    over = study.with_(vehicle=VAN.with_(speed_error_percent=4.2857), target_speed_kmh=70)
    assert aimed_kmh(over, over.legs[0]) == pytest.approx((70, 73), abs=0.01)
    own = over.with_leg("L01", speed_kmh=50)
    assert aimed_kmh(own, own.legs[0])[0] == 50


@pytest.mark.parametrize(
    "shown, driven, took", [(0.0, 0.1, True), (0.3, 0.1, True), (18.7, 0.3, False), (1.2, 0.4, False), (5.2, 5.0, True)]
)
def test_whether_a_reset_took(shown, driven, took):
    assert reset_took(shown, driven) is took


def run_watch(speeds, aim=90.0):
    watch = SpeedWatch(aim)
    found = [f for i, v in enumerate(speeds) if (f := watch.feed(float(i), v))]
    last = watch.end(float(len(speeds)))
    return [*found, *([last] if last else [])]


def test_slow_stretches_are_noticed_with_their_length_and_speed():
    found = run_watch([90] * 30 + [70] * 40 + [90] * 30)
    assert found == [("slow-traffic", 30.0, 40.0, 70.0)]


def test_a_short_dip_is_nothing_and_a_stop_is_a_stop():
    assert run_watch([90] * 10 + [78] * 8 + [90] * 10) == []
    found = run_watch([90] * 10 + [60, 30, *([0] * 20), 30, 60] + [90] * 10)
    assert [f[0] for f in found] == ["stop"] and found[0][1:3] == (10.0, 24.0)
    assert run_watch([90] * 10 + [70] * 60)[0][2] == 60.0  # still slow at the read-off
    assert run_watch([70] * 60, aim=None) == []


def test_a_slow_stretch_is_told_while_it_lasts():
    watch = SpeedWatch(90.0)
    for i in range(20):
        watch.feed(float(i), 70.0)
    assert watch.under_way(10.0) is None
    assert watch.under_way(19.0) == (19.0, 70.0)


def test_driving_a_leg_again_keeps_the_spoilt_one_visible(study):
    after = again(study, "L03", "lorry ahead")
    names = [leg.leg for leg in after.legs]
    assert names[2:4] == ["L03", "L03.2"] and len(names) == 9
    assert not after.leg("L03").included and after.leg("L03").reason == "lorry ahead"
    assert after.leg("L03").average_shown is not None
    fresh = after.leg("L03.2")
    assert (fresh.run, fresh.configuration, fresh.direction, fresh.state) == ("R2", "B", "out", "planned")
    assert [leg.leg for leg in again(after, "L03", "again").legs][3] == "L03.3"
    with pytest.raises(KeyError):
        again(study, "L99", "x")


def test_what_spoilt_a_leg_from_its_events(study):
    events = (
        Event(leg="L01", kind="slow-traffic", at_km=5, duration_s=180, speed_kmh=74),
        Event(leg="L01", kind="wrong-turn", at_km=7),
        Event(leg="L01", kind="overtaking", at_km=8),
        Event(leg="L02", kind="rain", duration_s=60),
    )
    found = disturbances_of_leg(study.with_(events=events), "L01")
    assert [s.kind for s in found] == ["slow-traffic", "wrong-turn"]
    assert found[1].percent is None


def test_places_and_gates_both_ways(study):
    gated = study.with_(plan=study.plan.with_(gate_start_m=1000.0, gate_end_m=17_000.0))
    places = road_places(gated)
    assert places.between_km == pytest.approx(16.0)
    assert places.gates(False) == pytest.approx((1.0, 17.0))
    assert places.gates(True) == pytest.approx((places.length_km - 17.0, places.length_km - 1.0))
    point = study.route[46]  # 9.2 km out
    out = places.along_km(point.latitude, point.longitude, False, 9.0)
    back = places.along_km(point.latitude, point.longitude, True, 9.0)
    assert out == pytest.approx(9.2, abs=0.02) and out + back == pytest.approx(places.length_km)
    assert places.along_km(53.5, 1.0, False, 9.0) is None  # off the road
    bare = road_places(new_study(title="", kind="other", order="AB"))
    assert bare.line is None and bare.along_km(52, 0, False, 1) is None


def test_the_checklist_knows_where_in_the_day_it_is():
    plan = new_study(title="", kind="aero covers", order="ABBA")
    first, second, swap, unswapped = (leg_checklist(plan, plan.legs[i]) for i in (0, 1, 2, 4))
    assert any("cold" in line for line in first) and not any("cold" in line for line in second)
    assert any("loose one can fly off" in line for line in swap)
    assert not any("loose one can fly off" in line for line in unswapped)  # B after B: nothing is swapped
    assert all(any("reset" in line for line in lines) for lines in (first, second, swap))


def test_running_late_moves_what_is_left():
    day = date(2026, 5, 2)
    plan = new_study(title="", kind="technique", order="ABBA", vehicle=VAN)
    plan = plan.with_(plan=plan.plan.with_(day=day, start=time(8, 30)), route=straight_route())
    early = lateness(plan, datetime(2026, 5, 2, 8, 0), 0)
    assert early.late_min == 0
    late = lateness(plan, early.next_run + timedelta(minutes=25), 0)
    assert late.late_min == pytest.approx(25, abs=1) and late.end - early.end == timedelta(minutes=round(late.late_min))
    half = lateness(plan, early.next_run + timedelta(minutes=120), 2)
    paused = lateness(plan, early.next_run + timedelta(minutes=120), 2, pause=timedelta(minutes=10))
    assert paused.late_min - half.late_min == pytest.approx(10)
    assert lateness(plan, datetime(2026, 5, 3, 9, 0), 0) is None  # another day
    assert lateness(plan, datetime(2026, 5, 2, 12, 0), 4) is None  # all driven


def test_instruments_side_by_side_with_their_steps(study):
    """Common practice: 2.0 kWh on a display of 0.1 kWh is anything from 1.95 to 2.05; 7 % of 29 kWh is 2.03 kWh."""
    leg = study.legs[0].with_(
        average_shown=None, average_unit=None, average_step=None, energy_kwh=2.0, energy_step_kwh=0.1,
        soc_start_percent=80, soc_end_percent=73, soc_step_percent=1, distance_km=20.0,
    )  # fmt: skip
    small = study.with_(vehicle=VAN.with_(usable_capacity_kwh=29.0)).with_legs([leg])
    energy, soc = compare_readings(small, leg, None)
    assert energy.wh_per_km == pytest.approx(100.0)
    odometer = 0.1 / math.sqrt(12) / 20.0
    assert energy.high - energy.low == pytest.approx(2 * math.sqrt(3) * 100 * math.hypot(0.05 / math.sqrt(12) / 1.0, odometer), rel=1e-6)  # fmt: skip
    assert energy.high == pytest.approx(102.5, abs=0.1) and energy.low == pytest.approx(97.5, abs=0.1)
    assert soc.wh_per_km == pytest.approx(101.5) and soc.high - soc.low > 4 * (energy.high - energy.low)
    assert agreement((energy, soc)) == "agree"


def test_a_display_that_says_something_else_is_seen(study):
    odd = study.with_leg("L01", energy_kwh=3.9, energy_step_kwh=0.01)
    bands = compare_readings(odd, odd.leg("L01"), None)
    assert [b.instrument for b in bands] == ["trip energy", "trip average"]
    assert agreement(bands) == "differ" and not bands[1].agrees
    assert agreement(bands[:1]) == "one"
    assert compare_readings(study, new_study(title="", kind="other", order="AB").legs[0], None) == ()


def test_the_next_landmark_both_ways(study):
    def sector(p):
        return "town" if p.distance_m < 3000 else "dyke" if p.distance_m < 12_000 else "bridge"

    named = study.with_(route=tuple(p.with_(sector=sector(p)) for p in study.route))
    places = road_places(named)
    assert places.landmark_ahead(1.0, False) == ("dyke", pytest.approx(2.0))
    assert places.landmark_ahead(15.0, False) is None
    whole = places.length_km
    assert places.landmark_ahead(whole - 15.0, True) == ("dyke", pytest.approx(3.0))
    assert places.landmark_ahead(whole - 5.0, True) == ("town", pytest.approx(2.0))
    assert places.landmark_ahead(whole - 1.0, True) is None
    assert road_places(study).landmark_ahead(1.0, False) is None


def test_a_sector_has_gates_of_its_own(study):
    names = {"lanes": (0.0, 4.0), "trunk": (4.0, 10.0)}
    points = [p.with_(sector="lanes" if p.distance_m < 4000 else "trunk") for p in straight_route(10_000)]
    marked = study.with_(route=tuple(points), plan=study.plan.with_(gate_start_m=500.0, gate_end_m=9000.0))
    for name, (begin, end) in names.items():
        places = road_places(marked, name)
        assert places.gated and places.length_km == pytest.approx(10.0, abs=0.05)
        # The road's own gates hold where it begins and ends.
        assert places.gates(False) == pytest.approx((max(begin, 0.5), min(end, 9.0)), abs=0.11)
        assert places.gates(True) == pytest.approx((10 - min(end, 9.0), 10 - max(begin, 0.5)), abs=0.15)
    drive = LegDrive("L01", False, SpeedWatch(90.0), "driving")
    assert drive.to_gate_km(road_places(marked, "lanes"), 3.2, None) == pytest.approx(0.8, abs=0.11)
    # A sector that the road does not mark has no line to read off at: nothing is asked or counted down.
    unmarked = road_places(marked, "ridge")
    assert not unmarked.gated and drive.to_gate_km(unmarked, 3.2, 3.2) is None
