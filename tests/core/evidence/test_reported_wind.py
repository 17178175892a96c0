"""Reports of the wind, smoothed over the day."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.evidence.reported_wind import (
    APART_M_S,
    DAY_MEAN_M_S,
    REPORT_M_S,
    SAME_WEATHER_S,
    UNREPORTED_M_S,
    UNREPORTED_MEAN_M_S,
    UNTOLD_AGE_M_S,
    WANDER_M_S,
    WANDER_SHARE,
    wind_belief,
)


def conditions(winds, minutes=30):
    """Legs of their own runs, every `minutes`, with these north components reported (None = no report)."""
    study = driven_study("A" * len(winds), method="one-way")
    made = []
    for i, (c, wind) in enumerate(zip(leg_conditions(study, {}).values(), winds, strict=True)):
        made.append(
            replace(
                c,
                from_north=wind or 0.0,
                from_east=0.1 * i,
                wind_known=wind is not None,
                wind_noted_m_s=wind,
                started_s=60.0 * minutes * i,
                placed_s=60.0 * minutes * i,
            )
        )
    return made


def belief(made, station_km=None, growth=1.0):
    return wind_belief(made, np.array([c.wind_known for c in made]), growth, station_km)


def sd(result):
    return np.sqrt(np.diag(result.factor @ result.factor.T))


def test_one_report_is_a_weighted_mean_of_it_and_of_nothing():
    # By hand: two normal opinions combine by their precisions (day mean 5 m/s, wander, report).
    made = conditions([4.0])
    wander = WANDER_M_S + WANDER_SHARE * 4.0
    prior, noise = 25.0 + wander**2, REPORT_M_S**2 + APART_M_S**2 + UNTOLD_AGE_M_S**2
    got = belief(made)
    assert got.from_north[0] == pytest.approx(4.0 * prior / (prior + noise))
    assert sd(got)[0] == pytest.approx(np.sqrt(prior * noise / (prior + noise)))


def test_a_station_beside_the_road_says_more_and_one_far_off_less():
    # By hand: the way's part is half of 0.3 m/s at the road, 20/9 of it (and a little) at 20 km.
    wander = WANDER_M_S + WANDER_SHARE * 4.0
    prior, own = 25.0 + wander**2, REPORT_M_S**2 + UNTOLD_AGE_M_S**2
    for km, factor in ((0.0, 0.5), (20.0, np.hypot(0.5, 20 / 9))):
        noise = own + (APART_M_S * factor) ** 2
        assert sd(belief(conditions([4.0]), km))[0] == pytest.approx(np.sqrt(prior * noise / (prior + noise)))
    unsaid, near, far = (sd(belief(conditions([4.0]), km))[0] for km in (None, 2.0, 30.0))
    assert near < unsaid < far


def test_a_report_says_the_less_the_older_it_is():
    made = conditions([4.0])

    def aged(minutes):
        return belief([replace(made[0], wind_age_s=60.0 * minutes)])

    wander = WANDER_M_S + WANDER_SHARE * 4.0
    prior, noise = DAY_MEAN_M_S**2 + wander**2, REPORT_M_S**2 + APART_M_S**2
    # By hand, an hour old: e^-1 of the wandering and nearly all of the weather is still the same.
    kept = DAY_MEAN_M_S**2 * np.exp(-0.5 * (3600 / SAME_WEATHER_S) ** 2) + wander**2 * np.exp(-1.0)
    assert aged(60).from_north[0] == pytest.approx(4.0 * kept / (prior + noise))
    assert sd(aged(60))[0] == pytest.approx(np.sqrt(prior - kept**2 / (prior + noise)))
    fresh, hours, day, week = (sd(aged(m))[0] for m in (0, 180, 1440, 10_080))
    assert fresh < sd(belief(made))[0] < hours < day < week
    assert week == pytest.approx(np.sqrt(prior)) and aged(10_080).from_north[0] == pytest.approx(0.0, abs=1e-6)


def test_an_old_report_is_of_the_past_and_not_of_the_future():
    """Two legs two hours apart; the second's report was made at the first: both reports are of that moment."""
    made = conditions([3.0, 6.0], minutes=120)
    made[1] = replace(made[1], wind_age_s=7200.0)
    now, then = belief(made), belief([made[0], replace(made[1], wind_age_s=0.0)])
    # By hand: of errors 0.60 and 0.46 m/s (its age is told) the second counts 0.63: 3 + 0.63 · 3 = 4.9.
    assert now.from_north[0] == pytest.approx(4.9, abs=0.1) and then.from_north[0] < 3.6
    assert sd(now)[1] > sd(then)[1]


def test_a_table_that_ends_before_the_leg_is_old_by_so_much():
    rows = [{"time": f"2026-05-02T0{h}:00:00", "wind_speed_ms": 4.0, "wind_from_deg": 0.0} for h in (5, 6)]
    study = driven_study("AB", weather=rows)
    bare = [leg.with_(wind_speed_ms=None, wind_from_deg=None) for leg in study.legs]
    of = leg_conditions(study.with_legs(bare), {})
    for name, c in of.items():
        leg = study.leg(name)
        middle = leg.started_at.hour * 3600 + leg.started_at.minute * 60 + leg.duration_s / 2
        assert c.wind_age_s == pytest.approx(middle - 6 * 3600)
    # A wind that was typed has the age that was typed, or none.
    typed = leg_conditions(study.with_leg("L01", wind_speed_ms=3.0, wind_from_deg=10.0, wind_age_s=600.0), {})
    assert typed["L01"].wind_age_s == 600.0 and leg_conditions(study, {})["L02"].wind_age_s is None


def test_an_odd_report_is_drawn_toward_its_neighbours_and_all_know_more():
    got = belief(conditions([3.0, 3.0, 6.0, 3.0, 3.0]))
    assert 3.5 < got.from_north[2] < 5.0
    assert sd(got)[2] < sd(belief(conditions([6.0])))[0]


def test_a_leg_without_a_report_takes_its_days_and_is_less_sure():
    got = belief(conditions([3.0, None, 3.2]))
    assert got.from_north[1] == pytest.approx(3.0, abs=0.3)
    assert sd(got)[1] > sd(got)[0]


def test_without_any_report_the_legs_differ_by_how_wind_wanders_and_share_a_strength():
    """A loop takes out the mean of an unknown wind; its strength (3 m/s either way) stays, alike for the day."""
    got = belief(conditions([None, None]))
    assert got.from_north == pytest.approx(0)
    wander = WANDER_M_S + WANDER_SHARE * UNREPORTED_MEAN_M_S
    apart = got.factor[0] - got.factor[1]  # half an hour apart: e^-0.5 of the wandering is shared
    assert float(apart @ apart) ** 0.5 == pytest.approx(wander * (2 * (1 - np.exp(-0.5))) ** 0.5)
    assert got.unlaid == pytest.approx([UNREPORTED_M_S**2] * 2) and not got.told.any()
    noted = [replace(c, wind_noted_m_s=6.0) for c in conditions([None, None])]
    told = belief(noted)
    assert told.unlaid == pytest.approx([18.0, 18.0]) and told.told.all()


def test_one_report_used_for_two_legs_counts_once():
    alike = conditions([4.0, 4.0], minutes=10)
    alike = [replace(c, from_east=0.0) for c in alike]
    twice = conditions([4.0, 4.0], minutes=10)
    assert sd(belief(alike))[0] > sd(belief(twice))[0]


def test_the_order_of_legs_in_the_file_does_not_matter():
    made = conditions([2.0, 5.0, 3.0, 4.0])
    forward, turned = belief(made), belief(made[::-1])
    assert forward.from_north == pytest.approx(turned.from_north[::-1])


def test_there_and_back_legs_tell_of_a_wind_nobody_reported():
    # Common practice: a head wind out is a tail wind back. The station says calm; the readings say otherwise, by a little.
    study = driven_study("ABBA", values=[179, 167, 170, 158.5, 170, 158.5, 179, 167])
    blown = analyse(study)
    calm = analyse(driven_study("ABBA", values=[173, 173, 164.5, 164.5, 164.5, 164.5, 173, 173]))
    line = {r.leg: r.corrections_wh_per_km["wind"] for r in blown.legs}
    assert line["L01"] < -2 and line["L02"] > 1.5
    assert blown.comparisons[0].effect_percent == pytest.approx(calm.comparisons[0].effect_percent, abs=0.8)


def test_a_calm_that_the_drives_contradict_is_doubted_aloud():
    # By hand: 188 against 157 of 25 m/s and two thirds of it air is a wind of some 3.5 m/s at the car; the station said calm.
    c = analyse(driven_study("ABBA", values=[188, 157, 179, 149, 179, 149, 188, 157])).comparisons[0]
    assert "wind-contradicted" in {x.code for x in c.concerns} and c.method == "plain"
    assert c.effect_percent == pytest.approx(-4.94, abs=0.02)  # as read: (179 + 149) / (188 + 157), by directions
    believed = analyse(driven_study("ABBA", values=[174, 172, 165, 163.5, 165, 163.5, 174, 172])).comparisons[0]
    assert "wind-contradicted" not in {x.code for x in believed.concerns} and believed.method == "model"
