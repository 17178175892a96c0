"""What was found beside the rated figures: by hand, in any unit."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.study import Vehicle, new_study
from fairmargin.core.study.entry import READING_FIELDS
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.words.answers import alone_answers
from fairmargin.exchange.words.rated import rated_lines


def one(**vehicle):
    study = new_study(title="How far at 90?", kind="other", order="A", speed_kmh=90)
    legs = [
        leg.with_(average_shown=x, average_unit="Wh/km", average_step=1.0, distance_km=52.0)
        for leg, x in zip(study.legs, (123.0, 147.0), strict=True)
    ]
    return study.with_legs(legs).with_(vehicle=Vehicle(**vehicle))


def lines(study, units="metric-wh"):
    return rated_lines(study.vehicle, analyse(study).results[0], UNIT_CHOICES[units])


def test_rated_figures_give_the_battery_and_what_was_better():
    """By hand: 150 x 480 = 72 kWh; 135 is 10 % below 150; 72 000 / 135 = 533 km, 53 more than 480."""
    study = one(rated_wh_per_km=150.0, rated_range_km=480.0)
    assert study.vehicle.capacity_kwh == pytest.approx(72.0)
    assert lines(study) == [
        "Rated 150 Wh/km: as driven it took 10 % less; rated 480 km, as driven 533: 53 km more.",
        "The rated figures make a battery of 72.0 kWh; nobody told its usable capacity.",
    ]
    (line, _) = (a for a in alone_answers(study, analyse(study), UNIT_CHOICES["metric-wh"]) if a.name == "Rated")
    assert "53 km more" in line.words
    # By hand: 298 mi and 331; 217 Wh/mi is 241 less a tenth
    assert "rated 298 mi, as driven 331: 33 mi more" in lines(study, "us")[0]


def test_a_capacity_that_was_told_counts_and_is_surer():
    rated, told = one(rated_wh_per_km=150.0, rated_range_km=480.0), one(rated_range_km=480.0, usable_capacity_kwh=72.0)
    wide, narrow = (analyse(s).results[0] for s in (rated, told))
    assert wide.range_km == pytest.approx(narrow.range_km)
    a, b = (r.range_interval_km[1] - r.range_interval_km[0] for r in (wide, narrow))
    assert a > 1.05 * b
    assert lines(told) == ["Rated 480 km, as driven 533: 53 km more."]


def test_nothing_is_said_where_nothing_is_rated_nor_half_of_it():
    assert lines(one(usable_capacity_kwh=72.0)) == []
    assert lines(one(rated_wh_per_km=120.0)) == ["Rated 120 Wh/km: as driven it took 12 % more."]
    assert one(rated_wh_per_km=120.0).vehicle.capacity_kwh is None
    assert Vehicle(energy="petrol", rated_wh_per_km=500.0, rated_range_km=800.0).capacity_kwh is None


def test_a_rated_battery_tells_the_energy_of_a_share_of_it():
    study = driven_study("AB")
    legs = [
        leg.with_(**(dict.fromkeys(READING_FIELDS) | {"soc_start_percent": 80.0, "soc_end_percent": 76.0}))
        for leg in study.legs
    ]
    study = study.with_legs(legs).with_(vehicle=Vehicle(rated_wh_per_km=150.0, rated_range_km=480.0))
    # By hand: 4 % of 72 kWh over 18.4 km
    assert analyse(study).results[0].as_driven_wh_per_km == pytest.approx(2880 / 18.4, rel=1e-3)
