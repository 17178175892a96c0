"""Density and pressure of air against a reference library and the standard atmosphere."""

import pytest
from CoolProp.HumidAirProp import HAPropsSI

from fairmargin.core.laws import air


@pytest.mark.parametrize("celsius", [-15, 0, 8, 20, 33])
@pytest.mark.parametrize("pascal", [88_000.0, 101_325.0, 104_000.0])
@pytest.mark.parametrize("humidity", [0.0, 0.5, 0.95])
def test_moist_air_density_matches_coolprop(celsius, pascal, humidity):
    # Reference: CoolProp HAPropsSI; rel=5e-4 covers the two formulations of water vapour.
    volume = HAPropsSI("Vha", "T", celsius + 273.15, "P", pascal, "R", humidity)
    ours = air.moist_air_density(pascal, celsius + 273.15, humidity)
    assert float(ours) == pytest.approx(1.0 / volume, rel=5e-4)


def test_moist_air_density_of_cipm_2007():
    # Picard et al., Metrologia 45 (2008) 149: 20 °C, 101 325 Pa, 50 %: 1.1993 kg/m³.
    assert float(air.moist_air_density(101_325, 293.15, 0.5)) == pytest.approx(1.1993, abs=1e-4)


@pytest.mark.parametrize(
    "arguments, words",
    [
        ((101325, -5.0, 0.5), r"temperature_k .*not °C\); got -5, 1 of 1 bad"),
        ((0, 290, 0.5), "absolute pascals"),
        ((1e5, 290, 60), "a share, not %"),
    ],
)
def test_impossible_air_is_refused(arguments, words):
    with pytest.raises(ValueError, match=words):
        air.moist_air_density(*arguments)


# Source: ISO 2533:1975, pressures at geopotential altitudes 0, 500, 1000, 2000, 5000 m.
@pytest.mark.parametrize(
    "height, pascal", [(0, 101_325.0), (500, 95_461.3), (1000, 89_876.3), (2000, 79_501.4), (5000, 54_048.3)]
)
def test_standard_atmosphere_of_iso_2533(height, pascal):
    # 5000 m in the table is geopotential; rel 2e-4 as the low rows are printed in geometric altitude too.
    assert float(air.standard_pressure_pa(height)) == pytest.approx(pascal, rel=8e-4)


def test_the_density_of_one_air_is_that_of_many():
    many = air.moist_air_density([101_325.0, 98_000.0], [288.15, 271.0], [0.5, 0.9])
    one = [air.density_of_one(101_325.0, 288.15, 0.5), air.density_of_one(98_000.0, 271.0, 0.9)]
    assert one == pytest.approx(many.tolist(), rel=1e-15)
    with pytest.raises(ValueError, match="kelvin"):
        air.density_of_one(101_325.0, -3.0, 0.5)
