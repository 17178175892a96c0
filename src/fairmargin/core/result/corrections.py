"""The ledger: how each leg gets from measured to corrected, in Wh/km, one condition after another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.readings import Observation
from fairmargin.core.inference.fit import Fit
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import reference_of, speed_of_study
from fairmargin.core.laws import driveline
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.model.paths import join
from fairmargin.core.study import Study

Array = NDArray[np.float64]

#: Ledger lines in the order in which conditions are exchanged, and how a screen names them.
LINES: Final = {
    "distance": "distance",
    "trim": "outside the gates",
    "speed": "speed",
    "wind": "wind",
    "air_density": "air",
    "tyre_temperature": "tyre warmth",
    "temperature": "warmth",
    "trip_length": "trip length",
    "tyre_warm_up": "cold start",
    "tyre_pressure": "tyre pressure",
    "climate": "cabin",
    "driveline": "battery",
    "mass": "load",
    "elevation": "hills",
}


def corrections(
    study: Study,
    fit: Fit,
    options: FitOptions,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
) -> dict[str, dict[str, float]]:
    """Corrections of every leg [Wh/km], by leg and ledger line; measured + their sum = corrected.

    The model's energy is taken from the conditions driven to the reference conditions one line at a time;
    each change is scaled by measured over modelled, so that the model's level does not matter. Hills are
    exchanged last: a leg gets the mean of the directions driven, so that out and back can be compared.
    """
    n = len(conditions)
    reference = reference_of(study, conditions, options.view)
    road = fit.road
    speed = speed_of_study(study, conditions)
    local = fit.local.copy()
    for parameter in (Parameter.TOTAL, Parameter.SPEED):
        # Statistical terms stay out of the ledger; the change itself is restored below.
        local[:, parameter] = 0.0
    for trial in study.trials:
        total = fit.values.get(f"{trial.id}: technique") or 0.0
        for name in ("mixed", "unknown"):
            total += fit.values.get(f"{trial.id}: {name}") or 0.0
        local[[c.configuration == trial.id for c in conditions], Parameter.TOTAL] += total

    measured, true_energy, gated = np.empty(n), np.empty(n), np.empty(n)
    index = {c.leg: i for i, c in enumerate(conditions)}
    for o in observations:
        for name in o.legs:
            measured[index[name]] = o.as_read_wh_per_km
            true_energy[index[name]] = o.true_wh_per_km
            gated[index[name]] = o.fit_wh / o.fit_km
    kilometres = np.array([max(c.true_m, 1.0) for c in conditions]) / 1000.0

    result: dict[str, Array] = {"distance": true_energy - measured, "trim": gated - true_energy}
    state = fit.model
    before = state.energies(local, derivatives=False).wh
    # Measured over modelled (on a charged-back run: of the whole run).
    scale = np.empty(n)
    for o in observations:
        rows = [index[name] for name in o.legs]
        scale[rows] = o.fit_wh / before[rows].sum()

    def line(name: str, after: Array) -> None:
        nonlocal before
        result[name] = (after - before) * scale / kilometres
        before = after

    if not fit.as_driven:
        steady = join([road.steady(c.backwards, c.true_m, speed, ()) for c in conditions], [0.0] * n)
        state = replace(state, paths=steady).replaced(stopped_s=np.zeros(n))
    line("speed", state.energies(local, False).wh)
    heading = state.paths.heading_known.astype(float)
    local[:, Parameter.WIND_NORTH] = local[:, Parameter.WIND_EAST] = 0.0
    state = state.replaced(
        from_north=reference.from_north * heading,
        from_east=reference.from_east * heading,
        turbulence=np.full(n, reference.turbulence_m_s),
    )
    line("wind", state.energies(local, False).wh)
    state = state.replaced(density=np.full(n, reference.density_kg_m3))
    line("air_density", state.energies(local, False).wh)
    # Tyres and driveline both follow the temperature: exchange it for the tyres alone first.
    driven_c = state.legs.temperature_c
    per_k = driveline.TEMPERATURE_PER_K + local[:, Parameter.DRIVELINE_PER_K]
    drive_then = np.log(driveline.temperature_factor(driven_c, per_k).value)
    drive_now = np.log(driveline.temperature_factor(reference.temperature_c, per_k).value)
    state = state.replaced(temperature_c=np.full(n, reference.temperature_c))
    local[:, Parameter.TOTAL] += drive_then - drive_now
    line("tyre_temperature", state.energies(local, False).wh)
    state = state.replaced(warm_share=np.zeros(n))
    line("tyre_warm_up", state.energies(local, False).wh)
    state = state.replaced(pressure_ratio=np.ones(n))
    line("tyre_pressure", state.energies(local, False).wh)
    state = state.replaced(climate_k=np.zeros(n))
    line("climate", state.energies(local, False).wh)
    local[:, Parameter.TOTAL] -= drive_then - drive_now
    line("driveline", state.energies(local, False).wh)
    state = state.replaced(mass_delta_kg=np.zeros(n))
    line("mass", state.energies(local, False).wh)

    # Hills: each leg's own direction against the mean of the directions driven.
    per_km = before / kilometres
    directions = sorted({c.backwards for c in conditions})
    hills = np.zeros(n)
    if len(directions) == 2 and road.shape is not None and not fit.as_driven:
        turned = replace(
            state,
            paths=join([road.steady(not c.backwards, c.true_m, speed, ()) for c in conditions], [0.0] * n),
        )
        hills = (turned.energies(local, False).wh / kilometres - per_km) * 0.5 * scale
    result["elevation"] = hills
    return {
        c.leg: {name: float(values[i]) for name, values in result.items()} for i, c in enumerate(conditions)
    }
