"""What a hill costs against the level road: sums that a pencil does, and a share that cannot pass the whole."""

import pytest

from fairmargin.core.analysis import analyse
from fairmargin.core.laws.rolling import GRAVITY_M_S2
from fairmargin.core.study import RoutePoint, Vehicle
from fairmargin.core.study.aims import laid_out


def hill(up=(91, 83), down=(83, 86), km=6.1, **vehicle):
    study = laid_out(
        "climb", title="Pass", kind="other", order="A", method="climb", names=[],
        vehicles=[Vehicle(**({"usable_capacity_kwh": 31.0} | vehicle))],
    )  # fmt: skip
    for name, (start, end) in zip(("L01", "L02"), (up, down), strict=True):
        study = study.with_leg(name, soc_start_percent=start, soc_end_percent=end, distance_km=km)
    return study


def test_ways_level_and_hill_add_up():
    """By hand: 8 % of 31 kWh up, 3 % back; the level road once each way is what is not the hill."""
    (h,) = analyse(hill()).hills
    assert (h.up.wh, h.down.wh, h.up.km, h.both_wh) == pytest.approx((2480.0, -930.0, 6.1, 1550.0))
    # 0.88 x 0.6 of what goes into a hill comes back: one slope (2480 - 930 / 0.528) / 2 = 359 Wh; braked all along 775 less 1705 x
    # 0.472 / 1.528 = 248 Wh.
    assert h.level.source == "usual"
    low, high = (x * 6.1 for x in h.level.between)
    assert (low, high) == pytest.approx((775 - 1705 * 0.472 / 1.528, (2480 - 930 / 0.528) / 2))
    assert h.level.wh_per_km * 6.1 == pytest.approx((low + high) / 2)
    level = h.level.wh_per_km * 6.1
    assert h.costs_wh + level == pytest.approx(h.up.wh)
    assert level - h.comes_back_wh == pytest.approx(h.down.wh)
    assert h.lost_wh == pytest.approx(h.both_wh - 2 * level)
    assert h.share_percent == pytest.approx(100 * h.comes_back_wh / h.costs_wh)
    low, high = h.share_interval_percent
    assert 0 <= low < h.share_percent < high <= 100


def with_level_leg(back_kwh=0.93):
    study = hill()
    flat = study.legs[0].with_(
        leg="L03", direction="loop", distance_km=10.0, soc_start_percent=None, soc_end_percent=None, energy_kwh=0.9
    )
    return study.with_legs([*study.legs, flat]).with_leg("L01", energy_kwh=2.48).with_leg("L02", energy_kwh=-back_kwh)


def test_beside_a_level_road_that_is_known_less_comes_back_where_less_came():
    more, less = (analyse(with_level_leg(x)).hills[0] for x in (0.93, 0.5))
    assert more.level.wh_per_km == less.level.wh_per_km
    assert more.comes_back_wh - less.comes_back_wh == pytest.approx(430.0)
    assert less.share_percent < more.share_percent
    # Without, more than usual drives give back tells nothing of the level road, and no share is said.
    assert analyse(hill(down=(83, 90))).hills[0].level is None


def test_a_level_leg_tells_what_the_level_road_takes():
    """By hand: 0.9 kWh over 10 km are 90 Wh/km; the hill costs 2480 - 549, and 930 + 549 come back."""
    (h,) = analyse(with_level_leg()).hills
    assert (h.level.source, h.level.legs) == ("read", ("L03",))
    assert h.level.wh_per_km == pytest.approx(90.0)
    assert (h.costs_wh, h.comes_back_wh) == pytest.approx((2480 - 549, 930 + 549))
    assert h.share_percent == pytest.approx(100 * 1479 / 1931)


def test_heights_tell_what_lifting_takes():
    """Mass times height: 1500 kg by 300 m are 4.41 MJ, 1226 Wh; 2480 - 1226 / 0.88 are left for the level road."""
    points = (
        RoutePoint(distance_m=0.0, elevation_m=100.0),
        RoutePoint(distance_m=3000.0, elevation_m=280.0),
        RoutePoint(distance_m=6100.0, elevation_m=400.0),
    )
    (h,) = analyse(hill(mass_kg=1500.0).with_(route=points)).hills
    assert h.rise_m == pytest.approx(300.0)
    assert h.lift_wh == pytest.approx(1500.0 * GRAVITY_M_S2 * 300.0 / 3600.0)
    assert h.level.source == "heights"
    assert h.level.wh_per_km * 6.1 == pytest.approx(2480 - h.lift_wh / 0.88)
    told, assumed = (analyse(hill(**x).with_(route=points)).hills[0].level for x in ({"mass_kg": 1500.0}, {}))
    assert assumed.sd_wh_per_km > told.sd_wh_per_km
    assert analyse(hill()).hills[0].lift_wh is None


def test_where_nothing_came_back_the_level_road_lies_between_two_bounds():
    """By hand: 128 km at 870 and 345 Wh/km; never braked 607, braked all along 607 - 262 x 0.472 / 1.528 = 526 Wh/km."""
    (h,) = analyse(alone(870.0, 345.0)).hills
    low, high = 607.5 - 262.5 * (1 - 0.528) / (1 + 0.528), 607.5
    assert h.level.wh_per_km == pytest.approx((low + high) / 2, rel=1e-3)
    ends = h.level_interval
    assert ends[0] < low + 10 and ends[1] > high - 10
    assert h.share_percent > 50


def test_a_battery_nobody_told_tells_no_energies():
    assert analyse(hill(usable_capacity_kwh=None)).hills == ()


def alone(out, back):
    study = laid_out(
        "one", title="Pass", kind="other", order="A", method="out-and-back", names=[], vehicles=[Vehicle()]
    )
    for name, shown in zip(("L01", "L02"), (out, back), strict=True):
        study = study.with_leg(name, average_shown=shown, average_unit="Wh/km", distance_km=52.0)
    return study


def test_only_ways_that_differ_by_half_are_a_hill_that_nobody_said_is_one():
    assert analyse(alone(123.0, 147.0)).hills == ()
    # A leg out may be the one down.
    (h,) = analyse(alone(60.0, 210.0)).hills
    assert (h.up.legs, h.down.legs) == (("L02",), ("L01",))
    # 52 km at 210 and at 60 Wh/km.
    assert (h.up.wh, h.down.wh) == pytest.approx((10920.0, 3120.0))
