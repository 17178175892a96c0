"""Rows pasted from a spreadsheet: cells, the roles of their columns, and what they make of the legs."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Final

from fairmargin.core.conditions.typed import ALWAYS, INSTRUMENT_KEYS, leg_fields, read_leg_field
from fairmargin.core.study import Configuration, Leg, NamedVehicle, Study, Vehicle
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.entry import words_of
from fairmargin.core.units import UnitChoice, consumption_unit, read_duration_s, read_in
from fairmargin.core.units.dates import Order, iso_dates, order_of
from fairmargin.exchange.tables.headers import split_head
from fairmargin.exchange.tables.rows import delimiter_of, filled_rows, in_brackets

#: Roles of a column that is no field, and header words that mean them.
_OTHERS: Final[dict[str, tuple[str, tuple[str, ...]]]] = {
    "": ("(not used)", ()),
    "leg": ("Leg name", ("leg", "name")),
    "date": ("Date", ("date", "day", "datum")),
    "run": ("Run", ("run", "lap")),
    "configuration": ("Configuration", ("configuration", "config", "setup", "state", "with", "wheels", "covers", "load")),
    "direction": ("Way", ("way", "direction", "there", "heading")),
    "soc_start": ("Charge before", ("soc start", "start soc", "charge before", "soc before", "soc_start_percent")),
    "soc_end": ("Charge after", ("soc end", "end soc", "charge after", "soc after", "soc_end_percent")),
}  # fmt: skip
#: Words of a header that say nothing of what stands below it.
_FILLERS: Final = frozenset(
    [
        "outside",
        "ambient",
        "avg",
        "average",
        "mean",
        "total",
        "used",
        "driven",
        "displayed",
        "shown",
        "the",
        "of",
        "my",
        "car",
        "battery",
        "at",
    ]
)
_CHARGE: Final = frozenset({"soc", "charge", "battery"})
_BEFORE: Final = frozenset({"start", "begin", "beginning", "before", "starting", "from"})
_AFTER: Final = frozenset({"end", "after", "finish", "ending", "left"})
#: Names of configurations that nobody gave.
_UNNAMED: Final = frozenset({"", "Baseline", "Trial"})
#: Columns that are a reading: without one of them a row of a new leg says nothing.
READINGS: Final = frozenset({"reading", *INSTRUMENT_KEYS, "soc_start", "soc_end"})


def column_roles() -> dict[str, tuple[str, tuple[str, ...]]]:
    """Roles a column can have, with their words on screen and the header words that mean them."""
    known = leg_fields()
    always = [key for key in ALWAYS if known[key].heads]
    at = always.index("started_at")
    order = ["", "leg", *always[:at], "date", *always[at:], "run", "configuration", "direction"]
    order += [key for key, field in known.items() if field.heads and key not in ALWAYS]
    order += ["soc_start", "soc_end"]
    return {
        key: _OTHERS[key] if key in _OTHERS else (known[key].column or known[key].caption, known[key].heads)
        for key in order
    }


#: Roles that say which leg a row is; the others are fields of it.
_PLACE: Final = ("leg", "run", "configuration", "direction")
_WAYS: Final = {
    "out": ("out", "o", "there", "going", "to", "north", "n", "east", "e", "up", "hin"),
    "back": ("back", "b", "return", "home", "from", "south", "s", "west", "w", "down", "r\u00fcck"),
    "loop": ("loop", "round", "lap", "l"),
}


#: Units that a header word says by itself.
_IMPLIED: Final = {
    "km": "km", "distance_km": "km", "miles": "mi", "mi": "mi", "duration_s": "s", "minutes": "min", "min": "min",
    "temperature_c": "\u00b0C", "wind_speed_ms": "m/s", "pressure_hpa": "hPa", "hpa": "hPa", "inhg": "inHg",
    "kwh": "kWh", "mins": "min", "minute": "min",
}  # fmt: skip
#: Forms of a time in brackets: hours and minutes, where minutes and seconds would be read.
_HOURS: Final = frozenset({"h:mm", "hh:mm", "h:min", "h:m"})
_MINUTES: Final = frozenset({"min:s", "m:s", "mm:ss", "m:ss"})
_BARE: Final = re.compile(r"^[+\-\u2212]?\d+(?:[.,]\d+)?$")


@dataclass(frozen=True, slots=True)
class Pasted:
    """Rows of cells, the roles guessed for their columns, and the units their headers state ("" = none)."""

    header: list[str] | None
    rows: list[list[str]]
    roles: list[str]
    units: tuple[str, ...] = ()

    def cell(self, row: list[str], column: int) -> str:
        """A cell as if its header's unit stood in it; one that states a unit of its own keeps that."""
        text = row[column].strip()
        unit = self.units[column] if column < len(self.units) else ""
        if unit in _HOURS:
            return f"{text}:00" if re.fullmatch(r"\d+:\d{2}", text) else text
        if unit in _MINUTES:
            return f"{read_duration_s(text)} s" if re.fullmatch(r"\d+:\d{2}", text) else text
        return f"{text} {unit}" if unit and _BARE.match(text) else text

    def date_order(self, roles: Sequence[str], near: Sequence[date], told: Order = "") -> Order:
        """Whether the day or the month comes first in its dates (UndecidedDates where nothing tells)."""
        when = [j for j, role in enumerate(roles) if role in {"date", "started_at"}]
        return order_of([row[j] for row in self.rows for j in when if j < len(row)], told, near)


def read_cells(text: str, start_key: str | None = None) -> Pasted:
    """Split pasted text into cells and guess what the columns are."""
    rows = filled_rows(text.strip("\r\n"), delimiter_of(text) or "\t")
    width = max((len(r) for r in rows), default=0)
    rows = [r + [""] * (width - len(r)) for r in rows]
    first_row = [c.strip() for c in rows[0]] if rows else []
    first = [c.lower() for c in first_row]
    guessed = [_role_of(cell) for cell in first]
    if sum(bool(g) for g in guessed) >= max(1, (width + 1) // 2) and not any(c[:1].isdigit() for c in first):
        units = tuple(_unit_of(cell) for cell in first_row)
        return Pasted(rows[0], rows[1:], _unique(_with_clock(guessed, units, rows[1:])), units)
    order = [r for r in column_roles() if (r and r not in _PLACE) or r == "leg"][:10]
    begin = order.index(start_key) if start_key in order else 1
    roles = (order[begin:] + [""] * width)[:width]
    return Pasted(None, rows, roles)


def _with_clock(roles: list[str], units: Sequence[str], rows: list[list[str]]) -> list[str]:
    """A time beside a date is the time of day at the start, where no column says when it started."""
    if "date" not in roles or "started_at" in roles or "duration_s" not in roles:
        return roles
    j = roles.index("duration_s")
    clocks = [re.fullmatch(r"([01]?\d|2[0-3]):[0-5]\d", c) for row in rows if (c := row[j].strip())]
    if units[j] or not clocks or not all(clocks):
        return roles
    return [*roles[:j], "started_at", *roles[j + 1 :]]


def _role_of(head: str) -> str:
    whole = head.strip().lower()
    for plain in dict.fromkeys((whole, split_head(head)[0], split_head(head)[0].replace(" ", "_"))):
        for role, (_, words) in column_roles().items():
            if plain in words:
                return role
    return _role_of_words(whole)


def _role_of_words(head: str) -> str:
    """Role of a header that is no word of the list: a unit of consumption, a charge before or after, words with others beside."""
    name, unit = split_head(head)
    if _is_consumption(head) or (not set(name.split()) - _FILLERS and _is_consumption(unit)):
        return "reading"
    words = re.findall(r"[a-z/\u00c0-\u024f]+", name)
    if set(words) & _CHARGE:
        if set(words) & _BEFORE:
            return "soc_start"
        if set(words) & _AFTER:
            return "soc_end"
    left = " ".join(w for w in words if w not in _FILLERS)
    if not left:
        return "energy" if unit.lower() in {"kwh", "wh"} else ""
    return next((role for role, (_, known) in column_roles().items() if role and left in known), "")


def _is_consumption(text: str) -> bool:
    """Whether a text is a unit of consumption."""
    try:
        consumption_unit(text)
    except ValueError:
        return False
    return bool(text.strip())


def _unit_of(head: str) -> str:
    """Unit that a header states in brackets, behind its words, or by its own word."""
    inside = in_brackets(head).lower()
    if inside in _HOURS | _MINUTES:
        return inside
    if _is_consumption(head):
        return consumption_unit(head)
    name, unit = split_head(head)
    return unit or _IMPLIED.get(head.strip().lower(), "") or _IMPLIED.get(name, "")


def _unique(roles: list[str]) -> list[str]:
    seen: set[str] = set()
    result = []
    for role in roles:
        result.append("" if role in seen else role)
        seen.add(role)
    return result


@dataclass(frozen=True, slots=True)
class Applied:
    """What rows make of a study: faulty cells (row, column, words) are skipped."""

    study: Study
    changed: int
    added: int
    faults: list[tuple[int, int, str]]
    named: tuple[str, ...] = ()  # configurations and vehicles that the rows bring, in words
    unread: bool = False  # no leg that changes would have a reading


def _with_new_names(study: Study, pasted: Pasted, roles: Sequence[str]) -> tuple[Study, tuple[str, ...]]:
    """The study with the configurations and vehicles that its rows name and it lacks.

    The first two names of a study whose configurations have none yet are its baseline and its trial; any other is another trial.
    """

    def distinct(role: str) -> list[str]:
        if role not in roles:
            return []
        j = list(roles).index(role)
        return list(dict.fromkeys(c for row in pasted.rows if j < len(row) and (c := row[j].strip())))

    said: list[str] = []
    for name in distinct("configuration"):
        try:
            _wanted(study, {"configuration": (0, name)})
            continue
        except _Refused:
            read = {leg.configuration for leg in study.legs if leg.has_reading}
            unnamed = next(
                (c for c in (study.baseline, *study.trials) if c.name in _UNNAMED and c.id not in read), None
            )
        if unnamed is not None:
            made = [c.with_(name=name) if c.id == unnamed.id else c for c in study.configurations]
            said.append(f"“{name}” is the {'baseline' if unnamed.baseline else 'trial'}")
        else:
            letter = next(x for x in "BCDEFGHIJKLMNOPQRSTUVWXYZ" if x not in {c.id for c in study.configurations})
            made = [*study.configurations, Configuration(id=letter, name=name)]
            said.append(f"“{name}” is another trial")
        study = study.with_(configurations=tuple(made))
    several = distinct("vehicle")
    if len(several) > 1 or study.vehicles:
        known = {x.lower() for v in study.vehicles for x in (v.id, v.label)} | {"test", "control"}
        for name in several:
            if name.lower() in known:
                continue
            taken = {v.id for v in study.vehicles}
            identifier = next(f"v{i}" for i in range(1, 1000) if f"v{i}" not in taken)
            base = study.vehicle if study.vehicle.name in {"", name} and not study.vehicles else Vehicle()
            named = NamedVehicle(**{**base.model_dump(by_alias=True), "name": name, "id": identifier})
            study = study.with_(vehicles=(*study.vehicles, named))
            said.append(f"“{name}” is another vehicle")
    return study, tuple(said)


def apply_cells(
    study: Study,
    pasted: Pasted,
    roles: list[str],
    choice: UnitChoice,
    start_leg: str | None,
    today: datetime,
    order: Order = "",
) -> Applied:
    """Lay the rows over the legs from `start_leg` on (or by leg name); rows beyond them make the legs they need.

    A row makes a leg where a column says its configuration, or there is only one. `today` is for times where no leg has a
    date, `order` for dates in figures; a date that may be two is refused without it.
    """
    study, fresh_names = _with_new_names(study, pasted, roles)
    names = [leg.leg for leg in study.legs]
    at = names.index(start_leg) if start_leg in names else len(names) if start_leg is None else 0
    legs: dict[str, Leg] = {leg.leg: leg for leg in study.legs}
    faults: list[tuple[int, int, str]] = []
    changed = added = 0
    day = next((x.started_at for x in study.legs if x.started_at), today)
    for i, row in enumerate(pasted.rows):
        place = {r: (j, row[j].strip()) for j, r in enumerate(roles) if r in _PLACE and row[j].strip()}
        try:
            wanted = _wanted(study, place)
        except _Refused as refused:
            faults.append((i, refused.column, str(refused)))
            continue
        name = place.get("leg", (0, ""))[1]
        if name and name not in legs and "configuration" not in wanted:
            faults.append((i, place["leg"][0], f'no leg "{name}" in this study, and no column says its configuration'))
            continue
        if not name:
            name, at = _next_fitting(legs, names, at, wanted)
        if name and name in legs:
            leg = legs[name]
        else:
            if "configuration" not in wanted and len(study.configurations) > 1:
                faults.append((i, 0, "more rows than legs: say in a column which configuration each was driven in"))
                continue
            leg = _new_leg(study, legs, name, wanted)
        fresh = leg.leg not in legs
        leg, wrong = _filled(study, leg, row, roles, pasted, choice, day, order)
        faults += [(i, j, words) for j, words in wrong]
        if fresh:
            added += 1
        elif leg != legs[leg.leg]:
            changed += 1
        legs[leg.leg] = leg
    after = study.with_legs(legs.values())
    touched = [legs[name] for name in legs if name not in names or legs[name] != study.leg(name)]
    return Applied(after, changed, added, faults, fresh_names, not any(leg.has_reading for leg in touched))


class _Refused(ValueError):
    """A cell that says which leg a row is, and does not."""

    def __init__(self, column: int, words: str) -> None:
        super().__init__(words)
        self.column = column


def _wanted(study: Study, place: dict[str, tuple[int, str]]) -> dict[str, str]:
    """Configuration, direction and run of a row, as far as its cells say."""
    found: dict[str, str] = {}
    if "configuration" in place:
        column, text = place["configuration"]
        plain = text.lower()
        exact = [c.id for c in study.configurations if plain in {c.id.lower(), c.label.lower()}]
        near = exact or [c.id for c in study.configurations if c.label.lower().startswith(plain)]
        if len(near) != 1:
            known = ", ".join(c.label for c in study.configurations)
            raise _Refused(column, f'"{text}" is no configuration of this study; expected {known}')
        found["configuration"] = near[0]
    if "direction" in place:
        column, text = place["direction"]
        way = next((w for w, words in _WAYS.items() if text.lower() in words), None)
        if way is None:
            raise _Refused(column, f'"{text}" is no direction; expected out, back or loop')
        found["direction"] = way
    if "run" in place:
        found["run"] = place["run"][1]
    return found


def _next_fitting(legs: dict[str, Leg], names: list[str], at: int, wanted: dict[str, str]) -> tuple[str, int]:
    """The next leg that a row can stand for, and where to look on; "" when there is none left."""
    for i in range(at, len(names)):
        leg = legs[names[i]]
        fits = all(not getattr(leg, k) or getattr(leg, k) == v for k, v in wanted.items() if k != "run")
        if fits and (not wanted or i == at or leg.state == "planned"):
            return names[i], i + 1
    return "", at


def _new_leg(study: Study, legs: dict[str, Leg], name: str, wanted: dict[str, str]) -> Leg:
    """A leg for a row: out and back of one configuration make a run."""
    fresh = name or next(f"L{i:02d}" for i in range(1, 100000) if f"L{i:02d}" not in legs)
    configuration = wanted.get("configuration", study.baseline.id)
    last = list(legs.values())[-1] if legs else None
    two_way = study.method in {"out-and-back", "climb"}
    second = (
        two_way and last is not None and last.configuration == configuration and last.direction == "out"
        and sum(x.run == last.run for x in legs.values()) == 1
    )  # fmt: skip
    way = wanted.get("direction") or (("back" if second else "out") if two_way else "loop")
    if study.method == "one-way" and "direction" not in wanted:
        way = "out"
    labels = {x.run for x in legs.values()}
    run = wanted.get("run") or (
        last.run if second and way == "back" and last is not None
        else next(f"R{i}" for i in range(1, 100000) if f"R{i}" not in labels)
    )  # fmt: skip
    return Leg(leg=fresh, run=run, configuration=configuration, direction=way)


def _filled(
    study: Study,
    leg: Leg,
    row: list[str],
    roles: list[str],
    pasted: Pasted,
    choice: UnitChoice,
    day: datetime,
    order: Order,
) -> tuple[Leg, list[tuple[int, str]]]:
    """A leg with the fields of a row; and what could not be read, by column."""
    wrong: list[tuple[int, str]] = []
    # The vehicle first: a bare figure is in its unit, litres where it burns them.
    ordered = sorted(enumerate(zip(roles, row, strict=True)), key=lambda item: item[1][0] != "vehicle")
    dated = next((c.strip() for r, c in zip(roles, row, strict=True) if r == "date"), "")
    clock = next((c.strip() for r, c in zip(roles, row, strict=True) if r == "started_at"), "")
    for j, (role, cell) in ordered:
        if not role or role in _PLACE or not cell.strip() or (role == "date" and clock):
            continue
        if role == "vehicle" and not study.vehicles and study.method != "side-by-side":
            continue  # one vehicle drove all of it, whatever it is called here
        own = vehicle_of(study, leg.vehicle)
        units = choice.for_vehicle(own.energy != "electric", own.heating_value) if leg.vehicle else choice
        text = pasted.cell(row, j)
        try:
            if role in {"date", "started_at"}:
                text = f"{dated} {text}".strip() if role == "started_at" else text
                text = iso_dates(text, order) if order else text
                role = "started_at"
            if role in {"soc_start", "soc_end"}:
                leg = leg.with_(**{f"{role}_percent": read_in(text, "%")})
                continue
            leg = leg.with_(**read_leg_field(role, text, units, leg, day, study))
        except ValueError as error:
            wrong.append((j, words_of(error)))
    return leg, wrong
