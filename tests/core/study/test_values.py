"""Study values are immutable, refuse the impossible in words, and change only as new values."""

import pytest
from pydantic import ValidationError
from tests.conftest import driven_study

from fairmargin.core.kinds import change_kind
from fairmargin.core.orders import ORDERS, drift_left
from fairmargin.core.study import CLASS_PRESETS, Configuration, Leg, Study, Vehicle, new_study


def test_values_cannot_be_changed_in_place(abba):
    with pytest.raises(ValidationError, match="frozen"):
        abba.title = "x"
    with pytest.raises(ValidationError, match="frozen"):
        abba.legs[0].distance_km = 1.0
    changed = abba.with_leg("L01", distance_km=1.0)
    assert changed.leg("L01").distance_km == 1.0 and abba.leg("L01").distance_km == 18.4


@pytest.mark.parametrize(
    "changes, words",
    [
        ({"distance_km": -1}, "-1 is not possible; expected 0.05 to 1000000 km"),
        ({"temperature_c": 95}, "expected -50 to 60 °C"),
        ({"pressure_hpa": 29.92}, r"expected 500 to 1100 hPa \(at the place, not a gauge\)"),
        ({"climate": "50"}, "50 °C is not a cabin setting"),
        ({"average_unit": None}, "average_unit is missing"),
        ({"stopped_s": 5000}, "is not shorter than duration_s"),
        ({"leg": "a/b"}, "is not a leg name"),
        ({"distance_km": float("nan")}, "finite"),
    ],
)
def test_impossible_legs_are_refused(abba, changes, words):
    with pytest.raises(ValidationError, match=words):
        abba.with_leg("L01", **changes)


@pytest.mark.parametrize("order, legs", [("ABBA", 8), ("AB", 4), ("abba ABBA", 16)])
def test_a_new_study_is_laid_out_as_driven(order, legs):
    study = new_study(title="t", kind="tyres", order=order)
    assert len(study.legs) == legs and {leg.state for leg in study.legs} == {"planned"}
    assert [leg.direction for leg in study.legs[:2]] == ["out", "back"]
    assert study.change.mechanism == "rolling" == change_kind("tyres").mechanism
    loop = new_study(title="t", kind="tyres", order=order, method="loop")
    assert len(loop.legs) == legs // 2


def test_a_bad_order_is_refused():
    with pytest.raises(ValueError, match="expected the letters A and B, such as ABBA"):
        new_study(title="t", kind="tyres", order="A-C")


def test_states_of_a_leg():
    leg = Leg(leg="L", configuration="A")
    assert leg.state == "planned"
    assert leg.with_(fuel_l=1.0).state == "driven"
    assert leg.with_(soc_start_percent=80.0).state == "planned"  # half a reading is none
    assert leg.with_(fuel_l=1.0, included=False).state == "left out"


def test_configurations_are_checked():
    with pytest.raises(ValidationError, match="exactly one configuration"):
        Study(configurations=(Configuration(id="A"),))
    with pytest.raises(ValidationError, match="ids must differ"):
        Study(configurations=(Configuration(id="A", baseline=True), Configuration(id="A")))


@pytest.mark.parametrize("name", CLASS_PRESETS)
def test_missing_constants_come_from_the_class_and_are_named(name):
    constants = Vehicle(vehicle_class=name).constants()
    assert constants.drag_area_m2 == CLASS_PRESETS[name]["drag_area_m2"][0]
    assert {"mass_kg", "drag_area_m2", "rolling_coefficient"} <= set(constants.assumed)
    # wide on purpose: at least a tenth
    assert constants.drag_area_sd_m2 >= 0.1 * constants.drag_area_m2
    known = Vehicle(vehicle_class=name, mass_kg=1500.0).constants()
    assert known.mass_kg == 1500 and "mass_kg" not in known.assumed


def test_a_fuel_vehicle_has_a_heat_engine():
    constants = Vehicle(energy="diesel").constants()
    assert constants.regen_efficiency == 0 and constants.drive_efficiency < 0.4
    assert constants.heating_value_wh_per_l == pytest.approx(9970)


def test_orders_offered_keep_what_they_promise():
    assert drift_left("ABBA") == drift_left("BAAB") == drift_left("ABBAABBA") == 0
    assert drift_left("ABAB") == pytest.approx(1 / 3)
    assert set(ORDERS) == {"ABBA", "BAAB", "ABBAABBA", "ABAB", "AABB"}


def test_runs_keep_the_order_of_the_file():
    study = driven_study("ABBA")
    assert [run for run, _ in study.runs()] == ["R1", "R2", "R3", "R4"]
    assert [leg.leg for leg in study.runs()[1][1]] == ["L03", "L04"]


def test_a_leg_is_found_by_its_name_in_every_copy(abba):
    first, second = abba.legs[0].leg, abba.legs[1].leg
    assert abba.leg(second) is abba.legs[1]
    assert abba.with_leg(second, note="rain").leg(second).note == "rain" and abba.leg(second).note == ""
    other = abba.model_copy(update={"legs": (abba.legs[0].with_(note="dry"),)})
    assert other.leg(first).note == "dry"
    with pytest.raises(KeyError):
        other.leg(second)
    assert abba == abba.with_(title=abba.title) and "named_legs" not in abba.model_dump()
