"""The vehicle: what its owner knows of it, and constants with their margins where nobody knows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Final

from pydantic import Field, field_validator

from fairmargin.core.study.base import Value as _Value
from fairmargin.core.study.base import within
from fairmargin.core.study.vocabulary import Energy, VehicleClass
from fairmargin.core.units import HEATING_VALUE_WH_PER_L


@dataclass(frozen=True, slots=True)
class VehicleConstants:
    """Vehicle constants with their standard deviations, all known (filled from a class where missing)."""

    mass_kg: float
    mass_sd_kg: float
    drag_area_m2: float
    drag_area_sd_m2: float
    rolling_coefficient: float
    rolling_coefficient_sd: float
    drive_efficiency: float
    drive_efficiency_sd: float
    regen_efficiency: float
    auxiliary_w: float
    auxiliary_sd_w: float
    usable_capacity_kwh: float | None
    charging_efficiency: float
    heating_value_wh_per_l: float
    assumed: tuple[str, ...]  # names of the constants taken from the class preset


#: An engine burns this much at no load, and this share of what it burns on top goes to the wheels (the line of
#: Willans; J. B. Heywood, "Internal Combustion Engine Fundamentals", 2nd ed. (2018), ch. 13, from memory).
ENGINE_NO_LOAD_W: Final = 8000.0
ENGINE_SLOPE: Final = 0.38
#: Class presets: middle and standard deviation. Common practice; wide on purpose.
CLASS_PRESETS: Final[dict[str, dict[str, tuple[float, float]]]] = {
    "small car": {"mass_kg": (1250, 150), "drag_area_m2": (0.65, 0.07), "rolling_coefficient": (0.0095, 0.0015)},
    "car": {"mass_kg": (1700, 200), "drag_area_m2": (0.62, 0.07), "rolling_coefficient": (0.0095, 0.0015)},
    "tall car": {"mass_kg": (2100, 250), "drag_area_m2": (0.78, 0.09), "rolling_coefficient": (0.0100, 0.0015)},
    "van": {"mass_kg": (1900, 300), "drag_area_m2": (0.95, 0.15), "rolling_coefficient": (0.0098, 0.0015)},
    "light truck": {"mass_kg": (2900, 350), "drag_area_m2": (1.20, 0.18), "rolling_coefficient": (0.0105, 0.0018)},
}


class Vehicle(_Value):
    """The vehicle: what its owner knows of it. ``None`` = not known, taken from the class."""

    name: str = ""
    energy: Energy = "electric"
    vehicle_class: VehicleClass = Field(default="car", alias="class")
    mass_kg: Annotated[float | None, within(200, 40000, "kg")] = None
    mass_sd_kg: Annotated[float | None, within(0, 5000, "kg")] = None
    drag_area_m2: Annotated[float | None, within(0.1, 12, "m²")] = None
    drag_area_sd_m2: Annotated[float | None, within(0, 5, "m²")] = None
    rolling_coefficient: Annotated[float | None, within(0.002, 0.05, "")] = None
    rolling_coefficient_sd: Annotated[float | None, within(0, 0.02, "")] = None
    drive_efficiency: Annotated[float | None, within(0.1, 1, "(a share of 1)")] = None
    regen_efficiency: Annotated[float | None, within(0, 1, "(a share of 1)")] = None
    auxiliary_w: Annotated[float | None, within(0, 20000, "W")] = None
    usable_capacity_kwh: Annotated[float | None, within(0.5, 1000, "kWh")] = None
    tank_l: Annotated[float | None, within(1, 2000, "L")] = None
    charging_efficiency: Annotated[float | None, within(0.3, 1, "(a share of 1)")] = None
    heating_value_wh_per_l: Annotated[float | None, within(5000, 12000, "Wh/L")] = None
    distance_error_percent: Annotated[float | None, within(-30, 30, "%")] = None
    speed_error_percent: Annotated[float | None, within(-30, 30, "%")] = None

    rated_wh_per_km: Annotated[float | None, within(20, 5000, "Wh/km")] = None
    rated_range_km: Annotated[float | None, within(10, 5000, "km")] = None

    @property
    def heating_value(self) -> float:
        """Lower heating value used for fuel readings. [Wh/L]"""
        if self.heating_value_wh_per_l is not None:
            return float(self.heating_value_wh_per_l)
        return HEATING_VALUE_WH_PER_L["diesel" if self.energy == "diesel" else "petrol"]

    @property
    def stored_wh(self) -> float | None:
        """Energy of a full battery or tank; None where nobody told. [Wh]"""
        if self.energy != "electric" and self.tank_l is not None:
            return float(self.tank_l) * self.heating_value
        capacity = self.capacity_kwh
        return None if capacity is None else 1000.0 * capacity

    @property
    def rated_capacity_kwh(self) -> float | None:
        """What the rated consumption and the rated range make of a battery; None unless both were told. [kWh]"""
        if self.energy != "electric" or self.rated_wh_per_km is None or self.rated_range_km is None:
            return None
        return self.rated_wh_per_km * self.rated_range_km / 1000.0

    @property
    def capacity_kwh(self) -> float | None:
        """Usable capacity as told, else by the rated figures; None where neither was. [kWh]"""
        return self.rated_capacity_kwh if self.usable_capacity_kwh is None else float(self.usable_capacity_kwh)

    def constants(self) -> VehicleConstants:
        """Fill what is not known from the class preset, with its wide margin."""
        preset = CLASS_PRESETS[self.vehicle_class]
        fuel = self.energy != "electric"
        assumed: list[str] = []

        def known(name: str, sd_name: str, share: float) -> tuple[float, float]:
            value, sd = getattr(self, name), getattr(self, sd_name, None)
            if value is None:
                assumed.append(name)
                return preset[name]
            return float(value), float(sd) if sd is not None else share * float(value)

        def plain(name: str, default: float) -> float:
            value = getattr(self, name)
            if value is None:
                assumed.append(name)
                return default
            return float(value)

        mass = known("mass_kg", "mass_sd_kg", 0.03)
        drag = known("drag_area_m2", "drag_area_sd_m2", 0.08)
        rolling = known("rolling_coefficient", "rolling_coefficient_sd", 0.10)
        # A stated efficiency of an engine is that of the whole; by itself it is a slope over what it burns at no load.
        slope = fuel and self.drive_efficiency is None
        return VehicleConstants(
            mass_kg=mass[0],
            mass_sd_kg=mass[1],
            drag_area_m2=drag[0],
            drag_area_sd_m2=drag[1],
            rolling_coefficient=rolling[0],
            rolling_coefficient_sd=rolling[1],
            drive_efficiency=plain("drive_efficiency", ENGINE_SLOPE if fuel else 0.88),
            drive_efficiency_sd=0.03 if fuel else 0.025,
            regen_efficiency=0.0 if fuel else plain("regen_efficiency", 0.6),
            auxiliary_w=(aux := plain("auxiliary_w", ENGINE_NO_LOAD_W if slope else 1200.0 if fuel else 350.0)),
            auxiliary_sd_w=0.3 * aux + 60.0,
            usable_capacity_kwh=self.usable_capacity_kwh,
            charging_efficiency=plain("charging_efficiency", 0.9),
            heating_value_wh_per_l=self.heating_value,
            assumed=tuple(assumed),
        )


class NamedVehicle(Vehicle):
    """One of several vehicles of a study; legs name it by its id."""

    id: str = Field(min_length=1, max_length=40)

    @field_validator("id")
    @classmethod
    def _own_id(cls, value: str) -> str:
        if value in {"test", "control"}:
            raise ValueError(f'"{value}" names a side of a test with a control vehicle; expected another id')
        return value

    @property
    def label(self) -> str:
        """The name, or the id when it has none."""
        return self.name or self.id
