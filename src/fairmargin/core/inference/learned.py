"""What one fit leaves for other studies: its errors by name, and what it says of what a vehicle and a road keep.

Two studies of one vehicle err alike where both lean on its drag area; an error of that kind is carried by its name, with
its sign, so that whoever joins studies does not count it twice. What the readings themselves say of such a constant is
kept in information form, without the prior, so that it can be added up.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.vehicle import origins
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.posterior import Posterior
from fairmargin.core.inference.problem import Problem
from fairmargin.core.inference.solver import Solution

Array = NDArray[np.float64]

#: Unknowns of a fit that stay with the vehicle from study to study.
OF_VEHICLE: Final = (
    "drag area", "rolling coefficient", "mass", "drive efficiency", "auxiliary power", "level", "regeneration",
    "yaw slope", "tyres per K", "driveline per K", "warm-up", "climate", "tyre pressure",
)  # fmt: skip
#: Unknowns that stay with the road: what of the mast's wind reaches it.
OF_ROAD: Final = ("height factor",)
#: Errors of instruments that stay with the vehicle but that nobody can look up.
OF_INSTRUMENT: Final = ("truncation", "charging per K")
PERSISTENT: Final = frozenset((*OF_VEHICLE, *OF_ROAD, *OF_INSTRUMENT))
LEAST_SHIFT: Final = 1e-5  # of a log ratio; smaller ones are not kept


@dataclass(frozen=True, eq=False, slots=True)
class Learned:
    """What the readings of one fit say of constants: `information` (k, k) of `names`, and `weighted` = information × value.

    Values are logarithms of drag area [m²], rolling coefficient, mass [kg] and efficiency; watts of auxiliary power; of
    all others the deviation as `priors` states it.
    """

    names: tuple[str, ...]
    information: Array
    weighted: Array


def learn(problem: Problem, result: Posterior) -> Learned | None:
    """What the readings say of the vehicle and the road, whatever was thought of them before; None where nothing.

    With everything else integrated out: C of the readings without these unknowns, information JᵀC⁻¹J (C. E. Rasmussen,
    C. K. I. Williams, "Gaussian Processes for Machine Learning" (2006), sec. 2.7, from memory).
    """
    shared = problem.unknowns[: problem.shared]
    kept = [i for i, u in enumerate(shared) if u.name in OF_VEHICLE or u.name in OF_ROAD]
    names = tuple(shared[i].name for i in kept)
    if not kept or len(set(names)) < len(names):
        return None
    e = result.evidence
    jacobian = e.jacobian[:, kept]
    own = (jacobian * e.prior_var[kept]) @ jacobian.T
    rest = e.base - own + e.block * result.scatter_multiple**2
    try:
        solved = np.linalg.solve(rest, np.column_stack([jacobian, result.innovation]))
    except np.linalg.LinAlgError:
        return None
    information = jacobian.T @ solved[:, :-1]
    from_zero = jacobian.T @ solved[:, -1] + information @ problem.prior_mean[kept]
    counted = origins(problem.leg_model.constants)
    offset = np.array([counted.get(name, 0.0) for name in names])
    return Learned(names, 0.5 * (information + information.T), from_zero + information @ offset)


def effect_errors(
    problem: Problem, solution: Solution, result: Posterior, i: int, observations: Sequence[Observation]
) -> dict[str, float]:
    """What each source of error moves one effect by at one standard deviation, by its name.

    Sources that stay with vehicle, road or instrument have their name; those of this study alone a number, the drives
    the name of their first leg.
    """
    out: dict[str, float] = {}
    for k, (u, shift) in enumerate(zip(problem.unknowns, result.shifts[i].tolist(), strict=True)):
        if abs(shift) > LEAST_SHIFT:
            out[u.name if u.name in PERSISTENT and u.name not in out else f"#{k}"] = shift
    noise = problem.rows.noise(solution.segment_share)
    for o, shift in zip(observations, result.drive_shifts(i, noise).tolist(), strict=True):
        if abs(shift) > LEAST_SHIFT:
            out[f"leg {o.legs[0]}"] = shift
    return out
