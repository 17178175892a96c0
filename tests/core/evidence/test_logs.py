"""Logged legs: cut to common gates, laid on the road, gaps told, hills taken from the logs."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import driven_study, straight_route

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.logs import gate_logs
from fairmargin.core.evidence.thinning import cumulated, thin
from fairmargin.core.laws.route import line_of
from fairmargin.core.study import Stretch, Trace
from fairmargin.core.study.plan import Plan

DEGREE_M = 111_250.0  # of latitude, about


def drive(start_m, lift_m, end_m, *, held=25.0, back=False, road_m=18_400.0, positions=True, rate=1.0, **columns):
    """A drive along the straight road: roll on at 8 m/s, hold, lift off, with power that follows the pedal."""
    t, s, v = [0.0], [start_m], [8.0]
    while s[-1] < end_m:
        aim = held if s[-1] < lift_m else 12.0
        step = np.clip((aim - v[-1]) / 3.0, -1.0, 0.9) / rate
        v.append(v[-1] + step)
        s.append(s[-1] + v[-1] / rate)
        t.append(t[-1] + 1.0 / rate)
    v, s = np.array(v), np.array(s)
    pull = np.gradient(v, 1 / rate)
    power = 15.0 * (v / held) ** 3 + 1.8 * v * pull  # kW, of a 1.8 t vehicle
    along = road_m - s if back else s
    if positions:
        columns |= {"latitude": 52.0 + along / DEGREE_M, "longitude": np.full(v.size, 0.1)}
    return Trace(time_s=np.array(t), speed_kmh=v * 3.6, power_kw=power, **columns)


def logged(order="ABBA", **fields):
    study = driven_study(order, **fields)
    empty = {"average_shown": None, "average_unit": None, "average_step": None, "distance_km": None, "duration_s": None}
    return study.with_legs(leg.with_(**empty) for leg in study.legs)


def drives(study, **more):
    """Every leg from another turning point to another exit."""
    rng = np.random.default_rng(7)
    made = {}
    for leg in study.legs:
        a, b, c = rng.uniform(50, 600), rng.uniform(150, 500), rng.uniform(50, 600)
        made[leg.leg] = drive(a, 18_400 - c - b, 18_400 - c, back=leg.direction == "back", **more)
    return made


def gates(study, traces):
    return gate_logs(study, study.legs, traces, dict.fromkeys(traces, 0.0))


def test_all_legs_are_cut_to_the_same_two_gates():
    study = logged()
    found = gates(study, drives(study))
    assert found.by_position
    ends = {
        (round(18_400 - g.end_m), round(18_400 - g.start_m))
        if study.leg(name).direction == "back"
        else (round(g.start_m), round(g.end_m))
        for name, g in found.gated.items()
    }
    assert len(ends) == 1
    (low, high) = next(iter(ends))
    assert 400 < low < 1300 and 17_000 < high < 18_000
    for log in found.gated.values():
        assert log.length_m == pytest.approx(high - low, rel=1e-3)
        t = log.at(np.array([log.start_m, log.end_m]))[0]
        inside = (log.thinned.time_s >= t[0]) & (log.thinned.time_s <= t[1])
        assert log.thinned.speed_m_s[inside].min() > 0.9 * 25  # no ramp, no lift-off


def test_ramps_and_turning_points_do_not_count_as_an_effect():
    # The same vehicle throughout; as read the legs differ by their ramps, between the gates they are alike.
    study = logged("ABBA")
    rng = np.random.default_rng(3)
    traces = {}
    for leg in study.legs:
        # Trial legs are read off after a long lift-off on the exit ramp, baseline legs at once.
        lift = 900.0 if leg.configuration == "B" else 60.0
        end = 18_400 - rng.uniform(50, 300)
        traces[leg.leg] = drive(200.0, end - lift, end, back=leg.direction == "back")
    result = analyse(study, traces)
    c = result.comparisons[0]
    assert c.as_measured_percent < -1.5
    assert c.effect_percent == pytest.approx(0.0, abs=0.25)
    for leg in result.legs:
        assert leg.corrections_wh_per_km["trim"] != 0
        assert leg.corrected_wh_per_km == pytest.approx(
            leg.measured_wh_per_km + sum(leg.corrections_wh_per_km.values())
        )


def test_energy_between_the_gates_is_the_integral_at_the_logs_own_rate():
    study = logged("AB", method="one-way")
    rng = np.random.default_rng(1)
    traces = {name: drive(100.0, 18_000.0, 18_300.0, rate=10.0) for name in ("L01", "L02")}
    noisy = {
        name: Trace(**{**t.columns(), "power_kw": t.power_kw + rng.normal(0, 5, t.time_s.size)})
        for name, t in traces.items()
    }
    log = gates(study, noisy).gated["L01"]
    t0, t1 = log.at(np.array([log.start_m, log.end_m]))[0]
    trace = noisy["L01"]
    inside = (trace.time_s >= t0) & (trace.time_s <= t1)
    by_hand = np.trapezoid(trace.power_kw[inside], trace.time_s[inside]) / 3.6
    assert log.energy_wh == pytest.approx(by_hand, rel=1e-3)
    assert len(log.thinned.time_s) < 0.2 * len(trace.time_s)  # thinned, yet nothing of the energy lost


def test_without_positions_ramps_still_drop_out():
    study = logged("AB", method="one-way", route=())
    traces = {
        "L01": drive(0.0, 18_000.0, 18_300.0, positions=False),
        "L02": drive(0.0, 17_900.0, 18_300.0, positions=False),
    }
    found = gates(study, traces)
    assert not found.by_position
    a, b = found.gated.values()
    assert (a.start_m, a.end_m) == pytest.approx((b.start_m, b.end_m), abs=1.0)
    assert a.cut_m[0] > 100 and a.cut_m[1] > 200


def test_a_leg_that_joined_late_does_not_cut_the_others():
    study = logged("ABBAABBA", method="one-way")
    traces = {leg.leg: drive(150.0, 18_000.0, 18_300.0) for leg in study.legs}
    traces["L03"] = drive(9000.0, 18_000.0, 18_300.0)
    found = gates(study, traces)
    assert found.gated["L01"].length_m > 17_000
    assert found.gated["L03"].start_m > 9000
    codes = {c.code for c in analyse(study, traces).concerns}
    assert "distance-unlike" in codes


def test_gaps_are_bridged_and_told():
    study = logged("ABBA")
    traces = drives(study)
    t = traces["L03"]
    keep = (t.time_s < 200) | (t.time_s > 290)
    traces["L03"] = Trace(**{name: values[keep] for name, values in t.columns().items()})
    result = analyse(study, traces)
    told = next(c for c in result.concerns if c.code == "log-gaps")
    assert told.legs == ("L03",)
    assert "14 %" in told.title  # 91 s of the 665 s between the gates
    assert "log-gaps" not in {c.code for c in analyse(study, drives(study)).concerns}


def test_missing_power_counts_as_a_gap_but_not_as_lost_energy():
    t = np.arange(0.0, 600.0)
    power = np.full(t.size, 18.0)
    power[100:150] = np.nan
    log = thin(Trace(time_s=t, speed_kmh=np.full(t.size, 90.0), power_kw=power))
    assert log.energy_wh[-1] == pytest.approx(18_000 * 599 / 3600)
    assert log.gap_s[-1] == pytest.approx(51)


def test_heights_come_from_the_logs_when_the_route_has_none():
    study = logged("ABBA", route=())
    rise = {}
    for leg in study.legs:
        trace = drive(0.0, 18_000.0, 18_400.0, back=leg.direction == "back")
        along = (trace.latitude - 52.0) * DEGREE_M
        noise = np.random.default_rng(int(leg.leg[1:])).normal(0, 0.5, along.size)
        # 0.5 % at the wheels is 1.8 t · g · v; what rolls down needs so much less.
        lift = (-1 if leg.direction == "back" else 1) * 0.005 * 1.8 * 9.81 * trace.speed_kmh / 3.6 / 0.9
        columns = trace.columns() | {"power_kw": trace.power_kw + lift, "elevation_m": 20 + 0.005 * along + noise}
        rise[leg.leg] = Trace(**columns)
    shape = gates(study, rise).shape
    assert np.median(np.sin(shape.slope_rad)) == pytest.approx(0.005, abs=0.0005)
    lines = analyse(study, rise).legs[0].corrections_wh_per_km
    # 0.5 % up costs m g h: 1710 · 9.81 · 5 m per km / 0.88 = 26.5 Wh/km; the mean of both ways takes most of it off.
    assert lines["elevation"] == pytest.approx(-26.5, abs=4)


def test_where_a_loop_closes_the_log_decides_which_end_is_meant():
    angle = np.linspace(0, 2 * np.pi, 200)
    lat, lon = 52 + 0.01 * np.sin(angle), 0.1 + 0.0163 * np.cos(angle)
    line = line_of(np.linspace(0, 7000, 200), lat, lon)
    place, off = line.project([lat[0], lat[0]], [lon[0], lon[0]], [50.0, 6900.0])
    assert place[0] < 100 and place[1] > 6900
    assert off.max() < 5


def test_cumulated_is_the_trapezoidal_sum():
    t = np.array([0.0, 1.0, 3.0, 4.0])
    v = np.array([2.0, 4.0, 4.0, 0.0])
    assert cumulated(v, t) == pytest.approx([0, 3, 11, 13])


def test_a_town_cycle_is_not_cut_and_says_so():
    study = logged("ABBA", method="loop", route=())
    t = np.arange(0.0, 900.0)
    wave = np.clip(40 + 40 * np.sin(t / 20), 0, None)
    traces = {
        leg.leg: Trace(time_s=t, speed_kmh=wave, power_kw=4 + 0.2 * wave * (0.95 if leg.configuration == "B" else 1))
        for leg in study.legs
    }
    result = analyse(study, traces)
    assert result.comparisons[0].as_driven
    assert result.comparisons[0].speed_kmh == pytest.approx(wave.mean() / np.mean(wave > 1), rel=0.05)
    assert all(leg.corrections_wh_per_km["speed"] == pytest.approx(0) for leg in result.legs)


def test_a_log_of_the_whole_road_is_placed_within_metres():
    study = logged("AB", method="one-way", route=straight_route())
    trace = drive(300.0, 18_000.0, 18_350.0)
    log = gates(study, {"L01": trace}).gated["L01"]
    assert log.place_m[0] == pytest.approx(300, abs=20)
    assert log.scale == pytest.approx(1.0, abs=0.003)


def test_lines_placed_on_the_route_narrow_the_gates():
    study = logged()
    lined = study.with_(plan=Plan(gate_start_m=3000.0, gate_end_m=15_000.0))
    found = gates(lined, drives(lined))
    for name, log in found.gated.items():
        low, high = (3400.0, 15_400.0) if lined.leg(name).direction == "back" else (3000.0, 15_000.0)
        assert (log.start_m, log.end_m) == pytest.approx((low, high), abs=1.0)
        assert log.length_m == pytest.approx(12_000, rel=2e-3)
    silly = study.with_(plan=Plan(gate_start_m=9000.0, gate_end_m=9100.0))
    assert next(iter(gates(silly, drives(silly)).gated.values())).length_m > 15_000


@pytest.mark.parametrize("seconds", [5, 20, 45])
def test_a_slow_logger_is_no_gap(seconds):
    study = logged()
    slow = {
        name: Trace(**{column: values[::seconds] for column, values in trace.columns().items()})
        for name, trace in drives(study).items()
    }
    result = analyse(study, slow)
    assert "log-gaps" not in {c.code for c in result.concerns}
    assert result.comparisons[0].effect_percent == pytest.approx(0.0, abs=1.0)


def test_logs_that_are_mostly_gap_are_still_judged():
    study = logged()
    holed = {}
    for name, trace in drives(study).items():
        keep = trace.time_s % 60 < 30  # half of every minute is lost
        holed[name] = Trace(**{column: values[keep] for column, values in trace.columns().items()})
    result = analyse(study, holed)
    assert len(result.comparisons) == 1
    told = next(c for c in result.concerns if c.code == "log-gaps")
    assert told.severity == "caution" and len(told.legs) == 8


def logged_day(slow=None, effect=0.95):
    """Eight noise-free logged legs at 25 m/s and 15 kW (trial times `effect`); one stretch of one leg burns more."""
    study = driven_study("ABBA").with_(route=straight_route(10_000))
    bare = dict.fromkeys(("average_shown", "average_unit", "average_step", "distance_km", "duration_s"))
    traces = {}
    for leg in study.legs:
        s = np.arange(0.0, 10_000.1, 25.0)
        power = np.full(len(s), 15.0 * (effect if leg.configuration == "B" else 1.0))
        if leg.leg == slow:
            power[(s >= 4000) & (s < 5000)] *= 2.0
        place = 10_000 - s if leg.direction == "back" else s
        traces[leg.leg] = Trace(
            time_s=s / 25.0,
            speed_kmh=np.full(len(s), 90.0),
            power_kw=power,
            latitude=52.0 + place / 111_250.0,
            longitude=np.full(len(s), 0.1),
        )
        study = study.with_leg(leg.leg, **bare)
    return study, traces


def test_a_stretch_left_out_takes_its_time_distance_and_energy_with_it():
    """By hand: 10 km at 25 m/s and 15 kW are 1666.7 Wh; without 2 km of it 1333.3 Wh over 8 km in 320 s."""
    study, traces = logged_day()
    cut = study.with_(left_out_stretches=(Stretch(from_m=3000, to_m=5000, reason="road works"),))
    whole, without = (gate_logs(s, s.legs, traces, dict.fromkeys(traces, 0.0)) for s in (study, cut))
    for name in traces:
        a, b = whole.of(name), without.of(name)
        assert b.length_m == pytest.approx(a.length_m - 2000, abs=3)
        assert b.energy_wh == pytest.approx(a.energy_wh * (1 - 2000 / a.length_m), rel=2e-3)
        t = b.at(np.array([b.start_m, b.end_m]))[0]
        assert t[1] - t[0] == pytest.approx(b.length_m / 25.0, abs=0.3)
    # The same road is left out on the way back: 5 to 7 km in driving direction.
    assert without.of("L02").skips[0] == pytest.approx((5000, 7000), abs=15)
    edges = without.of("L01").edges_m(4)
    kept = np.diff(edges) - np.array(
        [max(0, min(b, 5000) - max(a, 3000)) for a, b in zip(edges, edges[1:], strict=False)]
    )
    assert kept == pytest.approx(np.full(4, kept.mean()), rel=1e-6)


def test_a_spoilt_stretch_left_out_of_all_legs_gives_the_effect_back():
    study, traces = logged_day(slow="L03")
    spoilt = analyse(study, traces).comparisons[0]
    cut = study.with_(left_out_stretches=(Stretch(from_m=3900, to_m=5100, reason="tractor"),))
    mended = analyse(cut, traces).comparisons[0]
    assert spoilt.as_measured_percent == pytest.approx(-2.5, abs=0.3)
    assert mended.effect_percent == pytest.approx(-5.0, abs=0.2)
    # As measured is the plain readings, whatever is left out of the model.
    assert mended.as_measured_percent == spoilt.as_measured_percent


def test_stretches_overlap_reach_over_the_gates_or_would_leave_nothing():
    study, traces = logged_day()
    many = (
        Stretch(from_m=0, to_m=1500, reason="ramp"),
        Stretch(from_m=1000, to_m=2000, reason="ramp"),
        Stretch(from_m=9500, to_m=20_000, reason="beyond"),
    )
    logs = gate_logs(study.with_(left_out_stretches=many), study.legs, traces, dict.fromkeys(traces, 0.0))
    assert logs.of("L01").length_m == pytest.approx(7500, abs=20)
    assert len(logs.of("L01").skips) == 2
    all_of_it = (Stretch(from_m=0, to_m=10_000, reason="everything"),)
    kept = gate_logs(study.with_(left_out_stretches=all_of_it), study.legs, traces, dict.fromkeys(traces, 0.0))
    assert kept.of("L01").skips == () and kept.of("L01").length_m == pytest.approx(10_000, abs=20)


def test_a_stretch_needs_a_reason_and_a_length():
    with pytest.raises(ValueError, match="does not lie beyond"):
        Stretch(from_m=500, to_m=500, reason="x")
    with pytest.raises(ValueError):
        Stretch(from_m=0, to_m=500, reason="")


def test_a_log_that_only_rolls_downhill_does_not_break_the_fit():
    """Power below nothing over the whole of one leg: the others still give an effect, and nothing warns."""
    study, traces = logged_day()
    rolled = {**traces, "L05": replace(traces["L05"], power_kw=np.full(401, 0.05))}
    result = analyse(study, rolled)
    assert all(np.isfinite(c.effect_percent) for c in result.comparisons)
