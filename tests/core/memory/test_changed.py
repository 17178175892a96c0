"""What two studies of one question do not have alike."""

import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.memory.differences import changed
from fairmargin.core.memory.findings import BETWEEN, findings
from fairmargin.core.memory.network import joined
from fairmargin.core.study import Change, Configuration, NamedVehicle
from fairmargin.core.study.statements import Asked, Side
from fairmargin.core.units import plain


def noted(study, **values):
    return study.with_(legs=tuple(leg.with_(**values) for leg in study.legs))


def test_alike_is_not_told():
    assert changed(driven_study("ABBA"), driven_study("ABBA")) == ()
    assert changed(driven_study("ABBA"), noted(driven_study("ABBA"), temperature_c=16)) == ()


def test_what_changed_is_told_with_both_sides():
    before = driven_study("ABBA")
    after = noted(
        driven_study("AB", route_name="Mill Lane", target_speed_kmh=100), temperature_c=3, tyre_pressure_kpa=270, climate="20", road="wet",
    )  # fmt: skip
    words = {d.what: (plain(d.before), plain(d.after)) for d in changed(before, after)}
    assert words["air"] == ("15 °C", "3 °C")
    assert words["tyre pressure"] == ("not noted", "270 kPa")
    assert words["climate"] == ("off", "20 °C")
    assert words["state of the road"] == ("dry", "wet")
    assert words["order"] == ("ABBA", "AB")
    assert words["speed"] == ("90 km/h", "100 km/h")
    assert words["road"] == ("not noted", "Mill Lane")
    assert words["runs"] == ("4", "2")
    assert "wind" not in words


def test_findings_of_a_study_and_the_names_they_join_by():
    study = driven_study("ABBA")
    (f,) = findings(study, analyse(study), 3)
    c = analyse(study).comparisons[0]
    assert (f.study, f.vehicle, f.speed_kmh, f.verdict) == (3, study.vehicle.name, 90.0, c.verdict)
    assert f.percent == c.effect_percent
    assert f.interval_percent == (
        pytest.approx(c.interval_percent[0], abs=0.1), pytest.approx(c.interval_percent[1], abs=0.1)
    )  # fmt: skip
    legs = {x.leg: c.errors[f"leg {x.leg}"] for x in study.legs}
    assert all((legs[x.leg] > 0) == (x.configuration == "B") for x in study.legs), (
        "a baseline leg that took more makes the effect less"
    )
    assert sum(legs.values()) == pytest.approx(0.0, abs=1e-3)
    # Names that say nothing are not taken for another study's.
    assert (f.baseline, f.trial) == ("Baseline (A study)", "Trial (A study)")
    named = study.with_(
        configurations=(Configuration(id="A", name="Discs off", baseline=True), Configuration(id="B", name="Discs on"))
    )
    (f,) = findings(named, analyse(named))
    assert (f.baseline, f.trial) == ("Discs off", "Discs on")
    assert sum(v * v for v in f.errors.values()) < f.sd**2
    assert all(not k.startswith(("#", "leg")) for k in f.errors), "of one trial, only what others may share is kept"


def test_a_vehicle_without_a_name_may_be_any_vehicle():
    """Two studies of vehicles that nobody named are not joined, whatever their configurations are called."""
    sides = (Configuration(id="A", name="Discs off", baseline=True), Configuration(id="B", name="Discs on"))
    study = driven_study("ABBA").with_(configurations=sides)
    nameless = [study.with_(vehicle=study.vehicle.with_(name=""), title=f"Study {i}") for i in (1, 2)]
    found = [f for i, s in enumerate(nameless) for f in findings(s, analyse(s), i)]
    assert [len(j.studies) for j in joined(found, "")[0]] == [1, 1]
    named = [s.with_(vehicle=study.vehicle.with_(name="Orrin 1")) for s in nameless]
    found = [f for i, s in enumerate(named) for f in findings(s, analyse(s), i)]
    assert [len(j.studies) for j in joined(found, "Orrin 1")[0]] == [2]


def test_vehicles_against_each_other_are_a_group_of_their_own():
    vehicles = tuple(
        NamedVehicle(id=i, **VAN.with_(name=n).model_dump(by_alias=True))
        for i, n in (("one", "Orrin 1"), ("two", "Orrin 2"))
    )
    legs = tuple(
        leg.with_(vehicle="two" if leg.configuration == "B" else "one", configuration="A")
        for leg in driven_study("ABBA", effect=1.06).legs
    )
    study = driven_study("ABBA").with_(
        vehicles=vehicles, legs=legs, configurations=(Configuration(id="A", baseline=True),), change=Change(subject="vehicle")
    )  # fmt: skip
    (f,) = findings(study, analyse(study))
    assert (f.vehicle, f.baseline, f.trial) == (BETWEEN, "Orrin 1", "Orrin 2")
    assert f.percent == pytest.approx(6, abs=1.5)


def test_trials_of_one_study_share_their_baseline():
    """Two trials against one baseline of a study err alike by what the baseline's legs did."""
    from fairmargin.core.memory.network import shared_errors

    study = driven_study("ABBA")
    third = tuple(
        leg.with_(leg=f"X{i}", run=f"X{i // 2}", configuration="C")
        for i, leg in enumerate(study.legs)
        if leg.configuration == "B"
    )
    study = study.with_(
        configurations=(*study.configurations, Configuration(id="C", name="Other")), legs=(*study.legs, *third),
        change=Change(kind="aero covers", mechanism="aerodynamic"),
    )  # fmt: skip
    found = findings(study, analyse(study), 1)
    # A comparison that somebody asked for follows from these two; it is no third.
    wanted = Asked(baseline=Side(configuration="B", speed_kmh=90), trial=Side(configuration="C", speed_kmh=90))
    more = study.with_(also_compared=(wanted,))
    assert len(analyse(more).comparisons) == 3
    assert [(f.baseline, f.trial) for f in findings(more, analyse(more), 1)] == [(f.baseline, f.trial) for f in found]
    cov = shared_errors(found)
    assert 0.3 < cov[0, 1] / (found[0].sd * found[1].sd) < 0.7, "half of the scatter is the baseline's"
