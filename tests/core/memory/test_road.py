"""What is known of a road: heights averaged, the way it lies, speeds held, traffic by the hour."""

from datetime import datetime

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.memory.road import road_knowledge
from fairmargin.core.study import Event, RoutePoint


def hilly(noise=0.0, seed=0):
    """Ten kilometres to the north-east, up 60 m and down 20; heights as a GPS gives them."""
    rng = np.random.default_rng(seed)
    out = []
    for i in range(101):
        km = i / 10
        height = 10 * km if km <= 6 else 60 - 5 * (km - 6)
        out.append(
            RoutePoint(
                distance_m=1000 * km,
                latitude=52.0 + 0.0064 * km,
                longitude=0.1 + 0.0104 * km,
                elevation_m=round(height + noise * rng.normal(), 2),
            )
        )
    return tuple(out)


def test_heights_way_and_length():
    road = road_knowledge(
        "hill road",
        [driven_study("AB", route=hilly(), route_name="Hill  Road"), driven_study("AB", route_name="Other")],
    )
    assert road.studies == ("A study",)
    assert road.km == pytest.approx(10.0)
    assert road.climb_m == pytest.approx(60, abs=1.5)
    assert road.fall_m == pytest.approx(20, abs=1.5)
    assert road.bearing_deg == pytest.approx(45, abs=1)
    assert road.heights_from == 1


def test_heights_of_several_recordings_are_averaged():
    """Nine noisy recordings: a third of the noise of one; one of another length does not count."""
    studies = [driven_study("AB", route=hilly(3.0, seed), route_name="Hill Road") for seed in range(9)]
    longer = tuple(p.with_(distance_m=1.2 * p.distance_m, elevation_m=900) for p in hilly())
    road = road_knowledge("Hill Road", [driven_study("AB", route=longer, route_name="Hill Road"), *studies])
    assert road.heights_from == 9
    true = [p.elevation_m for p in hilly()]
    off = np.std([p.elevation_m - t for p, t in zip(road.route, true, strict=True)])
    assert off == pytest.approx(1.0, abs=0.25)
    # A round has no way that it lies.
    there_and_back = (*hilly(), *(p.with_(distance_m=20_000 - p.distance_m) for p in hilly()[-2::-1]))
    assert road_knowledge("r", [driven_study("AB", route=there_and_back, route_name="R")]).bearing_deg is None


def test_speeds_held_and_traffic_by_the_hour():
    study = driven_study("ABBA", route_name="Dyke Road")
    start = datetime(2026, 5, 2, 8, 10)
    legs = [
        leg.with_(
            started_at=start.replace(hour=8 if i < 4 else 16),
            duration_s=736 + (64 if i == 0 else 0),
            stopped_s=64 if i == 0 else 0,
        )
        for i, leg in enumerate(study.legs)
    ]
    study = study.with_(
        legs=tuple(legs),
        events=(
            Event(leg=legs[0].leg, kind="stop", duration_s=60),
            Event(leg=legs[1].leg, kind="slow-traffic", duration_s=120),
        ),
    )
    road = road_knowledge("Dyke Road", [study])
    held = {h.direction: h for h in road.held}
    assert held["out"].mean_kmh == pytest.approx(3600 * 18.4 / 736)
    assert held["out"].legs == 4
    assert held["out"].sd_kmh == pytest.approx(0.0, abs=1e-9)
    morning, evening = road.hours
    assert (morning.hour, morning.legs, morning.held_up, morning.minutes) == (8, 4, 2, pytest.approx(3 / 4))
    assert (evening.hour, evening.held_up) == (16, 0)


def test_a_road_nobody_drove():
    road = road_knowledge("Nowhere", [driven_study("AB")])
    assert (road.studies, road.km, road.held, road.climb_m) == ((), None, (), None)


def test_heights_that_jump_are_no_climbs():
    # A GPS height that jumps by two metres every hundred would climb two hundred by itself; the road climbs 60 and falls 20.
    study = driven_study("AB").with_(route=hilly(noise=2.0, seed=5), route_name="Ridge")
    known = road_knowledge("Ridge", [study])
    assert 60 - 8 < known.climb_m < 60 + 25 and 20 - 8 < known.fall_m < 20 + 25
