"""Every field of a leg, typed in any unit; asked about where the figures cannot belong together."""

from datetime import datetime

import pytest

from fairmargin.core.conditions.typed import (
    alike,
    doubt,
    leg_fields,
    more,
    needed_fields,
    read_climate,
    read_leg_field,
    read_on_the_way,
    show_leg_field,
)
from fairmargin.core.study import Configuration, Event, Leg, NamedVehicle, Study, Vehicle
from fairmargin.core.study.runs import driven_with, joined, moved, without_leg, without_run
from fairmargin.core.units import UNIT_CHOICES, plain

METRIC, US = UNIT_CHOICES["metric"], UNIT_CHOICES["us"]
DAY = datetime(2026, 5, 2, 9, 0)
LEG = Leg(leg="L01", run="R1", configuration="A", direction="out")
STUDY = Study(
    configurations=(Configuration(id="A", name="Off", baseline=True), Configuration(id="B", name="On")),
    vehicles=(NamedVehicle(id="V1", name="Orrin 1"), NamedVehicle(id="V2", name="Orrin 2")),
    legs=(LEG, LEG.with_(leg="L02", direction="back"), LEG.with_(leg="L03", run="R2", configuration="B")),
    events=(Event(leg="L03", kind="rain"),),
)


@pytest.mark.parametrize(
    ("key", "text", "choice", "column", "value"),
    [
        ("duration_s", "1:15:40", METRIC, "duration_s", 4540),
        ("duration_s", "75:40", METRIC, "duration_s", 4540),
        ("duration_s", "75.7 min", METRIC, "duration_s", 4542),
        ("stopped_s", "3", METRIC, "stopped_s", 180),
        ("stopped_with_car_on_s", "2:30", METRIC, "stopped_with_car_on_s", 150),
        ("temperature_c", "68 F", METRIC, "temperature_c", 20),
        ("temperature_c", "20 \u00b0C", US, "temperature_c", 20),
        ("climate", "68", US, "climate", "20"),
        ("climate", "68 F", METRIC, "climate", "20"),
        ("climate", "auto", US, "climate", "auto"),
        ("climate", "Off", METRIC, "climate", "off"),
        ("tyre_pressure_kpa", "36 psi", METRIC, "tyre_pressure_kpa", 248.2),
        ("tyre_pressure_kpa", "2,5", METRIC, "tyre_pressure_kpa", 250),
        ("speed_kmh", "62", US, "speed_kmh", 99.78),
        ("speed_held", "c", METRIC, "speed_held", "cruise"),
        ("road", "wet", METRIC, "road", "wet"),
        ("grid_kwh", "1700 Wh", METRIC, "grid_kwh", 1.7),
        ("grid_kwh", "0", METRIC, "grid_kwh", 0),
        ("sector", "the coast", METRIC, "sector", "the coast"),
        ("vehicle", "orrin 2", METRIC, "vehicle", "V2"),
        ("vehicle", "V1", METRIC, "vehicle", "V1"),
        ("mass_delta_kg", "-22 lb", METRIC, "mass_delta_kg", -9.98),
        ("fuel", "1.9", METRIC, "fuel_l", 1.9),
        ("humidity_percent", "60", METRIC, "humidity_percent", 60),
    ],
)  # fmt: skip
def test_a_field_is_read_and_shown_again_as_typed(key, text, choice, column, value):
    found = read_leg_field(key, text, choice, LEG, DAY, STUDY)[column]
    assert found == (value if isinstance(value, str) else pytest.approx(value, abs=0.05))
    leg = LEG.with_(**read_leg_field(key, text, choice, LEG, DAY, STUDY))
    shown = show_leg_field(key, leg, choice, STUDY)
    again = read_leg_field(key, shown, choice, LEG, DAY, STUDY)[column]
    assert again == (found if isinstance(found, str) else pytest.approx(found, rel=0.01))
    cleared = leg.with_(**read_leg_field(key, "", choice, leg, DAY, STUDY))
    assert show_leg_field(key, cleared, choice, STUDY) == ""


@pytest.mark.parametrize(
    ("key", "text", "words"),
    [
        ("climate", "warm", "expected off, auto"),
        ("road", "muddy", "expected dry, damp, wet or snow"),
        ("vehicle", "a third", "no vehicle of this study; expected V1, V2, Orrin 1, Orrin 2, test, control"),
        ("vehicle", "orrin", "no vehicle of this study"),
        ("speed_kmh", "90 kg", "not a unit of speed"),
        ("grid_kwh", "3 min", "not a unit of energy"),
        ("fuel", "3 gal", "gal-us"),
        ("soc", "71-82", "Charge rises only on the way back"),
    ],
)  # fmt: skip
def test_what_is_no_such_thing_is_refused_in_words(key, text, words):
    with pytest.raises(ValueError, match=words):
        read_leg_field(key, text, METRIC, LEG, DAY, STUDY)


def test_several_instruments_at_once_each_by_itself():
    found = read_leg_field("reading", "15.4; 82-71 %; 2.86 kWh", METRIC, LEG, DAY)
    assert (found["average_shown"], found["soc_end_percent"], found["energy_kwh"]) == (15.4, 71, 2.86)
    leg = LEG.with_(**found)
    assert show_leg_field("average", leg, METRIC) == "15.4"
    assert show_leg_field("soc", leg, METRIC) == "82-71"
    without = leg.with_(**read_leg_field("soc", "", METRIC, leg, DAY))
    assert (without.soc_start_percent, without.average_shown, without.energy_kwh) == (None, 15.4, 2.86)


def test_charge_may_rise_on_the_way_down():
    back = LEG.with_(direction="back")
    assert read_leg_field("soc", "83-86", METRIC, back, DAY)["soc_end_percent"] == 86
    climb = STUDY.with_(method="climb")
    assert read_leg_field("reading", "83-86 %", METRIC, LEG, DAY, climb)["soc_end_percent"] == 86


def test_readings_on_the_way():
    made = read_on_the_way("1.9 km 89 %; 4,0 km: 86 %", "L01", METRIC)
    assert [(r.at_km, r.value, r.unit, r.instrument) for r in made] == [
        (1.9, 89, "%", "state of charge"), (4.0, 86, "%", "state of charge"),
    ]  # fmt: skip
    study = STUDY.with_(readings=made)
    assert show_leg_field("on_the_way", LEG, METRIC, study) == "1.9 km 89 %; 4 km 86 %"
    assert show_leg_field("on_the_way", LEG, US, study) == "1.18 mi 89 %; 2.49 mi 86 %"
    with pytest.raises(ValueError, match="has no place"):
        read_on_the_way("1.45 km/kWh", "L01", METRIC)


def test_what_the_study_needs_is_open_and_what_is_filled_too():
    assert "vehicle" in needed_fields(STUDY)
    plain = STUDY.with_(vehicles=(), legs=tuple(x.with_(vehicle="") for x in STUDY.legs))
    assert needed_fields(plain) == ()
    filled = plain.with_leg("L01", climate="off", grid_kwh=0.0)
    assert needed_fields(filled) == ("climate", "grid_kwh")
    assert "soc" in needed_fields(plain.with_(method="climb"))
    both = plain.with_leg("L01", average_shown=15.4, average_unit="kWh/100km", energy_kwh=2.8)
    assert set(needed_fields(both)) == {"average", "energy"}


def test_figures_that_do_not_belong_together_are_asked_about():
    assert "3189 km/h" in plain(doubt(STUDY, LEG.with_(distance_km=18.6, duration_s=21)))
    assert doubt(STUDY, LEG.with_(distance_km=18.6, duration_s=740)) == ""
    assert "without a distance" in doubt(STUDY, LEG.with_(average_shown=15, average_unit="kWh/100km"))
    battery = STUDY.with_(vehicle=Vehicle(usable_capacity_kwh=52))
    odd = LEG.with_(distance_km=176, energy_kwh=31, soc_start_percent=82, soc_end_percent=41)
    assert "battery of 76 kWh, not 52" in doubt(battery, odd)
    assert doubt(STUDY.with_(vehicle=Vehicle(usable_capacity_kwh=76)), odd) == ""


def test_every_field_has_a_caption_or_a_tip_and_what_is_alike_is_a_field():
    assert set(alike()) <= set(leg_fields())
    assert set(more()) | {"reading"} <= set(leg_fields())
    assert all(f.caption or f.tip for f in leg_fields().values())
    assert read_climate("auto 21", METRIC) == "21"


def test_runs_are_removed_moved_joined_and_given_another_configuration():
    assert [x.leg for x in without_run(STUDY, "R1").legs] == ["L03"]
    assert without_run(STUDY, "R2").events == ()
    assert [x.leg for x in without_leg(STUDY, "L02").legs] == ["L01", "L03"]
    assert [x.leg for x in moved(STUDY, "R2", -1).legs] == ["L03", "L01", "L02"]
    assert moved(STUDY, "R2", 5).legs == STUDY.legs
    assert [x.configuration for x in driven_with(STUDY, "R1", "B").legs] == ["B", "B", "B"]
    one = joined(STUDY, "R1")
    assert [(x.leg, x.direction) for x in one.legs] == [("L01", "loop"), ("L03", "out")]
    read = STUDY.with_leg("L01", fuel_l=1.0).with_leg("L02", fuel_l=1.0)
    with pytest.raises(ValueError, match="readings of their own"):
        joined(read, "R1")


@pytest.mark.parametrize(("text", "seconds"), [("84 km/h", 1714.3), ("50 mph", 1789.5), ("80,5 kmh", 1788.8)])
def test_a_mean_speed_stands_for_the_time(text, seconds):
    """As displays show it: 40 km at 84 km/h take 40/84 h."""
    leg = LEG.with_(distance_km=40.0)
    assert read_leg_field("duration_s", text, METRIC, leg, DAY, STUDY)["duration_s"] == pytest.approx(seconds, abs=0.5)


def test_a_mean_speed_without_a_distance_asks_for_it():
    with pytest.raises(ValueError, match="without a distance"):
        read_leg_field("duration_s", "84 km/h", METRIC, LEG.with_(distance_km=None), DAY, STUDY)
    with pytest.raises(ValueError, match="no mean speed"):
        read_leg_field("duration_s", "900 km/h", METRIC, LEG.with_(distance_km=40.0), DAY, STUDY)
