"""Questions by what they are worth; silence never pays, and an answer is worth what it was said to be."""

from datetime import timedelta

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.result.as_json import as_json
from fairmargin.core.result.questions import LEAST_WORTH, answered, open_questions, value_of
from fairmargin.core.study.aims import laid_out
from fairmargin.core.study.circumstances import Circumstances
from fairmargin.core.units import plain

EMPTY = {
    "climate": "", "road": "", "wind_speed_ms": None, "wind_from_deg": None, "temperature_c": None, "pressure_hpa": None,
    "humidity_percent": None, "started_at": None,
}  # fmt: skip


def bare(order="ABBA", effect=0.9, **keep):
    study = driven_study(order, effect=effect)
    fields = {k: v for k, v in EMPTY.items() if k not in keep}
    return study.with_legs([leg.with_(**fields) for leg in study.legs])


def noted(order="ABBA"):
    """Nothing is left to ask: this study says even what held its speed."""
    study = driven_study(order)
    return study.with_legs([leg.with_(speed_held="cruise") for leg in study.legs])


def only(study):
    return analyse(study).comparisons[0]


def half(study):
    return only(study).half_width_percent


def dated(study, trial_days_later):
    start = driven_study("AB").legs[0].started_at.replace(hour=0, minute=0)
    return study.with_legs(
        leg.with_(started_at=start + timedelta(days=trial_days_later * (leg.configuration == "B")), dated_only=True)
        for leg in study.legs
    )


@pytest.mark.parametrize("order", ["AB", "AABB", "ABBA", "ABBAABBA"])
def test_silence_about_the_date_never_pays(order):
    study = bare(order)
    assert half(study) >= 0.98 * half(dated(study, 2))  # as wide as different days
    assert half(study) >= 0.98 * half(dated(study, 0))
    told = study.with_(circumstances=Circumstances(outing="one"))
    assert half(told) < 0.6 * half(study)
    assert half(study.with_(circumstances=Circumstances(outing="days"))) == pytest.approx(half(study), rel=0.02)


@pytest.mark.parametrize(("field", "value"), [("road", "dry"), ("climate", "off"), ("warm_up_min", 20.0), ("load", "alike"), ("tyres", "alike"),
                                              ("speed_held", "cruise")])  # fmt: skip
def test_no_usual_answer_widens(field, value):
    study = bare().with_(circumstances=Circumstances(outing="one"))
    told = study.with_(circumstances=study.circumstances.with_(**{field: value}))
    assert half(told) <= 1.005 * half(study)


def test_the_question_worth_most_comes_first_and_is_worth_what_it_was_said_to_be():
    study = bare()
    asked = only(study).asked()
    assert asked[0].code == "outing"
    assert [q.worth_percent for q in asked] == sorted((q.worth_percent for q in asked), reverse=True)
    for q in asked:
        for words, left in q.answers:
            told = answered(study, q.code, value_of(q.code, words))
            if q.code == "temperature_c":  # said for the like of both days
                told = answered(told, q.code, value_of(q.code, words))
            refitted = half(told)
            assert left == pytest.approx(refitted, rel=0.05), (q.code, words)


def test_what_is_worth_less_than_a_twentieth_is_not_asked():
    study = bare().with_(circumstances=Circumstances(outing="one"))
    c = only(study)
    assert all(q.worth_percent >= LEAST_WORTH * c.half_width_percent for q in c.asked())
    assert {q.code for q in open_questions(study)} > {q.code for q in c.asked()}
    assert only(noted()).asked() == ()  # everything is noted


def test_not_known_is_an_answer_and_is_not_asked_again():
    study = answered(bare(), "outing", None)
    assert study.circumstances.not_known == ("outing",)
    assert "outing" not in {q.code for q in only(study).asked()}
    assert half(study) == pytest.approx(half(bare()), rel=1e-9)
    known = answered(study, "outing", "one")
    assert known.circumstances.not_known == () and known.circumstances.outing == "one"


def test_until_a_deciding_question_is_answered_the_result_is_said_for_each_answer():
    c = only(bare())
    assert c.verdict == "not settled"
    told = {x.answer: x for x in c.if_answered()}
    assert told["one outing"].verdict == "uses less" and told["different days"].verdict == "not settled"
    one = only(answered(bare(), "outing", "one"))
    assert told["one outing"].effect_percent == pytest.approx(one.effect_percent, abs=0.05)
    assert told["one outing"].interval_percent == pytest.approx(one.interval_percent, abs=0.15)
    assert one.if_answered() == ()
    # a null effect is settled by neither answer
    assert only(bare(effect=1.0)).if_answered() == ()


def test_the_object_for_machines_has_both():
    found = as_json(analyse(bare()))["comparisons"][0]
    assert found["questions"][0]["code"] == "outing"
    assert {"answer", "half_width_percent"} == set(found["questions"][0]["answers"][0])
    assert [x["answer"] for x in found["if"]] == ["one outing", "different days", "weeks apart"]
    assert as_json(analyse(noted()))["comparisons"][0]["questions"] == []


def test_a_wrong_answer_is_contradicted_by_a_date():
    """Somebody says one outing, and the dates say two days: the dates count."""
    study = dated(bare(), 3)
    assert half(study.with_(circumstances=Circumstances(outing="one"))) == pytest.approx(half(study), rel=1e-6)


def air(study):
    return {leg.leg: (leg.span("temperature_c").low, leg.span("temperature_c").high) for leg in study.legs if leg.spans}


def of_air(study):
    return next((q for q in only(study).asked() if q.code == "temperature_c"), None)


def test_how_warm_each_day_was_is_asked_in_turn_and_kept_as_an_interval():
    study = bare("AABB").with_(circumstances=Circumstances(outing="days", road="dry", climate="off"))
    first = of_air(study)
    base, trial = (c.label for c in study.configurations)
    assert f"with \u201c{base}\u201d? (The others next;" in first.text
    assert [plain(words) for words, _ in first.answers] == [
        "below 0 \u00b0C", "0 to 7 \u00b0C", "7 to 14 \u00b0C", "14 to 21 \u00b0C", "21 to 28 \u00b0C", "above 28 \u00b0C",
    ]  # fmt: skip
    cool = answered(study, "temperature_c", value_of("temperature_c", first.answers[2][0]))
    of = {leg.leg: leg.configuration for leg in study.legs}
    assert air(cool) == {name: (7.0, 14.0) for name, side in of.items() if side == "A"}
    second = of_air(cool)
    assert second.text == f"About how warm was the air with \u201c{trial}\u201d?"
    alike = answered(cool, "temperature_c", value_of("temperature_c", second.answers[2][0]))
    assert first.answers[2][1] == pytest.approx(half(alike), rel=0.03)  # \u00b1 is with both answered
    assert first.answers[2][1] < 0.97 * half(cool)
    both = answered(cool, "temperature_c", value_of("temperature_c", second.answers[3][0]))
    assert {air(both)[name] for name, side in of.items() if side == "B"} == {(14.0, 21.0)}
    assert of_air(both) is None
    # one day alone says nothing of what the days differ by; both do
    assert half(both) < 0.9 * half(study)
    assert half(cool) > half(both)
    assert half(answered(study, "temperature_c", None)) == pytest.approx(half(study), rel=1e-9)
    assert of_air(answered(study, "temperature_c", None)) is None


def test_dated_legs_are_asked_by_their_day():
    study = dated(bare("AABB"), 20).with_(circumstances=Circumstances(road="dry", climate="off"))
    day = driven_study("AB").legs[0].started_at
    assert of_air(study).text.startswith(f"About how warm was the air on {day.day} {day:%B}?")


def test_in_one_outing_one_answer_is_for_all_and_hardly_worth_asking():
    study = bare().with_(circumstances=Circumstances(outing="one", road="dry", climate="off"))
    assert of_air(study) is None  # what the day has in common cancels
    told = answered(study, "temperature_c", "14..21")
    assert len(air(told)) == len(study.legs)
    assert half(told) <= 1.02 * half(study)


def to_two_places(back_km):
    study = driven_study("AB", method="out-and-back")
    return study.with_legs(
        [leg.with_(distance_km=45.6 if leg.direction == "out" else back_km, gps_distance_km=None) for leg in study.legs]
    )


def test_ways_that_differ_by_a_third_are_not_taken_for_there_and_back():
    """45.6 km out and 33.3 back differ by 37 %: it is asked first, whatever it is worth; 45.6 and 44 are a road."""
    study = to_two_places(33.3)
    c = analyse(study).comparisons[0]
    first = c.asked()[0]
    assert first.code == "sector" and "45.6 km, back 33.3 km" in plain(first.text)
    told = answered(study, "sector", "two")
    found = {x.sector: x for x in analyse(told).comparisons}
    assert {"first destination", "second destination", "whole"} <= set(found)
    assert {leg.direction for leg in told.legs} == {"out"}
    assert "sector" not in {q.code for q in open_questions(told)}
    kept = answered(study, "sector", "one")
    assert kept.legs == study.legs and "sector" not in {q.code for q in open_questions(kept)}
    assert "sector" not in {x.code for x in analyse(to_two_places(44.0)).comparisons[0].asked()}


def test_the_same_driver_is_an_answer_and_takes_a_line_off_the_margin():
    study = driven_study("AB")
    assert "driver" in {q.code for q in open_questions(study)}
    told = answered(study, "driver", "alike")
    before, after = (dict(analyse(s).comparisons[0].margin_budget) for s in (study, told))
    assert before["driver"] > 0 and after.get("driver", 0.0) == 0.0
    # One name that one leg has is that of all: no second driver comes of it.
    named = told.with_leg(told.legs[0].leg, driver="Ann")
    assert not [x for x in analyse(named).concerns if "driver" in x.title]
    assert dict(analyse(named).comparisons[0].margin_budget).get("driver", 0.0) == 0.0
    assert "driver" not in {q.code for q in open_questions(told)}


@pytest.mark.parametrize(("code", "value"), [("windows", "closed"), ("sun", "changing")])
def test_what_nothing_is_corrected_for_is_kept_and_never_asked(code, value):
    study = driven_study("AB")
    c = analyse(study).comparisons[0]
    assert code in {q.code for q in open_questions(study)}
    assert code not in {x.code for x in c.asked()}
    told = answered(study, code, value)
    assert getattr(told.circumstances, code) == value
    assert analyse(told).comparisons[0].interval_percent == c.interval_percent


def test_the_season_of_totals_is_asked_and_what_it_is_worth_is_what_it_narrows():
    study = laid_out("everyday", title="Tyres", kind="tyres", order="AB", method="everyday", names=["Old", "New"])
    for leg, (km, shown) in zip(study.legs, ((22000.0, 147.0), (1300.0, 136.0)), strict=True):
        study = study.with_leg(leg.leg, average_shown=shown, average_unit="Wh/km", distance_km=km)
    c = analyse(study).comparisons[0]
    first = c.asked()[0]
    assert first.code == "temperature_c" and "on the whole with \u201cOld\u201d" in first.text
    told = answered(answered(study, "temperature_c", "7..14"), "temperature_c", "7..14")
    after = analyse(told).comparisons[0].half_width_percent
    assert after < c.half_width_percent
    assert dict(first.answers)[first.answers[2][0]] == pytest.approx(after, rel=0.01)
    # Warmer with the new ones: part of what they saved was the season's.
    warmer = answered(answered(study, "temperature_c", "0..7"), "temperature_c", "14..21")
    assert analyse(warmer).comparisons[0].effect_percent > analyse(told).comparisons[0].effect_percent
