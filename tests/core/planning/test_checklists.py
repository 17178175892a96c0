"""The kit fits what is driven, with what, and how; edited lists follow the study."""

import pytest
from tests.conftest import VAN
from tests.core.planning.test_shapes import study_of

from fairmargin.core.kinds import change_kinds
from fairmargin.core.planning.checklists import carried_over, caution, checklist, kit
from fairmargin.core.study.plan import CheckItem


def lines(study):
    return " | ".join(i.text for i in checklist(study))


def test_a_warm_up_is_not_told_to_turn_the_climate_off():
    warm = lines(study_of(kind="preconditioning"))
    assert "Climate off" not in warm and "Cabin set alike for both" in warm
    assert "before the wheels turn" in warm and "at the landmark, at speed" not in warm
    assert "Climate off" in lines(study_of())


def test_laps_are_reset_at_their_line_and_not_at_speed_past_a_landmark():
    for method, aim in (("laps", "laps"), ("loop", "change"), ("side-by-side", "side")):
        assert "at the line of the round" in lines(study_of(aim, method))
    assert "at the landmark, at speed" in lines(study_of())
    assert "reset before the trip" in lines(study_of("everyday", order=""))


@pytest.mark.parametrize("energy, there, not_there", [
    ("electric", "charging card", "nozzle"), ("diesel", "nozzle", "charging card"), ("petrol", "nozzle", "Charge"),
])  # fmt: skip
def test_what_burns_fuel_is_filled_up_and_not_charged(energy, there, not_there):
    said = lines(study_of().with_(vehicle=VAN.with_(energy=energy)))
    assert there in said and not_there not in said


def test_pressures_are_told_once():
    for kind in ("payload", "towing"):
        said = lines(study_of(kind=kind))
        assert said.count("pressures, cold") == 1 and "for the load as the handbook says" in said
        assert "the same in both configurations" not in said


def test_towing_names_what_holds_the_trailer():
    said = lines(study_of(kind="towing"))
    for thing in (
        "Coupling",
        "chain",
        "breakaway cable",
        "lights",
        "jockey wheel",
        "Mirrors",
        "Trailer tyres",
        "wheel nuts",
    ):
        assert thing in said
    assert "again after the first kilometres" in said


def test_one_configuration_has_nothing_to_swap():
    assert not [i for i in checklist(study_of("one", order="A")) if i.when == "swap"]


@pytest.mark.parametrize("kind", change_kinds())
def test_no_line_stands_twice(kind):
    texts = [i.text for i in checklist(study_of(kind=kind))]
    assert len(set(texts)) == len(texts) >= 9


def test_an_edited_list_follows_the_study_and_keeps_what_is_ones_own():
    before = study_of(kind="aero covers")
    usual = checklist(before)
    mine = CheckItem(text="Thermos", when="each run")
    gone = usual[0]
    edited = (*(i.with_(done=i is usual[1]) for i in usual[1:]), mine)
    after = before.with_(change=before.change.with_(kind="towing"))
    made = carried_over(edited, before, after)
    texts = [i.text for i in made]
    assert "Thermos" in texts and gone.text not in texts
    assert not [t for t in texts if "cover" in t.lower()] and [t for t in texts if "breakaway" in t]
    assert next(i for i in made if i.text == usual[1].text).done
    assert carried_over((), before, after) == ()
    assert kit(after) == checklist(after)
    # And back again: only what was taken off by hand stays off.
    assert {i.text for i in carried_over(made, after, before)} == {i.text for i in edited}


@pytest.mark.parametrize("kind", [*change_kinds()])
def test_a_caution_says_nothing_twice(kind):
    sentences = [x.strip() for x in caution(kind).split(".") if x.strip()]
    assert len(sentences) == len(set(sentences)) >= 2
    assert caution(kind).startswith("The driver drives")
