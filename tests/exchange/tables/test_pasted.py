"""What people paste: headers in their own words, names that the study lacks, columns that nobody asked for."""

from datetime import datetime

import pytest

from fairmargin.core.study import new_study
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.exchange.tables.pasted import apply_cells, read_cells

US = UNIT_CHOICES["us"]


def study(**fields):
    return new_study(title="Wheels", kind="wheels", order="AB", method="loop", speed_kmh=100).with_(**fields)


def taken(text, to=None, choice=US):
    pasted = read_cells(text)
    to = study() if to is None else to
    return pasted, apply_cells(to, pasted, pasted.roles, choice, to.legs[0].leg, datetime(2026, 5, 2))


@pytest.mark.parametrize(
    ("head", "role", "unit"),
    [
        ("Wh/mi", "reading", "Wh/mi"),
        ("mi/kWh", "reading", "mi/kWh"),
        ("Avg consumption", "reading", ""),
        ("Distance km", "distance_km", "km"),
        ("miles driven", "distance_km", ""),
        ("mins", "duration_s", "min"),
        ("Outside temp (F)", "temperature_c", "F"),
        ("Outside temperature", "temperature_c", ""),
        ("SOC start", "soc_start", ""),
        ("Start charge %", "soc_start", "%"),
        ("Battery at end", "soc_end", ""),
        ("Energy used (kWh)", "energy", "kWh"),
        ("Used (kWh)", "energy", "kWh"),
        ("Wind mph", "wind_speed_ms", "mph"),
        ("Weather", "", ""),
        ("Colour", "", ""),
    ],
)
def test_headers_in_peoples_own_words(head, role, unit):
    pasted = (
        read_cells(f"leg\t{head}\tdistance_km\nL01\t1\t2")
        if role != "distance_km"
        else read_cells(f"leg\t{head}\nL01\t1")
    )
    assert (pasted.roles[1], pasted.units[1]) == (role, unit)


def test_a_row_keeps_every_reading_and_unit():
    text = (
        "Wh/mi\tDistance km\tOutside temp (F)\tSOC start\tSOC end\tEnergy used (kWh)\n"
        "290\t32\t57\t82\t74\t5.8\n270\t32\t59\t74\t67\t5.4\n"
    )
    _, made = taken(text)
    assert made.changed == 2 and not made.faults and not made.unread
    leg = made.study.legs[0]
    assert (leg.average_shown, leg.average_unit, leg.distance_km, leg.energy_kwh) == (290, "Wh/mi", 32, 5.8)
    assert (leg.soc_start_percent, leg.soc_end_percent) == (82, 74)
    assert leg.temperature_c == pytest.approx((57 - 32) / 1.8)


def test_names_of_configurations_are_taken_and_told():
    _, made = taken("setup\tmi/kWh\tmiles\nSummer\t3.4\t20\nWinter\t3.1\t20\nStudded\t2.9\t20")
    assert [c.name for c in made.study.configurations] == ["Summer", "Winter", "Studded"]
    assert made.study.baseline.name == "Summer"
    assert made.named == ("“Summer” is the baseline", "“Winter” is the trial", "“Studded” is another trial")
    assert [leg.configuration for leg in made.study.legs if leg.has_reading] == [
        "A",
        "B",
        made.study.configurations[2].id,
    ]


def test_a_configuration_that_was_driven_keeps_its_name():
    driven = study().with_leg("L01", average_shown=15.0, average_unit="kWh/100km")
    _, made = taken("setup\tmi/kWh\tmiles\nSummer\t3.4\t20", driven)
    assert made.study.baseline.name == "Baseline" and made.named == ("“Summer” is the trial",)


def test_new_vehicles_are_taken_and_one_alone_is_the_studys():
    _, made = taken("car\tsetup\tWh/mi\tmiles\nBlue\tEmpty\t290\t20\nRed\tEmpty\t300\t20")
    assert [v.name for v in made.study.vehicles] == ["Blue", "Red"] and not made.faults
    _, made = taken("car\tsetup\tWh/mi\tmiles\nBlue\tEmpty\t290\t20\nBlue\tFull\t300\t20")
    assert made.study.vehicles == () and not made.faults and made.changed == 2


def test_rows_without_a_reading_are_told_before_anything_is_taken():
    _, made = taken("leg\tdistance_km\tOutside temp (F)\nL01\t18.4\t57")
    assert made.unread and made.changed == 1
    read = study().with_leg("L01", average_shown=15.0, average_unit="kWh/100km")
    assert not taken("leg\tdistance_km\tOutside temp (F)\nL01\t18.4\t57", read)[1].unread
