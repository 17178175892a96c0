"""Sectors: which part of the route each of them is."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.evidence.distances import distance_ratios, leg_distances
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.study import RoutePoint
from fairmargin.core.study.sectors import marked, on_own_road, route_of


def along(*names, heights=None):
    """A route with a point every 2 km, each with its sector."""
    return tuple(
        RoutePoint(distance_m=500.0 + 2000.0 * i, elevation_m=None if heights is None else heights[i], sector=name)
        for i, name in enumerate(names)
    )


def with_route(*names, **kw):
    return driven_study("AB").with_(route=along(*names, **kw), left_out_stretches=())


def test_a_point_without_a_sector_goes_on_with_the_last():
    assert marked(along("", "lanes", "", "trunk", "")) == ["", "lanes", "lanes", "trunk", "trunk"]


def test_a_sector_reaches_to_where_the_next_begins():
    study = with_route("lanes", "", "trunk", "", "")
    assert [p.distance_m for p in route_of(study, "lanes")] == [500.0, 2500.0, 4500.0]
    assert [p.distance_m for p in route_of(study, "trunk")] == [4500.0, 6500.0, 8500.0]


@pytest.mark.parametrize("sector", ["", "dyke", "lanes"])
def test_all_of_the_route_where_it_does_not_tell(sector):
    """No sector, an unmarked one, one in two stretches."""
    study = with_route("lanes", "trunk", "lanes", "trunk")
    assert route_of(study, sector) == study.route
    assert on_own_road(study, sector) is study


def test_what_is_placed_along_the_route_moves_with_the_sector():
    study = with_route("lanes", "", "trunk", "", "")
    cuts = [{"from_m": 3000.0, "to_m": 4600.0, "reason": "roadworks"}, {"from_m": 0.0, "to_m": 900.0, "reason": "town"}]
    study = study.with_(left_out_stretches=cuts, plan=study.plan.with_(gate_start_m=1000.0, gate_end_m=7500.0))
    own = on_own_road(study, "trunk")
    # By hand: the trunk road begins 4000 m after the route does, and is 4000 m long.
    assert [p.distance_m for p in own.route] == [0.0, 2000.0, 4000.0]
    assert [(x.from_m, x.to_m, x.reason) for x in own.left_out_stretches] == [(0.0, 600.0, "roadworks")]
    assert (own.plan.gate_start_m, own.plan.gate_end_m) == (0.0, 3500.0)


def test_a_leg_without_a_distance_is_as_long_as_its_sector():
    study = with_route("lanes", "", "trunk", "", "", "")
    legs = [
        leg.with_(sector=name, distance_km=None, gps_distance_km=None)
        for leg, name in zip(study.legs[:2], ("lanes", "trunk"), strict=True)
    ]
    study = study.with_legs(legs)
    ratios = distance_ratios(study)
    found = [leg_distances(study, leg, ratios[leg.configuration], None) for leg in legs]
    # By hand: 2 stretches of 2 km, and 3; nobody compared the odometer.
    assert found == [pytest.approx((4.0, 4.0)), pytest.approx((6.0, 6.0))]


def test_each_sector_is_laid_on_its_own_hills():
    study = with_route("lanes", "", "trunk", "", heights=[0.0, 30.0, 60.0, 60.0])
    study = study.with_legs([study.legs[0].with_(sector="lanes"), study.legs[1].with_(sector="trunk")])
    logs = gather(study, {}).logs
    climb = {name: (s.shape.length_m * s.shape.slope_rad).sum() for name, s in logs.items()}
    assert climb["lanes"] == pytest.approx(60.0, abs=0.5)
    assert climb["trunk"] == pytest.approx(0.0, abs=0.5)
