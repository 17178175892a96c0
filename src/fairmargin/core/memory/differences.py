"""What changed between two studies that asked the same: what was noted, side by side."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Final

from fairmargin.core.conditions.room import Compared
from fairmargin.core.conditions.typed import leg_fields
from fairmargin.core.evidence.indirect import CHARGE, RANGE_LEFT, RATED, RUNNING
from fairmargin.core.study import Leg, Study
from fairmargin.core.units import said

UNTOLD: Final = "not noted"


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that two studies do not have alike, as noted; metric, as all sentences of the core."""

    what: str
    before: str
    after: str

    @property
    def words(self) -> str:
        """In a line."""
        return f"{self.what}: {self.before}, then {self.after}"


def _mean(legs: Sequence[Leg], name: str, how: Compared) -> tuple[str, float | None]:
    """Mean of a field over legs, in words and as a figure; None where nobody noted it."""
    values = [float(v) for leg in legs if (v := getattr(leg, name)) is not None]
    if not values:
        return UNTOLD, None
    mean = sum(values) / len(values)
    return f"{mean:.{how.decimals}f} {how.unit}", mean


def changed(before: Study, after: Study) -> tuple[Difference, ...]:
    """What two studies do not have alike, of what was noted; what one of them left open is told as such.

    Parameters
    ----------
    before, after : Study

    Returns
    -------
    tuple of Difference
    """
    out: list[Difference] = []
    used = [_used(s) for s in (before, after)]
    for name, field in leg_fields().items():
        if (how := field.compared) is None:
            continue
        (a, x), (b, y) = (_mean(legs, name, how) for legs in used)
        if (x is None) != (y is None) or (x is not None and y is not None and abs(x - y) >= how.least):
            out.append(Difference(how.what, a, b))
    words: tuple[tuple[str, Callable[[Study, Sequence[Leg]], str]], ...] = (
        ("road", lambda s, _: s.route_name or UNTOLD),
        ("speed", lambda s, _: said(s.target_speed_kmh, "km/h") if s.target_speed_kmh else UNTOLD),
        ("order", lambda s, _: _order(s)),
        ("how it was driven", lambda s, _: s.method),
        ("state of the road", lambda _, legs: _most(leg.road for leg in legs)),
        ("climate", lambda _, legs: _climate(legs)),
        ("read from", lambda _, legs: _most(_instrument(leg) for leg in legs)),
        ("mass of the vehicle", lambda s, _: said(s.vehicle.mass_kg, "kg") if s.vehicle.mass_kg else UNTOLD),
        ("runs", lambda _, legs: str(len({leg.run or leg.leg for leg in legs}))),
    )
    for what, of in words:
        a, b = (of(s, legs) for s, legs in zip((before, after), used, strict=True))
        if a != b:
            out.append(Difference(what, a, b))
    return tuple(out)


def _used(study: Study) -> list[Leg]:
    return [leg for leg in study.legs if leg.included and (leg.has_reading or leg.started_at is not None)]


def _most(values: Iterable[str | None]) -> str:
    """What most say; all that are said where they differ."""
    counted = Counter(v for v in values if v)
    return ", ".join(v for v, _ in counted.most_common()) or UNTOLD


def _climate(legs: Sequence[Leg]) -> str:
    counted = Counter(leg.climate for leg in legs if leg.climate)
    return ", ".join(v if v in {"off", "auto"} else said(float(v), "°C") for v, _ in counted.most_common()) or UNTOLD


def _order(study: Study) -> str:
    letters: dict[str, str] = {}
    for leg in study.legs:
        if leg.included:
            letters.setdefault(leg.run or leg.leg, leg.configuration)
    return "".join(letters.values()) if all(len(v) == 1 for v in letters.values()) else "-".join(letters.values())


#: Fields that hold a reading, the one that counts for most first, and the instrument that shows it.
_READ: Final = {
    "average_shown": "trip average", "energy_kwh": "trip energy", "charger_kwh": "charge back", "fuel_l": "fuel",
    "running_shown": RUNNING, "rated_range_used": RATED, "range_after": RANGE_LEFT, "soc_start_percent": CHARGE,
    "charged_percent": CHARGE,
}  # fmt: skip


def _instrument(leg: Leg) -> str:
    return next((name for field, name in _READ.items() if getattr(leg, field) is not None), "")
