"""One reading-to-reading drive, as it was noted."""

from __future__ import annotations

import math
import re
from datetime import date, datetime, time
from typing import Annotated, Any, Final, Literal, Self

from pydantic import Field, field_validator, model_validator

from fairmargin.core.study.base import Value as _Value
from fairmargin.core.study.base import within
from fairmargin.core.study.vocabulary import LegState
from fairmargin.core.units import ConsumptionUnit, is_fuel_unit, more_is_better

_LEG_NAME = re.compile(r"^[^/\\\x00-\x1f]{1,60}$")


#: Conditions that may be noted as an interval.
SPANNED: Final = (
    "temperature_c", "pressure_hpa", "humidity_percent", "wind_speed_ms", "wind_gust_ms", "tyre_pressure_kpa",
    "battery_temperature_c",
)  # fmt: skip
SPAN: Final = re.compile(r"^\s*([+-]?\d+(?:\.\d+)?)\s*\.\.\s*([+-]?\d+(?:\.\d+)?)\s*$")


class Span(_Value):
    """A condition that was noted as an interval, uniform between its ends; its middle is the leg's own figure."""

    field: str
    low: float
    high: float
    said: str = ""  # as it was typed

    @property
    def middle(self) -> float:
        """What stands for it where one figure is wanted."""
        return (self.low + self.high) / 2.0

    @property
    def sd(self) -> float:
        """Standard deviation: uniform between the ends (JCGM 100:2008, 4.3.7)."""
        return (self.high - self.low) / math.sqrt(12.0)


def _with_intervals(data: dict[str, object]) -> dict[str, object]:
    """Conditions written as ``low..high`` as their middle and a span."""
    found, out = [], dict(data)
    for name in SPANNED:
        value = data.get(name)
        match = SPAN.match(value) if isinstance(value, str) else None
        if match is not None:
            low, high = sorted((float(match[1]), float(match[2])))
            span = Span(field=name, low=low, high=high, said=match[0].strip())
            found.append(span)
            out[name] = span.middle
    before = data.get("spans")
    return {**out, "spans": (*(before if isinstance(before, tuple | list) else ()), *found)} if found else data


class Leg(_Value):
    """One reading-to-reading drive in one direction; ``None`` = not known.

    Readings are kept as read (`average_shown` in `average_unit`); what follows from them is computed.
    Distances in km, times in s, wind in m/s *from* `wind_from_deg` (degrees true).
    """

    leg: str
    run: str = ""
    block: str = ""
    configuration: str
    vehicle: str = Field(default="", max_length=40)
    direction: Literal["", "out", "back", "loop"] = ""
    sector: str = ""
    speed_kmh: Annotated[float | None, within(5, 300, "km/h")] = None
    speed_held: Literal["", "cruise", "foot", "unknown"] = ""
    started_at: datetime | None = None
    dated_only: bool = False  # the day of `started_at` is known, and no clock time
    duration_s: Annotated[float | None, within(1, 1e8, "s")] = None
    stopped_s: Annotated[float | None, within(0, 1e8, "s")] = None
    stopped_with_car_on_s: Annotated[float | None, within(0, 400000, "s")] = None
    distance_km: Annotated[float | None, within(0.05, 1e6, "km")] = None
    gps_distance_km: Annotated[float | None, within(0.05, 1e6, "km")] = None
    average_shown: Annotated[float | None, within(-10000, 10000, "")] = None
    average_unit: ConsumptionUnit | None = None
    average_step: Annotated[float | None, within(0, 100, "")] = None
    energy_kwh: Annotated[float | None, within(-100, 1e6, "kWh")] = None
    energy_step_kwh: Annotated[float | None, within(0, 10, "kWh")] = None
    soc_start_percent: Annotated[float | None, within(0, 100, "%")] = None
    soc_end_percent: Annotated[float | None, within(0, 100, "%")] = None
    soc_step_percent: Annotated[float | None, within(0, 10, "%")] = None
    forecast_end_percent: Annotated[float | None, within(-100, 100, "%")] = (
        None  # charge that the car promised for the end
    )
    running_shown: Annotated[float | None, within(-10000, 10000, "")] = (
        None  # an average since a reset before another leg
    )
    running_unit: ConsumptionUnit | None = None
    running_step: Annotated[float | None, within(0, 100, "")] = None
    running_since: str | None = None  # that leg
    rated_range_used: Annotated[float | None, within(0, 5000, "")] = None  # in `rated_range_unit`
    rated_range_unit: Literal["km", "mi"] | None = None
    range_before: Annotated[float | None, within(0, 5000, "")] = None  # range left, in `range_unit`
    range_after: Annotated[float | None, within(0, 5000, "")] = None
    range_unit: Literal["km", "mi"] | None = None
    charged_percent: Annotated[float | None, within(0, 100, "%")] = None  # put back, to the level before
    charged_s: Annotated[float | None, within(0, 400000, "s")] = None  # in so long
    charger_kwh: Annotated[float | None, within(0, 1e6, "kWh")] = None
    fuel_l: Annotated[float | None, within(0, 1e5, "L")] = None
    grid_kwh: Annotated[float | None, within(0, 500, "kWh")] = None
    temperature_c: Annotated[float | None, within(-50, 60, "°C")] = None
    pressure_hpa: Annotated[float | None, within(500, 1100, "hPa (at the place, not a gauge)")] = None
    humidity_percent: Annotated[float | None, within(0, 100, "%")] = None
    wind_speed_ms: Annotated[float | None, within(0, 60, "m/s")] = None
    wind_gust_ms: Annotated[float | None, within(0, 90, "m/s")] = None
    wind_from_deg: Annotated[float | None, within(0, 360, "degrees")] = None
    wind_age_s: Annotated[float | None, within(0, 604800, "s")] = None  # of its report, at the middle of the leg
    road: Literal["", "dry", "damp", "wet", "snow"] = ""
    climate: str = ""
    tyre_pressure_kpa: Annotated[float | None, within(50, 1200, "kPa")] = None
    driven_before_s: Annotated[float | None, within(0, 86400, "s")] = None  # on these tyres, before the leg
    battery_temperature_c: Annotated[float | None, within(-40, 80, "°C")] = None
    mass_delta_kg: Annotated[float | None, within(-10000, 20000, "kg")] = None
    driver: str = ""
    mode: str = ""
    included: bool = True
    reason: str = ""
    left_out_after_result: bool = False
    note: str = ""
    spans: tuple[Span, ...] = ()  # conditions that were noted as intervals
    confirmed: str = (
        ""  # the readings that somebody said the instruments showed indeed, as `entry.show_readings` has them
    )

    @model_validator(mode="before")
    @classmethod
    def _a_date_has_no_clock(cls, data: Any) -> Any:
        """A date alone is kept as one; a clock time that is told later ends that. Intervals are taken apart."""
        if not isinstance(data, dict):
            return data
        data = _with_intervals(data)
        started = data.get("started_at")
        if isinstance(started, str) and re.fullmatch(r"\s*\d{4}-\d{2}-\d{2}\s*", started):
            try:
                started = date.fromisoformat(started.strip())
            except ValueError:
                return data  # refused below as any other text
        if isinstance(started, date) and not isinstance(started, datetime):
            return {**data, "started_at": datetime.combine(started, time()), "dated_only": True}
        if data.get("dated_only") and isinstance(started, datetime | None):
            midnight = started is not None and started.time() == time()
            return {**data, "dated_only": midnight}
        return data

    def span(self, name: str) -> Span | None:
        """The interval that a condition was noted as; None where it is one figure."""
        value = getattr(self, name)
        return next(
            (s for s in self.spans if s.field == name and value is not None and abs(s.middle - value) < 1e-6), None
        )

    @field_validator("leg")
    @classmethod
    def _leg_name(cls, value: str) -> str:
        if not _LEG_NAME.match(value) or value in {".", ".."} or value != value.strip():
            raise ValueError(f'"{value}" is not a leg name; expected 1 to 60 characters without "/"')
        return value

    @field_validator("climate")
    @classmethod
    def _climate(cls, value: str) -> str:
        if value in {"", "off", "auto"}:
            return value
        try:
            set_c = float(value.replace(",", "."))
        except ValueError:
            raise ValueError(f'"{value}" is not a climate setting; expected off, auto or a temperature in °C') from None
        if not 10 <= set_c <= 35:
            raise ValueError(f"{value} °C is not a cabin setting; expected 10 to 35 °C, or off")
        return value

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        if self.average_shown is not None and self.average_unit is None:
            raise ValueError("average_unit is missing; expected the unit of average_shown")
        if self.running_shown is not None and (self.running_unit is None or not self.running_since):
            raise ValueError("an average since a reset lacks its unit, or the leg before which it was reset")
        self._consumption_is_possible()
        stopped, duration = self.stopped_s, self.duration_s
        if stopped is not None and duration is not None and stopped >= duration:
            raise ValueError(f"stopped_s {stopped:g} is not shorter than duration_s {duration:g}")
        return self

    def _consumption_is_possible(self) -> None:
        """Below nothing is possible where a descent gave energy back, in units of electricity."""
        shown, unit = self.average_shown, self.average_unit
        if shown is None or unit is None or shown > 0:
            return
        if is_fuel_unit(unit) or (more_is_better(unit) and not shown):
            raise ValueError(f"average_shown {shown:g} {unit} is not possible; expected more than 0")

    @property
    def clock(self) -> datetime | None:
        """When it started, where the time of day is known and not only the date."""
        return None if self.dated_only else self.started_at

    @property
    def has_reading(self) -> bool:
        """Whether any instrument was read on this leg."""
        soc = self.soc_start_percent is not None and self.soc_end_percent is not None
        left = self.range_before is not None and self.range_after is not None
        values = (
            self.average_shown, self.energy_kwh, self.charger_kwh, self.fuel_l, self.running_shown, self.rated_range_used,
            self.charged_percent,
        )  # fmt: skip
        return soc or left or any(v is not None for v in values)

    @property
    def state(self) -> LegState:
        """Planned (nothing read yet), driven, or left out with a reason."""
        if not self.included:
            return "left out"
        return "driven" if self.has_reading else "planned"
