"""Figures of any of a study's vehicles, typed where those of the one vehicle are."""

from tests.conftest import driven_study
from tests.desktop.conftest import type_into

from fairmargin.core.study import Vehicle
from fairmargin.core.study.vehicle import NamedVehicle


def two_vehicles():
    study = driven_study("ABBA")
    first = NamedVehicle(id="V1", **(study.vehicle.model_dump() | {"name": "Orrin 1"}))
    other = NamedVehicle(id="V2", name="Bakery 2", energy="diesel", vehicle_class="van")
    legs = tuple(leg.with_(vehicle="V1" if i < 4 else "V2") for i, leg in enumerate(study.legs))
    return study.with_(vehicles=(first, other), legs=legs)


def test_each_vehicle_has_all_its_figures(qtbot, window):
    window.session.add_study(two_vehicles())
    window.go_to("question")
    panel = window.stage("question").vehicle
    assert panel.which.isVisibleTo(panel) and [panel.which.itemText(i) for i in range(2)] == ["Orrin 1", "Bakery 2"]
    before = window.session.study.vehicles[0]
    panel.which.setCurrentIndex(1)
    panel.which.activated.emit(1)
    assert panel.fields["v_name"].edit.text() == "Bakery 2"
    assert panel.boxes["v_energy"].currentText() == "diesel"
    assert panel.fields["v_tank_l"].isVisibleTo(panel) and not panel.fields["v_usable_capacity_kwh"].isVisibleTo(panel)
    type_into(qtbot, panel.fields["v_drag_area_m2"], "12.9 ft2")
    type_into(qtbot, panel.fields["v_tank_l"], "70")
    panel.boxes["v_class"].textActivated.emit("light truck")
    first, other = window.session.study.vehicles
    assert first == before
    assert abs(other.drag_area_m2 - 12.9 * 0.3048**2) < 1e-9
    assert (other.tank_l, other.vehicle_class) == (70.0, "light truck")
    # The study's own vehicle, which no leg names, is neither offered nor changed.
    assert window.session.study.vehicle == two_vehicles().vehicle
    assert panel.which.currentText() == "Bakery 2", "an edit stays with the vehicle chosen"


def test_a_fuel_by_its_name_at_the_pump(qtbot, window):
    """E10 has a tenth of ethanol: 0.9 · 8.9 + 0.1 · 5.89 = 8.60 kWh/L."""
    window.session.add_study(driven_study("ABBA").with_(vehicle=Vehicle(energy="petrol")))
    window.go_to("question")
    field = window.stage("question").vehicle.fields["v_heating_value_wh_per_l"]
    type_into(qtbot, field, "E10")
    assert window.session.study.vehicle.heating_value == 8599.0 and field.edit.text() == "8599"
    type_into(qtbot, field, "E500")
    assert field.fault.text() and window.session.study.vehicle.heating_value == 8599.0


def test_vehicles_of_one_model_are_said_to_be(qtbot, window):
    study = two_vehicles().with_(method="side-by-side")
    window.session.add_study(study)
    window.go_to("question")
    tick = window.stage("question").vehicles.alike
    assert tick.isVisibleTo(window.stage("question")) and not tick.isChecked()
    tick.click()
    assert window.session.study.circumstances.vehicles == "alike"
    tick.click()
    assert window.session.study.circumstances.vehicles is None
    window.session.edit(study.with_(change=study.change.with_(subject="vehicle")), "ask of the vehicles")
    assert not tick.isVisibleTo(window.stage("question")), "what they differ by is the answer there"


def test_a_study_of_one_vehicle_offers_no_choice(qtbot, window):
    window.session.add_study(driven_study("ABBA"))
    window.go_to("question")
    panel = window.stage("question").vehicle
    assert not panel.which.isVisibleTo(panel)
    type_into(qtbot, panel.fields["v_name"], "Orrin 9")
    assert window.session.study.vehicle == Vehicle(**(driven_study("ABBA").vehicle.model_dump() | {"name": "Orrin 9"}))
