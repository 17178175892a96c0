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
    level = h.level_wh_per_km * 6.1
    assert h.costs_wh + level == pytest.approx(h.up.wh)
    assert level - h.comes_back_wh == pytest.approx(h.down.wh)
    assert h.lost_wh == pytest.approx(h.both_wh - 2 * level)
    assert h.share_percent == pytest.approx(100 * h.comes_back_wh / h.costs_wh)
    low, high = h.share_interval_percent
    assert 0 <= low < h.share_percent < high <= 100


def test_a_hill_gives_back_less_the_less_came_back():
    more, less = (analyse(hill(down=(83, 83 + x))).hills[0] for x in (6, 2))
    assert less.comes_back_wh < more.comes_back_wh
    assert less.share_percent < more.share_percent
    # However much came back, no more than everything is returned.
    assert analyse(hill(down=(83, 90))).hills[0].share_percent <= 100.0


def test_heights_tell_what_lifting_takes():
    """Mass times height: 2000 kg by 500 m are 9.81 MJ, 2.72 kWh."""
    points = (
        RoutePoint(distance_m=0.0, elevation_m=100.0),
        RoutePoint(distance_m=3000.0, elevation_m=380.0),
        RoutePoint(distance_m=6100.0, elevation_m=600.0),
    )
    (h,) = analyse(hill(mass_kg=2000.0).with_(route=points)).hills
    assert h.rise_m == pytest.approx(500.0)
    assert h.lift_wh == pytest.approx(2000.0 * GRAVITY_M_S2 * 500.0 / 3600.0)
    assert analyse(hill()).hills[0].lift_wh is None


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
