"""Field days and weeks: repeatable, sized as asked, written down as testers write, and nobody's notes but theirs."""

from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from benchmarks.truths import field
from benchmarks.truths.field import FieldDay, Weeks, field_day, field_weeks
from benchmarks.truths.field.days import EVERYTHING
from benchmarks.truths.field.driving import CALM, Air, Habits, drive
from benchmarks.truths.field.machines import Alteration, draw_machine
from benchmarks.truths.field.roads import draw_road

from fairmargin.core.analysis import analyse
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package

V = 95.0 / 3.6


@pytest.fixture
def car():
    return draw_machine("car", np.random.default_rng(3))


@pytest.fixture
def level():
    return draw_road(np.random.default_rng(4), 20_000.0, 0.0, False, False)


def wh(machine, road, air=CALM, **habits):
    return drive(machine, Alteration(), road, air, Habits(V, **habits), None).energy_wh


def test_a_seed_gives_the_same_day_and_weeks():
    assert field_day(5, FieldDay()).study == field_day(5, FieldDay()).study
    assert field_day(6, FieldDay()).study != field_day(5, FieldDay()).study
    assert field_weeks(5, Weeks(weeks=2)).study == field_weeks(5, Weeks(weeks=2)).study


@pytest.mark.parametrize("kind", ["aero covers", "tyres", "payload", "towing", "wheels", "other", "technique"])
@pytest.mark.parametrize("effect", [-5.0, 8.0])
def test_the_change_has_the_effect_that_was_asked_for(kind, effect):
    assert field_day(1, FieldDay(kind=kind, effect_percent=effect)).truth_percent == pytest.approx(effect, abs=0.02)


def test_a_null_is_nothing_at_all():
    made = field_day(2, FieldDay(effect_percent=0.0))
    assert made.truth_percent == 0.0 and made.truth["change"] == Alteration()


def test_a_head_wind_costs_more_than_a_tail_wind_saves(car, level):
    """Facts of the trade: common practice."""
    heading = float(np.arctan2(np.sin(level.heading).mean(), np.cos(level.heading).mean()))
    north, east = 5 * np.cos(heading), 5 * np.sin(heading)
    against = wh(car, level, Air(15.0, 1013.0, north, east, 1.0, 0.2))
    behind = wh(car, level, Air(15.0, 1013.0, -north, -east, 1.0, 0.2))
    calm = wh(car, level)
    assert behind < calm < against and against - calm > calm - behind


def test_cold_wet_and_a_heated_cabin_cost(car, level):
    frost = Air(-10.0, 1013.0, 0.0, 0.0, 0.7, 0.2)
    assert 1.08 < wh(car, level, frost) / wh(car, level) < 1.35  # common practice: an eighth to a third
    assert wh(car, level, wet=0.05) > wh(car, level)
    assert wh(car, level, frost, setting_c=21.0) > 1.03 * wh(car, level, frost)
    assert wh(car, level, cold=1.0) > wh(car, level)


def test_downhill_gives_back_only_a_part(car):
    hill = draw_road(np.random.default_rng(5), 10_000.0, 0.0, False, False, 800.0)
    up, down = wh(car, hill), wh(car, hill.turned())
    level = wh(car, draw_road(np.random.default_rng(5), 10_000.0, 0.0, False, False, 0.0))
    assert down < 0 < up and up + down > 2 * level


@pytest.mark.parametrize("instrument", ["average", "energy", "soc", "charge", "logger"])
def test_every_instrument_is_written_down_and_compared(instrument):
    made = field_day(7, FieldDay(instrument=instrument, length_km=35.0, effect_percent=-10.0))
    assert bool(made.traces) == (instrument == "logger")
    found = analyse(made.study, made.traces).comparisons[0]
    assert found.interval_percent[0] - 3 < made.truth_percent < found.interval_percent[1] + 3


def test_who_notes_nothing_leaves_nothing_but_readings_and_distance():
    made = field_day(8, FieldDay(forget=EVERYTHING, traffic=1.0))
    study = made.study
    assert not study.route and not study.events and study.vehicle.mass_kg is None
    for leg in study.legs:
        assert leg.started_at is leg.duration_s is leg.temperature_c is leg.wind_speed_ms is None
        assert leg.gps_distance_km is None and leg.climate == "" and leg.road == ""
        assert leg.average_shown and leg.distance_km
    assert analyse(study).comparisons


def test_forgetting_to_note_what_is_outside_changes_no_reading():
    notes = EVERYTHING - {"climate", "rain"}
    full, bare = (field_day(9, replace(FieldDay(), forget=f)).study for f in (frozenset(), notes))
    assert [leg.average_shown for leg in full.legs] == [leg.average_shown for leg in bare.legs]


def test_what_nobody_notes_of_cabin_and_rain_varies():
    days = [field_day(s, FieldDay(forget=frozenset({"climate"}), traffic=0.0)) for s in range(20)]
    told = [field_day(s, FieldDay(traffic=0.0)) for s in range(20)]
    more = [
        sum(x.average_shown for x in a.study.legs) / sum(x.average_shown for x in b.study.legs) > 1.01
        for a, b in zip(days, told, strict=True)
    ]
    assert 5 <= sum(more) <= 15  # half of them heat, and that takes a per cent or more


def test_hold_ups_are_told_where_they_were():
    made = field_day(10, FieldDay(traffic=1.0))
    assert len(made.study.events) == 8 and {e.kind for e in made.study.events} == {"slow-traffic"}
    assert all(0 < e.at_km < 20 and e.speed_kmh < 95 for e in made.study.events)


def test_a_field_study_is_a_package_like_any_other(tmp_path):
    made = field_day(11, FieldDay(instrument="logger", length_km=4.0))
    write_package(tmp_path / "p.zip", made.study, made.traces)
    again = read_package(tmp_path / "p.zip")
    assert [leg.gps_distance_km for leg in again.study.legs] == [leg.gps_distance_km for leg in made.study.legs]


def test_weeks_go_there_in_the_morning_and_back_in_the_evening():
    study = field_weeks(3, Weeks(weeks=2, first_c=18.0, last_c=0.0)).study
    assert len(study.legs) == 20 and [leg.direction for leg in study.legs[:4]] == ["out", "back"] * 2
    assert [leg.configuration for leg in study.legs] == ["A"] * 10 + ["B"] * 10
    assert np.mean([leg.temperature_c for leg in study.legs[:6]]) > 8 + np.mean(
        [leg.temperature_c for leg in study.legs[-6:]]
    )
    assert all(b.started_at > a.started_at for a, b in pairwise(study.legs))
    turn = field_weeks(3, Weeks(weeks=2, order="weekly")).study
    assert {leg.configuration for leg in turn.legs[:10]} == {"A"}


def test_a_wet_day_is_noted_or_not():
    noted = field_weeks(4, Weeks(weeks=2, rain=0.5, rain_noted=True)).study
    assert {leg.road for leg in noted.legs} == {"wet", "dry"}
    assert {leg.road for leg in field_weeks(4, Weeks(weeks=2, rain=0.5)).study.legs} == {""}


def test_what_judges_shares_no_law_with_what_it_judges():
    for path in Path(field.__file__).parent.parent.rglob("*.py"):
        for line in path.read_text(encoding="utf-8").splitlines():
            if line.startswith("from fairmargin"):
                assert line.split()[1].startswith(
                    ("fairmargin.core.study", "fairmargin.core.kinds", "fairmargin.simulation")
                ), path
