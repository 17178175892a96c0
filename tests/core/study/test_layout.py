"""Runs laid out: every side, speed, sector and vehicle that the study has."""

import pytest

from fairmargin.core.study import NamedVehicle, new_study
from fairmargin.core.study.aims import laid_out, relaid
from fairmargin.core.study.layout import aimed_speeds, laid_out_runs, sectors_read
from fairmargin.core.study.runs import driven_next, with_run, with_run_next


@pytest.fixture
def two_sides():
    return laid_out("change", title="", kind="wheels", order="", method="out-and-back", names=["A", "B"])


def test_at_two_speeds_each_letter_is_driven_at_both_before_the_swap(two_sides):
    study = relaid(two_sides, "ABBA", speeds_kmh=(70.0, 85.0))
    runs = [(legs[0].configuration, legs[0].speed_kmh) for _, legs in study.runs()]
    assert runs == [("A", 70), ("A", 85), ("B", 85), ("B", 70), ("B", 70), ("B", 85), ("A", 85), ("A", 70)]
    for speed in (70.0, 85.0):
        at = {c: [i for i, run in enumerate(runs) if run == (c, speed)] for c in "AB"}
        assert sum(at["A"]) == sum(at["B"])  # a steady drift cancels at each speed
    assert study.order == "AABBBBAA" and {leg.block for leg in study.legs} == {"1"}
    assert aimed_speeds(study) == (70.0, 85.0)
    # Laid out anew, the speeds stay.
    assert [x.speed_kmh for x in relaid(study, "AB").legs] == [70, 70, 85, 85, 85, 85, 70, 70]


def test_sectors_are_read_in_the_order_of_the_way(two_sides):
    study = relaid(two_sides, "AB", sectors=("town", "rural"))
    assert [(x.direction, x.sector) for x in study.legs[:4]] == [
        ("out", "town"),
        ("out", "rural"),
        ("back", "rural"),
        ("back", "town"),
    ]
    assert sectors_read(study) == ("town", "rural")
    more = with_run(study, "B")
    assert [x.sector for x in more.legs[-4:]] == ["town", "rural", "rural", "town"]
    assert len({x.leg for x in more.legs}) == 12 and more.legs[-1].run == "R3"


def test_a_block_goes_on_from_what_is_there(two_sides):
    study = relaid(two_sides, "ABBA")
    legs = laid_out_runs(study, "BAAB", fresh=False)
    assert [legs[0].leg, legs[0].run, legs[0].block] == ["L09", "R5", "2"]
    both = study.with_legs((*study.legs, *legs))
    assert both.order == "ABBABAAB"


def test_three_sides_make_a_block_of_six_runs():
    study = laid_out("change", title="", kind="wheels", order="ABCCBA", method="loop", names=["A", "B", "C"])
    assert {x.block for x in study.legs} == {"1"}
    assert with_run(study, "A").legs[-1].block == "2"


def test_a_run_side_by_side_is_driven_by_both():
    study = laid_out("side", title="", kind="tyres", order="AB", method="side-by-side", names=["Old", "New"])
    more = with_run(study, "A")
    assert [(x.vehicle, x.configuration) for x in more.legs[-2:]] == [("V1", "A"), ("V2", "B")]


def test_a_run_of_vehicles_in_turn_names_its_vehicle():
    study = laid_out("vehicles", title="", kind="other", order="AB", method="loop", names=[])
    more = with_run(study, "V2")
    assert more.legs[-1].vehicle == "V2" and more.legs[-1].configuration == study.baseline.id
    assert more.order == "ABB"


def test_vehicles_with_loads_each_drive_the_whole_order(two_sides):
    fleet = (NamedVehicle(id="V1", name="One"), NamedVehicle(id="V2", name="Two"))
    study = relaid(two_sides, "AB").with_(vehicles=fleet)
    study = study.with_legs([x.with_(vehicle="V1" if x.run == "R1" else "V2") for x in study.legs])
    again = relaid(study, "ABBA")
    assert [(legs[0].vehicle, legs[0].configuration) for _, legs in again.runs()] == [
        *(("V1", x) for x in "ABBA"),
        *(("V2", x) for x in "ABBA"),
    ]


def test_the_plain_study_is_laid_out_as_before():
    legs = new_study(title="", kind="wheels", order="ABBA").legs
    assert [(x.leg, x.run, x.block, x.direction) for x in legs[:3]] == [
        ("L01", "R1", "1", "out"),
        ("L02", "R1", "1", "back"),
        ("L03", "R2", "1", "out"),
    ]


def test_a_run_driven_before_its_turn_moves_up():
    """R3 is set off on after R1: the plan is R1 R3 R2 R4 then; a run that was begun stays where it is."""
    study = new_study(title="Discs", kind="aero covers", order="ABBA", speed_kmh=90)
    swapped = driven_next(study, "L05", {"L01", "L02"})
    assert [name for name, _ in swapped.runs()] == ["R1", "R3", "R2", "R4"]
    assert {leg.leg for leg in swapped.legs} == {leg.leg for leg in study.legs}
    assert driven_next(study, "L03", {"L01", "L02"}) is study, "its turn"
    assert driven_next(study, "L04", {"L01", "L02", "L03"}) is study, "the way back of what was begun"
    assert driven_next(study, "L08", {"L01", "L07"}) is study


def test_one_more_run_comes_next():
    """After R1 one more run with the trial: R5 with both ways, before R2; whoever was driven stays first."""
    study = new_study(title="Discs", kind="aero covers", order="ABBA", speed_kmh=90)
    more, first = with_run_next(study, "B", {"L01", "L02"})
    assert [name for name, _ in more.runs()] == ["R1", "R5", "R2", "R3", "R4"]
    assert (first, more.leg(first).configuration, more.leg(first).direction) == ("L09", "B", "out")
    assert more.order == "ABBBA"
