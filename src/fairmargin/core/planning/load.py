"""The load check: what is aboard, on the roof and behind, against the lowest of the stated limits.

Arithmetic of the trade (common practice): payload is the gross limit less the vehicle as it stands; nose
weight is at least about 4 % of the whole loaded trailer and at most the lowest plate; weighed under the jockey
wheel, the lever from the axle scales it to the coupling. Plates, handbook, local law and licensed trades come
first: this is not a weighbridge.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from fairmargin.core.study.plan import LimitSource, Load

State = Literal["fine", "close", "over", "not known"]
NOSE_LEAST_SHARE: Final = 0.04
NOSE_USUAL_SHARE: Final = (0.05, 0.07)
CLOSE_SHARE: Final = 0.95  # of a limit
CAUTION: Final = (
    "Plates, handbook and local law come first. This is not a weighbridge: weigh before a doubtful trip."
)
#: Density of water at 1 atm, kg/m³ (Kell, J. Chem. Eng. Data 20 (1975) 97, rounded; from memory).
_WATER_C: Final = (0.0, 4.0, 10.0, 15.0, 20.0, 25.0, 30.0, 40.0)
_WATER_KG_M3: Final = (999.84, 999.97, 999.70, 999.10, 998.21, 997.05, 995.65, 992.22)


@dataclass(frozen=True, slots=True)
class Check:
    """One quantity against its limits."""

    name: str
    state: State
    value_kg: float | None
    low_kg: float | None
    high_kg: float | None
    source: str  # of the limit that decides
    words: str


def water_kg(litres: float, temperature_c: float = 15.0) -> float:
    """Mass of fresh water by volume and temperature. [kg]"""
    return litres * float(np.interp(temperature_c, _WATER_C, _WATER_KG_M3)) / 1000.0


def lowest(limits: Sequence[LimitSource]) -> LimitSource | None:
    """Return the limit that decides: where sources disagree the lowest counts."""
    return min(limits, key=lambda x: x.mass_kg) if limits else None


def nose_from_jockey(jockey_kg: float, axle_to_jockey_m: float, axle_to_coupling_m: float) -> float:
    """Nose weight from a scale under the jockey wheel: moments about the axle. [kg]

    Raises
    ------
    ValueError
        If the jockey wheel would stand beyond the coupling.
    """
    if axle_to_jockey_m > axle_to_coupling_m:
        raise ValueError(
            f"the jockey wheel ({axle_to_jockey_m:g} m from the axle) cannot stand beyond the coupling "
            f"({axle_to_coupling_m:g} m)"
        )
    return jockey_kg * axle_to_jockey_m / axle_to_coupling_m


def aboard_kg(load: Load) -> float:
    """Everything in and on the vehicle beyond the vehicle as it stands. [kg]"""
    return (
        (load.people_kg or 0.0)
        + (load.cargo_kg or 0.0)
        + (load.roof_kg or 0.0)
        + water_kg(load.water_l or 0.0, 15.0 if load.water_c is None else load.water_c)
        + (load.fuel_l or 0.0) * load.fuel_kg_per_l
    )


def _against(name: str, value: float | None, limits: Sequence[LimitSource], missing: str) -> Check:
    limit = lowest(limits)
    if value is None or limit is None:
        what = missing if value is None else f"the limit for {name}"
        return Check(
            name, "not known", value, None, limit.mass_kg if limit else None, "", f"Not known: {what}."
        )
    left = limit.mass_kg - value
    source = limit.source or "stated limit"
    disagree = len({x.mass_kg for x in limits}) > 1
    more = " The sources disagree; the lowest counts." if disagree else ""
    if left < 0:
        return Check(
            name,
            "over",
            value,
            None,
            limit.mass_kg,
            source,
            f"{-left:.0f} kg over the {limit.mass_kg:.0f} kg of the {source}.{more} Do not drive.",
        )
    state: State = "close" if value > CLOSE_SHARE * limit.mass_kg else "fine"
    return Check(
        name,
        state,
        value,
        None,
        limit.mass_kg,
        source,
        f"{left:.0f} kg left of the {limit.mass_kg:.0f} kg of the {source}.{more}",
    )


def check_load(load: Load) -> tuple[Check, ...]:
    """Hold the load against its limits; only what was filled in is checked.

    Returns
    -------
    tuple of Check
        Laden vehicle, roof, trailer, train and nose weight, where anything about them is known.
    """
    checks: list[Check] = []
    laden = None if load.vehicle_kg is None else load.vehicle_kg + aboard_kg(load) + (_nose(load) or 0.0)
    if load.vehicle_kg is not None or load.gross_limit:
        checks.append(_against("laden vehicle", laden, load.gross_limit, "the vehicle's own mass"))
    if load.roof_kg is not None or load.roof_limit:
        checks.append(_against("roof load", load.roof_kg, load.roof_limit, "the mass on the roof"))
    towing = load.trailer_kg is not None or bool(load.towing_limit)
    if towing:
        checks.append(_against("trailer", load.trailer_kg, load.towing_limit, "the trailer's actual mass"))
    if load.train_limit or (towing and load.vehicle_kg is not None):
        train = None
        if load.vehicle_kg is not None and load.trailer_kg is not None:
            # The nose weight stands on the vehicle but belongs to the trailer: count it once.
            train = load.vehicle_kg + aboard_kg(load) + load.trailer_kg
        checks.append(_against("train", train, load.train_limit, "vehicle and trailer mass"))
    if towing:
        checks.append(_nose_check(load))
    return tuple(checks)


def _nose(load: Load) -> float | None:
    if load.nose_kg is not None:
        return float(load.nose_kg)
    if load.jockey_kg is not None and load.axle_to_jockey_m and load.axle_to_coupling_m:
        return nose_from_jockey(load.jockey_kg, load.axle_to_jockey_m, load.axle_to_coupling_m)
    return None


def _nose_check(load: Load) -> Check:
    nose, limit = _nose(load), lowest(load.nose_limit)
    if nose is None or load.trailer_kg is None:
        what = "the nose weight" if nose is None else "the trailer's actual mass"
        return Check(
            "nose weight",
            "not known",
            nose,
            None,
            limit.mass_kg if limit else None,
            "",
            f"Not known: {what}.",
        )
    least = NOSE_LEAST_SHARE * load.trailer_kg
    share = 100 * nose / load.trailer_kg if load.trailer_kg else 0.0
    high = limit.mass_kg if limit else None
    source = (limit.source or "stated limit") if limit else ""
    if high is not None and nose > high:
        return Check(
            "nose weight",
            "over",
            nose,
            least,
            high,
            source,
            f"{nose - high:.0f} kg over the {high:.0f} kg of the {source}. Move the load back.",
        )
    if nose < least:
        return Check(
            "nose weight",
            "over",
            nose,
            least,
            high,
            source,
            f"{share:.1f} % of the whole loaded trailer; at least about 4 % ({least:.0f} kg) keeps it from swaying. Move the load forward.",
        )
    usual = f"{100 * NOSE_USUAL_SHARE[0]:.0f} to {100 * NOSE_USUAL_SHARE[1]:.0f} % is usual"
    state: State = "fine" if high is not None and nose <= CLOSE_SHARE * high else "close"
    ceiling = f"at most {high:.0f} kg ({source})" if high is not None else "no limit entered: read the plates"
    return Check(
        "nose weight",
        state,
        nose,
        least,
        high,
        source,
        f"{nose:.0f} kg is {share:.1f} % of the trailer; {usual}; {ceiling}.",
    )


def towing_budget_kg(load: Load) -> float | None:
    """Mass still free for the train, or None when not known: the lowest train limit less all that is known. [kg]"""
    limit = lowest(load.train_limit)
    if limit is None or load.vehicle_kg is None:
        return None
    return float(limit.mass_kg - load.vehicle_kg - aboard_kg(load) - (load.trailer_kg or 0.0))
