"""What a condition is: the one record in which everything about a thing that may differ between drives is declared."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case
from fairmargin.core.conditions.design import DesignRows, Unknown
from fairmargin.core.conditions.rules import Rule
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.paths import Paths

if TYPE_CHECKING:
    from fairmargin.core.study import Leg

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Compared:
    """How a field of two studies is told apart: what it is called, its unit, digits, and a difference not worth telling."""

    what: str
    unit: str
    decimals: int
    least: float


@dataclass(frozen=True, slots=True)
class LegField:
    """One field of a leg: its caption (the unit follows it), what may be typed, and its quantity where it is one.

    Attributes
    ----------
    caption, tip : str
    quantity : str
        Of `core.units`; "" for words and text.
    decimals : int
    words : tuple of str
        What may be typed where it is a choice.
    column : str
        What a column of a pasted table is called that holds it; its caption where empty.
    heads : tuple of str
        Words of a header that mean it, in small letters.
    alike : bool
        Whether it is alike on all legs of a careful day, and may be copied to them.
    carried : bool
        Whether the next leg begins with what the one before it had.
    compared : Compared, optional
        How two studies are told apart by it.
    """

    caption: str
    tip: str
    quantity: str = ""
    decimals: int = 1
    words: tuple[str, ...] = ()
    column: str = ""
    heads: tuple[str, ...] = ()
    alike: bool = False
    carried: bool = False
    compared: Compared | None = None


@dataclass(frozen=True, slots=True)
class Reference:
    """Conditions that the legs are corrected to."""

    temperature_c: float
    density_kg_m3: float
    from_north: float
    from_east: float
    turbulence_m_s: float
    climate_k: float = 0.0  # between cabin setting and outside; off, unless warming is the change


@dataclass(frozen=True, eq=False, slots=True)
class Exchange:
    """The model of every leg on its way from the conditions driven to the reference; each line exchanges one of them."""

    model: RoadModel
    local: Array  # (n, parameters): most probable deviations of each leg
    reference: Reference
    steady: Callable[[], Paths] | None  # each leg at the speed it is stated for; None where speeds stay those driven
    share: Callable[[str], Array]  # source -> (n, parameters): what its unknowns add to `local`
    apart: float | Array = 0.0  # taken out of the total for a while, see `air.tyre_temperature`


def _always(_c: Conditions) -> bool:
    """Whatever a line corrects that is typed, logged or fetched, or there is nothing to correct."""
    return True


@dataclass(frozen=True, slots=True)
class Line:
    """A line of the correction: its key in results, its words, its place in the order, what it exchanges, whether it was noted."""

    key: str
    words: str
    place: int
    exchange: Callable[[Exchange], Exchange] | None = None  # None: worked out beside the model, or of everyday logs
    noted: Callable[[Conditions], bool] = _always  # else what it corrects is taken as usual on that leg


@dataclass(frozen=True, slots=True)
class Told:
    """What is said of a source of the margin: where something was not noted, and where all was."""

    cause: str
    remedy: str
    missing: Callable[[Conditions], bool] | None = None
    missing_cause: str = ""
    missing_remedy: str = ""


def nothing(_scene: DesignRows) -> Iterable[Unknown]:
    """No unknowns."""
    return ()


@dataclass(frozen=True, eq=False, slots=True)
class Condition:
    """A thing that may differ between drives.

    Attributes
    ----------
    name : str
    fields : mapping of str to LegField
        What a person may type of it, by the name of the leg's field.
    unknowns : callable
        Its uncertain quantities in a fit, with their priors.
    lines : sequence of Line
        Its lines of the correction.
    told : mapping of str to Told
        What is said of each source of the margin that is its own.
    concerns : sequence of Rule
        When it makes a comparison unfair, and at what price.
    """

    name: str
    fields: Mapping[str, LegField] = field(default_factory=dict)
    unknowns: Callable[[DesignRows], Iterable[Unknown]] = nothing
    lines: Sequence[Line] = ()
    told: Mapping[str, Told] = field(default_factory=dict)
    concerns: Sequence[Rule[Case]] = ()


def noted(leg: Leg, key: str) -> object:
    """What was noted of a field, or None; also of fields that the leg keeps beside its own."""
    value = getattr(leg, key, None)
    return None if value == "" else value
