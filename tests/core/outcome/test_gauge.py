"""What a gauge promised and what came: by hand, and its mean's interval against statsmodels."""

from __future__ import annotations

from datetime import datetime

import numpy as np
import pytest
from scipy.stats import t
from statsmodels.stats.weightstats import DescrStatsW

from fairmargin.core.outcome.gauge import climb_kwh, gauge_record, promises_of
from fairmargin.core.study import Configuration, Leg, RoutePoint, Study, Vehicle

TRIPS = ((97, 35, 28), (90, 40, 36), (80, 30, 27), (95, 20, 11))  # before, promised, found


def trips(*rows: tuple[int, int, int], name: str = "Orrin 1") -> Study:
    return Study(
        title="Over the hill",
        method="one-way",
        vehicle=Vehicle(name=name, usable_capacity_kwh=190, mass_kg=3000, drive_efficiency=0.9, regen_efficiency=0.6),
        configurations=(Configuration(id="A", baseline=True, mass_delta_kg=1000),),
        legs=tuple(
            Leg(
                leg=f"L{i}", configuration="A", direction="out" if i % 2 else "back", distance_km=128, soc_start_percent=a,
                forecast_end_percent=b, soc_end_percent=c, started_at=datetime(2026, 5, 1 + i, 9),
            )
            for i, (a, b, c) in enumerate(rows, start=1)
        ),
        route=(RoutePoint(distance_m=0, elevation_m=100), RoutePoint(distance_m=128_000, elevation_m=900)),
    )  # fmt: skip


def test_forecast_against_outcome_in_energy() -> None:
    """35 % promised, 28 % found, of 190 kWh: 13.3 kWh more than was promised."""
    (p,) = promises_of(trips(TRIPS[0]))
    assert p.short_percent == 7
    assert p.kwh_short == pytest.approx(13.3)
    assert p.share_percent == pytest.approx(100 * 7 / 62)


def test_a_climb_is_accounted_for_by_itself() -> None:
    """4 t lifted 800 m are 8.72 kWh at the wheels: 9.69 from the battery, and 5.23 back on the way down."""
    study = trips(TRIPS[0], TRIPS[1])
    assert climb_kwh(study, study.leg("L1")) == pytest.approx(4000 * 9.80665 * 800 / 3.6e6 / 0.9)
    assert climb_kwh(study, study.leg("L2")) == pytest.approx(-4000 * 9.80665 * 800 / 3.6e6 * 0.6)
    assert climb_kwh(study.with_(route=()), study.leg("L1")) is None


def test_what_many_trips_say_of_the_gauge() -> None:
    record = gauge_record([trips(*TRIPS), trips((90, 50, 50), name="another")], "Orrin 1")
    short = [7, 4, 3, 9]
    low, high = DescrStatsW(short).tconfint_mean(0.05)
    assert record.mean_percent == pytest.approx(np.mean(short))
    assert record.interval_percent == pytest.approx((low, high))
    shares = [100 * s / (a - b) for s, (a, b, _) in zip(short, TRIPS, strict=True)]
    assert record.share_percent == pytest.approx(np.mean(shares))
    assert record.words().startswith("Over 4 trips the gauge promised 5.8 % of the battery too much (+1.4 to +10.1)")


def test_little_is_not_enough_and_nothing_says_what_to_note() -> None:
    two = gauge_record([trips(*TRIPS[:2])], "Orrin 1")
    assert two.interval_percent is None and "of at least 3" in two.words()
    assert "note the charge" in gauge_record([trips()], "Orrin 1").words()
    fair = gauge_record([trips((90, 40, 41), (90, 40, 38), (90, 40, 42))], "Orrin 1")
    assert "may as well be right" in fair.words()


def test_left_out_legs_promise_nothing() -> None:
    study = trips(*TRIPS)
    out = study.with_leg("L1", included=False, reason="a jam")
    assert len(promises_of(out)) == 3


def test_one_trip_more_is_expected_by_those_before() -> None:
    record = gauge_record([trips(*TRIPS)], "Orrin 1")
    shares = np.array([100 * s / (a - b) for s, (a, b, _) in zip([7, 4, 3, 9], TRIPS, strict=True)])
    found = record.expected(90.0, 50.0)
    # By hand: 40 % and as much more as trips took; the next one scatters as they do, t with three degrees of freedom.
    half = float(t.ppf(0.975, 3)) * shares.std(ddof=1) * np.sqrt(1 + 1 / 4)
    assert found.percent == pytest.approx(90 - 40 * (1 + shares.mean() / 100))
    assert found.interval_percent == pytest.approx(
        (90 - 40 * (1 + (shares.mean() + half) / 100), 90 - 40 * (1 + (shares.mean() - half) / 100))
    )
    assert found.words().startswith(f"Expect about {found.percent:.0f} % at the end (")
    assert "may not be enough" in record.expected(50.0, 6.0).words()
    assert record.expected(50.0, 55.0) is None  # it cannot promise to take less than nothing
    assert gauge_record([trips(*TRIPS[:2])], "Orrin 1").expected(90.0, 50.0) is None
