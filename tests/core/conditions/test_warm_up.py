"""How cold tyres were: what is known of swaps and of drives before, what is open, and what each does to the effect."""

import math
from datetime import datetime

import numpy as np
import pytest
from tests.conftest import VAN, driven_study
from tests.core.result.test_corrections import wh_per_km

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.typed import needed_fields, read_leg_field, show_leg_field
from fairmargin.core.evidence.conditions import ARRIVED_COLD, leg_conditions
from fairmargin.core.laws.rolling import WARM_UP_S
from fairmargin.core.planning.planned_day import planned
from fairmargin.core.study import Circumstances, Outing, new_study
from fairmargin.core.units import UNIT_CHOICES

RISE = 0.20
LEG_S = 736.0
#: Mean of exp(−t/τ) over a leg.
MEAN = WARM_UP_S / LEG_S * (1 - math.exp(-LEG_S / WARM_UP_S))


def cold_car(order, kind="tyres", arrived=0.0, rise=RISE):
    """Readings of no change, with tyres that come on wholly cold and warm with the law's time constant while driving."""
    study = driven_study(order, kind=kind, route=())
    roll = wh_per_km(tyre=0.9 ** (1 / -0.4)) / wh_per_km() - 1.0  # of 10 % less rolling
    share = {}
    last = None
    for leg in study.legs:
        name = leg.configuration if kind == "tyres" else ""
        cold = share.get(name, arrived if last is None else 1.0)
        if last not in {None, name}:
            share[last] = 1.0  # what lies beside the car is cold again
        factor = 1.0 - 10.0 * roll * rise * cold * MEAN
        study = study.with_leg(leg.leg, average_shown=round(170.0 * factor, 2), average_step=0.01)
        share[name] = cold * math.exp(-LEG_S / WARM_UP_S)
        last = name
    return study


def test_a_set_that_lay_beside_the_car_comes_on_cold():
    study = driven_study("ABBA", kind="tyres")
    found = leg_conditions(study, {})
    assert found["L01"].cold_if == pytest.approx(MEAN) and found["L01"].cold_open == pytest.approx(MEAN)
    assert found["L01"].cold_share == pytest.approx(ARRIVED_COLD * MEAN)
    assert found["L03"].cold_share == pytest.approx(MEAN) and found["L03"].cold_open == 0.0
    same = leg_conditions(driven_study("ABBA", kind="aero covers"), {})
    assert same["L03"].cold_share < 0.25 * MEAN  # covers leave the tyres where they are


def test_what_was_driven_before_is_known():
    study = driven_study("ABBA").with_leg("L01", driven_before_s=1200)
    first = leg_conditions(study, {})["L01"]
    assert first.cold_open == 0.0 and first.cold_share == pytest.approx(math.exp(-1200 / WARM_UP_S) * MEAN)
    wholly = leg_conditions(study.with_leg("L01", driven_before_s=0), {})["L01"]
    assert wholly.cold_share == pytest.approx(MEAN)


@pytest.mark.parametrize("rise", [0.15, 0.25, 0.35])
def test_a_null_of_tyres_in_one_pair_holds_nought(rise):
    # B comes on cold in an AB: unmended it reads one to three per cent more.
    study = cold_car("AB", rise=rise).with_leg("L01", driven_before_s=3600)
    c = analyse(study).comparisons[0]
    assert c.as_measured_percent > 0.5
    assert c.interval_percent[0] < 0.0 < c.interval_percent[1]
    assert abs(c.effect_percent) < 0.8 * c.as_measured_percent + 0.3


def test_a_note_of_the_drive_before_narrows():
    study = driven_study("AB")
    bare = analyse(study).comparisons[0]
    line = next(m for m in bare.margin if m.source == "warm-up")
    assert "minutes driven" in line.remedy and line.legs[:2] == ("L01", "L02")
    known = analyse(study.with_leg("L01", driven_before_s=1800)).comparisons[0]
    assert known.half_width_percent < bare.half_width_percent


def test_it_is_typed_in_minutes_and_asked_for_with_tyres():
    study = driven_study("AB", kind="tyres")
    leg, metric = study.legs[0], UNIT_CHOICES["metric"]
    for text, seconds in (("20", 1200.0), ("0", 0.0), ("12:30", 750.0), ("0.5 h", 1800.0)):
        leg = leg.with_(**read_leg_field("driven_before_s", text, metric, leg, datetime(2026, 5, 2), study))
        assert leg.driven_before_s == seconds
    assert show_leg_field("driven_before_s", leg, metric, study) == "30:00"
    assert "driven_before_s" in needed_fields(study) and "driven_before_s" not in needed_fields(driven_study("AB"))


def test_the_prior_is_what_is_published():
    # 15 to 40 % on wholly cold tyres lie within two standard deviations.
    from fairmargin.core.conditions.warm_up import WARM_UP

    assert WARM_UP.mean - 2 * WARM_UP.sd < 0.15 and WARM_UP.mean + 2.3 * WARM_UP.sd > 0.40
    assert np.isfinite(WARM_UP.sd)


def test_what_was_driven_before_an_outing_is_said_once():
    study = driven_study("ABBA")
    whole = study.with_(circumstances=Circumstances(warm_up_min=20.0))
    found = leg_conditions(whole, {})
    assert found["L01"].cold_open == 0.0
    assert found["L01"].cold_share == pytest.approx(math.exp(-1200 / WARM_UP_S) * MEAN)
    # it tells of the first leg only: the last one follows a swap and three legs, whatever was driven before
    plain = leg_conditions(study.with_leg("L01", driven_before_s=1200), {})
    assert [found[name].cold_share for name in found] == [plain[name].cold_share for name in found]


def test_a_leg_beats_its_outing_and_that_the_study():
    study = driven_study("ABBA").with_(
        circumstances=Circumstances(warm_up_min=20.0), outings=(Outing(id="1", runs=("R1",), warm_up_min=5.0),)
    )
    assert [study.driven_before_s(study.leg(name)) for name in ("L01", "L03")] == [300.0, 1200.0]
    assert study.with_leg("L01", driven_before_s=0).driven_before_s(study.leg("L01").with_(driven_before_s=0)) == 0.0


def test_each_day_begins_with_it():
    study = driven_study("ABBA")
    later = [leg.with_(started_at=leg.started_at.replace(day=9)) for leg in study.legs[4:]]
    study = study.with_legs([*study.legs[:4], *later]).with_(circumstances=Circumstances(warm_up_min=20.0))
    found = leg_conditions(study, {})
    for name in ("L01", "L05"):
        assert found[name].cold_open == 0.0
        assert found[name].cold_share == pytest.approx(math.exp(-1200 / WARM_UP_S) * MEAN)


def test_a_warm_up_that_is_noted_narrows_and_a_cold_start_is_corrected():
    study = driven_study("ABBA")
    cs = [analyse(study.with_(circumstances=Circumstances(warm_up_min=m))).comparisons[0] for m in (None, 20.0, 0.0)]
    warm_up = [dict(c.margin_budget)["warm-up"] for c in cs]
    assert warm_up[1] < 0.5 * warm_up[0]
    # a baseline that began wholly cold looked worse than it is: the trial's saving of 5 % shrinks
    assert cs[2].effect_percent - cs[1].effect_percent == pytest.approx(0.4, abs=0.15)


def test_a_plan_counts_its_warm_up_as_driven():
    study = new_study(title="P", kind="aero covers", order="ABBA", speed_kmh=90, vehicle=VAN)
    laid = planned(study.with_(plan=study.plan.with_(warm_up_min=25.0)), "ABBA")
    assert laid.driven_before_s(laid.legs[0]) == 1500.0
    assert study.driven_before_s(study.legs[0]) is None
