"""What a kind of change is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Literal, get_args

Mechanism = Literal["aerodynamic", "rolling", "mass", "auxiliary", "driveline", "technique", "mixed", "unknown"]
MECHANISMS: Final[tuple[Mechanism, ...]] = get_args(Mechanism)


@dataclass(frozen=True, slots=True)
class Worn:
    """What a change does to a virtual car: factors on drag, rolling and all of the consumption, and a mass."""

    drag: float = 1.0
    rolling: float = 1.0
    total: float = 1.0
    mass_kg: float = 0.0
    mass_share: float = 0.0  # of the car's own


@dataclass(frozen=True, slots=True)
class Prompt:
    """A question that practitioners forget: its key, its words, and what a good answer looks like.

    An answer that begins with one of `second_if` says that two things change at once: `second`.
    """

    key: str
    words: str
    example: str
    second_if: tuple[str, ...] = ()
    second: str = ""


@dataclass(frozen=True, slots=True)
class ChangeKind:
    """One kind of change; everything of it is common practice.

    Attributes
    ----------
    name : str
    mechanism : Mechanism
        How it works, unless its owner says otherwise.
    usual_effect : float
        What it does to the whole consumption, most often. [log]
    swap_min : float
        Time to change from one configuration to the other. [min]
    forgotten : str
        What is easily forgotten, in a sentence.
    caution : str
        What may hurt somebody.
    prompts : tuple of Prompt
    checklist : tuple of (when, words)
        What to take along and to look at, beside what every kind needs.
    asks : tuple of str
        Fields of a leg that are open on every card.
    wear : callable
        How a virtual car wears it, by its size.
    wears_as : tuple of Mechanism
        Mechanisms that a virtual day declares; its mechanism where empty.
    brings_mass, mass_alone, turns_wheels : bool
        Whether it is expected to change the mass; whether mass is all it is expected to change; whether other wheels or
        tyres count the distance and keep pressures of their own.
    one_of_many : bool
        Whether several mechanisms at once are expected of it.
    beside_shape : str
        What is said where it also weighs, and only its shape is asked about.
    undeclared_mass : float, optional
        Logarithm of the mass that nobody declared, standard deviation; None where it brings none.
    from_the_wall : bool
        Whether it draws energy before the drive.
    hitched : bool
        Whether the trial pulls something that may have to come off at a charger; the baseline pulls nothing.
    """

    name: str
    mechanism: Mechanism
    usual_effect: float
    swap_min: float
    forgotten: str
    caution: str
    prompts: tuple[Prompt, ...]
    checklist: tuple[tuple[str, str], ...] = ()
    asks: tuple[str, ...] = ()
    wear: Callable[[float], Worn] = lambda x: Worn(total=1 + x)
    wears_as: tuple[Mechanism, ...] = ()
    brings_mass: bool = False
    mass_alone: bool = False
    turns_wheels: bool = False
    one_of_many: bool = False
    beside_shape: str = ""
    undeclared_mass: float | None = None
    from_the_wall: bool = False
    hitched: bool = False
