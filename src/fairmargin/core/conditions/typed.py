"""Every field of a leg that a person types: how it is called, read and shown. Sheet, paste and companion read alike."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import lru_cache
from typing import Any, Final, get_args

from fairmargin.core import units
from fairmargin.core.conditions import registry
from fairmargin.core.conditions.room import Condition, LegField, noted
from fairmargin.core.conditions.spans import read_span, read_warmer
from fairmargin.core.evidence.indirect import unusable_running
from fairmargin.core.study.entry import (
    INSTRUMENT_FIELDS,
    READING_FIELDS,
    read_card,
    read_clock,
    read_readings,
    show_number,
    show_readings,
)
from fairmargin.core.study.indirect import since_leg
from fairmargin.core.study.leg import SPANNED, Leg
from fairmargin.core.study.statements import WayReading
from fairmargin.core.study.values import SIDES, Study
from fairmargin.core.study.vocabulary import InstrumentName
from fairmargin.core.units.typed import LONGEST

#: Fields that are of no condition.
_OWN: Final[Mapping[str, LegField]] = {
    "note": LegField("", "Note", column="Note", heads=("note", "notes", "remark", "comment")),
    "sector": LegField(
        "Sector, to", "A named stretch of the route, or where it went",
        column="Sector", heads=("sector", "destination", "to", "stretch", "road type"), alike=True,
    ),
}  # fmt: skip
#: Fields that a card shows whatever the study; the others open with a key, or where any leg has them.
ALWAYS: Final = (
    "reading", "distance_km", "duration_s", "started_at", "temperature_c", "wind_speed_ms", "wind_from_deg", "pressure_hpa",
    "note",
)  # fmt: skip
#: The others in the order of the sheet; what this does not name stands behind them.
_ORDER: Final = (
    "vehicle", "sector", "speed_kmh", "speed_held", "climate", "road", "grid_kwh", "average", "energy", "soc", "charger",
    "fuel", "forecast", "on_the_way", "gps_distance_km", "stopped_s", "stopped_with_car_on_s", "driven_before_s", "tyre_pressure_kpa",
    "wind_gust_ms", "wind_age_s", "humidity_percent", "battery_temperature_c", "mass_delta_kg", "driver", "mode",
)  # fmt: skip
#: A mean speed in the place of a time.
_SPEED: Final = re.compile(r"^[\d.,]+\s*(km/h|kmh|kph|mph|mi/h|kn)$", re.IGNORECASE)
#: Charge or energy since the leg began, which tell what was taken wherever it was.
_UNPLACED: Final = re.compile(r"^\s*([\d.,]+\s*(?:%|k?Wh))\s*$", re.IGNORECASE)
INSTRUMENT_KEYS: Final = ("average", "energy", "soc", "charger", "fuel")


def leg_fields() -> Mapping[str, LegField]:
    """Fields of a leg that a person types, by key, in the order of the sheet; those up to `note` are always open."""
    return _ordered(registry.conditions())


@lru_cache(maxsize=8)
def _ordered(_conditions: tuple[Condition, ...]) -> Mapping[str, LegField]:
    known = {**registry.fields(), **_OWN}
    return {key: known[key] for key in dict.fromkeys((*ALWAYS, *_ORDER, *known))}


def more() -> tuple[str, ...]:
    """Fields that are not always open."""
    return tuple(leg_fields())[len(ALWAYS) :]


def alike() -> tuple[str, ...]:
    """Fields that are alike on all legs of a careful day, and may be copied to them."""
    return tuple(key for key, field in leg_fields().items() if field.alike)


def carried() -> tuple[str, ...]:
    """Fields that the next leg begins with as the one before it had them."""
    return tuple(key for key, field in leg_fields().items() if field.carried)


_WAY: Final = re.compile(r"^(?:at\s+)?(.+?(?:km|mi|m))\s*:?\s+(.+)$", re.IGNORECASE)


def columns_of(key: str) -> tuple[str, ...]:
    """Fields of the leg's value that a typed field fills."""
    if key in INSTRUMENT_FIELDS:
        return INSTRUMENT_FIELDS[key]
    if key == "started_at":
        return "started_at", "dated_only"
    if key in SPANNED:
        return key, "spans"
    return {"reading": READING_FIELDS, "forecast": ("forecast_end_percent",), "on_the_way": ()}.get(key, (key,))


def caption(key: str, choice: units.UnitChoice) -> str:
    """What a field is called, with the unit it is typed in."""
    field = leg_fields()[key]
    if key == "reading":
        return f"{field.caption}, {units.label(choice.consumption)}"
    if key == "climate":
        return f"{field.caption}, {choice.temperature}"
    if field.quantity in {"distance", "speed", "temperature", "wind", "pressure", "tyre", "mass"}:
        return f"{field.caption}, {getattr(choice, field.quantity)}"
    return {
        "duration_s": "Time, min:s",
        "wind_from_deg": "from, °",
        "stopped_s": "Stood, min",
        "driven_before_s": "Driven before, min",
        "wind_age_s": "Wind's age, min",
    }.get(key, "Car on, min" if key == "stopped_with_car_on_s" else field.caption)


def read_leg_field(
    key: str, text: str, choice: units.UnitChoice, leg: Leg, day: datetime, study: Study | None = None
) -> dict[str, Any]:
    """Turn typed text into changes of a leg; `day` is that of a clock time without a date.

    Parameters
    ----------
    key : str
        One of `leg_fields`, but for ``on_the_way``, which belongs to the study (`read_on_the_way`).
    text : str
        Empty clears the field.
    choice : UnitChoice
        Units of figures without one.
    leg : Leg
    day : datetime
    study : Study, optional
        Whose vehicles a leg may name.

    Raises
    ------
    ValueError
        If the text cannot be read; impossible values are refused by the leg itself.
    """
    may_rise = leg.direction == "back" or (study is not None and study.method == "climb")
    if key == "reading":
        return _since_which(read_readings(text, choice.consumption, may_rise), leg, study)
    if key in INSTRUMENT_KEYS:
        return read_card(key, text, choice, may_rise)
    if key == "vehicle":
        return {key: _vehicle(text, study)}
    if key == "forecast":
        return {"forecast_end_percent": units.read_in(text, "%") if text else None}
    field = leg_fields()[key]
    if not field.quantity and not field.words:
        return {key: text}
    if not text:
        return {key: Leg.model_fields[key].default if key in Leg.model_fields else None}
    if field.words:
        return {key: _word(text, field.words)}
    if key == "started_at":
        return {key: read_clock(text, leg.started_at or day)}
    if key == "duration_s" and (seconds := _by_mean_speed(text, leg)) is not None:
        return {key: seconds}
    if key == "duration_s":
        return {key: read_driving_time(text, likely_km(study, leg))}
    if key in SPANNED:
        others = tuple(s for s in leg.spans if s.field != key)
        span = read_span(key, text, lambda figure: float(_figure(key, figure, choice)))
        if span is None and key == "temperature_c":
            span = read_warmer(text, leg, study)
        if span is not None:
            return {key: span.middle, "spans": (*others, span)}
        if leg.spans != others:
            return {key: _figure(key, text, choice), "spans": others}
    return {key: _figure(key, text, choice)}


#: Speeds outside which time and distance do not belong together. [km/h]
POSSIBLE_KMH: Final = (3.0, 220.0)


def likely_km(study: Study | None, leg: Leg) -> float | None:
    """Distance of a leg: its own, that of legs like it, or the road's; None where nothing tells it. [km]"""
    own: float | None = leg.gps_distance_km or leg.distance_km
    if own or study is None:
        return own
    like: list[float] = sorted(
        km for x in study.legs if x.sector == leg.sector and (km := x.gps_distance_km or x.distance_km) is not None
    )
    if like:
        return like[len(like) // 2]
    return study.route[-1].distance_m / 1000.0 if len(study.route) > 1 and not leg.sector else None


def read_driving_time(text: str, km: float | None) -> float:
    """Read a driving time; ``1:15`` is hours and minutes where minutes and seconds cannot be for the distance. [s]

    Raises
    ------
    ValueError
        If it cannot be read.
    """
    seconds = units.read_duration_s(text)
    if km and text.count(":") == 1:
        as_minutes, as_hours = 3600.0 * km / max(seconds, 1e-9), 60.0 * km / max(seconds, 1e-9)
        if as_minutes > POSSIBLE_KMH[1] and POSSIBLE_KMH[0] <= as_hours <= POSSIBLE_KMH[1]:
            return 60.0 * seconds
    return seconds


def _since_which(changes: dict[str, Any], leg: Leg, study: Study | None) -> dict[str, Any]:
    """A running average by the name of the leg before which it was reset."""
    said = changes.get("running_since")
    legs = () if study is None else study.legs
    return changes if said is None else changes | {"running_since": since_leg(legs or (leg,), leg, said)}


def _figure(key: str, text: str, choice: units.UnitChoice) -> float | str:
    """A typed figure in the unit that its field is stored in."""
    quantity = leg_fields()[key].quantity
    if quantity == "duration":
        return units.read_duration_s(text)
    if quantity == "direction":
        return units.read_direction(text)
    if quantity == "climate":
        return read_climate(text, choice)
    if quantity in {"percent", "energy"}:
        return units.read_in(text, "%" if quantity == "percent" else "kWh")
    return units.read_quantity(text, quantity, getattr(choice, quantity))


def _by_mean_speed(text: str, leg: Leg) -> float | None:
    """Driving time where a mean speed is typed for it, as displays show one; None where it is none."""
    match = _SPEED.match(text.strip())
    if match is None:
        return None
    kmh = units.read_quantity(text, "speed", "km/h")
    if not leg.distance_km:
        raise ValueError(f"a mean speed of {text.strip()} tells no time without a distance: enter that first")
    if not 1.0 <= kmh <= 400.0:
        raise ValueError(f'"{text}" is no mean speed of a drive; expected 1 to 400 km/h')
    return round(3600.0 * leg.distance_km / kmh, 1)


def _word(text: str, words: Sequence[str]) -> str:
    """One of the words, by its first letters."""
    found = [w for w in words if w.startswith(text.strip().lower())]
    if len(found) != 1:
        raise ValueError(f'"{text}": expected {", ".join(words[:-1])} or {words[-1]}')
    return found[0]


def _vehicle(text: str, study: Study | None) -> str:
    """Id of a vehicle of the study, by id, name or first letters; or a side of a test with a control vehicle."""
    wanted = text.strip().lower()
    if not wanted:
        return ""
    names = {v.id: v.id for v in study.vehicles} | {v.label: v.id for v in study.vehicles} if study else {}
    names |= {side: side for side in SIDES}
    exact = [i for name, i in names.items() if name.lower() == wanted]
    near = dict.fromkeys(exact or [i for name, i in names.items() if name.lower().startswith(wanted)])
    if len(near) != 1:
        known = ", ".join(dict.fromkeys(names)) or "a vehicle; add one in Question first"
        raise ValueError(f'"{text}" is no vehicle of this study; expected {known}')
    return next(iter(near))


def read_climate(text: str, choice: units.UnitChoice) -> str:
    """Read a climate setting: ``off``, ``auto``, or a temperature with or without its unit.

    Examples
    --------
    >>> read_climate("68 F", units.UNIT_CHOICES["metric"]), read_climate("Off", units.UNIT_CHOICES["us"])
    ('20', 'off')
    """
    plain = text.strip().lower()
    if plain in {"off", "aus", "no"}:
        return "off"
    if plain in {"auto", "automatic", "on"}:
        return "auto"
    try:
        celsius = units.read_quantity(plain.removeprefix("auto"), "temperature", choice.temperature)
    except ValueError:
        raise ValueError(
            f'"{text}" is not a climate setting; expected off, auto, or a temperature such as 20 °C'
        ) from None
    return show_number(celsius, 2)  # 80 \u00b0F is 80 \u00b0F again


def show_leg_field(key: str, leg: Leg, choice: units.UnitChoice, study: Study | None = None) -> str:
    """Write a field's stored value as it would be typed; empty where nothing is known."""
    if key == "reading":
        return show_readings(leg)
    if key in INSTRUMENT_KEYS:
        return _show_instrument(key, leg, choice)
    if key == "on_the_way":
        return "" if study is None else show_on_the_way(study, leg.leg, choice)
    value = noted(leg, columns_of(key)[0])
    if value is None:
        return ""
    span = leg.span(key) if key in SPANNED else None
    if span is not None and ".." not in span.said:
        return span.said
    if key == "started_at":
        return show_clock(leg, study)
    if key == "climate":
        if value in {"off", "auto"}:
            return str(value)
        return show_number(choice.show("temperature", float(str(value).replace(",", "."))), 1)
    if key == "vehicle" and study is not None:
        return next((v.label for v in study.vehicles if v.id == value), str(value))
    field = leg_fields()[key]
    if not isinstance(value, int | float) or not field.quantity:
        return str(value)
    if field.quantity == "duration":
        return units.show_duration(value, exactly=True)
    decimals = 1 if key == "pressure_hpa" and choice.pressure == "hPa" else field.decimals
    if field.quantity in {"percent", "direction", "energy"}:
        return show_number(value, decimals)
    if field.quantity == "tyre":
        decimals = {"kPa": 0, "psi": 1}.get(choice.tyre, 2)
    return show_number(choice.show(field.quantity, value), decimals)


def show_clock(leg: Leg, study: Study | None) -> str:
    """When a leg started: the time on the study's first day, else with its date; a date alone as one."""
    at = leg.started_at
    if at is None:
        return ""
    if leg.dated_only:
        return f"{at:%Y-%m-%d}"
    first = next((x.started_at for x in study.legs if x.started_at), at) if study is not None else at
    return at.strftime("%H:%M" if first.date() == at.date() else "%Y-%m-%d %H:%M")


def _show_instrument(key: str, leg: Leg, choice: units.UnitChoice) -> str:
    """One instrument's reading as it was typed, without the unit that its caption has."""
    if key == "average":
        if leg.average_shown is None or leg.average_unit is None:
            return ""
        own = units.label(choice.consumption)
        shown = f"{units.to_step(leg.average_shown, leg.average_step)} {units.label(leg.average_unit)}"
        return shown.removesuffix(f" {own}")
    if key == "energy":
        return "" if leg.energy_kwh is None else units.to_step(leg.energy_kwh, leg.energy_step_kwh)
    if key == "soc":
        if leg.soc_start_percent is None or leg.soc_end_percent is None:
            return ""
        return f"{leg.soc_start_percent:g}-{leg.soc_end_percent:g}"
    value = leg.charger_kwh if key == "charger" else leg.fuel_l
    return "" if value is None else f"{value:g}"


def read_on_the_way(text: str, leg: str, choice: units.UnitChoice) -> tuple[WayReading, ...]:
    """Read readings on the way: ``1.9 km 89 %; 4 km 86 %``; charge and energy also at a place that nobody noted: ``44 %``.

    Raises
    ------
    ValueError
        If a place or a reading cannot be read.
    """
    found = []
    for part in (p.strip() for p in text.split(";")):
        if not part:
            continue
        match = _WAY.match(" ".join(part.split())) if len(part) <= LONGEST else None
        unplaced = _UNPLACED.match(part) if match is None else None
        if unplaced is not None:
            number = units.read_number(unplaced[1])
            unit = number.rest.strip()
            found.append(WayReading(leg=leg, instrument=_instrument_of(unit), value=number.value, unit=unit))
            continue
        if match is None:
            raise ValueError(f'"{part}" has no place; expected a distance and a reading, such as 1.9 km 89 %')
        at = units.read_quantity(match[1], "distance", choice.distance)
        number = units.read_number(match[2])
        unit = number.rest.strip()
        if not unit:
            raise ValueError(
                f'"{part}": {match[2].strip()} what? Say what was shown: {match[2].strip()} %, '
                f"{match[2].strip()} {units.label(choice.consumption)}, or kWh"
            )
        found.append(WayReading(leg=leg, at_km=at, instrument=_instrument_of(unit), value=number.value, unit=unit))
    return tuple(found)


def _instrument_of(unit: str) -> InstrumentName:
    """Instrument that shows a unit."""
    plain = unit.lower()
    if plain == "%":
        return "state of charge"
    if plain in {"kwh", "wh"}:
        return "trip energy"
    if plain in {"l", "litre", "litres"}:
        return "fuel"
    units.consumption_unit(unit)
    return get_args(InstrumentName)[0]  # type: ignore[no-any-return]


def show_on_the_way(study: Study, leg: str, choice: units.UnitChoice) -> str:
    """Write a leg's readings on the way as they would be typed."""
    parts = []
    for r in study.readings:
        if r.leg == leg:
            at = "" if r.at_km is None else f"{show_number(choice.show('distance', r.at_km), 2)} {choice.distance} "
            parts.append(f"{at}{show_number(r.value, 3)} {r.unit}".rstrip())
    return "; ".join(parts)


def needed_fields(study: Study) -> tuple[str, ...]:
    """Fields that this kind of study asks for, or that any of its legs has: open on every card."""
    wanted: set[str] = set()
    subject = study.change.subject
    if study.vehicles or study.method == "side-by-side":
        wanted.add("vehicle")
    if subject == "speed":
        wanted.add("speed_kmh")
    if subject == "road":
        wanted |= {"road", "climate"}
    wanted |= set(study.change.about.asks)
    if study.method == "climb":
        wanted |= {"soc", "on_the_way"}
    if study.method == "everyday":
        wanted |= {"climate", "road"}
    beside = _read_beside(study.legs)
    for key in more():
        columns = columns_of(key)
        if key == "on_the_way":
            if study.readings:
                wanted.add(key)
        elif key in INSTRUMENT_KEYS:
            if key in beside:
                wanted.add(key)
        elif any(noted(leg, columns[0]) is not None for leg in study.legs):
            wanted.add(key)
    return tuple(key for key in more() if key in wanted)


def _read_beside(legs: Sequence[Leg]) -> set[str]:
    """Instruments that were read on any leg beside another."""
    columns = {key: columns_of(key)[0] for key in INSTRUMENT_KEYS}
    found: set[str] = set()
    for leg in legs:
        read = [key for key, column in columns.items() if getattr(leg, column) is not None]
        if len(read) > 1:
            found.update(read)
    return found


def doubt(study: Study, leg: Leg) -> str:
    """What is odd about a leg's figures, as a question to whoever typed them; empty where nothing is."""
    km = likely_km(study, leg)
    if km and leg.duration_s:
        kmh = 3600.0 * km / leg.duration_s
        if not POSSIBLE_KMH[0] <= kmh <= POSSIBLE_KMH[1]:
            return (
                f"{units.said(km, 'km', 1)} in {units.show_duration(leg.duration_s)} makes {units.said(kmh, 'km/h')}: "
                "is the time min:s, and the distance right?"
            )
    unusable = unusable_running(study, leg)
    if unusable:
        return unusable
    if leg.has_reading and not km and not study.route and leg.average_shown is not None:
        return "A reading without a distance tells no energy: enter the distance of this leg."
    capacity = study.vehicle.capacity_kwh
    if capacity and leg.energy_kwh and leg.soc_start_percent is not None and leg.soc_end_percent is not None:
        drop = leg.soc_start_percent - leg.soc_end_percent
        if drop >= 5:
            told = 100.0 * leg.energy_kwh / drop
            if not 0.8 <= told / capacity <= 1.25:
                return f"{leg.energy_kwh:g} kWh for {drop:g} % makes a battery of {told:.0f} kWh, not {capacity:g}: which is right?"
    return ""
