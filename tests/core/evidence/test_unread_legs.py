"""Only what was read counts: a leg without a reading moves nothing, whatever else stands on it."""

from datetime import timedelta

import pytest
from benchmarks.truths.field import FieldDay, field_day

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.evidence.driven_legs import legs_that_are
from fairmargin.core.study import Leg

NOTED = {
    "start only": lambda at: {"started_at": at},
    "read off after 17 s": lambda at: {"started_at": at, "duration_s": 17.0},
    "17 s, no clock": lambda at: {"duration_s": 17.0},
    "gone on after a kill": lambda at: {"started_at": at, "duration_s": 231.0},
    "with the air, the wind and the road": lambda at: {
        "started_at": at, "duration_s": 17.0, "temperature_c": -9.0, "wind_speed_ms": 14.0, "wind_from_deg": 90.0,
        "road": "wet", "climate": "25", "tyre_pressure_kpa": 180.0,
    },
    "as it was planned": lambda at: {},
}  # fmt: skip


def said(study):
    c = analyse(study).comparisons[0]
    return (c.effect_percent, *c.interval_percent, c.as_measured_percent)


@pytest.mark.parametrize("seed", [0, 2, 5])
@pytest.mark.parametrize("noted", NOTED)
@pytest.mark.parametrize("where", [3, 8])
def test_a_leg_that_was_never_read_moves_nothing(seed, noted, where):
    made = field_day(seed, FieldDay(effect_percent=8.0, forget=frozenset({"times"}) if seed == 5 else frozenset()))
    study = made.study.with_legs(made.study.legs[:8])
    at = study.legs[min(where, 7)].started_at + timedelta(minutes=-1 if where < 8 else 40)
    slip = Leg(leg="slip", run="R9", block="1", configuration="B", direction="out", **NOTED[noted](at))
    legs = [*study.legs[:where], slip, *study.legs[where:]]
    assert said(study.with_legs(legs)) == pytest.approx(said(study), abs=1e-9)


def test_a_leg_whose_reading_was_forgotten_was_driven_all_the_same():
    study = field_day(2, FieldDay(effect_percent=8.0)).study
    forgotten = study.with_leg("L03", average_shown=None, average_unit=None, average_step=None)
    assert "L03" in legs_that_are(forgotten, {})
    # Its tyres were warmed by it: the next leg is as warm as it was.
    before, after = (leg_conditions(s, {})["L04"].cold_share for s in (study, forgotten))
    assert after == pytest.approx(before, abs=1e-12)
    slip = forgotten.with_leg("L03", duration_s=17.0, gps_distance_km=None, distance_km=None, run="R99")
    assert "L03" not in legs_that_are(slip, {})


def test_a_run_that_is_read_once_counts_with_all_its_legs():
    study = field_day(2, FieldDay(effect_percent=8.0, instrument="charge")).study
    once = study.with_legs(
        [x if x.direction == "back" else x.with_(charger_kwh=None, duration_s=None) for x in study.legs]
    )
    assert legs_that_are(once, {}) == {x.leg for x in once.legs}
    assert (
        legs_that_are(once.with_legs([x.with_(charger_kwh=None, duration_s=None) for x in once.legs]), {})
        == frozenset()
    )
