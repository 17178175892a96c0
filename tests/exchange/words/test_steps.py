"""The way from as read to the effect in words: sums that come out, and nothing called noted that nobody noted."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from tests.conftest import VAN, driven_study
from tests.unlike import unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.result.as_json import as_json
from fairmargin.core.result.corrections import line_words
from fairmargin.core.result.steps import Step
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.words.results import may_say
from fairmargin.exchange.words.steps import names_apart, steps_line, sum_lines, sum_of_steps, usual_names, usual_words

NAMES = ("\u201cOff\u201d", "\u201cOn\u201d")


def number(text: str) -> float:
    return float(text.replace("\u2212", "-").replace(" ", ""))


@pytest.mark.parametrize("name", sorted(unlike()))
def test_every_written_sum_comes_out(name):
    for c in analyse(*unlike()[name]).comparisons:
        left, right = sum_of_steps(c).removesuffix(" %").split(" = ")
        assert sum(number(x) for x in re.findall(r"[+\u2212]? ?[\d.]+", left)) == pytest.approx(number(right), abs=1e-9)


def test_the_sum_as_read_has_the_testers_own_figures():
    values = {("A", "out"): 200.0, ("A", "back"): 220.0, ("B", "out"): 190.0, ("B", "back"): 212.0}
    study = driven_study("AB")
    study = study.with_legs([x.with_(average_shown=values[x.configuration, x.direction]) for x in study.legs])
    c = analyse(study).comparisons[0]
    assert sum_lines(c, NAMES, UNIT_CHOICES["metric-wh"]) == [
        "\u201cOff\u201d: (out 200.0 + back 220.0) / 2 = 210.0 Wh/km",
        "\u201cOn\u201d: (out 190.0 + back 212.0) / 2 = 201.0 Wh/km",
        "201.0 / 210.0 \u2212 1 = \u22124.3 %",
    ]
    # Miles per kWh are averaged as energies over miles: 3.107 and 2.824 mi/kWh are 321.9 and 354.1 Wh/mi.
    us = sum_lines(c, NAMES, UNIT_CHOICES["us"])
    assert us[0] == "\u201cOff\u201d: (out 321.9 + back 354.1) / 2 = 338.0 Wh/mi"


def test_noted_and_usual_stand_apart():
    c = analyse(driven_study("AB")).comparisons[0]
    made = (Step("wind", -0.4, "noted"), Step("tyre_warm_up", 0.9, "usual"), Step("weights", 0.1, "weights"))
    total = c.as_measured_percent + 0.6
    c = replace(c, steps=made, effect_percent=total, interval_percent=(total - 2, total + 2))
    line = steps_line(c)
    assert "as noted: wind \u22120.4;" in line and "taken as usual, for nobody noted it: cold start +0.9;" in line
    assert "legs weighed +0.1" in line
    assert usual_words(c) == "+0.9 % of it is taken as usual, for nobody noted it: cold start."
    assert usual_words(c) in may_say(driven_study("AB"), replace(c, verdict="not settled"), UNIT_CHOICES["metric"])
    # Up to a tenth of the margin it needs no word of its own.
    wide = replace(c, interval_percent=(total - 10, total + 10))
    assert usual_words(wide) == ""


def test_the_object_for_machines_has_the_steps():
    study = driven_study("ABBA")
    (made,) = as_json(analyse(study))["comparisons"]
    total = made["as_measured_percent"] + sum(s["percent"] for s in made["steps"])
    assert total == pytest.approx(made["effect_percent"], abs=0.01)
    assert {s["kind"] for s in made["steps"]} <= {"noted", "usual", "weights"}
    low, high = made["plain_interval_percent"]
    assert low < made["as_measured_percent"] < high


def test_it_is_said_both_ways():
    """170 and 161.5 Wh/km from 52 kWh: 305.9 and 322.0 km, 16 further; −5 % of consumption is +5.3 % of miles per kWh."""
    study = driven_study("ABBAABBA").with_(vehicle=VAN.with_(usable_capacity_kwh=52))
    (c,) = analyse(study).comparisons
    assert c.verdict == "uses less"
    metric, uk = (may_say(study, c, UNIT_CHOICES[x]) for x in ("metric", "uk"))
    further = 52_000 / c.trial_wh_per_km - 52_000 / c.baseline_wh_per_km
    assert f"about {further:.0f} km further on a full charge" in metric and 14 < further < 18
    assert "mi/kWh" not in metric
    assert f"+{100 * (c.baseline_wh_per_km / c.trial_wh_per_km - 1):.1f} % of mi/kWh" in uk
    assert f"about {further / 1.609344:.0f} mi further on a full charge" in uk
    bare = study.with_(vehicle=VAN.with_(usable_capacity_kwh=None))
    assert "on a full" not in may_say(bare, c, UNIT_CHOICES["metric"])


def test_what_is_taken_as_usual_is_told_from_the_noted_step_of_its_name():
    made = [
        Step("speed", -0.2, "noted"),
        Step("speed", -0.2, "usual"),
        Step("temperature", 0.1, "noted"),
        Step("warm-up", 0.2, "usual"),
    ]
    assert usual_names(made) == [line_words("warm-up"), "speed on some legs"]
    names = names_apart(made)
    assert names == [
        line_words("speed"),
        f"{line_words('speed')}, usual",
        line_words("temperature"),
        line_words("warm-up"),
    ]
    assert names[:2] == ["speed", "speed, usual"] and len(set(names)) == 4
