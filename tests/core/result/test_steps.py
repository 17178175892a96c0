"""From as read to the effect: as a pencil finds it, and adding up to the last decimal shown."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import driven_study
from tests.unlike import unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.result.comparison import outside_its_pairs
from fairmargin.core.result.steps import Step, as_shown, rounded


def only(study, traces=None):
    return analyse(study, traces or {}).comparisons[0]


def test_as_read_is_the_pencils_figure():
    """Out 200 and 190, back 220 and 212 Wh/km: (190 + 212) / (200 + 220) − 1 = −4.29 %."""
    values = {("A", "out"): 200.0, ("A", "back"): 220.0, ("B", "out"): 190.0, ("B", "back"): 212.0}
    study = driven_study("AB")
    study = study.with_legs([x.with_(average_shown=values[x.configuration, x.direction]) for x in study.legs])
    c = only(study)
    assert c.as_measured_percent == pytest.approx(100 * (402 / 420 - 1))
    a, b = c.as_read
    assert [(way, legs, wh / km) for way, legs, wh, km in a.directions] == [
        ("out", ("L01",), pytest.approx(200.0)),
        ("back", ("L02",), pytest.approx(220.0)),
    ]
    assert (a.wh_per_km, b.wh_per_km) == (pytest.approx(210.0), pytest.approx(201.0))


def test_a_leg_left_out_takes_nothing_from_the_other_side():
    """Hills make back dearer by 10 %; without one way back of the baseline the mean of its legs would be 3 % too low."""
    study = driven_study("ABBA", values=[200.0, 220.0, 190.0, 209.0, 190.0, 209.0, 200.0, 220.0])
    whole, less = only(study), only(study.with_leg("L08", included=False, reason="queue"))
    assert whole.as_measured_percent == pytest.approx(-5.0, abs=0.05)
    assert less.as_measured_percent == pytest.approx(-5.0, abs=0.05)
    for x, y in zip(less.directions, whole.directions, strict=True):
        assert x.as_measured_percent == pytest.approx(y.as_measured_percent, abs=0.05)
    low, high = sorted(d.as_measured_percent for d in less.directions)
    assert low - 0.01 <= less.as_measured_percent <= high + 0.01


@pytest.mark.parametrize("name", sorted(unlike()))
def test_the_steps_add_up_exactly_and_as_shown(name):
    """Every study that is unlike in something: the sum of the steps, and of what is printed."""
    for view in ("reference", "study-mean", "as-measured"):
        for c in analyse(*unlike()[name], view=view).comparisons:
            assert c.as_measured_percent + sum(s.percent for s in c.steps) == pytest.approx(c.effect_percent, abs=1e-6)
            shown = as_shown(c.as_measured_percent, c.steps, c.effect_percent)
            total = round(c.as_measured_percent, 1) + sum(s.percent for s in shown)
            assert total == pytest.approx(round(c.effect_percent, 1), abs=1e-6)
            for s in shown:  # rounding moves no step by more than what two roundings apart can ask for
                exact = sum(x.percent for x in c.steps if (x.source, x.kind) == (s.source, s.kind))
                assert abs(s.percent - exact) <= 0.2


@settings(max_examples=300, deadline=None)
@given(st.lists(st.floats(-30, 30), min_size=1, max_size=12), st.floats(-60, 60))
def test_what_is_shown_adds_up_whatever_is_shown(sizes, as_read):
    made = [Step(f"s{i}", x, "noted") for i, x in enumerate(sizes)]
    effect = as_read + sum(sizes)
    shown = as_shown(as_read, made, effect)
    assert round(as_read, 1) + sum(s.percent for s in shown) == pytest.approx(round(effect, 1), abs=1e-6)
    of = {s.source: s.percent for s in shown}
    assert all(abs(of.get(s.source, 0.0) - s.percent) <= 0.2 + 1e-9 for s in made)


def test_the_largest_remainders_are_rounded_up():
    # 147.0 and 151.8 as printed are 4.8 apart; 2.3, −0.1 and 2.4 from below make 4.6: the remainders 0.06 and 0.04 go up.
    assert rounded(147.02, [2.33, -0.04, 2.44], 151.75) == [2.3, 0.0, 2.5]
    assert rounded(10.0, [0.04, 0.04, 0.04], 10.12) == [0.1, 0.0, 0.0]
    assert rounded(0.45, [1.0], 1.45) == [0.9] and rounded(1.0, [], 1.0) == []


def test_what_nobody_noted_is_no_noted_step():
    """Nothing noted of wind, air and arrival: what moves the effect is called usual, or weights; never noted."""
    study = driven_study("AB")
    bare = study.with_legs(
        [x.with_(wind_speed_ms=None, wind_from_deg=None, temperature_c=None, started_at=None) for x in study.legs]
    )
    kinds = {s.source: s.kind for s in only(bare).steps}
    for source in ("wind", "air_density", "tyre_temperature", "driveline", "tyre_warm_up"):
        assert kinds.get(source, "usual") == "usual", source
    told = study.with_(circumstances=study.circumstances.with_(warm_up_min=0.0))
    assert {s.kind for s in only(told).steps if s.source == "tyre_warm_up"} == {"noted"}
    assert {s.kind for s in only(study).steps if s.source == "tyre_warm_up"} == {"usual"}


def test_a_noted_step_has_the_size_of_its_cause():
    """Trial legs 20 K colder: denser air (+7.5 % of 65 %) and stiffer tyres (0.6 % a kelvin of 33 %) are taken off the trial,

    of what it took in the cold, a tenth more than in mild air."""
    study = driven_study("ABBA")
    colder = study.with_legs([x.with_(temperature_c=-5.0) if x.configuration == "B" else x for x in study.legs])
    of = {s.source: s.percent for s in only(colder).steps}
    assert of["air_density"] == pytest.approx(-100 * 0.95 * 0.65 * (288.15 / 268.15 - 1) / 1.1, abs=0.5)
    # The readings say nothing of a colder day, so that the fit has the tyres a little stiffer than the van's papers.
    assert of["tyre_temperature"] == pytest.approx(-100 * 0.95 * 0.33 * (math.exp(0.12) - 1) / 1.1, abs=0.9)


def test_the_figure_as_read_has_the_margin_of_steps_and_repeats_alone():
    """Two drives each way of 0.1 Wh/km steps that repeat exactly: the steps alone; with 1 % between repeats, t of four."""
    exact = driven_study("ABBA", values=[200.0, 220.0, 190.0, 209.0, 190.0, 209.0, 200.0, 220.0])
    c = only(exact)
    low, high = c.plain_interval_percent
    assert high - low < 0.1
    apart = driven_study("ABBA", values=[200.0, 220.0, 190.0, 209.0, 191.9, 211.1, 202.0, 222.2])
    low, high = only(apart).plain_interval_percent
    # each of four pairs differs by 1 %: s = 0.7 %, t(4) = 2.776, times the root of 1/4 + 1/4
    assert (high - low) / 2 == pytest.approx(0.95 * 2.776 * 0.995 / math.sqrt(2) * math.sqrt(0.5), rel=0.05)


def test_a_correction_does_not_carry_the_effect_outside_of_its_own_pairs():
    """Pairs of +7 and +8 %, and an effect of +9.6 %: it is not believed; within half a per cent, or a tenth of the margin, it is."""
    c = only(driven_study("ABBA"))
    pairs = [replace(p, corrected_percent=x) for p, x in zip(c.pair_list[:2], (7.0, 8.0), strict=True)]

    def why(effect: float, half: float) -> str:
        return outside_its_pairs(
            replace(c, pair_list=tuple(pairs), effect_percent=effect, interval_percent=(effect - half, effect + half))
        )

    assert "outside of its own corrected pairs, +7.0 to +8.0 %" in why(9.6, 4.0)
    assert why(8.4, 4.0) == "" and why(9.6, 40.0) == "" and why(7.5, 0.1) == ""
    assert "outside" in why(6.0, 4.0)


def test_a_setting_noted_on_one_leg_of_two_is_taken_for_both():
    """Read −5.9 %; `auto` noted on the trial alone, at 5 °C: seven per cent of heating are not taken off one side of two."""
    study = driven_study("AB", method="loop", values=[200.0, 188.2])
    study = study.with_legs([x.with_(temperature_c=5.0, climate="") for x in study.legs])
    bare, noted = only(study), only(study.with_leg("L02", climate="auto"))
    assert abs(noted.effect_percent - bare.effect_percent) < 2.0
    assert noted.half_width_percent >= bare.half_width_percent
    assert {s.kind for s in noted.steps if s.source == "climate"} <= {"usual"}
