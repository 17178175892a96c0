"""The whole analysis: the arithmetic of the trade, published paired data, hand cases, invariants."""

from datetime import timedelta

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.orders import display_noise_percent, drift_left
from fairmargin.core.study import Configuration, Trace, WeatherRow


def only(study, **kwargs):
    return analyse(study, **kwargs).comparisons[0]


# ------------------------------------------------------------ common practice: figures worked by hand


def test_rounding_alone():
    # 3.5 against 3.4 mi/kWh, step 0.1: worth about ±2.3 % at 95 % for one pair (triangular distribution).
    assert display_noise_percent(0.1 / 3.4, 1) == pytest.approx(2.28, abs=0.01)
    # By sampling: the difference of two uniform errors of one step.
    rng = np.random.default_rng(0)
    difference = np.abs(rng.uniform(-0.5, 0.5, 400_000) - rng.uniform(-0.5, 0.5, 400_000))
    assert np.quantile(difference, 0.95) == pytest.approx(display_noise_percent(0.01, 1), rel=0.01)


# ------------------------------------------------------------ published paired data


# ------------------------------------------------------------ the correction by hand


def test_ledger_adds_up():
    study = driven_study("ABBA")
    study = study.with_legs(
        leg.with_(
            temperature_c=3.0 + i, wind_speed_ms=4.0, wind_from_deg=30.0 * i, duration_s=720 + 5 * i, pressure_hpa=1000
        )
        for i, leg in enumerate(study.legs)
    )
    for view in ("reference", "study-mean"):
        for leg in analyse(study, view=view).legs:
            total = leg.measured_wh_per_km + sum(leg.corrections_wh_per_km.values())
            assert leg.corrected_wh_per_km == pytest.approx(total, abs=1e-9)


def test_as_measured_corrects_nothing():
    result = analyse(driven_study("ABBA"), view="as-measured")
    assert all(
        not leg.corrections_wh_per_km and leg.corrected_wh_per_km == leg.measured_wh_per_km for leg in result.legs
    )
    assert result.comparisons[0].effect_percent == result.comparisons[0].as_measured_percent


def test_station_weather_fills_legs_without_their_own():
    study = driven_study("ABBA")
    bare = study.with_legs(
        leg.with_(temperature_c=None, wind_speed_ms=None, wind_from_deg=None, pressure_hpa=None) for leg in study.legs
    )
    rows = tuple(
        WeatherRow(
            time=t, temperature_c=15, pressure_hpa=1013.25, humidity_percent=60, wind_speed_ms=0, wind_from_deg=0
        )
        for t in (study.legs[0].started_at, study.legs[-1].started_at)
    )
    assert only(bare.with_(weather=rows)).effect_percent == pytest.approx(only(study).effect_percent, abs=0.02)
    assert only(bare).half_width_percent > only(study).half_width_percent


def test_an_unknown_view_is_refused(abba):
    with pytest.raises(ValueError, match='view must be one of reference, study-mean, as-measured; got "both"'):
        analyse(abba, view="both")


@pytest.mark.parametrize("count, words", [(0, "No readings yet"), (2, "Drive the first leg with Trial")])
def test_what_is_missing_is_said(count, words):
    study = driven_study("ABBA")
    study = study.with_legs(
        leg if i < count else leg.with_(average_shown=None, average_unit=None, average_step=None)
        for i, leg in enumerate(study.legs)
    )
    result = analyse(study)
    assert not result.comparisons
    assert words in result.missing


def test_several_trials_and_speeds_each_get_their_comparison():
    study = driven_study("ABAB")
    third = Configuration(id="C", name="Third")
    study = study.with_(configurations=(*study.configurations, third))
    study = study.with_legs(
        leg.with_(configuration="C" if leg.run == "R4" else leg.configuration) for leg in study.legs
    )
    assert [(c.baseline, c.trial) for c in analyse(study).comparisons] == [("A", "B"), ("A", "C")]
    fast = driven_study("ABAB").with_legs(
        leg.with_(speed_kmh=90) if leg.run in {"R1", "R2"} else leg.with_(speed_kmh=110, duration_s=602)
        for leg in driven_study("ABAB").legs
    )
    assert [c.speed_kmh for c in analyse(fast).comparisons] == [90, 110]


# ------------------------------------------------------------ invariants


def test_unlike_legs_widen_the_margin_and_are_told():
    calm = driven_study("ABBAABBA")
    wild = driven_study(
        "ABBAABBA", [leg.average_shown * (1 + 0.05 * (-1) ** (i // 2)) for i, leg in enumerate(calm.legs)]
    )
    assert only(wild).half_width_percent > 1.5 * only(calm).half_width_percent
    assert "scatter-large" in {c.code for c in analyse(wild).concerns}


def test_order_of_runs_and_drift():
    assert drift_left("ABBA") == 0
    assert drift_left("AABB") == pytest.approx(2 / 3)
    with pytest.raises(ValueError, match="at least one A and one B"):
        drift_left("AAA")


def test_traces_must_be_whole():
    with pytest.raises(ValueError, match="time_s must increase"):
        Trace(time_s=np.array([0.0, 2.0, 1.0]), speed_kmh=np.ones(3))
    with pytest.raises(ValueError, match="speed_kmh has 2 values; expected 3"):
        Trace(time_s=np.arange(3.0), speed_kmh=np.ones(2))


def test_a_control_vehicle_cancels_the_day():
    # By hand: the second day costs both vehicles 4 %; the control never changes, the trial does −5 %.

    base = driven_study("AABB")
    legs = []
    for leg in base.legs:
        second_day = leg.configuration == "B"
        day = 1.04 if second_day else 1.0
        moved = leg.with_(started_at=leg.started_at + timedelta(days=7 if second_day else 0), vehicle="test")
        legs.append(moved.with_(average_shown=170.0 * day * (0.95 if second_day else 1.0)))
        control = moved.with_(leg=f"{leg.leg}c", vehicle="control", configuration="A", average_shown=180.0 * day)
        legs.append(control)
    study = base.with_(method="side-by-side").with_legs(legs)
    c = only(study)
    assert c.as_measured_percent == pytest.approx((1.04 * 0.95 - 1) * 100, abs=0.01)
    alone = only(study.with_legs(leg for leg in legs if leg.vehicle == "test"))
    assert abs(c.effect_percent + 5) < 0.5 * abs(alone.effect_percent + 5)
    assert c.interval_percent[0] < -5 < c.interval_percent[1]
    assert "vehicle-confounded" not in {x.code for x in analyse(study).concerns}


def test_an_effect_outside_of_its_pairs_is_not_said(monkeypatch):
    """Where its own corrected pairs speak against the model's figure, the plain difference is said, and why."""
    study = driven_study("ABBA")
    (believed,) = analyse(study).comparisons
    monkeypatch.setattr("fairmargin.core.analysis.outside_its_pairs", lambda _c: "its effect lies outside of its pairs")
    (c,) = analyse(study).comparisons
    assert believed.method == "model" and c.method == "plain"
    assert c.effect_percent == pytest.approx(c.as_measured_percent, abs=1.0)
    assert c.half_width_percent > believed.half_width_percent
    (told,) = [x for x in c.concerns if x.code == "model-contradicted"]
    assert "its effect lies outside of its pairs" in told.message.lower()
    assert c.standing.word == "with reservations"
