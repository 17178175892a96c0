"""No margin is narrower than like drives, or days, allow: against t intervals, and by coverage of nulls without a simulator."""

from datetime import timedelta

import numpy as np
import pytest
from scipy import stats
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.inference.spread import SIZES, by_days, by_drives, sizes_of


def null(spread, seed, order="ABBA", **fields):
    """A study of no change whose legs differ by `spread` and by nothing that anybody could note."""
    rng = np.random.default_rng(seed)
    bare = driven_study(order, **{"route": (), **fields})
    values = (170.0 * np.exp(spread * rng.normal(size=len(bare.legs)))).round(1).tolist()
    study = driven_study(order, values=values, **{"route": (), **fields})
    return study.with_legs([x.with_(wind_speed_ms=1.0, wind_from_deg=40.0) for x in study.legs])


def held(studies):
    found = [analyse(s).comparisons[0] for s in studies]
    return np.mean([c.interval_percent[0] < 0 < c.interval_percent[1] for c in found]), found


def test_a_spread_of_many_drives_is_a_t_interval():
    # Forty drives, level and change: the prior of the scatter hardly counts, whatever their spread.
    rng = np.random.default_rng(5)
    change = np.repeat([0.0, 1.0], 20)
    design = np.stack([change, np.ones(40)], axis=1)
    for spread in (0.01, 0.05, 0.3):
        y = spread * rng.normal(size=40)
        w = np.where(change > 0, 1 / 20, -1 / 20)
        unit, none = np.full(40, 0.0105**2), np.zeros(40)
        asked = by_drives(design, y, w, unit, none, 6.0).half_width(0.95)
        pooled = np.sqrt((np.var(y[:20], ddof=1) + np.var(y[20:], ddof=1)) / 2)
        student = stats.t.ppf(0.975, 38) * pooled * np.sqrt(2 / 20)
        assert asked == pytest.approx(student, rel=0.12)


def test_what_a_design_explains_is_no_scatter():
    ways = np.tile([0.0, 1.0], 10)
    design = np.stack([np.ones(20), ways], axis=1)
    rng = np.random.default_rng(2)
    y = 0.01 * rng.normal(size=20) + 0.4 * ways
    unit, none = np.full(20, 0.01**2), np.zeros(20)
    assert (
        sizes_of(design, y, unit, none, 6.0) @ SIZES < 1.4 < 5.0 < sizes_of(design[:, :1], y, unit, none, 6.0) @ SIZES
    )


@pytest.mark.parametrize("spread", [0.03, 0.05, 0.08])
def test_legs_that_differ_widen_whatever_the_wind_might_explain(spread):
    # A there-and-back ABBA of 25 seeds: t intervals hold 95 % by construction, and this no less than chance allows.
    share, found = held(null(spread, seed) for seed in range(25))
    assert share >= 0.84
    student = stats.t.ppf(0.975, 5) * 100 * spread * np.sqrt(1 / 4 + 1 / 4)
    assert 0.5 * student < np.median([c.half_width_percent for c in found]) < 1.3 * student
    assert all(c.scatter_percent > 1.0 for c in found)


def test_a_spread_is_told_with_its_remedy():
    told = [m for s in range(12) for m in analyse(null(0.05, s)).comparisons[0].margin if m.source == "spread"]
    assert told and "differ by more than anything noted explains" in told[0].cause and "pairs" in told[0].remedy
    c = next(
        c
        for s in range(12)
        if (c := analyse(null(0.05, s)).comparisons[0]) and any(m.source == "spread" for m in c.margin)
    )
    assert sum(m.half_width_percent**2 for m in c.margin) == pytest.approx(c.half_width_percent**2, rel=0.06)


def test_legs_that_agree_are_not_widened():
    c = analyse(null(0.004, 3)).comparisons[0]
    assert "spread" not in [m.source for m in c.margin] and c.half_width_percent < 3.5


@pytest.mark.parametrize("spread", [0.1, 0.3])
def test_everyday_trips_say_how_much_they_scatter(spread):
    # Twenty trips with and twenty without, a day each, no change: of lognormal readings t holds 92 to 95 %.
    def weeks(seed):
        study = null(spread, seed, order="A" * 10 + "B" * 10, method="everyday")
        start = study.legs[0].started_at
        return study.with_legs([x.with_(started_at=start + timedelta(days=i)) for i, x in enumerate(study.legs)])

    share, found = held(weeks(seed) for seed in range(20))
    assert share >= 0.85
    student = stats.t.ppf(0.975, 18) * 100 * spread * np.sqrt(2 / 10)
    assert np.median([c.half_width_percent for c in found]) == pytest.approx(student, rel=0.35)


def test_days_of_their_own_are_what_is_replicated():
    # Three days without, three with, each day its own by 2.5 %, its drives alike: the days decide, not the drives.
    study = driven_study("AAABBB", route=())
    start = study.legs[0].started_at
    rng = np.random.default_rng(1)
    per_day = dict(zip([f"R{i}" for i in range(1, 7)], 0.025 * rng.normal(size=6), strict=True))
    study = study.with_legs(
        [
            x.with_(
                average_shown=round(170 * float(np.exp(per_day[x.run])), 1),
                started_at=start + timedelta(days=int(x.run[1:])),
            )
            for x in study.legs
        ]
    )
    found = gather(study, {}, {})
    conditions = [found.conditions[o.legs[0]] for o in found.observations]
    left = np.log([o.fit_wh / o.fit_km for o in found.observations])
    spread = by_days(conditions, left, np.full(len(left), 0.0134**2))
    days = np.array([per_day[f"R{i}"] for i in range(1, 7)])
    pooled = np.sqrt((np.var(days[:3], ddof=1) + np.var(days[3:], ddof=1)) / 2)
    student = stats.t.ppf(0.975, 4) * pooled * np.sqrt(2 / 3)
    assert 0.5 * student < spread.half_width(0.95) < 1.3 * student
    c = analyse(study).comparisons[0]
    assert c.half_width_percent >= 97 * spread.half_width(0.95)
    assert by_days(conditions[:2], left[:2], np.full(2, 1e-4)) is None
