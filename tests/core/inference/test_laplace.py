"""The linearised posterior against the exact one, sampled: on a windy day with a large change and next to no notes."""

import pytest
from tests.conftest import driven_study
from tests.sampled import compared
from tests.unlike import calm, on_legs


def test_a_windy_day_with_a_large_change():
    study = driven_study("ABBA", values=[165, 140, 240, 190, 236, 196, 166, 142], kind="towing")
    study = on_legs(study, lambda i, leg: {"wind_speed_ms": 7.0, "wind_from_deg": 20 * i})
    found = compared(study, {}, 1200, 1)
    assert found.independent > 40
    assert found.shift == pytest.approx(0.15, abs=0.25) and found.width == pytest.approx(1.0, abs=0.2)


def test_one_pair_without_weather_times_or_road():
    bare = calm("AB", route=())
    bare = on_legs(
        bare,
        lambda i, leg: {
            "wind_speed_ms": None, "wind_from_deg": None, "temperature_c": None, "pressure_hpa": None,
            "duration_s": None, "started_at": None, "climate": "",
        },
    )  # fmt: skip
    found = compared(bare, {}, 3500, 2)
    assert found.independent > 10
    assert found.shift == pytest.approx(0.0, abs=0.45) and found.width == pytest.approx(1.0, abs=0.35)
