"""What running averages, ranges and charge put back tell of each leg, by hand; and what their roundings can do."""

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.indirect import charge_at_end, scale_told, told_by_another, wh_per_rated_km
from fairmargin.core.evidence.readings import observations
from fairmargin.core.study import new_study
from fairmargin.core.study.entry import READING_FIELDS
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.words.steps import sum_lines


def laps(order, *shown, km=5.0, unit="kWh/100km", step=0.1, since="L01"):
    """Laps of which each showed an average since the first; None where it was not read."""
    study = new_study(title="Laps", kind="aero covers", order=order, method="laps", speed_kmh=60)
    legs = []
    for leg, value in zip(study.legs, shown, strict=True):
        own = {} if value is None else {
            "running_shown": value, "running_unit": unit, "running_step": step, "running_since": since,
        }  # fmt: skip
        legs.append(leg.with_(distance_km=km, **own))
    return study.with_legs(legs)


def read(study):
    return {o.legs: o for o in observations(study, {})}


def test_a_running_average_gives_the_laps():
    """By hand: 11.2; 2 x 10.8 - 11.2 = 10.4; 3 x 10.73 - 2 x 10.8 = 10.59."""
    found = read(laps("AAB", 11.2, 10.8, 10.73))
    assert [o.as_read_wh_per_km for o in found.values()] == pytest.approx([112.0, 104.0, 105.9])
    assert found["L02",].readings[0].shown.startswith("10.8 kWh/100 km since L01 (10.8 over")


def test_miles_a_unit_are_unrolled_as_energy():
    """By hand: 5 km / 3.0 mi/kWh, then 10 / 3.2 less 5 / 3.0: 3.125 - 1.667 = 1.458 over 5: 3.43 mi/kWh."""
    found = read(laps("AB", 3.0, 3.2, unit="mi/kWh"))
    second = found["L02",].as_read_wh_per_km
    assert 1000 / second / 1.609344 == pytest.approx(1 / (2 / 3.2 - 1 / 3.0), abs=1e-6)


def test_legs_that_differ_in_length_count_by_it():
    study = laps("AB", 10.0, 11.0)
    study = study.with_leg("L02", distance_km=15.0)
    # By hand: (11 x 20 - 10 x 5) / 15 = 11.333
    assert read(study)["L02",].as_read_wh_per_km == pytest.approx(113.333, abs=1e-3)


def test_an_average_after_two_laps_tells_of_both():
    """By hand: 9.6 over two; then 4 x 9.9 - 2 x 9.6 over the next two: 10.2."""
    study = laps("AABB", None, 9.6, None, 9.9)
    found = read(study)
    assert set(found) == {("L01", "L02"), ("L03", "L04")}
    assert found["L03", "L04"].as_read_wh_per_km == pytest.approx(102.0)
    assert all(told_by_another(study, leg) for leg in study.legs)
    c = analyse(study).comparisons[0]
    assert c.as_measured_percent == pytest.approx(100 * (102 / 96 - 1), abs=1e-6)


def test_an_average_over_unlike_legs_is_kept_and_tells_nothing():
    assert read(laps("AB", None, 10.0)) == {}


def test_a_shared_rounding_is_never_counted_for_less_than_it_can_do():
    """Any sum of laps: what the roundings do to it, by hand, is within what their variances say."""
    found = list(read(laps("ABBA", 11.2, 10.8, 10.7, 10.9)).values())
    said = np.array([o.readings[0].sd_wh for o in found]) ** 2
    totals = np.array([0.1 * 10 * 5.0 * (i + 1) for i in range(4)]) / np.sqrt(12.0)  # Wh, of each total since the reset
    for weights in ((-1, 1, 1, -1), (1, -1, 0, 0), (0, 0, 0, 1), (1, 1, 1, 1), (0.5, -1, 0.5, 0)):
        w = np.array([*weights, 0.0])
        real = float(np.sum((totals * (w[:-1] - w[1:])) ** 2))
        assert real <= float(said @ w[:-1] ** 2) + 1e-9
    # and the worst is reached within a factor of two
    w = np.array([1.0, -1.0, 1.0, -1.0, 0.0])
    assert float(np.sum((totals * (w[:-1] - w[1:])) ** 2)) > 0.5 * float(said @ w[:-1] ** 2)


def test_the_sum_written_out_says_how_it_was_unrolled():
    c = analyse(laps("AAB", 11.2, 10.8, 10.73)).comparisons[0]
    lines = sum_lines(c, ("Without", "With"), UNIT_CHOICES["metric"])
    assert lines[1] == "L02: 10.8 kWh/100 km since L01 (10.8 over 10.0 km less 11.2 over 5.0 km) makes 10.40 kWh/100 km"
    us = sum_lines(c, ("Without", "With"), UNIT_CHOICES["us"])
    assert "(10.8 over 6.2 mi less 11.2 over 3.1 mi) makes 167.4 Wh/mi" in us[1]


# ---------------------------------------------------------------- ranges


def test_rated_range_used_is_energy_where_the_rating_is_told():
    """By hand: 75 kWh over 500 km are 150 Wh/km; 40 km of it 6.0 kWh; over 50 km 120 Wh/km."""
    study = laps("AB", None, None, km=50.0)
    legs = [
        leg.with_(rated_range_used=x, rated_range_unit="km") for leg, x in zip(study.legs, (40.0, 36.0), strict=True)
    ]
    study = study.with_legs(legs)
    told = study.with_(vehicle=study.vehicle.with_(usable_capacity_kwh=75.0, rated_range_km=500.0))
    assert wh_per_rated_km(told.vehicle) == 150.0
    assert [o.as_read_wh_per_km for o in read(told).values()] == pytest.approx([120.0, 108.0])
    # the difference needs no rating; the level does
    untold = analyse(study)
    assert untold.comparisons[0].as_measured_percent == pytest.approx(-10.0)
    assert not scale_told(study.vehicle, "rated range used")
    assert untold.results[0].wh_per_km is None and untold.results[0].as_driven_wh_per_km is None
    # By hand: a step of 1 km in 40 is 2.5 %, uniform 0.72 %
    assert read(told)["L01",].relative_sd == pytest.approx(0.025 / np.sqrt(12.0), rel=1e-6)


def test_miles_of_range_are_miles():
    study = laps("AB", None, None, km=50.0)
    legs = [study.legs[0].with_(range_before=150.0, range_after=125.0, range_unit="mi"), study.legs[1]]
    study = study.with_legs(legs).with_(vehicle=study.vehicle.with_(rated_wh_per_km=150.0))
    found = read(study)["L01",]
    assert found.energy_wh == pytest.approx(25 * 1.609344 * 150.0)
    assert found.relative_sd > 0.10  # a promise, and two roundings


# ---------------------------------------------------------------- charge


def test_the_next_legs_start_is_this_legs_end():
    study = laps("AAB", None, None, None, km=20.0)
    legs = [leg.with_(soc_start_percent=x) for leg, x in zip(study.legs, (82.0, 74.0, 67.0), strict=True)]
    study = study.with_legs(legs).with_(vehicle=study.vehicle.with_(usable_capacity_kwh=50.0))
    assert [charge_at_end(study, leg) for leg in study.legs] == [(74.0, "L02"), (67.0, "L03"), None]
    found = read(study)
    # By hand: 8 % of 50 kWh over 20 km
    assert found["L01",].as_read_wh_per_km == pytest.approx(200.0)
    assert found["L01",].readings[0].shown == "82 to 74 % at the start of L02"
    assert [told_by_another(study, leg) for leg in study.legs] == [True, True, False]
    charged = study.with_leg("L02", soc_start_percent=95.0)
    assert charge_at_end(charged, charged.leg("L01")) is None


def test_what_was_put_back_is_what_was_taken():
    study = laps("AB", None, None, km=100.0)
    study = study.with_leg("L01", charged_percent=32.0, charged_s=4020.0).with_leg("L02", charged_percent=30.0)
    study = study.with_(vehicle=study.vehicle.with_(usable_capacity_kwh=50.0))
    found = read(study)
    assert found["L01",].as_read_wh_per_km == pytest.approx(160.0)
    assert found["L01",].readings[0].shown == "32 % put back in 67 min"
    assert analyse(study).comparisons[0].as_measured_percent == pytest.approx(-6.25)


def test_a_run_put_back_once_covers_its_legs():
    study = driven_study("AB")
    bare = [leg.with_(**dict.fromkeys(READING_FIELDS)) for leg in study.legs]
    bare[1] = bare[1].with_(charged_percent=16.0)
    bare[3] = bare[3].with_(charged_percent=15.0)
    found = read(study.with_legs(bare).with_(vehicle=study.vehicle.with_(usable_capacity_kwh=50.0)))
    assert set(found) == {("L01", "L02"), ("L03", "L04")}
    assert found["L01", "L02"].energy_wh == pytest.approx(8000.0)


def test_a_step_that_was_noted_counts_in_its_own_unit():
    study = laps("AB", None, None, km=50.0)
    study = study.with_leg("L01", rated_range_used=40.0, rated_range_unit="km")
    study = study.with_(vehicle=study.vehicle.with_(rated_wh_per_km=150.0), instruments={"rated range used": {"step": 1.0, "unit": "mi"}})  # fmt: skip
    assert read(study)["L01",].readings[0].step_wh == pytest.approx(150.0 * 1.609344)
    whole = laps("AB", 10.0, 11.0).with_(instruments={"running average": {"step": 1.0, "unit": "kWh/100km"}})
    # By hand: a whole kWh/100 km over 5 km is 50 Wh, uniform 14.4; the first is shared with the second: √2 more
    assert read(whole)["L01",].readings[0].sd_wh == pytest.approx(50.0 / np.sqrt(12.0) * np.sqrt(2.0))
