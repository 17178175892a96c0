"""What was alike throughout a study, or an outing, said once instead of on every leg."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Annotated, Final, Literal

from pydantic import field_validator

from fairmargin.core.study.base import Value, within

Wind = Literal["still", "light", "moderate", "fresh", "strong"]
#: Wind at 10 m that each word stands for [m/s]: Beaufort 0-1, 2-3, 4, 5, 6 and more (WMO code table 1100; the last as 6 to 7).
BEAUFORT_M_S: Final[Mapping[Wind, tuple[float, float]]] = {
    "still": (0.0, 1.5),
    "light": (1.6, 5.4),
    "moderate": (5.5, 7.9),
    "fresh": (8.0, 10.7),
    "strong": (10.8, 17.1),
}


class Circumstances(Value):
    """What was alike; a leg's own note beats its outing's, that the study's. What is absent was not asked."""

    outing: Literal["one", "days", "weeks"] | None = None  # how the drives lie to each other, where no dates say it
    road: Literal["dry", "damp", "wet", "snow"] | None = None
    climate: str | None = None  # as on a leg: off, auto, or the temperature set
    speed_held: Literal["cruise", "foot"] | None = None
    warm_up_min: Annotated[float | None, within(0, 1440, "min")] = None  # driven before the first leg of an outing
    wind: Wind | None = None
    traffic: Literal["free", "some", "slow"] | None = None
    load: Literal["alike"] | None = None  # the same people and things aboard
    tyres: Literal["alike"] | None = None  # pressures set alike, cold
    vehicles: Literal["alike"] | None = None  # of one model, year and tyres
    driver: Literal["alike"] | None = None  # the same person at the wheel
    windows: Literal["closed", "open"] | None = None  # all the time; kept, and corrected for nothing
    sun: Literal["clear", "cloud", "changing"] | None = None  # the same
    not_known: tuple[str, ...] = ()  # what was asked and nobody knows

    @field_validator("climate")
    @classmethod
    def _climate(cls, value: str | None) -> str | None:
        if value is None or value in {"off", "auto"}:
            return value
        try:
            possible = 10 <= float(value.replace(",", ".")) <= 35
        except ValueError:
            possible = False
        if not possible:
            raise ValueError(f'"{value}" is not a climate setting; expected off, auto, or 10 to 35 °C')
        return value

    @field_validator("not_known")
    @classmethod
    def _once(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(dict.fromkeys(value))


class Outing(Circumstances):
    """What was alike on some runs of a study."""

    id: str
    date: dt.date | None = None
    runs: tuple[str, ...] = ()
