"""Each drive foretold from the others: against the same readings without it, and how often the bands hold."""

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.foretold import LEAST_DRIVES
from fairmargin.simulation import DayPlan, simulate


def legs_of(study, traces=None):
    return {leg.leg: leg for leg in analyse(study, traces).legs}


def test_what_is_foretold_does_not_follow_the_reading():
    """The band of a leg stays where it is, whatever that leg shows; those of the others follow it."""
    study = driven_study("ABBAABBA", effect=0.97)
    there = legs_of(study)
    moved = legs_of(study.with_leg("L05", average_shown=study.leg("L05").average_shown * 1.04))
    assert moved["L05"].foretold.middle == pytest.approx(there["L05"].foretold.middle, rel=2e-3)
    assert moved["L05"].foretold.high - moved["L05"].foretold.low == pytest.approx(
        there["L05"].foretold.high - there["L05"].foretold.low, rel=0.1
    )
    assert moved["L05"].foretold.tail < 0.5 * there["L05"].foretold.tail
    assert (
        moved["L07"].foretold.high - moved["L07"].foretold.low > there["L07"].foretold.high - there["L07"].foretold.low
    )


def test_bands_of_careful_days_hold_what_was_read():
    """95 % bands over forty virtual test days: the simulator's legs are as careful as the prior's."""
    held = []
    for seed in range(40):
        made = simulate(500 + seed, DayPlan(kind="aero covers", effect_percent=-4.0, order="ABBA", wind="mixed"))
        held += [
            x.foretold.low <= x.measured_wh_per_km <= x.foretold.high for x in analyse(made.study, made.traces).legs
        ]
    assert len(held) == 320
    assert 0.93 <= np.mean(held) <= 0.995


def test_the_tail_says_how_far_off():
    study = driven_study("ABBAABBA", values=[170.0, 170.4, 169.8, 170.1, 170.2, 169.9, 170.0, 170.3] * 2)
    tails = [
        legs_of(study.with_leg("L03", average_shown=170.0 * over))["L03"].foretold.tail
        for over in (1.0, 1.03, 1.06, 1.12)
    ]
    assert tails == sorted(tails, reverse=True)
    assert tails[0] > 0.3 and tails[-1] < 0.01


def test_too_few_drives_foretell_nothing():
    study = driven_study("AB", method="one-way")
    assert len(study.legs) < LEAST_DRIVES
    assert all(leg.foretold is None for leg in analyse(study).legs)


def wild(effect, over):
    """Eight legs that agree but for an effect, and one of the trial that is far off."""
    calm = [170.0, 170.5, 169.6, 170.2, 169.9, 170.3, 170.1, 169.8]
    study = driven_study("ABBA", values=calm, step=0.1)
    for leg in study.legs:
        if leg.configuration == "B":
            own = 170.0 * over if leg.leg == "L03" else leg.average_shown
            study = study.with_leg(leg.leg, average_shown=round(own * effect, 1))
    return analyse(study)


def test_a_verdict_rests_on_no_wild_leg():
    """What one leg alone settles, and the others did not let expect, is not settled; the page says which leg."""
    found = wild(1.02, 1.05)
    (c,) = found.comparisons
    concern = next(x for x in found.concerns if x.code == "one-leg-decides")
    assert 0 < c.interval_percent[0] < 1.0 and c.verdict == "not settled"
    assert concern.unsettles and concern.legs == ("L03",) and "L03" in c.reason
    assert c.standing.word == "with reservations"


def test_a_larger_effect_stands_without_the_wild_leg():
    found = wild(1.05, 1.05)
    assert found.comparisons[0].verdict == "uses more"
    assert not any(x.unsettles for x in found.concerns)


def by(order="ABBAABBA", share=0.0, of="direction"):
    """A null but for what the trial does out and back, or earlier and later."""
    study = driven_study(order, values=[170.0, 170.4, 169.7, 170.2, 169.9, 170.3, 170.0, 169.8] * (len(order) // 4))
    for i, leg in enumerate(study.legs):
        end = (1 if leg.direction == "out" else -1) if of == "direction" else 2 * i / (len(study.legs) - 1) - 1
        if leg.configuration == "B":
            study = study.with_leg(leg.leg, average_shown=round(leg.average_shown * (1 + share * end), 1))
    return analyse(study)


@pytest.mark.parametrize("of, words", [("direction", "direction"), ("time", "time of day")])
def test_a_change_that_goes_with_something_is_told_and_not_called_fair(of, words):
    found = by(share=0.04, of=of)
    concern = next(c for c in found.concerns if c.code == "change-varies")
    assert concern.title == f"The change goes with the {words}" and concern.bias_percent is None
    assert float(concern.message.split("differs by ")[1].split(" %")[0]) == pytest.approx(8.0, abs=2.5)
    (c,) = found.comparisons
    assert c.standing.word == "with reservations" and abs(c.effect_percent) < 1.0


def test_a_change_that_is_the_same_everywhere_goes_with_nothing():
    assert not any(c.code == "change-varies" for c in by().concerns)
    assert not any(c.code == "change-varies" for c in analyse(driven_study("ABBAABBA", effect=0.9)).concerns)
    assert not any(c.code == "change-varies" for c in by("ABBA"[:2], 0.04).concerns)  # two legs each tell nothing
