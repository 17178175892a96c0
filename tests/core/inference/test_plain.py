"""The plain difference: weights by hand, its margin from the same unknowns, and when it is said instead of the model's."""

from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from tests.conftest import driven_study
from tests.unlike import calm, on_legs

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.evidence.readings import observations
from fairmargin.core.inference.fit import fit_study
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.plain_difference import paired_weights


def fitted(study):
    found = gather(study, {})
    return fit_study(study, list(found.conditions.values()), found.observations, found.logs[""], FitOptions())


def weights(study):
    return paired_weights(study, observations(study, {}), "B").round(6).tolist()


def only(study):
    return analyse(study).comparisons[0]


def turned(study):
    """Strong winds, typed the wrong way round: the readings were made for the wind they really had."""
    said = on_legs(study, lambda i, leg: {"wind_speed_ms": 9.0, "wind_from_deg": 50.0})
    blown = [230.0, 135.0] * 4
    return on_legs(
        said,
        lambda i, leg: {"average_shown": round(blown[(i + 1) % 2] * (0.95 if leg.configuration == "B" else 1.0), 1)},
    )


def test_legs_of_a_direction_count_alike_and_directions_too():
    assert weights(driven_study("ABBA")) == [-0.25, -0.25, 0.25, 0.25, 0.25, 0.25, -0.25, -0.25]
    assert weights(driven_study("AB")) == [-0.5, -0.5, 0.5, 0.5]
    # One way back was left out: of that direction the other drive counts alone, and within limits of least squares.
    study = driven_study("ABBA")
    w = weights(study.with_legs(leg for leg in study.legs if leg.leg != "L02"))
    assert sum(w) == pytest.approx(0) and sum(x for x in w if x > 0) == pytest.approx(1)


def test_a_control_vehicle_is_set_against_at_the_same_time():
    """Common practice: the ratio of ratios."""
    base = driven_study("AB", method="one-way")
    both = []
    for leg in base.legs:
        both.append(leg.with_(vehicle="test"))
        both.append(
            leg.with_(
                leg=leg.leg + "c",
                vehicle="control",
                configuration="A",
                started_at=leg.started_at + timedelta(minutes=1),
            )
        )
    assert weights(base.with_legs(both)) == [-1.0, 1.0, 1.0, -1.0]


def test_a_trial_that_cannot_be_told_from_the_baseline_has_no_difference():
    study = driven_study("AB")
    assert weights(study.with_legs(leg for leg in study.legs if leg.configuration == "A")) == [0.0, 0.0]


def test_on_a_calm_day_it_is_the_paired_difference_and_what_is_recorded_is_told():
    study = driven_study("ABBA")  # exactly −5 % as read
    plain = fitted(study).plain["B"]
    assert plain.percent == pytest.approx(-5.0, abs=1e-6)
    told = dict(plain.budget)
    assert told["not corrected"] < 0.0035**2  # nothing differed but the cold tyres of the first leg
    colder = on_legs(study, lambda i, leg: {"temperature_c": 5.0} if leg.configuration == "B" else {})
    told = dict(fitted(colder).plain["B"].budget)
    # Common practice: ten kelvin are 3.5 % of the air and 7 to 8 % of the tyres, some 5 % of consumption.
    assert told["not corrected"] ** 0.5 == pytest.approx(0.05, abs=0.012)
    low, high = fitted(colder).plain["B"].interval_percent(0.95)
    assert high - low > 2 * 1.96 * 4


def test_what_is_not_noted_widens_the_plain_difference_too():
    study = driven_study("ABBA")
    days = on_legs(study, lambda i, leg: {"started_at": leg.started_at + timedelta(days=int(leg.configuration == "B"))})
    bare = on_legs(days, lambda i, leg: {"temperature_c": None, "wind_speed_ms": None, "wind_from_deg": None})

    def half(s):
        low, high = fitted(s).plain["B"].interval_percent(0.95)
        return (high - low) / 2

    assert half(study) < half(days) < half(bare)


def test_leaving_an_observation_out_moves_it_as_its_influence_says():
    study = driven_study("ABBA", values=[170, 171, 160, 162, 163, 161, 172, 169])
    effect = fitted(study).plain["B"]
    less = study.with_legs(leg for leg in study.legs if leg.leg != "L03")
    found = observations(less, {})
    w = paired_weights(less, found, "B")
    left = float(w @ np.log([o.as_read_wh_per_km for o in found]))
    assert effect.log_ratio + effect.influence["L03"] == pytest.approx(left, abs=1e-9)


def test_a_model_that_explains_the_readings_is_used():
    for study in (driven_study("ABBA"), calm("AABB"), calm("AB")):
        c = only(study)
        assert c.method == "model" and "model-contradicted" not in {x.code for x in c.concerns}


def test_winds_typed_the_wrong_way_round_are_not_believed():
    study = turned(calm("ABBA"))
    c = only(study)
    assert c.method == "plain"
    assert c.effect_percent == pytest.approx(-5.0, abs=0.1)
    assert c.interval_percent[0] < -5 < c.interval_percent[1]
    concern = next(x for x in c.concerns if x.code == "model-contradicted")
    assert "is not used" in concern.message and "another wind than the reports" in concern.message
    doubt = next(x for x in c.concerns if x.code == "wind-contradicted")
    assert doubt.next_step.startswith("It would fit if the reports were of where the wind blows to. Look at the hour")
    assert c.standing.word == "with reservations" and "plain difference" in c.standing.sentence
    legs = analyse(study).legs
    assert all(leg.corrected_wh_per_km == leg.measured_wh_per_km for leg in legs)
    right = only(
        study.with_legs(leg.with_(wind_from_deg=230.0) for leg in study.legs)
    )  # the same readings, the wind as it was
    assert right.method == "model" and right.effect_percent == pytest.approx(-5.0, abs=1.2)


def test_a_reading_ten_times_too_large_blocks_and_is_named():
    study = calm("ABBA")
    wrong = study.with_leg("L03", average_shown=round(study.leg("L03").average_shown * 10, 1))
    c = only(wrong)
    odd = next(x for x in c.concerns if x.code == "reading-doubtful")
    assert odd.severity == "blocks" and odd.legs == ("L03",) and "9.9 times" in odd.message
    assert c.verdict == "not a fair comparison" and c.standing.word == "not fair"
    low, high = c.interval_percent
    assert c.method == "plain" and high - low > 50  # scatter like that leaves nothing settled
    assert "reading-doubtful" not in {x.code for x in only(study).concerns}


def test_the_criticism_asks_each_question_by_itself():
    criticism = fitted(calm("ABBA")).criticism
    assert criticism.reasons == ()
    assert "no best values" in replace(criticism, settled=False).reasons[0]
    assert "contradict" in replace(criticism, misfit_z=6.0).reasons[0]
    assert "yaw slope 5" in replace(criticism, nuisance="yaw slope", nuisance_z=-5.0).reasons[0]
    assert "3 standard" in replace(criticism, strain_z={"B": -3.0}).reasons[0]


def test_runs_that_count_as_a_whole_are_set_against_runs_that_do():
    """By hand: 420 up and 20 down are 220; a mean of logarithms of 420 and 20 would say 92."""
    study = driven_study("ABBA", values=[420, 20, 399, 19, 399, 120, 420, 20], route=())
    found = observations(study, {})
    assert [len(o.legs) for o in found] == [2, 2, 2, 2]  # also the run whose legs are both large
    w = np.array(paired_weights(study, found, "B"))
    assert w.round(6).tolist() == [-0.5, 0.5, 0.5, -0.5]
    read = float(w @ np.log([o.as_read_wh_per_km for o in found]))
    assert read == pytest.approx(0.5 * np.log(209 / 220) + 0.5 * np.log(259.5 / 220), abs=1e-6)
