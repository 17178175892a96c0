"""The air: its warmth in tyres, battery and driveline, its pressure and moisture in the drag."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, difference, mean, names
from fairmargin.core.conditions.causes import Cause, Group
from fairmargin.core.conditions.design import DesignRows, Unknown, by_day, by_untold_day, told_days, unknown_of
from fairmargin.core.conditions.room import Compared, Condition, Exchange, LegField, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.figures import NOTABLE, Prior, Size, Threshold
from fairmargin.core.laws import driveline
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.units import said
from fairmargin.core.words import sentence

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "temperature_c": LegField(
        "Air", "Outside temperature; or 14 to 16, below freezing", "temperature",
        heads=("temperature", "temp", "air", "temperature_c", "outside"), alike=True,
        compared=Compared("air", "°C", 0, 2.0),
    ),
    "pressure_hpa": LegField(
        "Press.", "At the place, not reduced to sea level", "pressure", 2, column="Pressure",
        heads=("pressure", "pressure_hpa", "hpa", "inhg"), alike=True,
        compared=Compared("air pressure", "hPa", 0, 8.0),
    ),
    "humidity_percent": LegField(
        "Humidity, %", "Relative humidity", "percent", 0, column="Humidity",
        heads=("humidity", "humidity_percent", "rh"), alike=True,
    ),
    "battery_temperature_c": LegField(
        "Battery", "Temperature of the battery", "temperature", 0, column="Battery temperature",
        heads=("battery_temperature_c", "battery temperature", "cell temperature"),
        compared=Compared("battery", "°C", 0, 4.0),
    ),
}  # fmt: skip

TYRE_PER_K: Final = Prior(0.0016, "1/K", "rolling resistance per kelvin of outside air")
DRIVELINE_PER_K: Final = Prior(0.0005, "1/K", "consumption per kelvin of outside air, battery and driveline")
SEASON_UNNOTED: Final = Prior(8.0, "K", "temperature of a study that noted none, all days alike")
DAY_UNNOTED: Final = Prior(4.0, "K", "temperature of a day that noted none")
SEASON_COURSE: Final = Prior(0.25, "K/day", "the same, as the season moves on")
WARMING_UNNOTED: Final = Prior(0.9, "K/h", "how such a day warms or cools")
LEG_UNNOTED: Final = Prior(1.0, "K", "temperature of a leg that noted none, over its day's")
MOST_SEASON_DAYS: Final = Size(60.0, "days", "after which a season turns")

WARMER_K: Final = Threshold(3.0, "K", "about 1 % of consumption by air and tyres")
WIND_MOVED_M_S: Final = Threshold(1.5, "m/s", "along the road about 4 % of the drag at 90 km/h, one way")
BATTERY_K: Final = Threshold(5.0, "K", "half a per cent of consumption")
BATTERY_LARGE_K: Final = Threshold(10.0, "K", "one per cent of consumption")


def unknowns(design: DesignRows) -> list[Unknown]:
    """How tyres and driveline answer to warmth, and temperatures that nobody noted."""
    if Cause.TYRES in design.ignore:
        return []
    warmth, everywhere = Group.TEMPERATURE, design.everywhere
    return [
        unknown_of("tyres per K", warmth, Parameter.TYRE_PER_K, everywhere, TYRE_PER_K),
        unknown_of("driveline per K", warmth, Parameter.DRIVELINE_PER_K, everywhere, DRIVELINE_PER_K),
        *_temperatures(design),
    ]


def _temperatures(design: DesignRows) -> list[Unknown]:
    conditions = design.conditions
    unknown = [not c.temperature_known for c in conditions]
    if Cause.TYRES in design.ignore:
        return []
    group, warmer = Group.TEMPERATURE, Parameter.WARMER_K
    out = _intervals(design)
    if not any(unknown):
        return out
    if all(unknown):
        out.append(unknown_of("season", group, warmer, design.where(unknown), SEASON_UNNOTED))
        days = np.array([c.placed_s / 86400.0 for c in conditions])
        if all(c.day_told for c in conditions) and float(np.ptp(days)) > 1.5:
            course = np.zeros(design.rows)
            course[: len(days)] = np.clip(days - days.mean(), -MOST_SEASON_DAYS, MOST_SEASON_DAYS)
            out.append(unknown_of("course of the season", group, warmer, course, SEASON_COURSE))
    for day, on in by_day(design, unknown):
        own = [c for c in conditions if c.day == day]
        if not any(c.temperature_known for c in own):
            out.append(unknown_of(f"warmth of day {day}", group, warmer, on, DAY_UNNOTED))
        hours = on * _hours(design, day)
        out.append(unknown_of(f"warming of day {day}", group, warmer, hours, WARMING_UNNOTED))
    for name, on in by_untold_day(design, unknown):
        out.append(unknown_of(f"warmth of {name}", group, warmer, on, DAY_UNNOTED))
    for i in np.flatnonzero(unknown).tolist():
        own_leg = np.eye(design.rows)[i]
        known = [c.temperature_c for c in conditions if c.temperature_known and c.day == conditions[i].day]
        sd = math.hypot(LEG_UNNOTED.sd, float(np.std(known)) if known else 0.0)
        out.append(Unknown("warmth of a leg", group, warmer, own_leg, 0.0, sd))
    return out


def _intervals(design: DesignRows) -> list[Unknown]:
    """Warmth that was noted as an interval: legs of one day with the same one were somewhere in it together.

    Within it each leg may differ, and the day may warm, as on a day that noted none; not by more than the interval has room for.
    """
    group, warmer = Group.TEMPERATURE, Parameter.WARMER_K
    noted: dict[tuple[str, float, float], list[int]] = {}
    for i, (key, c) in enumerate(zip(told_days(design), design.conditions, strict=True)):
        if c.temperature_sd > 0:
            noted.setdefault((key, c.temperature_c, c.temperature_sd), []).append(i)
    out = []
    for (_, _, sd), own in noted.items():
        on = np.zeros(design.rows)
        on[own] = 1.0
        out.append(Unknown("noted warmth", group, warmer, on, 0.0, sd))
        if len(own) < 2:
            continue
        out += [
            Unknown("noted warmth of a leg", group, warmer, np.eye(design.rows)[i], 0.0, min(sd, LEG_UNNOTED.sd))
            for i in own
        ]
        hours = np.zeros(design.rows)
        at = np.array([design.conditions[i].placed_s / 3600.0 for i in own])
        hours[own] = at - at.mean()
        most = float(np.abs(hours).max())
        if most > 0:
            out.append(
                Unknown("warming in what was noted", group, warmer, hours, 0.0, min(WARMING_UNNOTED.sd, sd / most))
            )
    return out


def _hours(design: DesignRows, day: int) -> Array:
    """Hours of each leg from the middle of its day; legs of unknown time follow each other."""
    out = np.zeros(design.rows)
    index = [i for i, c in enumerate(design.conditions) if c.day == day]
    hours = []
    for i in index:
        c = design.conditions[i]
        hours.append(c.placed_s / 3600.0)
    out[index] = np.array(hours) - float(np.mean(hours))
    return out


def density(e: Exchange) -> Exchange:
    """The air density of the reference."""
    return replace(e, model=e.model.replaced(density=np.full(len(e.local), e.reference.density_kg_m3)))


def tyre_temperature(e: Exchange) -> Exchange:
    """The temperature of the reference for the tyres alone: what it does to the driveline stays for its own line."""
    per_k = driveline.TEMPERATURE_PER_K + e.local[:, Parameter.DRIVELINE_PER_K]
    then, now = (
        np.log(driveline.temperature_factor(t, per_k).value)
        for t in (e.model.legs.temperature_c, e.reference.temperature_c)
    )
    local = e.local.copy()
    local[:, Parameter.TOTAL] += then - now
    model = e.model.replaced(temperature_c=np.full(len(local), e.reference.temperature_c))
    return replace(e, model=model, local=local, apart=then - now)


def of_driveline(e: Exchange) -> Exchange:
    """The temperature of the reference for battery and driveline too."""
    local = e.local.copy()
    local[:, Parameter.TOTAL] -= e.apart
    return replace(e, local=local, apart=0.0)


@CONCERNS.rule("weather-unlike", stage="correct", needs="temperature or wind", covered=True)
def weather_unlike(case: Case) -> Iterator[Finding]:
    """Trial and baseline in unlike weather: priced as what the correction for it is worth."""
    a, b = case.both
    if not a or not b:
        return
    warm = (mean([c.temperature_c for c in b]) or 0.0) - (mean([c.temperature_c for c in a]) or 0.0)
    north = float(np.mean([c.from_north for c in b]) - np.mean([c.from_north for c in a]))
    east = float(np.mean([c.from_east for c in b]) - np.mean([c.from_east for c in a]))
    moved = math.hypot(north, east)
    parts = []
    if abs(warm) > WARMER_K:
        parts.append(f"trial legs were {said(abs(warm), 'K')} {'warmer' if warm > 0 else 'colder'}")
    if moved > WIND_MOVED_M_S:
        parts.append(f"the wind differed by {said(moved, 'm/s', 1)}")
    if not parts:
        return
    bias = case.without(Cause.WIND, Cause.AIR, Cause.TYRES)
    large = abs(bias or 0.0) > max(NOTABLE, abs(case.effect.percent) / 2)
    yield Finding(
        "caution" if large else "note",
        bias,
        names(b),
        "Unlike weather",
        f"{sentence(' and '.join(parts))}. This is what the correction for it is worth.",
        "Corrected. Drive both on one day to need less of it.",
        signed=True,
    )


@CONCERNS.rule("battery-temperature-unlike", stage="drive", needs="battery temperatures", covered=False)
def battery_temperature_unlike(case: Case) -> Iterator[Finding]:
    """A battery warmer or colder on trial legs: priced by the usual cost per kelvin, which nothing corrects."""
    a, b = case.legs_of_both
    apart = difference([x.battery_temperature_c for x in a], [x.battery_temperature_c for x in b])
    if apart is None or abs(apart) <= BATTERY_K:
        return
    yield Finding(
        "note" if abs(apart) < BATTERY_LARGE_K else "caution",
        100.0 * driveline.battery_share(apart),
        tuple(x.leg for x in b),
        f"Battery {said(abs(apart), 'K')} {'warmer' if apart > 0 else 'colder'} on trial legs",
        "A cold battery loses more: about 0.1 % per kelvin (common practice); not corrected.",
        "Let the battery reach the same temperature before each block.",
        signed=True,
    )


CONDITION: Final = Condition(
    "air",
    FIELDS,
    unknowns,
    lines=(
        Line("air_density", "air", 40, density, lambda c: c.temperature_known),
        Line("tyre_temperature", "tyre warmth", 50, tyre_temperature, lambda c: c.temperature_known),
        Line("temperature", "warmth", 60, noted=lambda c: c.temperature_known),
        Line("driveline", "battery", 120, of_driveline, lambda c: c.temperature_known),
    ),
    told={
        Group.TEMPERATURE: Told(
            "tyres and battery answer differently to warmth",
            "Drive both configurations in like temperatures, best on one day.",
            lambda c: not c.temperature_known,
            "temperature was not noted",
            "Note the outside temperature of each leg; the dash shows it.",
        )
    },
    concerns=CONCERNS.rules,
)
