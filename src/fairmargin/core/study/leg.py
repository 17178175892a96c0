"""One reading-to-reading drive, as it was noted."""

from __future__ import annotations

import re
from datetime import date, datetime, time
from typing import Any, Literal, Self

from pydantic import Field, field_validator, model_validator

from fairmargin.core.study.base import Value as _Value
from fairmargin.core.study.base import number as _number
from fairmargin.core.study.kinds import LegState
from fairmargin.core.units import ConsumptionUnit, is_fuel_unit, more_is_better

_LEG_NAME = re.compile(r"^[^/\\\x00-\x1f]{1,60}$")


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
    speed_kmh: _number(5, 300, "km/h") = None  # type: ignore[valid-type]
    speed_held: Literal["", "cruise", "foot", "unknown"] = ""
    started_at: datetime | None = None
    dated_only: bool = False  # the day of `started_at` is known, and no clock time
    duration_s: _number(1, 1e8, "s") = None  # type: ignore[valid-type]
    stopped_s: _number(0, 1e8, "s") = None  # type: ignore[valid-type]
    stopped_with_car_on_s: _number(0, 400000, "s") = None  # type: ignore[valid-type]
    distance_km: _number(0.05, 1e6, "km") = None  # type: ignore[valid-type]
    gps_distance_km: _number(0.05, 1e6, "km") = None  # type: ignore[valid-type]
    average_shown: _number(-10000, 10000, "") = None  # type: ignore[valid-type]
    average_unit: ConsumptionUnit | None = None
    average_step: _number(0, 100, "") = None  # type: ignore[valid-type]
    energy_kwh: _number(-100, 1e6, "kWh") = None  # type: ignore[valid-type]
    energy_step_kwh: _number(0, 10, "kWh") = None  # type: ignore[valid-type]
    soc_start_percent: _number(0, 100, "%") = None  # type: ignore[valid-type]
    soc_end_percent: _number(0, 100, "%") = None  # type: ignore[valid-type]
    soc_step_percent: _number(0, 10, "%") = None  # type: ignore[valid-type]
    forecast_end_percent: _number(-100, 100, "%") = None  # type: ignore[valid-type]  # charge that the car promised for the end
    charger_kwh: _number(0, 1e6, "kWh") = None  # type: ignore[valid-type]
    fuel_l: _number(0, 1e5, "L") = None  # type: ignore[valid-type]
    grid_kwh: _number(0, 500, "kWh") = None  # type: ignore[valid-type]
    temperature_c: _number(-50, 60, "°C") = None  # type: ignore[valid-type]
    pressure_hpa: _number(500, 1100, "hPa (at the place, not a gauge)") = None  # type: ignore[valid-type]
    humidity_percent: _number(0, 100, "%") = None  # type: ignore[valid-type]
    wind_speed_ms: _number(0, 60, "m/s") = None  # type: ignore[valid-type]
    wind_gust_ms: _number(0, 90, "m/s") = None  # type: ignore[valid-type]
    wind_from_deg: _number(0, 360, "degrees") = None  # type: ignore[valid-type]
    road: Literal["", "dry", "damp", "wet", "snow"] = ""
    climate: str = ""
    tyre_pressure_kpa: _number(50, 1200, "kPa") = None  # type: ignore[valid-type]
    battery_temperature_c: _number(-40, 80, "°C") = None  # type: ignore[valid-type]
    mass_delta_kg: _number(-10000, 20000, "kg") = None  # type: ignore[valid-type]
    driver: str = ""
    mode: str = ""
    included: bool = True
    reason: str = ""
    left_out_after_result: bool = False
    note: str = ""
    confirmed: str = (
        ""  # the readings that somebody said the instruments showed indeed, as `entry.show_readings` has them
    )

    @model_validator(mode="before")
    @classmethod
    def _a_date_has_no_clock(cls, data: Any) -> Any:
        """A date alone is kept as one; a clock time that is told later ends that."""
        if not isinstance(data, dict):
            return data
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
            raise ValueError(
                f'"{value}" is not a climate setting; expected off, auto or a temperature in °C'
            ) from None
        if not 10 <= set_c <= 35:
            raise ValueError(f"{value} °C is not a cabin setting; expected 10 to 35 °C, or off")
        return value

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        if self.average_shown is not None and self.average_unit is None:
            raise ValueError("average_unit is missing; expected the unit of average_shown")
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
        values = (self.average_shown, self.energy_kwh, self.charger_kwh, self.fuel_l)
        return soc or any(v is not None for v in values)

    @property
    def state(self) -> LegState:
        """Planned (nothing read yet), driven, or left out with a reason."""
        if not self.included:
            return "left out"
        return "driven" if self.has_reading else "planned"
