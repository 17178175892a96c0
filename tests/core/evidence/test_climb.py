"""Climb and descent: how much comes back."""

import numpy as np
import pytest
from tests.conftest import VAN, driven_study
from uncertainties import ufloat

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.typed import read_on_the_way
from fairmargin.core.evidence.climb import climbs, leg_parts, unplaced_parts
from fairmargin.core.study import Trace, Vehicle, WayReading, new_study
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.words.results import climb_lines, way_lines

EMPTY = {"average_shown": None, "average_unit": None, "average_step": None}


def mountain(order="A", ups=((90, 83),), downs=((83, 85),), **fields):
    out, back = iter(ups), iter(downs)
    study = driven_study(order, method="out-and-back", **fields).with_(method="climb")
    for leg in study.legs:
        start, end = next(out) if leg.direction == "out" else next(back)
        study = study.with_leg(leg.leg, **EMPTY, soc_start_percent=start, soc_end_percent=end)
    return study


def test_share_returned_of_the_worked_figures():
    # Common practice: 7 % of 29 kWh up, 2 % back down: 2.03 and 0.58 kWh, 29 % returned; a per cent is 0.29 kWh.
    study = mountain(vehicle=VAN.with_(usable_capacity_kwh=29))
    (climb,) = analyse(study).climbs
    assert climb.up_wh == pytest.approx(2030)
    assert climb.down_wh == pytest.approx(580)
    assert climb.returned_percent == pytest.approx(28.6, abs=0.05)
    assert climb.step_wh == pytest.approx(290)


def test_the_gauges_step_is_in_the_margin():
    # Each difference of two whole per cents has sd 1/√6; propagated with the package `uncertainties`.
    step = 1 / np.sqrt(6)
    share = 100 * ufloat(2, step) / ufloat(7, step)
    (climb,) = climbs(mountain(), {})
    low, high = climb.step_interval_percent
    assert (high - low) / 2 == pytest.approx(1.96 * share.s, rel=1e-3)
    assert (high + low) / 2 == pytest.approx(share.n)
    # The gauge lags by 0.3 points beside (common practice).
    lagging = np.hypot(step, 0.3)
    whole = 100 * ufloat(2, lagging) / ufloat(7, lagging)
    low, high = climb.interval_percent
    assert (high - low) / 2 == pytest.approx(1.96 * whole.s, rel=1e-3)


def test_capacity_cancels_in_the_share():
    shares = [climbs(mountain(vehicle=VAN.with_(usable_capacity_kwh=c)), {})[0].returned_percent for c in (20, 60)]
    assert shares[0] == pytest.approx(shares[1])


def test_two_configurations_are_compared_over_the_whole_trip():
    study = mountain("AB", ups=((90, 80), (88, 78)), downs=((80, 83), (78, 82)))
    result = analyse(study)
    assert [c.configuration for c in result.climbs] == ["A", "B"]
    c = result.comparisons[0]
    assert c.as_measured_percent == pytest.approx((6 / 7 - 1) * 100)  # net 7 against 6 per cent of the battery
    assert c.interval_percent[1] - c.interval_percent[0] > 10  # whole per cents cannot settle that
    assert c.verdict == "not settled"


def test_a_logger_and_a_signed_trip_energy_will_do():
    study = mountain("A")
    plain = {"soc_start_percent": None, "soc_end_percent": None}
    study = study.with_leg("L01", **plain, energy_kwh=4.0, energy_step_kwh=0.1)
    study = study.with_leg("L02", **plain)
    t = np.arange(0.0, 600.0)
    down = Trace(time_s=t, speed_kmh=np.full(600, 60.0), power_kw=np.full(600, -7.2))
    (climb,) = climbs(study, {"L02": down})
    assert climb.down_wh == pytest.approx(7200 * 599 / 3600)
    assert climb.returned_percent == pytest.approx(29.95, abs=0.1)


def test_one_way_only_says_nothing():
    study = mountain("A")
    assert climbs(study.with_leg("L02", included=False, reason="stopped half way"), {}) == ()


def test_readings_without_a_noted_step_have_one_all_the_same():
    """A climb's margin is never nothing: displays show whole tenths, whoever wrote down nothing of it."""
    study = mountain()
    legs = [
        leg.with_(soc_start_percent=None, soc_end_percent=None, energy_kwh=(5.0 if leg.direction == "out" else -2.0))
        for leg in study.legs
    ]
    (climb,) = climbs(study.with_(legs=tuple(legs)), {})
    assert climb.returned_percent == pytest.approx(40.0)
    low, high = climb.interval_percent
    assert high - low > 5.0


def test_per_cents_of_a_battery_nobody_told_are_no_energies():
    study = mountain(vehicle=VAN.with_(usable_capacity_kwh=None))
    (climb,) = climbs(study, {})
    assert climb.by_charge_alone
    (line,) = climb_lines(study, analyse(study))
    assert "kWh" not in line
    assert "% of the charge returned" in line


def on_the_way(*readings, **leg):
    """A leg of 100 km with readings on the way: kilometre, instrument, value, unit."""
    study = new_study(
        title="Pass", kind="other", order="A", method="one-way", vehicle=Vehicle(usable_capacity_kwh=50.0)
    )
    name = study.legs[0].leg
    study = study.with_leg(name, distance_km=100.0, **leg)
    rows = [WayReading(leg=name, at_km=km, instrument=i, value=v, unit=u) for km, i, v, u in readings]
    return {
        i: [(p.from_km, p.to_km, pytest.approx(p.wh)) for p in parts]
        for i, parts in leg_parts(
            study.with_(readings=tuple(rows)), study.legs[0].with_(distance_km=100.0, **leg)
        ).items()
    }


def test_an_average_on_the_way_tells_what_each_part_took():
    """By hand: 40 km at 25 kWh/100 km are 10 kWh; of 20 over all 100 km, 20 kWh, the other 60 km took 10."""
    own = {"average_shown": 20.0, "average_unit": "kWh/100km"}
    assert on_the_way((40.0, "trip average", 25.0, "kWh/100km"), **own) == {
        "trip average": [(0.0, 40.0, 10_000.0), (40.0, 100.0, 10_000.0)]
    }
    # in another unit than the leg's: 4 km/kWh is 25 kWh/100 km
    assert on_the_way((40.0, "trip average", 4.0, "km/kWh"), **own) == {
        "trip average": [(0.0, 40.0, 10_000.0), (40.0, 100.0, 10_000.0)]
    }


def test_each_instrument_tells_by_itself_and_only_what_it_can():
    soc = {"soc_start_percent": 90.0, "soc_end_percent": 50.0}
    found = on_the_way(
        (30.0, "state of charge", 70.0, "%"), (60.0, "trip energy", 18.0, "kWh"), (80.0, "trip energy", 21.0, "kWh"),
        (50.0, "fuel", 3.0, "L"), (20.0, "trip average", 9.0, "furlongs"), **soc,
    )  # fmt: skip
    assert found == {
        # by hand: 20 % of 50 kWh, then 20 % again
        "state of charge": [(0.0, 30.0, 10_000.0), (30.0, 100.0, 10_000.0)],
        # nothing was read of it at the end
        "trip energy": [(0.0, 60.0, 18_000.0), (60.0, 80.0, 3_000.0)],
    }
    assert on_the_way((30.0, "trip energy", 8.0, "kWh")) == {}  # one figure is a total, no part


def test_a_charge_read_at_a_place_nobody_noted_tells_both_parts():
    """By hand: 97 to 60 % of 50 kWh are 18.5 kWh; 60 to 44 % are 8."""
    study = new_study(
        title="Pass", kind="other", order="A", method="one-way", vehicle=Vehicle(usable_capacity_kwh=50.0)
    ).with_leg("L01", soc_start_percent=97.0, soc_end_percent=44.0)
    study = study.with_(readings=(WayReading(leg="L01", instrument="state of charge", value=60, unit="%"),))
    ((reading, until, rest),) = unplaced_parts(study, study.legs[0])
    assert (reading.value, until, rest) == (60, pytest.approx(18500.0), pytest.approx(8000.0))
    assert leg_parts(study, study.legs[0]) == {}
    (line,) = way_lines(study, UNIT_CHOICES["metric"])
    assert "60 % at a place that nobody noted: +18.50 kWh until then, +8.00 kWh from there to the end" in line
    (typed,) = read_on_the_way("60 %", "L01", UNIT_CHOICES["us"])
    assert (typed.at_km, typed.instrument, typed.value) == (None, "state of charge", 60.0)
    with pytest.raises(ValueError, match="has no place"):
        read_on_the_way("1.45 km/kWh", "L01", UNIT_CHOICES["us"])
