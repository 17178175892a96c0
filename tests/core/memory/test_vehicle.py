"""What is known of a vehicle: added up by hand, moved by each study, offered to the next as its prior."""

from __future__ import annotations

import math
from datetime import date

import numpy as np
import pytest
from benchmarks.truths.years import simulate_years
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.wind import HEIGHT_FACTOR
from fairmargin.core.inference.learned import Learned
from fairmargin.core.memory import facts, vehicle
from fairmargin.core.memory.vehicle import CONSTANTS, Taught, taught, what_is_known
from fairmargin.core.study.remembered import Remembered, RememberedValue

DRAG_SD = 0.08  # of the van whose drag area nobody gave a margin for


def said(number: int, name: str, value: float, sd: float, road: str = "Dyke Road") -> Taught:
    """A study that says one constant is `value` ± `sd`, as the fit states it."""
    precision = 1 / sd**2
    learned = Learned((name,), np.array([[precision]]), np.array([precision * value]))
    return Taught(number, f"Study {number}", VAN.name, road, date(2026, number, 1), learned)


def constant(known, name):
    return next(k for k in known.constants if k.name == name)


def test_one_constant_by_hand():
    """Prior 0.83 m² ± 8 %, studies 0.80 ± 2 % and 0.78 ± 2 %, each a per cent off the vehicle's mean."""
    van = VAN.with_(drag_area_m2=0.83, drag_area_sd_m2=DRAG_SD * 0.83)
    known = what_is_known([said(2, "drag area", math.log(0.78), 0.02), said(1, "drag area", math.log(0.80), 0.02)], van)
    k = constant(known, "drag area")
    weights = [1 / DRAG_SD**2, 1 / (0.02**2 + CONSTANTS["drag area"].drift ** 2)]
    first = (weights[0] * math.log(0.83) + weights[1] * math.log(0.80)) / sum(weights)
    both = (weights[0] * math.log(0.83) + weights[1] * (math.log(0.80) + math.log(0.78))) / (
        weights[0] + 2 * weights[1]
    )
    assert [m.middle for m in k.steps] == [pytest.approx(math.exp(first)), pytest.approx(math.exp(both))]
    assert [m.study for m in k.steps] == [1, 2], "in the order of their days"
    sd = 1 / math.sqrt(weights[0] + 2 * weights[1])
    assert k.sd == pytest.approx(sd)
    assert k.now.interval == pytest.approx(tuple(math.exp(both + s * 1.959964 * sd) for s in (-1, 1)), rel=1e-6)
    assert k.before.middle == pytest.approx(0.83)
    assert k.narrower
    # The next study begins with it, a drift wider.
    offered = known.remembered().value("drag area")
    assert offered.mean == pytest.approx(both)
    assert offered.sd == pytest.approx(math.hypot(sd, 0.01))
    assert known.remembered().as_of == date(2026, 2, 1)


def test_of_a_road_and_of_another_vehicle():
    told = [
        said(1, "height factor", 0.2, 0.05),
        said(2, "height factor", -0.3, 0.05, road="Mill Lane"),
        said(3, "mass", 7.5, 0.001),
    ]
    other = Taught(4, "", "Orrin 9", "Dyke Road", None, told[0].learned)
    known = what_is_known([*told, other], VAN)
    assert len(known.studies) == 3
    assert constant(known, "height factor@dyke road").mean == pytest.approx(0.17, abs=0.03)
    assert constant(known, "height factor@mill lane").mean < -0.2
    assert constant(known, "height factor@mill lane").label.endswith(", Mill Lane")
    assert known.remembered("dyke ROAD").value("height factor").mean > 0.1
    assert known.remembered("Mill Lane").value("height factor").mean < -0.2
    assert known.remembered("Elsewhere").value("height factor") is None
    assert known.remembered("Dyke Road").value("mass") is None, "today's mass is for today's tester to say"


def test_what_says_nothing_is_not_offered():
    known = what_is_known([said(1, "drag area", math.log(0.9), 50.0)], VAN)
    k = constant(known, "drag area")
    assert not k.narrower
    assert k.now.middle == pytest.approx(k.before.middle, rel=1e-4)
    assert known.remembered().values == ()


def test_a_fit_says_what_its_readings_say_and_nothing_of_its_prior():
    """Twice as sure beforehand, or somewhere else: the same information, the same value (all but what is linearised)."""
    study = driven_study("ABBAABBA")
    legs = [
        leg.with_(wind_speed_ms=2.0 + i % 4, wind_from_deg=20.0 * i, temperature_c=6 + 1.5 * i)
        for i, leg in enumerate(study.legs)
    ]
    study = study.with_(legs=tuple(legs))

    def of(**constants) -> Learned:
        own = study.with_(vehicle=study.vehicle.with_(**constants))
        ((_, learn),) = analyse(own).learned
        return learn()

    usual = of(drag_area_sd_m2=0.06)
    sure, elsewhere = of(drag_area_sd_m2=0.02), of(drag_area_sd_m2=0.06, drag_area_m2=0.86)
    at = usual.names.index("drag area")
    for other in (sure, elsewhere):
        assert other.names == usual.names
        assert other.information[at, at] == pytest.approx(usual.information[at, at], rel=0.15)
    assert np.linalg.eigvalsh(usual.information).min() > -1e-6 * np.linalg.eigvalsh(usual.information).max()
    back = vehicle.from_record(vehicle.as_record(taught(study, analyse(study), 3)[0]), 3, "A study")
    assert back.learned.information == pytest.approx(
        taught(study, analyse(study), 3)[0].learned.information, rel=1e-5, abs=1e-3
    )


def test_a_prior_that_is_remembered_counts_and_can_be_refused():
    """A yaw slope that is known moves the effect in a cross wind; the owner's own, where he knows better, stays."""
    study = driven_study("ABAB")
    windy = [
        leg.with_(wind_speed_ms=7.0 if leg.configuration == "B" else 2.0, wind_from_deg=90.0) for leg in study.legs
    ]
    study = study.with_(legs=tuple(windy))

    def effect(*values: tuple[str, float, float]) -> tuple[float, float]:
        made = Remembered(studies=4, values=tuple(RememberedValue(name=n, mean=m, sd=s) for n, m, s in values))
        c = analyse(study.with_(remembered=made if values else None)).comparisons[0]
        return c.effect_percent, c.half_width_percent

    usual, half = effect()
    steep, _ = effect(("yaw slope", 0.8, 0.05))
    _, narrow = effect(("yaw slope", 0.0, 0.05))
    flat, _ = effect(("yaw slope", -0.8, 0.05))
    assert steep < usual < flat, "the steeper the slope, the more of what the trial took was the cross wind"
    assert flat - steep > 1.0
    assert narrow < 0.99 * half
    assert effect(("yaw slope", 0.8, 9.0)) == (usual, half), "what is known no better than usual changes nothing"
    assert effect(("no such thing", 0.0, 0.1)) == (usual, half)
    drag = study.vehicle.drag_area_m2
    same, _ = effect(("drag area", math.log(drag), 0.01))
    larger, _ = effect(("drag area", math.log(1.5 * drag), 0.01))
    assert same == pytest.approx(usual, abs=0.25), "what the owner says anyway moves next to nothing"
    assert abs(larger - usual) > 2 * abs(same - usual) + 0.2
    sure = study.with_(vehicle=study.vehicle.with_(drag_area_sd_m2=0.001 * drag))
    known = Remembered(values=(RememberedValue(name="drag area", mean=math.log(2 * drag), sd=0.05),))
    assert (
        analyse(sure.with_(remembered=known)).comparisons[0].effect_percent
        == analyse(sure).comparisons[0].effect_percent
    )


def test_five_studies_of_one_van_make_the_sixth_surer():
    """A simulated van in wind, days apart: its shelter and yaw are learned, and the next margin is narrower."""
    years = simulate_years(5022, studies=6, wind="windy", days=2)
    told = [t for i, s in enumerate(years.studies[:-1]) for t in taught(s.study, analyse(s.study), i + 1)]
    last = years.studies[-1]
    known = what_is_known(told, last.study.vehicle)
    assert [t.study for t in known.studies] == [1, 2, 3, 4, 5]
    shelter = constant(known, "height factor@dyke road")
    assert shelter.sd < 0.75 * HEIGHT_FACTOR.sd
    low, high = constant(known, "drag area").now.interval
    assert low < years.van.drag_area_m2 < high
    alone = analyse(last.study).comparisons[0]
    knowing = analyse(last.study.with_(remembered=known.remembered("Dyke Road"))).comparisons[0]
    assert knowing.half_width_percent < 0.985 * alone.half_width_percent
    truth = float(last.truth["effect_percent"])
    assert knowing.interval_percent[0] < truth < knowing.interval_percent[1]


def test_a_fit_that_is_not_believed_teaches_nothing():
    study = driven_study("ABBA", values=[170, 171, 1700, 30, 160, 162, 168, 169])
    assert taught(study, analyse(study)) == ()
    assert (
        taught(driven_study("AB").with_(method="everyday"), analyse(driven_study("AB").with_(method="everyday"))) == ()
    )


def test_instruments_and_battery_by_hand():
    study = driven_study("AB").with_(vehicle=VAN.with_(usable_capacity_kwh=50))
    legs = [
        leg.with_(distance_km=18.8, gps_distance_km=18.4, soc_start_percent=80, soc_end_percent=74)
        for leg in study.legs
    ]
    study = study.with_(legs=tuple(legs))
    found = facts.facts_of(study, analyse(study), 7)
    again = [facts.from_record(facts.as_record(f), 7, "A study") for f in found]
    known = facts.known_facts(again, "ORRIN 1" if VAN.name == "Orrin 1" else VAN.name)
    assert known.distance_error_percent.value == pytest.approx(100 * (18.8 / 18.4 - 1))
    half = 1.959964 * facts.DISTANCE_SD / 2 * 100 * 18.8 / 18.4  # four legs
    assert known.distance_error_percent.interval[1] - known.distance_error_percent.value == pytest.approx(
        half, rel=0.01
    )
    assert known.steps == {"trip average, Wh/km": 0.1}
    energy = np.mean([170, 170, 161.5, 161.5]) * 18.8
    assert known.capacity_kwh.value == pytest.approx(energy / 0.06 / 1000, rel=0.02)
    # 18.4 km in 736 s are 90 km/h, as aimed; in 700 s they are 94.6.
    assert known.speed_error_percent.value == pytest.approx(0.0, abs=1e-6)
    faster = study.with_(legs=tuple(leg.with_(duration_s=700) for leg in study.legs))
    told = facts.known_facts(facts.facts_of(faster, analyse(faster)), VAN.name)
    assert told.speed_error_percent.value == pytest.approx(100 * (736 / 700 - 1), abs=1e-6)
    assert facts.known_facts(again, "Lorry") == facts.KnownFacts(None, None, {})
