"""Two sides of a comparison: each with its own vehicle, speed and battery."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.result.sides import apart, between_vehicles, further_percent, own_speeds, ranges_km, side_vehicles
from fairmargin.core.study import Vehicle
from fairmargin.core.study.aims import laid_out
from fairmargin.core.study.cells import cells, side_of
from fairmargin.core.study.statements import Asked


def two_vehicles(first=60.0, other=40.0):
    study = laid_out(
        "vehicles", title="Two", kind="other", order="AB", method="loop", names=[],
        vehicles=[Vehicle(name="Blue", usable_capacity_kwh=first), Vehicle(name="Red", usable_capacity_kwh=other)],
    )  # fmt: skip
    for leg, shown in zip(study.legs, (200.0, 160.0), strict=True):
        study = study.with_leg(leg.leg, average_shown=shown, average_unit="Wh/km", distance_km=50.0)
    return study


def test_each_vehicle_goes_as_far_as_its_own_battery():
    """A smaller battery goes less far though it uses less: 60 and 40 kWh at the levels compared."""
    study = two_vehicles()
    (c,) = analyse(study).comparisons
    assert between_vehicles(study, c) and apart(study, c)
    assert [v.name for v in side_vehicles(study, c)] == ["Blue", "Red"]
    blue, red = ranges_km(study, c)
    assert (blue, red) == pytest.approx((60000 / c.baseline_wh_per_km, 40000 / c.trial_wh_per_km))
    assert further_percent(study, c) == pytest.approx(100 * (red / blue - 1))
    assert further_percent(study, c) < 0 < c.range_change_percent
    untold = two_vehicles(other=None)
    assert further_percent(untold, analyse(untold).comparisons[0]) is None


def test_one_vehicle_needs_no_capacity_for_its_change():
    study = driven_study("ABBA").with_(vehicle=Vehicle())
    (c,) = analyse(study).comparisons
    assert ranges_km(study, c) is None
    assert further_percent(study, c) == pytest.approx(c.range_change_percent)
    assert not between_vehicles(study, c) and own_speeds(study, c) is None and not apart(study, c)


def test_sides_that_were_asked_for_carry_their_speeds():
    study = driven_study("AB")
    study = study.with_legs([leg.with_(speed_kmh=95.0 if leg.configuration == "B" else 80.0) for leg in study.legs])
    slow, fast = cells(study)
    study = study.with_(also_compared=(Asked(baseline=side_of(slow), trial=side_of(fast)),))
    c = analyse(study).comparisons[-1]
    assert own_speeds(study, c) == (80.0, 95.0) and apart(study, c) and not between_vehicles(study, c)
