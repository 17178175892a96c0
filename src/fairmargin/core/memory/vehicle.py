"""What a logbook knows of a vehicle: the posterior over all its studies, and how each study moved it.

Each study says something of the vehicle's constants, in information form and without what was thought before
(`inference.learned`). A study's own constants differ a little from the vehicle's mean ones: tyres wear, seasons turn,
something lies in the boot. With Q the variances of that, Λ and η of a study count as

    Λ' = (I + Λ Q)⁻¹ Λ,   η' = (I + Λ Q)⁻¹ η

and are added to what the owner knows (R. E. Kalman, "A new approach to linear filtering and prediction problems", J. Basic
Engineering 82 (1960) 35, in information form; from memory). The next study's prior is the posterior, widened by Q again.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.conditions.air import DRIVELINE_PER_K, TYRE_PER_K
from fairmargin.core.conditions.climate import CLIMATE
from fairmargin.core.conditions.tyres import PRESSURE_EXPONENT
from fairmargin.core.conditions.vehicle import REGENERATION, origins
from fairmargin.core.conditions.warm_up import WARM_UP
from fairmargin.core.conditions.wind import HEIGHT_FACTOR, YAW_SLOPE
from fairmargin.core.inference.learned import OF_ROAD, Learned
from fairmargin.core.inference.priors import ABSOLUTE_LEVEL
from fairmargin.core.result.types import Analysis
from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.remembered import Remembered, RememberedValue
from fairmargin.core.study.vehicle import Vehicle, VehicleConstants
from fairmargin.core.words import same_name

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Constant:
    """How a constant is told: its label and unit, whether the fit keeps its logarithm, digits, and what it drifts by."""

    label: str
    unit: str
    logarithm: bool
    decimals: int
    drift: float  # standard deviation from study to study, as the fit states it; common practice
    offered: bool = True  # to the next study, as its prior


#: Every constant that is remembered. What drifts: tyres wear and are changed, loads differ, seasons turn.
CONSTANTS: Final[Mapping[str, Constant]] = {
    "drag area": Constant("Drag area", "m²", True, 2, 0.01),
    "rolling coefficient": Constant("Rolling resistance", "", True, 4, 0.04),
    "mass": Constant("Mass", "kg", True, 0, 0.02, offered=False),
    "drive efficiency": Constant("Driveline", "of 1", True, 2, 0.01),
    "auxiliary power": Constant("Auxiliaries", "W", False, 0, 60.0),
    "level": Constant("Consumption over the model's", "of 1", True, 3, 0.012, offered=False),
    "regeneration": Constant("Regeneration over the stated", "of 1", True, 2, 0.05),
    "yaw slope": Constant("Growth of drag with yaw, beyond the usual", "of it", False, 2, 0.10),
    "tyres per K": Constant("Tyres, per kelvin beyond the usual", "1/K", False, 4, 0.0004),
    "driveline per K": Constant("Driveline, per kelvin beyond the usual", "1/K", False, 4, 0.0002),
    "warm-up": Constant("Cold tyres", "of rolling", False, 3, 0.02),
    "climate": Constant("Heating and cooling beyond the usual", "W/K", False, 0, 10.0),
    "tyre pressure": Constant("Exponent of tyre pressure beyond the usual", "", False, 2, 0.05),
    "height factor": Constant("Wind at the road over the terrain's", "of 1", True, 2, 0.02),
}
OWN_PRIOR: Final = {
    "yaw slope": YAW_SLOPE, "tyres per K": TYRE_PER_K, "driveline per K": DRIVELINE_PER_K,
    "warm-up": WARM_UP, "climate": CLIMATE, "tyre pressure": PRESSURE_EXPONENT,
    "height factor": HEIGHT_FACTOR, "regeneration": REGENERATION,
}  # fmt: skip
LEAST_NARROWER: Final = 0.97  # of its prior's width; a constant that is known no better is not offered
DIGITS: Final = 7


@dataclass(frozen=True, eq=False, slots=True)
class Taught:
    """What one study says of its vehicle."""

    study: int
    title: str
    vehicle: str
    road: str
    when: date | None
    learned: Learned


def taught(study: Study, analysis: Analysis, number: int = 0) -> tuple[Taught, ...]:
    """What a study says of each of its vehicles; nothing where the fit is not believed or no road load is fitted."""
    days = [leg.started_at.date() for leg in study.legs if leg.started_at is not None and leg.included]
    by_vehicle: dict[str, list[Learned]] = {}
    for vehicle, learn in analysis.learned:
        found = learn()
        if found is not None:
            by_vehicle.setdefault(vehicle, []).append(found)
    return tuple(
        Taught(
            number, study.title, vehicle_of(study, vehicle).name, study.route_name, max(days) if days else None, _sum(parts)
        )
        for vehicle, parts in by_vehicle.items()
    )  # fmt: skip


def _sum(parts: Sequence[Learned]) -> Learned:
    """Several fits of one study: the same constants, so that their information adds."""
    names = tuple(dict.fromkeys(n for p in parts for n in p.names))
    information, weighted = np.zeros((len(names), len(names))), np.zeros(len(names))
    for p in parts:
        at = [names.index(n) for n in p.names]
        information[np.ix_(at, at)] += p.information
        weighted[at] += p.weighted
    return Learned(names, information, weighted)


def as_record(t: Taught) -> dict[str, Any]:
    """What a study taught as JSON values: the lower triangle of the information, row by row."""
    rows, columns = np.tril_indices(len(t.learned.names))
    return {
        "vehicle": t.vehicle,
        "road": t.road,
        "when": t.when.isoformat() if t.when else None,
        "names": list(t.learned.names),
        "information": [float(f"{v:.{DIGITS}g}") for v in t.learned.information[rows, columns].tolist()],
        "weighted": [float(f"{v:.{DIGITS}g}") for v in t.learned.weighted.tolist()],
    }


def from_record(value: Mapping[str, Any], number: int, title: str) -> Taught:
    """What a study taught from its JSON values.

    Raises
    ------
    ValueError, TypeError, KeyError
        If they are not that.
    """
    names = tuple(str(n) for n in value["names"])
    flat, weighted = (np.array(value[k], dtype=float) for k in ("information", "weighted"))
    rows, columns = np.tril_indices(len(names))
    if flat.shape != rows.shape or weighted.shape != (len(names),):
        raise ValueError("expected a value for each pair of constants")
    if not (np.isfinite(flat).all() and np.isfinite(weighted).all()):
        raise ValueError("expected finite values")
    information = np.zeros((len(names), len(names)))
    information[rows, columns] = flat
    information[columns, rows] = flat
    return Taught(
        study=number,
        title=title,
        vehicle=str(value["vehicle"]),
        road=str(value.get("road", "")),
        when=date.fromisoformat(value["when"]) if value.get("when") else None,
        learned=Learned(names, information, weighted),
    )


@dataclass(frozen=True, slots=True)
class Moved:
    """A constant after one more study, as it is told: middle, and half of its interval at 95 %, low and high."""

    study: int
    title: str
    when: date | None
    middle: float
    interval: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Known:
    """One constant of a vehicle: what its owner thought, and what the studies say."""

    name: str  # of the fit's unknown; "height factor" of a road has the road behind an at sign
    label: str
    unit: str
    decimals: int
    before: Moved
    steps: tuple[Moved, ...]  # after each study
    mean: float  # as the fit states it
    sd: float
    prior_sd: float

    @property
    def now(self) -> Moved:
        """As it stands after all studies."""
        return self.steps[-1] if self.steps else self.before

    @property
    def narrower(self) -> bool:
        """Whether the studies made it better known."""
        return self.sd < LEAST_NARROWER * self.prior_sd


@dataclass(frozen=True, slots=True)
class VehicleKnowledge:
    """All that the studies say of one vehicle's constants."""

    vehicle: str
    studies: tuple[Taught, ...]
    constants: tuple[Known, ...]

    @property
    def as_of(self) -> date | None:
        """Last day of the studies."""
        days = [t.when for t in self.studies if t.when is not None]
        return max(days) if days else None

    def remembered(self, road: str = "") -> Remembered:
        """The next study's priors on a road: each constant that is known better than before, widened by its drift."""
        values = []
        for k in self.constants:
            name, _, of_road = k.name.partition("@")
            rule = CONSTANTS[name]
            if not rule.offered or not k.narrower or (of_road and of_road != same_name(road)):
                continue
            values.append(RememberedValue(name=name, mean=k.mean, sd=math.hypot(k.sd, rule.drift)))
        return Remembered(as_of=self.as_of, studies=len(self.studies), values=tuple(values))


def what_is_known(every: Sequence[Taught], vehicle: Vehicle) -> VehicleKnowledge:
    """Join what the studies of one vehicle taught, in the order of their days.

    Parameters
    ----------
    every : sequence of Taught
        Of any vehicles; those of this name count.
    vehicle : Vehicle
        As its owner knows it: what is thought before the first study.

    Returns
    -------
    VehicleKnowledge
    """
    wanted = same_name(vehicle.name)
    own = [t for t in every if same_name(t.vehicle) == wanted]
    own.sort(key=lambda t: (t.when or date.min, t.study))
    names = list(dict.fromkeys(_key(n, t) for t in own for n in t.learned.names))
    constants = vehicle.constants()
    before = [_prior(n, constants) for n in names]
    precision = np.diag([1.0 / sd**2 for _, sd in before])
    score = precision @ np.array([mean for mean, _ in before]) if names else np.zeros(0)
    drift = np.array([CONSTANTS[n.partition("@")[0]].drift ** 2 for n in names])
    history: list[tuple[Array, Array]] = []
    for t in own:
        at = [names.index(_key(n, t)) for n in t.learned.names]
        widened = np.eye(len(at)) + t.learned.information * drift[at]
        precision[np.ix_(at, at)] += np.linalg.solve(widened, t.learned.information)
        score[at] += np.linalg.solve(widened, t.learned.weighted)
        cov = np.linalg.inv(0.5 * (precision + precision.T))
        history.append((cov @ score, np.sqrt(np.diag(cov))))
    made = []
    for i, name in enumerate(names):
        rule = CONSTANTS[name.partition("@")[0]]
        steps = tuple(
            _moved(rule, t.study, t.title, t.when, float(mean[i]), float(sd[i]))
            for t, (mean, sd) in zip(own, history, strict=True)
        )
        mean, sd = history[-1]
        first = _moved(rule, 0, "", None, *before[i])
        made.append(
            Known(
                name, _label(rule, name, own), rule.unit, rule.decimals, first, steps, float(mean[i]), float(sd[i]), before[i][1]
            )
        )  # fmt: skip
    made.sort(key=lambda k: list(CONSTANTS).index(k.name.partition("@")[0]))
    return VehicleKnowledge(vehicle.name, tuple(own), tuple(made))


def _key(name: str, t: Taught) -> str:
    """A constant by its name; one of the road with the road's, or with its study's number where it has none."""
    return f"{name}@{same_name(t.road) or t.study}" if name in OF_ROAD else name


def _label(rule: Constant, name: str, own: Sequence[Taught]) -> str:
    road = name.partition("@")[2]
    called = next((t.road for t in own if same_name(t.road) == road), "") if road else ""
    return f"{rule.label}, {called}" if called else rule.label


def _prior(name: str, constants: VehicleConstants) -> tuple[float, float]:
    """What was thought of a constant before any study: its middle and standard deviation, as the fit states it."""
    own = name.partition("@")[0]
    if own == "level":
        return 0.0, ABSOLUTE_LEVEL
    if own in OWN_PRIOR:
        prior = OWN_PRIOR[own]
        return prior.mean, prior.sd
    k = constants
    sd = {
        "drag area": k.drag_area_sd_m2 / k.drag_area_m2,
        "rolling coefficient": k.rolling_coefficient_sd / k.rolling_coefficient,
        "mass": max(k.mass_sd_kg, 1.0) / k.mass_kg,
        "drive efficiency": k.drive_efficiency_sd / k.drive_efficiency,
        "auxiliary power": k.auxiliary_sd_w,
    }[own]
    return origins(constants)[own], sd


def _moved(rule: Constant, study: int, title: str, when: date | None, mean: float, sd: float) -> Moved:
    half = intervals.deviate(intervals.USUAL) * sd
    if rule.logarithm:
        return Moved(study, title, when, math.exp(mean), (math.exp(mean - half), math.exp(mean + half)))
    return Moved(study, title, when, mean, (mean - half, mean + half))
