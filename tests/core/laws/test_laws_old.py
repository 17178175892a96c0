"""Air, wind, route and road load against references outside the project."""

import numpy as np
import pytest
from CoolProp.HumidAirProp import HAPropsSI
from geographiclib.geodesic import Geodesic

from fairmargin.core.laws import aero, air, rolling, route, wind


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


def test_height_factor_is_the_logarithmic_profile():
    # Common practice: about two thirds of a 10 m wind blows at the car over open land; less between hedges.
    assert wind.height_factor(10, "open") == pytest.approx(0.67, abs=0.005)
    assert wind.height_factor(10, "hedges") < 0.6
    assert wind.height_factor(1.0, "open") == pytest.approx(1.0)
    with pytest.raises(ValueError, match="must be above"):
        wind.height_factor(0.01, "open")


@pytest.mark.parametrize(
    "from_deg, heading_deg, head, cross",
    [(0, 0, 5, 0), (180, 0, -5, 0), (90, 0, 0, 5), (45, 45, 5, 0), (0, 90, 0, -5)],
)
def test_wind_is_resolved_along_and_across(from_deg, heading_deg, head, cross):
    north, east = wind.from_vector(5.0, from_deg)
    along, across = wind.along_and_across(north, east, np.radians(heading_deg))
    assert (float(along), float(across)) == pytest.approx((head, cross), abs=1e-12)


@pytest.mark.parametrize("azimuth", [3.0, 77.0, 181.0, 290.0])
@pytest.mark.parametrize("latitude", [-35.0, 2.0, 52.0, 66.0])
def test_headings_match_geographiclib(azimuth, latitude):
    # Reference: geographiclib, geodesic of 200 m on WGS 84.
    end = Geodesic.WGS84.Direct(latitude, 12.0, azimuth, 200.0)
    ours = np.degrees(route.headings_rad([latitude, end["lat2"]], [12.0, end["lon2"]]))[0]
    assert ours == pytest.approx(azimuth, abs=0.01)


def test_headings_cross_the_date_line():
    assert np.degrees(route.headings_rad([10, 10], [179.999, -179.999]))[0] == pytest.approx(90, abs=0.01)


def test_route_keeps_length_and_slope():
    s = np.arange(0, 5001, 100.0)
    shape = route.route_shape(s, None, None, 20 + 0.02 * s)
    assert shape.total_m == pytest.approx(5000)
    assert np.sin(shape.slope_rad) == pytest.approx(0.02, rel=1e-6)
    assert np.isnan(shape.heading_rad).all()
    assert shape.reversed().slope_rad == pytest.approx(-shape.slope_rad[::-1])


def test_noisy_heights_are_smoothed_before_they_become_slopes():
    rng = np.random.default_rng(5)
    s = np.arange(0, 10_001, 50.0)
    noisy = route.route_shape(s, None, None, rng.normal(0, 1.0, s.size))
    raw = np.diff(rng.normal(0, 1.0, s.size)) / 50.0
    assert noisy.slope_rad.std() < 0.5 * raw.std()


def test_a_route_that_goes_back_is_refused():
    with pytest.raises(ValueError, match="increasing"):
        route.route_shape([0, 100, 90], None, None, None)


def test_pure_head_wind_by_hand():
    # By hand: 25 m/s with 5 m/s against: ½ · 1.2 · (25 + 5)² = 540 N per m² of drag area, no yaw, no gusts.
    term = aero.aero_term(25.0, 5.0, 0.0, 0.0, 1.2, 0.012)
    assert float(term.value) == pytest.approx(540.0, rel=1e-4)


def test_cross_wind_raises_drag_by_the_yaw_slope():
    # By hand: air speed √(25² + 5²) = 25.495, times 25, times (1 + 0.012 · 11.31°), times 0.6.
    term = aero.aero_term(25.0, 0.0, 5.0, 0.0, 1.2, 0.012)
    assert float(term.value) == pytest.approx(0.6 * 25.495 * 25 * (1 + 0.012 * 11.31), rel=1e-3)


@pytest.mark.parametrize("head, cross", [(0.0, 3.0), (4.0, -2.0), (-6.0, 1.0), (1.0, 12.0)])
def test_aero_derivatives_match_finite_differences(head, cross):
    def value(h, c, s):
        return float(aero.aero_term(27.0, h, c, 0.8, 1.2, s).value)

    term = aero.aero_term(27.0, head, cross, 0.8, 1.2, 0.012)
    d = 1e-5
    assert float(term.by_head) == pytest.approx(
        (value(head + d, cross, 0.012) - value(head - d, cross, 0.012)) / 2 / d, rel=2e-3
    )
    assert float(term.by_cross) == pytest.approx(
        (value(head, cross + d, 0.012) - value(head, cross - d, 0.012)) / 2 / d, rel=2e-3, abs=0.02
    )
    assert float(term.by_yaw_slope) == pytest.approx(
        (value(head, cross, 0.0121) - value(head, cross, 0.0119)) / 2e-4, rel=1e-4
    )


def test_tyres_follow_the_temperature():
    # Common practice: C_rr falls by about 0.6 % per kelvin.
    assert float(
        rolling.temperature_factor(10.0).value / rolling.temperature_factor(20.0).value
    ) == pytest.approx(1.06, abs=0.003)
