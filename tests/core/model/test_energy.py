"""The road-load model against published cycles and finite differences."""

import numpy as np
import pytest
from tests.conftest import VAN, driven_study
from tests.unlike import calm, on_legs
from wltp.cycles import class3

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.evidence.logs import gate_logs
from fairmargin.core.evidence.readings import observations
from fairmargin.core.inference.fit import fit_study
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Trace


def fitted(study, traces=None):
    traces = traces or {}
    conditions = leg_conditions(study, traces)
    found = observations(study, traces)
    logs = gate_logs(study, study.legs, traces, {n: c.true_m for n, c in conditions.items()})
    return fit_study(study, [conditions[n] for o in found for n in o.legs], found, logs, FitOptions())


def test_wheel_energy_of_the_wltc():
    # Published cycle: WLTC class 3b of UN GTR 15 (package wltp): 1800 s, 23.27 km. With lossless drive, no
    # regeneration and no auxiliaries the model's energy must be the positive wheel work, summed here by hand.
    speed = np.array(class3.class_data_b()["cycle"], dtype=float)
    assert speed.sum() / 3600 == pytest.approx(23.266, abs=0.01)
    plain = VAN.with_(drive_efficiency=1.0, regen_efficiency=0.0, auxiliary_w=0.0)
    study = driven_study("AB", vehicle=plain, route=(), method="one-way")
    distance = float(np.sum((speed[1:] + speed[:-1]) / 2) / 3.6 / 1000)
    study = study.with_legs(leg.with_(distance_km=distance) for leg in study.legs)
    trace = Trace(time_s=np.arange(speed.size, dtype=float), speed_kmh=speed)
    fit = fitted(study, {leg.leg: trace for leg in study.legs})
    local = np.zeros_like(fit.local)
    model = fit.model.replaced(turbulence=np.zeros(2), cold_share=np.zeros(2), temperature_c=np.full(2, 20.0))
    ours = model.energies(local, derivatives=False).wh[0] / np.exp(-0.0007 * 5)
    v = speed / 3.6
    middle, accel = (v[1:] + v[:-1]) / 2, np.diff(v)
    force = (
        0.5 * fit.model.legs.density[0] * 0.83 * middle**2
        + 1710 * 9.80665 * 0.0095 * (middle > 0)
        + 1710 * 1.04 * accel
    )
    by_hand = np.sum(np.maximum(force * middle, 0)) / 3600
    assert ours == pytest.approx(by_hand, rel=2e-3)


def test_every_derivative_matches_finite_differences():
    # On an oblique road over a hill, with full stops: nothing is zero by symmetry.
    study = on_legs(
        calm("ABBA"),
        lambda i, leg: {
            "wind_speed_ms": 4 + i,
            "wind_from_deg": 40 * i,
            "temperature_c": 5 + i,
            "tyre_pressure_kpa": 280 + 3 * i,
            "climate": "20",
            "stopped_s": 40.0 * (i % 3),
        },
    )
    fit = fitted(study)
    assert set(fit.model.paths.stops) == {0.0, 1.0}
    local = fit.local.copy()
    local[:, Parameter.YAW_SLOPE] = 0.7
    local[:, Parameter.WARMER_K] = 6.0
    local[:, Parameter.HEIGHT_FACTOR] = -0.2
    exact = fit.model.energies(local, derivatives=True).by_parameter
    for parameter in Parameter:
        step = {
            Parameter.AUXILIARY_W: 1.0,
            Parameter.CLIMATE_W_PER_K: 0.1,
            Parameter.WIND_NORTH: 1e-3,
            Parameter.WIND_EAST: 1e-3,
        }.get(parameter, 1e-5)
        up, down = local.copy(), local.copy()
        up[:, parameter] += step
        down[:, parameter] -= step
        numeric = (fit.model.energies(up, False).wh - fit.model.energies(down, False).wh) / (2 * step)
        assert exact[:, parameter] == pytest.approx(numeric, rel=2e-4, abs=1e-4 * np.abs(numeric).max() + 1e-6), (
            parameter.name
        )


def test_a_logged_leg_goes_through_its_own_speeds():
    study = driven_study("AB", method="one-way", route=())
    t = np.arange(0.0, 737.0)
    steady = Trace(time_s=t, speed_kmh=np.full(t.size, 90.0), power_kw=np.full(t.size, 15.3))
    wavy = Trace(time_s=t, speed_kmh=90 + 15 * np.sin(t / 20), power_kw=np.full(t.size, 15.3))
    fit = fitted(study, {"L01": steady, "L02": wavy})
    energy = fit.model.energies(np.zeros_like(fit.local), False).wh
    assert energy[1] > 1.01 * energy[0]  # what acceleration costs and the mean square of the speed


def test_energy_of_logged_power_is_its_integral():
    t = np.arange(0.0, 737.0)
    study = driven_study("AB", method="one-way", route=())
    study = study.with_legs(leg.with_(average_shown=None, average_unit=None, average_step=None) for leg in study.legs)
    trace = Trace(time_s=t, speed_kmh=np.full(t.size, 90.0), power_kw=np.full(t.size, 18.0))
    result = analyse(study, {"L01": trace, "L02": trace})
    # 18 kW at 90 km/h is 200 Wh/km.
    assert [leg.measured_wh_per_km for leg in result.legs] == pytest.approx([200, 200], rel=1e-3)
    assert result.legs[0].instrument == "logger"
