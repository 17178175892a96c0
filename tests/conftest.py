"""Shared fixtures: an offscreen toolkit, settings of its own for every test, ready studies."""

import gc
import os
import time

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["TZ"] = "UTC"  # METAR are in UTC, the studies of the tests too
os.environ.setdefault("OPENBLAS_NUM_THREADS", "2")

from datetime import datetime, timedelta

import pytest
from hypothesis import settings

from fairmargin.core.study import RoutePoint, Study, Vehicle, new_study

# No test is timed: a busy machine is no counterexample.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


def pytest_configure(config):
    time.tzset()
    gc.set_threshold(100_000, 20, 100)  # what a whole run holds is not looked through at every turn


@pytest.fixture(autouse=True)
def own_home(tmp_path, monkeypatch):
    """No test reads or writes the settings or logbook of whoever runs it."""
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name.lower()))


VAN = Vehicle(
    name="Orrin 1",
    vehicle_class="van",
    mass_kg=1710,
    mass_sd_kg=20,
    drag_area_m2=0.83,
    drag_area_sd_m2=0.05,
    rolling_coefficient=0.0095,
    rolling_coefficient_sd=0.0008,
    drive_efficiency=0.88,
    regen_efficiency=0.6,
    auxiliary_w=300,
    usable_capacity_kwh=52,
    charging_efficiency=0.9,
)


def straight_route(length_m=18_400, heading_east=False):
    """A flat straight road, north or east."""
    return tuple(
        RoutePoint(
            distance_m=float(d),
            latitude=52.0 + (0 if heading_east else d / 111_250.0),
            longitude=0.1 + (d / 68_600.0 if heading_east else 0),
            elevation_m=10.0,
        )
        for d in range(0, length_m + 1, 200)
    )


def driven_study(
    order="ABBA", values=None, *, kind="aero covers", effect=0.95, method="out-and-back", **fields
) -> Study:
    """A calm, flat study in which every leg shows its configuration's consumption exactly (or `values`)."""
    study = new_study(title="A study", kind=kind, order=order, method=method, speed_kmh=90, vehicle=VAN)
    study = study.with_(**{"route": straight_route(), **fields})
    start = datetime(2026, 5, 2, 9, 0)
    for i, leg in enumerate(study.legs):
        shown = values[i] if values else 170.0 * (effect if leg.configuration == "B" else 1.0)
        study = study.with_leg(
            leg.leg,
            average_shown=shown,
            average_unit="Wh/km",
            average_step=0.1,
            distance_km=18.4,
            duration_s=736,
            started_at=start + timedelta(minutes=90 + 18 * i),
            temperature_c=15,
            pressure_hpa=1013.25,
            humidity_percent=60,
            wind_speed_ms=0,
            wind_from_deg=0,
            climate="off",
            road="dry",
        )
    return study


@pytest.fixture
def abba() -> Study:
    return driven_study()
