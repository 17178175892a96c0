"""A unit typed into any field is converted or refused, never dropped."""

from datetime import datetime

import pytest
from tests.conftest import driven_study
from tests.desktop.conftest import type_into

from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.tables.pasted import apply_cells, read_cells

# Factors: NIST SP 811 (2008), Appendix B. Stage, field, what is typed, where it is stored, value.
PAGES = ("day", "load", "weather")
MONEY = ("price", "yearly", "purchase")
TYPED = [
    ("question", "v_auxiliary_w", "1.2 kW", "vehicle.auxiliary_w", 1200.0),
    ("question", "v_drag_area_m2", "8.9 ft2", "vehicle.drag_area_m2", 8.9 * 0.3048**2),
    ("question", "v_usable_capacity_kwh", "52000 Wh", "vehicle.usable_capacity_kwh", 52.0),
    ("question", "v_charging_efficiency", "90 %", "vehicle.charging_efficiency", 0.9),
    ("question", "v_rolling_coefficient", "9,5 kg/t", "vehicle.rolling_coefficient", 0.0095),
    ("question", "v_distance_error_percent", "1.9 %", "vehicle.distance_error_percent", 1.9),
    ("question", "mast", "33 ft", "wind.measured_at_m", 33 * 0.3048),
    ("question", "station", "12,5 mi", "wind.station_km", 12.5 * 1.609344),
    ("question", "confidence", "90 %", "confidence", 0.9),
    ("expected", "auxiliary_w", "0,4 kW", "plan.auxiliary_w", 400.0),
    ("load", "water_l", "133 gal-us", "plan.load.water_l", 133 * 3.785411784),
    ("load", "axle_to_coupling_m", "455 cm", "plan.load.axle_to_coupling_m", 4.55),
    ("day", "travel", "1.5 h", "plan.travel_min", 90.0),
    ("day", "kw", "11000 W", "plan.charger_kw", 11.0),
    ("weather", "wind_speed_ms", "18 km/h", "plan.forecast.wind_speed_ms", 5.0),
    ("weather", "limit_gust_ms", "20 kn", "plan.limits.gust_ms", 20 * 1852 / 3600),
    ("weather", "limit_coldest_c", "41 F", "plan.limits.coldest_c", 5.0),
    ("weather", "limit_temperature_spread_k", "9 \u00b0F", "plan.limits.temperature_spread_k", 5.0),
    ("use", "capacity", "50 kWh", "vehicle.usable_capacity_kwh", 50.0),
]
REFUSED = [
    ("question", "v_auxiliary_w", "1.2 kWh", "expected one of W, kW"),
    ("question", "v_drag_area_m2", "0.8 m", "expected one of m\u00b2"),
    ("question", "mast", "10 m/s", "expected one of m,"),
    ("question", "station", "20 min", "expected one of km"),
    ("question", "smallest", "1 km", "expected one of %"),
    ("load", "water_l", "133 gal", "gal-us"),
    ("load", "water_l", "133 kg", "expected one of L"),
    ("use", "price", "30 ct", "expected one of"),
    ("use", "reserve", "10 km", "expected one of %"),
]


def field_of(window, stage, key):
    if stage == "expected":
        window.go_to("question")
        return window.stage("question").expected.fields[key]
    window.go_to("plan" if stage in PAGES else stage)
    made = window.stage("plan" if stage in PAGES else stage)
    if stage in PAGES:
        made.show_page(stage)
        return made.pages[stage].fields[key]
    if stage == "use":
        page = "money" if key in MONEY else "range"
        made.show_page(page)
        return getattr(made.pages[page], key)
    return made.fields[key]


def stored(study, path):
    for name in path.split("."):
        study = getattr(study, name)
    return study


def put(field, text):
    field.edit.setText(text)
    field.edit.setModified(True)
    field.edit.editingFinished.emit()


def test_a_unit_typed_is_converted_in_every_field(opened):
    for stage, key, text, path, value in TYPED:
        field = field_of(opened, stage, key)
        put(field, text)
        assert not field.has_fault, (key, field.fault.text())
        assert stored(opened.session.study, path) == pytest.approx(value, rel=1e-6), key


def test_a_unit_that_does_not_fit_is_refused_at_the_field(opened, qtbot):
    before = opened.session.study
    for stage, key, text, words in REFUSED:
        field = field_of(opened, stage, key)
        put(field, text)
        assert field.has_fault and words in field.fault.text(), (key, field.fault.text())
    assert opened.session.study == before
    opened.go_to("question")
    mast = opened.stage("question").fields["mast"]
    type_into(qtbot, mast, "33 ft")  # and typed as a person does
    assert opened.session.study.wind.measured_at_m == pytest.approx(10.0584)


def test_units_of_pasted_headers_are_converted_whatever_the_person_uses():
    study = driven_study("AB", values=[170.0] * 4)
    text = "Leg\tDistance (mi)\tTime [s]\tAir (\u00b0F)\tAverage (mi/kWh)\nL01\t11,4\t740\t59\t3.4"
    for choice in UNIT_CHOICES.values():
        made = apply_cells(study, pasted := read_cells(text), pasted.roles, choice, "L01", datetime(2026, 5, 2))
        leg = made.study.leg("L01")
        assert made.changed == 1 and not made.faults and not made.added
        assert leg.distance_km == pytest.approx(11.4 * 1.609344)
        assert leg.duration_s == 740 and leg.temperature_c == pytest.approx(15.0)
        assert (leg.average_shown, leg.average_unit) == (3.4, "mi/kWh")
    said = read_cells("leg\tdistance_km\ttemperature_c\nL01\t18.4\t20")
    leg = apply_cells(study, said, said.roles, UNIT_CHOICES["us"], "L01", datetime(2026, 5, 2)).study.leg("L01")
    assert leg.distance_km == 18.4 and leg.temperature_c == 20
    odd = read_cells("leg\tdistance (furlongs)\nL01\t18.4")
    faults = apply_cells(study, odd, odd.roles, UNIT_CHOICES["metric"], "L01", datetime(2026, 5, 2)).faults
    assert "furlongs" in faults[0][2] and "expected one of km, mi, m" in faults[0][2]
