"""Headings, slopes and places along a road."""

import numpy as np
import pytest
from geographiclib.geodesic import Geodesic

from fairmargin.core.laws import route


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
