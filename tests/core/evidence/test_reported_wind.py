"""Reports of the wind, smoothed over the day."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.evidence.reported_wind import REPORT_M_S, UNREPORTED_M_S, WANDER_M_S, wind_belief


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


def belief(made):
    return wind_belief(made, np.array([c.wind_known for c in made]), 1.0)


def sd(result):
    return np.sqrt(np.diag(result.factor @ result.factor.T))


def test_one_report_is_a_weighted_mean_of_it_and_of_nothing():
    # By hand: two normal opinions combine by their precisions (day mean 5 m/s, wander, report).
    made = conditions([4.0])
    wander = WANDER_M_S[0] + WANDER_M_S[1] * 4.0
    prior, noise = 25.0 + wander**2, REPORT_M_S**2
    got = belief(made)
    assert got.from_north[0] == pytest.approx(4.0 * prior / (prior + noise))
    assert sd(got)[0] == pytest.approx(np.sqrt(prior * noise / (prior + noise)))


def test_an_odd_report_is_drawn_toward_its_neighbours_and_all_know_more():
    got = belief(conditions([3.0, 3.0, 6.0, 3.0, 3.0]))
    assert 3.5 < got.from_north[2] < 5.0
    assert sd(got)[2] < sd(belief(conditions([6.0])))[0]


def test_a_leg_without_a_report_takes_its_days_and_is_less_sure():
    got = belief(conditions([3.0, None, 3.2]))
    assert got.from_north[1] == pytest.approx(3.0, abs=0.3)
    assert sd(got)[1] > sd(got)[0]


def test_without_any_report_the_legs_differ_by_how_wind_wanders_and_share_a_strength():
    """A loop takes out the mean of an unknown wind; its strength (2.8 m/s either way) stays, alike for the day."""
    got = belief(conditions([None, None]))
    assert got.from_north == pytest.approx(0)
    wander = WANDER_M_S[0] + WANDER_M_S[1] * 4.0
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
    # Common practice: a head wind out is a tail wind back. The station says calm; the readings say otherwise.
    study = driven_study("ABBA", values=[188, 157, 179, 149, 179, 149, 188, 157])
    blown = analyse(study)
    calm = analyse(driven_study("ABBA", values=[173, 173, 164.5, 164.5, 164.5, 164.5, 173, 173]))
    line = {r.leg: r.corrections_wh_per_km["wind"] for r in blown.legs}
    assert line["L01"] < -9 and line["L02"] > 5
    assert blown.comparisons[0].effect_percent == pytest.approx(calm.comparisons[0].effect_percent, abs=0.8)
