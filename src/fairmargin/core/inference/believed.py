"""The table of all that is believed beforehand: one list, whoever keeps the figure.

A condition's priors stand in its room, a reading's repeatability with the readings, what belongs to neither in `priors`; whoever
wants to see, print or doubt them all asks here. `docs/priors.md` is written from it.
"""

from __future__ import annotations

from collections.abc import Iterator
from types import ModuleType
from typing import Final, TypeVar

from fairmargin.core.conditions import design, registry
from fairmargin.core.evidence import conditions, hold_ups, readings, reported_wind
from fairmargin.core.figures import Prior, Size
from fairmargin.core.inference import coast_down, everyday, plausible, posterior, priors, spread
from fairmargin.core.laws import battery, coasting

Kept = TypeVar("Kept", Prior, Size)

#: Where beliefs stand beside the rooms of the conditions.
_ELSEWHERE: Final = (
    battery,
    coasting,
    priors,
    readings,
    conditions,
    hold_ups,
    reported_wind,
    design,
    posterior,
    spread,
    plausible,
    everyday,
)


def table() -> dict[str, Prior]:
    """Every prior of an unknown, by its name; those of everyday trips under *everyday*."""
    found = registry.priors() | _of(priors, Prior)
    found |= {f"coasting {name}": value for name, value in _of(coast_down, Prior).items() if name not in found}
    return found | {f"everyday {name}": value for name, value in _of(everyday, Prior).items()}


def sizes() -> dict[str, Size]:
    """Every size that evidence is read by, by *module name*; each once, where it is kept."""
    kept = [
        (place, name, value) for place in (*_ELSEWHERE, *registry.ROOMS) for name, value in _of(place, Size).items()
    ]
    homes: dict[int, str] = {}
    for place, name, value in kept:
        homes.setdefault(id(value), f"{place.__name__.rpartition('.')[2]} {name}")
    return {homes[id(value)]: value for _, _, value in kept}


def as_markdown() -> Iterator[str]:
    """Lines of a page with both tables."""
    yield "| unknown | size | unit | mean | what | source |"
    yield "|---|---|---|---|---|---|"
    for name, p in sorted(table().items()):
        yield f"| {name} | {p.sd:g} | {p.unit} | {p.mean:g} | {p.what} | {p.source} |"
    yield ""
    yield "| figure | value | unit | what | source |"
    yield "|---|---|---|---|---|"
    for name, size in sorted(sizes().items()):
        yield f"| {name} | {float(size):g} | {size.unit} | {size.why} | {size.source} |"


def _of(place: ModuleType, kind: type[Kept]) -> dict[str, Kept]:
    return {name: value for name, value in vars(place).items() if isinstance(value, kind)}
