"""What a fit leaves out or changes: for the other views, and for pricing concerns."""

from __future__ import annotations

from dataclasses import dataclass

from fairmargin.core.inference.priors import SCATTER_FREEDOM, SCATTER_SHARE


@dataclass(frozen=True, slots=True)
class FitOptions:
    """What to leave out or change."""

    view: str = "reference"  # reference | study-mean
    ignore: frozenset[str] = frozenset()
    drop_legs: frozenset[str] = frozenset()
    scatter_share: float = SCATTER_SHARE
    scatter_freedom: float = SCATTER_FREEDOM
    afresh: bool = False  # whether a fit that prices something asks its own readings what they say of its sizes
    speed_kmh: float | None = None  # that the effect is stated for, whatever was driven; for saying it beside
    beside: frozenset[str] = frozenset()  # legs of other speeds, which tell of the change as well
    days: tuple[float, ...] = ()  # what other studies say of what days differ by, see `ScatterPrior`
