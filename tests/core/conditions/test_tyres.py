"""Tyre pressures that differ: how much of it is the weather's."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.units import plain

ONCE = "what 15 K do to tyres that were set once"


@pytest.mark.parametrize(
    "trial_kpa, trial_c, said",
    [
        (232.0, 5.0, f"It is {ONCE}"),  # (250 + 101.3) · 278.15 / 293.15 − 101.3
        (205.0, 5.0, f"18 kPa of it are {ONCE}"),  # and 27 have leaked
        (270.0, 5.0, ""),  # harder although colder: somebody pumped
        (232.0, 20.0, ""),
    ],
)
def test_what_the_weather_did_to_the_pressure_is_said(trial_kpa, trial_c, said):
    study = driven_study("ABBA")
    legs = [
        x.with_(tyre_pressure_kpa=250.0, temperature_c=20.0)
        if x.configuration == "A"
        else x.with_(tyre_pressure_kpa=trial_kpa, temperature_c=trial_c)
        for x in study.legs
    ]
    (found,) = [c for c in analyse(study.with_legs(legs)).concerns if c.code == "tyre-pressure-unlike"]
    assert said in plain(found.message) and ("set once" in found.message) is bool(said)
