"""Everyday logs: trips with and without, regressed."""

from datetime import datetime, timedelta

import numpy as np
import pytest
import statsmodels.api as sm
from benchmarks.truths.field import Weeks, field_weeks
from tests.conftest import VAN

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.everyday import KNEE_C
from fairmargin.core.study import Change, Configuration, Leg, Study


def weeks(seed=1, trips=40, effect=-5.0, warmer_b=0.0, scatter=0.05, longer_b=0.0):
    """Trips on other days, at other speeds, lengths and temperatures; the truth is known."""
    rng = np.random.default_rng(seed)
    legs = []
    for i in range(trips):
        b = i >= trips // 2
        km = float(rng.uniform(6, 30)) + (longer_b if b else 0.0)
        speed = float(rng.uniform(45, 75))
        warm = float(rng.normal(12, 5)) + (warmer_b if b else 0.0)
        log = np.log(160) - 0.006 * (warm - 15) + 0.3 * (speed / 90) ** 2 + 0.6 / km
        log += np.log1p(effect / 100) * b + scatter * np.sqrt(10 / km) * rng.normal()
        legs.append(
            Leg(
                leg=f"T{i:03d}",
                configuration="B" if b else "A",
                started_at=datetime(2026, 3, 1, 8) + timedelta(days=i // 2, hours=9 * (i % 2)),
                distance_km=round(km, 1),
                duration_s=round(km / speed * 3600),
                average_shown=round(float(np.exp(log)) / 10, 1),
                average_unit="kWh/100km",
                average_step=0.1,
                temperature_c=round(warm, 1),
                road="dry",
            )
        )
    return Study(
        title="Two fortnights",
        change=Change(kind="tyres", mechanism="rolling"),
        vehicle=VAN,
        method="everyday",
        configurations=(Configuration(id="A", baseline=True), Configuration(id="B")),
        legs=tuple(legs),
    )


def test_the_effect_agrees_with_ordinary_least_squares_on_many_trips():
    # statsmodels OLS on the same regressors; with 300 trips the priors hardly matter.
    study = weeks(trips=300, scatter=0.03)
    km = np.array([leg.distance_km for leg in study.legs])
    v = km / np.array([leg.duration_s for leg in study.legs]) * 3600 / 90
    t = np.array([leg.temperature_c for leg in study.legs])
    x = np.stack(
        [[leg.configuration == "B" for leg in study.legs], t, np.maximum(KNEE_C - t, 0), v**2, 1 / km], axis=1
    ).astype(float)
    y = np.log([leg.average_shown for leg in study.legs])
    plain = sm.WLS(y, sm.add_constant(x), weights=km).fit()
    c = analyse(study).comparisons[0]
    assert np.log1p(c.effect_percent / 100) == pytest.approx(plain.params[1], abs=0.003)
    low, high = plain.conf_int()[1]
    ours = np.log1p(np.array(c.interval_percent) / 100)
    assert ours[1] - ours[0] > 0.9 * (high - low)  # never tighter: days are shared, and few


@pytest.mark.parametrize("season", [0.0, 10.0])
def test_the_interval_holds_the_truth(season):
    inside = 0
    for seed in range(60):
        c = analyse(weeks(seed, trips=24, warmer_b=season)).comparisons[0]
        inside += c.interval_percent[0] <= -5.0 <= c.interval_percent[1]
    assert inside >= 54  # 95 % of 60 is 57; fewer than 54 would be rarer than one in twenty


def test_warmer_weeks_are_not_the_change():
    study = weeks(3, trips=60, effect=0.0, warmer_b=9.0)
    result = analyse(study)
    c = result.comparisons[0]
    assert c.as_measured_percent < -2.5
    assert abs(c.effect_percent) < 0.7 * abs(c.as_measured_percent)
    told = next(x for x in result.concerns if x.code == "weather-unlike")
    assert told.bias_percent > 1.5 and told.covered


def test_corrections_add_up_and_are_named():
    result = analyse(weeks())
    for leg in result.legs:
        assert set(leg.corrections_wh_per_km) == {"distance", "temperature", "speed", "trip_length"}
        assert leg.corrected_wh_per_km == pytest.approx(
            leg.measured_wh_per_km + sum(leg.corrections_wh_per_km.values())
        )
    assert analyse(weeks(), view="as-measured").comparisons[0].effect_percent == pytest.approx(
        result.comparisons[0].as_measured_percent
    )


def test_seasons_that_never_meet_and_few_trips_are_told():
    codes = {c.code: c for c in analyse(weeks(trips=6, warmer_b=40.0)).concerns}
    assert codes["weather-unlike"].severity == "caution"
    assert "never overlap" in codes["weather-unlike"].message
    assert "few-trips" in codes
    assert "few-trips" not in {c.code for c in analyse(weeks()).concerns}


def test_unlike_trip_lengths_are_priced():
    codes = {c.code: c for c in analyse(weeks(longer_b=25.0)).concerns}
    assert codes["distance-unlike"].covered
    assert codes["distance-unlike"].bias_percent is not None


def test_a_trip_left_out_counts_no_more_but_stays():
    study = weeks()
    without = study.with_leg("T005", included=False, reason="towed a friend home")
    result = analyse(without)
    row = next(leg for leg in result.legs if leg.leg == "T005")
    assert not row.included and row.corrected_wh_per_km is None
    assert result.comparisons[0].legs_used == len(study.legs) - 1


def season(**plan):
    return field_weeks(7, Weeks(**plan))


def half(study):
    return analyse(study).comparisons[0].half_width_percent


def test_a_commute_that_climbs_out_in_the_cold_morning_is_not_temperature():
    """The way there has a level of its own; without it the climb's Wh would be the cold's."""
    made = season(climb_m=160.0, first_c=14.0, last_c=6.0)
    c = analyse(made.study).comparisons[0]
    assert c.effect_percent == pytest.approx(made.truth_percent, abs=3.0)
    way = [leg.corrections_wh_per_km["direction"] for leg in analyse(made.study).legs[:2]]
    assert way[0] < -5 < 5 < way[1]  # out climbs: it is brought down to the mean of both ways
    blind = made.study.with_legs(leg.with_(direction="") for leg in made.study.legs)
    assert "direction" not in analyse(blind).legs[0].corrections_wh_per_km


def test_temperatures_that_nobody_noted_widen_by_what_a_season_does():
    made = season(first_c=16.0, last_c=8.0)
    bare = made.study.with_legs(leg.with_(temperature_c=None) for leg in made.study.legs)
    # Common practice: three weeks between the halves' middles, a quarter of a kelvin a day, 1.2 % a kelvin; the course
    # within each half says a part of it.
    line = next(x for x in analyse(bare).comparisons[0].margin if x.source == "temperature")
    assert 0.4 * 1.96 * 1.2 * 0.25 * 21 < line.half_width_percent < 1.96 * 1.2 * 0.25 * 21
    assert "not noted" in line.cause
    c = analyse(bare).comparisons[0]
    assert c.effect_percent == pytest.approx(made.truth_percent, abs=1.2 * c.half_width_percent)
    assert half(bare) > 1.5 * half(made.study)


def test_weeks_in_turn_do_not_lean_on_the_season():
    turn = season(first_c=16.0, last_c=8.0, order="weekly").study
    halves = season(first_c=16.0, last_c=8.0).study
    bare = [s.with_legs(leg.with_(temperature_c=None) for leg in s.legs) for s in (turn, halves)]
    assert half(bare[0]) < 0.7 * half(bare[1])


def test_what_a_day_does_is_learned_with_its_trips():
    quiet, loud = weeks(4, scatter=0.02), weeks(4, scatter=0.10)
    assert half(loud) > 2 * half(quiet)


def test_a_large_effect_is_not_known_better_than_trips_resemble_a_road():
    """Heating, stops and cold starts dilute an effect by some per cent of itself: 7 % here, as a standard deviation."""
    small, large = (analyse(weeks(effect=x, scatter=0.01)).comparisons[0] for x in (-5.0, 40.0))
    (line,) = (x for x in large.margin if x.source == "change")
    by_hand = 1.96 * 0.07 * np.log1p(large.effect_percent / 100) * 100
    # A line is its share of the interval on the scale of per cent.
    assert line.half_width_percent / (1 + large.effect_percent / 100) == pytest.approx(by_hand, rel=0.15)
    assert sum(x.half_width_percent**2 for x in large.margin) == pytest.approx(large.half_width_percent**2, rel=1e-5)
    (slight,) = (x for x in small.margin if x.source == "change")
    assert slight.half_width_percent < 0.8
