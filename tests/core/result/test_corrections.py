"""Each ledger line against a case solved by hand on a straight flat road (or an even slope)."""

import math

import pytest
from tests.conftest import VAN, driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions import registry
from fairmargin.core.study import RoutePoint

# Constants of the van of conftest; gusts of a calm day (0.27 m/s) are in the drag of both sides.
MASS, DRAG, ROLLING, ETA, REGEN = 1710.0, 0.83, 0.0095, 0.88, 0.6


def density(celsius, hectopascal=1013.25):
    """Ideal mixture at 60 % humidity with the Magnus vapour pressure: within 0.1 % of CIPM-2007."""
    vapour = 0.6 * 611.2 * math.exp(17.62 * celsius / (243.12 + celsius))
    kelvin = celsius + 273.15
    return (100 * hectopascal - vapour) / (287.05 * kelvin) + vapour / (461.5 * kelvin)


def wh_per_km(kmh=90.0, celsius=15.0, hectopascal=1013.25, climate_k=0.0, mass=MASS, tyre=1.0, slope=0.0, head=0.0):
    """Energy per distance at a steady speed, from the textbook road load."""
    v = kmh / 3.6
    u = v + head
    yaw = math.degrees(math.atan2(0.8 * 0.27, u))
    air = 0.5 * density(celsius, hectopascal) * DRAG * (1 + 0.012 * yaw) * (u * u + 0.27**2)
    roll = mass * 9.80665 * ROLLING * math.exp(-0.006 * (celsius - 20)) * tyre**-0.4
    force = air + roll + mass * 9.80665 * slope
    battery = force / ETA if force > 0 else force * REGEN
    return (battery + (300 + 55 * climate_k) / v) * math.exp(0.0007 * (15 - celsius)) / 3.6


def warmed(study):
    """The same study after a warm-up drive, told as a leg that is left out."""
    from datetime import timedelta

    first = study.legs[0]
    warm_up = first.with_(
        leg="W", run="W", included=False, reason="warm-up", duration_s=3600,
        started_at=first.started_at - timedelta(minutes=65), average_shown=None, average_unit=None, average_step=None,
    )  # fmt: skip
    return study.with_legs((warm_up, *study.legs))


# What differs on the second run of each pair, in the model of this page and in the study.
CASES = {
    "speed": ({"kmh": 96.0}, {"duration_s": 690}),
    "air_density": ({"hectopascal": 960.0}, {"pressure_hpa": 960.0}),
    "climate": ({"climate_k": 8.0}, {"climate": "23"}),
    "mass": ({"mass": MASS + 200}, {"mass_delta_kg": 200.0}),
}


@pytest.mark.parametrize("line", CASES)
def test_a_line_is_what_the_hand_says(line):
    by_hand, in_study = CASES[line]
    study = driven_study("ABBA")
    legs = []
    for leg in study.legs:
        other = leg.run in {"R1", "R2"}
        effect = 0.95 if leg.configuration == "B" else 1.0
        shown = wh_per_km(**(by_hand if other else {})) * effect
        legs.append(leg.with_(average_shown=shown, **(in_study if other else {})))
    study = warmed(study.with_(change={"kind": "other", "mechanism": "unknown"}).with_legs(legs))
    results = {r.leg: r for r in analyse(study).legs if r.included}
    wanted = wh_per_km() - wh_per_km(**by_hand)
    assert results["L01"].corrections_wh_per_km[line] == pytest.approx(wanted, rel=0.08, abs=0.15)
    assert results["L07"].corrections_wh_per_km[line] == pytest.approx(0.0, abs=0.05)
    for other in set(registry.lines()) - {line, "tyre_warm_up", "wind"}:
        assert results["L01"].corrections_wh_per_km.get(other, 0.0) == pytest.approx(0.0, abs=0.1), other
    assert results["L01"].corrected_wh_per_km == pytest.approx(wh_per_km(), rel=0.006)


def test_temperature_acts_on_air_tyres_and_battery():
    study = driven_study("ABBA")
    legs = []
    for leg in study.legs:
        cold = leg.run in {"R1", "R2"}
        effect = 0.95 if leg.configuration == "B" else 1.0
        legs.append(
            leg.with_(
                average_shown=wh_per_km(celsius=2.0 if cold else 15.0) * effect, temperature_c=2.0 if cold else 15.0
            )
        )
    study = warmed(study.with_(change={"kind": "other", "mechanism": "unknown"}).with_legs(legs))
    lines = {r.leg: r for r in analyse(study).legs if r.included}["L01"].corrections_wh_per_km
    v = 25.0
    air = 0.5 * DRAG * (density(15) - density(2)) * v * v / ETA / 3.6
    tyres = MASS * 9.80665 * ROLLING * (math.exp(0.03) - math.exp(0.108)) / ETA / 3.6
    battery = wh_per_km() * (1 - math.exp(0.0007 * 13))
    assert lines["air_density"] == pytest.approx(air, rel=0.06)
    assert lines["tyre_temperature"] == pytest.approx(tyres, rel=0.12)
    assert lines["driveline"] == pytest.approx(battery, rel=0.15)


def test_what_goes_up_does_not_come_back_whole():
    # An even slope of 1 %: by hand the leg up and the leg down each move to the mean of both directions.
    rise = tuple(
        RoutePoint(distance_m=float(d), latitude=52 + d / 111_250, longitude=0.1, elevation_m=10 + 0.01 * d)
        for d in range(0, 18_401, 200)
    )
    up, down = wh_per_km(slope=0.01, hectopascal=1003), wh_per_km(slope=-0.01, hectopascal=1003)
    study = driven_study("ABBA", [v * k for k in (1, 0.95, 0.95, 1) for v in (up, down)], route=rise)
    study = study.with_(change={"kind": "other", "mechanism": "unknown"}, reference={"pressure_hpa": 1003})
    study = warmed(study.with_legs(leg.with_(pressure_hpa=1003) for leg in study.legs))
    results = {r.leg: r for r in analyse(study).legs if r.included}
    middle = (up + down) / 2
    assert middle > wh_per_km(hectopascal=1003) - 0.5  # no force turns negative here: nothing is lost on this slope
    assert results["L01"].corrections_wh_per_km["elevation"] == pytest.approx(middle - up, rel=0.05)
    assert results["L02"].corrections_wh_per_km["elevation"] == pytest.approx(middle - down, rel=0.05)
    assert results["L01"].corrected_wh_per_km == pytest.approx(results["L02"].corrected_wh_per_km, rel=0.01)


def test_a_constant_van_is_the_one_of_this_page():
    constants = VAN.constants()
    assert (constants.mass_kg, constants.drag_area_m2, constants.rolling_coefficient) == (MASS, DRAG, ROLLING)
