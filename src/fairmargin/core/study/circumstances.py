"""What was alike throughout a study, or an outing, said once instead of on every leg."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from fairmargin.core.study.base import Value, within


class Circumstances(Value):
    """What was alike; a leg's own note beats its outing's, that the study's. What is absent was not asked."""

    warm_up_min: Annotated[float | None, within(0, 1440, "min")] = None  # driven before the first leg of an outing
    vehicles: Literal["alike"] | None = None  # of one model, year and tyres


class Outing(Circumstances):
    """What was alike on some runs of a study."""

    id: str
    date: dt.date | None = None
    runs: tuple[str, ...] = ()
