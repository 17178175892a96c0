"""A new study from what the tester wants to find out: its method, what the change is, its configurations and runs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from string import ascii_uppercase
from typing import Final

from fairmargin.core.kinds import change_kind
from fairmargin.core.study.layout import laid_out_runs
from fairmargin.core.study.values import Change, Configuration, Study
from fairmargin.core.study.vehicle import NamedVehicle, Vehicle
from fairmargin.core.study.vocabulary import Method, Subject


@dataclass(frozen=True, slots=True)
class Aim:
    """Something to find out: in the tester's words, and what it makes of a study."""

    words: str
    explained: str
    methods: tuple[Method, ...]
    subject: Subject = "configuration"
    trial: bool = True  # whether something is compared
    vehicles: int = 1
    sides: tuple[str, str] = ("Baseline", "Trial")  # what the two are called until they have names
    asks: tuple[str, str] = ("Baseline is", "Trial is")
    order: str = "ABBA"


#: What can be found out, the most usual first.
AIMS: Final[dict[str, Aim]] = {
    "change": Aim(
        "What a change does: with it and without",
        "Wheels, covers, tyres, a roof box, a load, a trailer. Several trials: names with ; between.",
        ("out-and-back", "loop", "one-way"),
    ),
    "one": Aim(
        "What it takes as it is: consumption and range, no comparison",
        "One configuration; a trial can be added at any time.",
        ("out-and-back", "loop", "one-way"),
        trial=False,
        sides=("As it is", ""),
        order="A",
    ),
    "climb": Aim(
        "What a hill costs, and what comes back on the way down",
        "Up and down with one configuration; charge may rise.",
        ("climb",),
        trial=False,
        sides=("As it is", ""),
        order="A",
    ),
    "laps": Aim(
        "What a way of driving, or a change, does in laps of a short round",
        "Nothing of how it was driven is corrected away where technique is the change.",
        ("laps",),
        order="ABABAB",
    ),
    "speed": Aim(
        "What a faster speed does",
        "The speed is the change: it is not corrected away.",
        ("out-and-back", "loop", "one-way"),
        subject="speed",
        asks=("Slower speed", "Faster speed"),
    ),
    "road": Aim(
        "What a wet road does",
        "The road is the change; temperature, heating and wind are corrected.",
        ("out-and-back", "loop", "one-way"),
        subject="road",
        sides=("Dry", "Wet"),
    ),
    "side": Aim(
        "What a change does, two vehicles side by side",
        "Both drive at the same time; then the change is swapped between them.",
        ("side-by-side",),
        vehicles=2,
        order="AB",
    ),
    "vehicles": Aim(
        "What two vehicles differ by",
        "The vehicle is the change; other known differences can be entered and are taken out.",
        ("out-and-back", "loop", "one-way"),
        subject="vehicle",
        trial=False,
        vehicles=2,
        sides=("As it is", ""),
        order="ABBA",
    ),
    "everyday": Aim(
        "What a change does over weeks of everyday trips, or by totals",
        "A regression on temperature, speed and trip length; totals of any size are trips too.",
        ("everyday",),
        order="",
    ),
}
#: Ways to start beside the orders of a planned day.
ALREADY_DRIVEN: Final[dict[str, str]] = {
    "AB": "already driven: baseline, then trial",
    "BA": "already driven: trial, then baseline",
    "A": "one run only",
    "": "no runs yet: paste them, bring them in, or add them one by one",
}


def laid_out(
    aim: str,
    *,
    title: str,
    kind: str,
    order: str,
    method: Method,
    names: Sequence[str],
    speed_kmh: float | None = None,
    speeds_kmh: Sequence[float] | None = None,
    vehicles: Sequence[Vehicle] = (),
) -> Study:
    """Lay out a study whose runs follow `order`, every leg still planned.

    Parameters
    ----------
    aim : str
        One of `AIMS`.
    title, kind : str
    order : str
        Letters: A the baseline, B the first trial, C the second; of vehicles where they are compared. Empty: no runs.
    method : str
    names : sequence of str
        Of the configurations, the baseline first; missing ones are called by their aim.
    speed_kmh : float, optional
        Aimed at; None where it was not held or is not known.
    speeds_kmh : sequence of float, optional
        Of the configurations, where the speed is the change.
    vehicles : sequence of Vehicle
        The first is the study's; two where two drive.

    Raises
    ------
    ValueError
        If `order` has letters that stand for nothing, or `method` does not fit the aim.
    """
    wanted = AIMS[aim]
    if method not in wanted.methods:
        raise ValueError(f"{method} does not fit; expected {' or '.join(wanted.methods)}")
    configurations = _configurations(wanted, names, speeds_kmh)
    fleet = _fleet(vehicles) if wanted.vehicles > 1 else ()
    made = Study(
        title=title,
        change=Change(
            kind=kind,
            mechanism=change_kind(kind).mechanism if wanted.subject == "configuration" else "unknown",
            subject=wanted.subject,
        ),
        vehicle=vehicles[0] if vehicles else Vehicle(),
        vehicles=fleet,
        configurations=configurations,
        method=method,
        target_speed_kmh=speed_kmh,
    )
    return made.with_legs(laid_out_runs(made, order))


def _configurations(wanted: Aim, names: Sequence[str], speeds_kmh: Sequence[float] | None) -> tuple[Configuration, ...]:
    """The baseline and its trials, named."""
    count = max(len(names), 2) if wanted.trial else 1
    made = []
    for i in range(count):
        name = (names[i] if i < len(names) else "") or wanted.sides[min(i, 1)]
        speed = speeds_kmh[i] if speeds_kmh is not None and i < len(speeds_kmh) else None
        made.append(Configuration(id=ascii_uppercase[i], name=name, baseline=i == 0, speed_kmh=speed))
    return tuple(made)


def _fleet(vehicles: Sequence[Vehicle]) -> tuple[NamedVehicle, ...]:
    """Two vehicles with ids of their own."""
    known = [*vehicles, Vehicle(), Vehicle()][:2]
    return tuple(named(v, f"V{i}", v.name or f"Vehicle {i}") for i, v in enumerate(known, start=1))


def named(vehicle: Vehicle, identifier: str, name: str) -> NamedVehicle:
    """A vehicle as one of several of a study."""
    data = {field: getattr(vehicle, field) for field in Vehicle.model_fields}
    return NamedVehicle(**{**data, "name": name, "id": identifier})


def relaid(
    study: Study, order: str, *, speeds_kmh: Sequence[float | None] | None = None, sectors: Sequence[str] | None = None
) -> Study:
    """Return the study with planned runs in that order instead of its legs; as for `laid_out_runs`."""
    return study.with_legs(laid_out_runs(study, order, speeds_kmh=speeds_kmh, sectors=sectors))
