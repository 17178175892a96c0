"""The road as legs feel it: both ways, slower where traffic was, cut where a log is cut."""

import numpy as np
import pytest
from tests.unlike import calm

from fairmargin.core.evidence.logs import gate_logs
from fairmargin.core.model.road import Road, default_shape
from fairmargin.core.study import Event


def road_of(study):
    return Road(gate_logs(study, (), {}, {}).shape, study)


def test_slow_traffic_is_slow_where_it_was():
    # By hand: 180 s at 60 km/h are 3 km from 6 km on; the rest drives faster, so that the leg's time stays.
    road = road_of(calm())
    event = Event(leg="L01", kind="slow-traffic", at_km=6.0, duration_s=180.0, speed_kmh=60.0)
    found = road.steady(False, 18_400.0, 25.0, [event])
    slow = np.isclose(found.speed_m_s, 60 / 3.6)
    assert found.length_m[slow].sum() == pytest.approx(3000.0, abs=60.0)
    assert (found.length_m / found.speed_m_s).sum() == pytest.approx(18_400 / 25.0, rel=1e-6)
    # From 6 to 9 km the road climbs to the top of its hill: 12 m · 3/18.4 and 40 m · (sin² 88° − sin² 59°).
    climb = (found.length_m[slow] * np.sin(found.slope_rad[slow])).sum()
    assert climb == pytest.approx(12 * 3 / 18.4 + 40 * (np.sin(np.pi * 9 / 18.4) ** 2 - np.sin(np.pi * 6 / 18.4) ** 2), abs=0.8)  # fmt: skip


def test_a_leg_whose_time_nobody_took_holds_its_speed_outside_of_slow_traffic():
    event = Event(leg="L01", kind="slow-traffic", at_km=6.0, duration_s=180.0, speed_kmh=60.0)
    found = road_of(calm()).steady(False, 18_400.0, 25.0, [event], timed=False)
    assert set(found.speed_m_s.round(3)) == {25.0, round(60 / 3.6, 3)}
    # By hand: 3 km at 60 instead of 90 km/h take 60 s more than the rest of the way says.
    assert (found.length_m / found.speed_m_s).sum() == pytest.approx(18_400 / 25.0 + 60.0, abs=0.7)


def test_the_way_back_is_the_way_out_turned_round():
    road = road_of(calm())
    out, back = (road.steady(way, 18_400.0, 25.0, ()) for way in (False, True))
    climbs = [(s.length_m * np.sin(s.slope_rad)).sum() for s in (out, back)]
    assert climbs == pytest.approx([12.0, -12.0], abs=0.3)
    assert np.degrees(np.mod(back.heading_rad[0] - out.heading_rad[0], 2 * np.pi)) == pytest.approx(180, abs=0.1)
    assert out.heading_known and np.degrees(out.heading_rad) == pytest.approx(np.full(len(out.heading_rad), 50.0), abs=0.2)  # fmt: skip


def test_without_a_route_a_loop_is_a_circle_and_a_road_has_no_heading():
    loop, straight = calm(method="loop", route=()), calm(route=())
    circle = default_shape(loop, False)
    assert np.sum(np.cos(circle.heading_rad)) == pytest.approx(0.0, abs=1e-9)
    assert Road(None, loop).heading_known() and not Road(None, straight).heading_known()


def test_heights_are_known_from_the_route_or_from_logs():
    told, flat = calm(), calm(route=tuple(p.with_(elevation_m=None) for p in calm().route))
    assert road_of(told).heights_known() and not road_of(flat).heights_known()
    assert not Road(None, calm(route=())).heights_known()
    # A log's altitudes come as the slopes of the shape it gives.
    assert Road(road_of(told).shape, flat).heights_known()


def test_a_leg_elsewhere_has_its_own_road():
    road, other = road_of(calm()), Road(None, calm())
    both = road.with_elsewhere({"L07": other})
    assert both.of("L07") is other and both.of("L01") is both
    assert both.shape is road.shape and road.of("L07") is road
