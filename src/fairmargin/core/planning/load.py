"""The load check: what is aboard, on the roof and behind, against the lowest of the stated limits.

Arithmetic of the trade (common practice): payload is the gross limit less the vehicle as it stands; nose
weight is at least about 4 % of the whole loaded trailer and at most the lowest plate; weighed under the jockey
wheel, the lever from the axle scales it to the coupling. Plates, handbook, local law and licensed trades come
first: this is not a weighbridge.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from fairmargin.core import units
from fairmargin.core.study.plan import LimitSource, Load, LoadItem, LoadPlace
from fairmargin.core.units import said

State = Literal["fine", "close", "over", "too light", "not known"]
NOSE_LEAST_SHARE: Final = 0.04
NOSE_USUAL_SHARE: Final = (0.05, 0.07)
CLOSE_SHARE: Final = 0.95  # of a limit
CAUTION: Final = "Plates, handbook and local law come first. This is not a weighbridge: weigh before a doubtful trip."
#: Density of water at 1 atm, kg/m³ (Kell, J. Chem. Eng. Data 20 (1975) 97, rounded; from memory).
_WATER_C: Final = (0.0, 4.0, 10.0, 15.0, 20.0, 25.0, 30.0, 40.0)
_WATER_KG_M3: Final = (999.84, 999.97, 999.70, 999.10, 998.21, 997.05, 995.65, 992.22)


@dataclass(frozen=True, slots=True)
class Check:
    """One quantity against its limits."""

    name: str
    state: State
    value_kg: float | None
    low_kg: float | None
    high_kg: float | None
    source: str  # of the limit that decides
    words: str


def water_kg(litres: float, temperature_c: float = 15.0) -> float:
    """Mass of fresh water by volume and temperature. [kg]"""
    return litres * float(np.interp(temperature_c, _WATER_C, _WATER_KG_M3)) / 1000.0


def lowest(limits: Sequence[LimitSource]) -> LimitSource | None:
    """Return the limit that decides: where sources disagree the lowest counts."""
    return min(limits, key=lambda x: x.mass_kg) if limits else None


def nose_from_jockey(jockey_kg: float, axle_to_jockey_m: float, axle_to_coupling_m: float) -> float:
    """Nose weight from a scale under the jockey wheel: moments about the axle. [kg]

    Raises
    ------
    ValueError
        If the jockey wheel would stand beyond the coupling.
    """
    if axle_to_jockey_m > axle_to_coupling_m:
        raise ValueError(
            f"the jockey wheel ({axle_to_jockey_m:g} m from the axle) cannot stand beyond the coupling "
            f"({axle_to_coupling_m:g} m)"
        )
    return jockey_kg * axle_to_jockey_m / axle_to_coupling_m


#: Densities of what is carried by volume; water goes by its temperature. Common practice. [kg/L]
DENSITIES: Final = {"petrol": 0.75, "diesel": 0.84, "fuel": 0.75, "milk": 1.03, "oil": 0.9, "gravel": 1.6, "sand": 1.6}
LIQUIDS: Final = frozenset({"water", "petrol", "diesel", "fuel", "milk", "oil"})
#: Volumes of more than one word, as one.
_WORDS: Final = (
    (re.compile(r"\b(?:us|u\.s\.)\s*gal\w*|\bgal\w*[\s-]*\(?us\)?", re.IGNORECASE), "gal-us"),
    (re.compile(r"\b(?:imp|imperial|uk)\s*gal\w*|\bgal\w*[\s-]*\(?(?:imp|uk)\)?", re.IGNORECASE), "gal-imp"),
    (re.compile(r"\bcu\.?\s*ft\b", re.IGNORECASE), "ft\u00b3"),
)
_AMOUNT: Final = re.compile(r"^(?:(\d+)\s*[x\u00d7*]\s*)?(.+)$", re.IGNORECASE)


def read_item(name: str, amount: str, place: LoadPlace, mass_unit: str = "kg") -> LoadItem:
    """Read one line of the list: ``158 kg``, ``4 x 16``, ``480 L at 18 \u00b0C``, ``45 L diesel``, ``12 gal-us petrol``.

    What a volume weighs follows from what it is: in its amount, or in its name.

    Raises
    ------
    ValueError
        If the amount cannot be read, or nobody says what the volume is of.

    Examples
    --------
    >>> round(item_kg(read_item("water", "480 L at 18 \u00b0C", "aboard")), 1), item_kg(read_item("wheels", "4 x 16 kg", "trailer"))
    (479.3, 64.0)
    """
    plain = amount.strip()
    for words, one in _WORDS:
        plain = words.sub(one, plain)
    match = _AMOUNT.match(plain)
    if match is None or not plain:
        raise ValueError("how much? Expected a mass or a volume, such as 64 kg, 480 L or 4 x 16 kg")
    units.refuse_thousands(match[2], ",")
    count = float(match[1] or 1)
    number = units.read_number(match[2])
    unit, _, rest = number.rest.partition(" ")
    text = f"{name} {rest}".lower()
    if not unit or unit.lower() in {"kg", "lb", "g", "t"}:
        of_kg = {"g": 0.001, "t": 1000.0}.get(unit.lower())
        kg = units.unit_of("mass", unit or mass_unit).to_base(number.value) if of_kg is None else number.value * of_kg
        return LoadItem(name=name, place=place, count=count, mass_kg=kg)
    litres = units.unit_of("volume", "L").from_base(units.unit_of("volume", unit).to_base(number.value))
    substance = next((s for s in (*DENSITIES, "water") if s in text), "")
    weighed = re.search(r"([\d.,]+)\s*(kg/l|lb/gal-us|lb/gal-imp)", text)
    if weighed:
        mass, volume = weighed[2].split("/")
        per_l = units.read_quantity(f"1 {mass}", "mass", "kg") / units.read_in(
            f"1 {volume.upper() if volume == 'l' else volume}", "L"
        )
        density = units.read_number(weighed[1]).value * per_l
    elif substance == "water" or (not substance and "tank" in text):
        warm = re.search(r"(?:at|@)\s*([\d.,]+\s*\u00b0?\s*[cf]?)", text)
        celsius = units.read_quantity(warm[1].replace("\u00b0 ", "\u00b0"), "temperature", "\u00b0C") if warm else 15.0
        density = water_kg(1.0, celsius)
    elif substance:
        density = DENSITIES[substance]
    else:
        raise ValueError(f"{litres:g} L of what? Say water, petrol, diesel, or its kg/L, such as 45 L 0.75 kg/L")
    liquid = not substance or substance in LIQUIDS
    return LoadItem(name=name, place=place, count=count, litres=litres, kg_per_l=density, liquid=liquid)


def read_limits(text: str, mass_unit: str = "kg") -> tuple[LimitSource, ...]:
    """Read limits that stand apart by commas or semicolons: ``1500 car plate, 4650 - 2700 train less gross``.

    Raises
    ------
    ValueError
        As `read_limit`.
    """
    parts = (p.strip() for p in re.split(r"(?<!\d),|,(?!\d{3})|;", text))
    return tuple(read_limit(p, mass_unit) for p in parts if p)


_LIMIT: Final = re.compile(
    r"^\s*([\d.,' ]*\d)(?:\s*[-\u2212\u2013]\s*([\d.,' ]*\d))?\s*(kg|lb)?\b\s*(.*)$", re.IGNORECASE
)


def read_limit(text: str, mass_unit: str = "kg") -> LimitSource:
    """Read a limit and where it is written: ``1350 coupling``, ``4650 - 2700 train less gross``.

    Raises
    ------
    ValueError
        If no mass stands at the front.

    Examples
    --------
    >>> read_limit("4650 - 2700 plate").mass_kg, read_limit("2100 handbook").source
    (1950.0, 'handbook')
    """
    match = _LIMIT.match(text)
    if match is None:
        raise ValueError(f'"{text}" is no limit; expected a mass and where it is written, such as 1350 coupling')
    first, less, unit, source = match.groups()
    for figure in filter(None, (first, less)):
        units.refuse_thousands(figure, ",")
    mass = units.read_quantity(f"{first} {unit or mass_unit}", "mass", mass_unit)
    if less:
        mass -= units.read_quantity(f"{less} {unit or mass_unit}", "mass", mass_unit)
    return LimitSource(mass_kg=mass, source=source.strip())


WHEELS: Final = 4


def wheels_differ_kg(text: str, mass_unit: str = "kg") -> float | None:
    """By how much four wheels of the trial are heavier, from the masses of one of each: ``9.8 kg; 12.2 kg``. None of anything else.

    Examples
    --------
    >>> round(wheels_differ_kg("9.8; 12.2 kg, with tyre"), 1), wheels_differ_kg("lighter")
    (9.6, None)
    """
    found = re.findall(r"(\d+(?:[.,]\d+)?)\s*(kg|lb)?", text.strip(), re.IGNORECASE)
    if len(found) != 2:
        return None
    unit = next((u for _, u in found if u), mass_unit)
    one, other = (units.read_quantity(f"{figure} {u or unit}", "mass", mass_unit) for figure, u in found)
    return WHEELS * (other - one)


def item_kg(item: LoadItem) -> float:
    """Mass of one line of the list. [kg]"""
    each = item.mass_kg if item.mass_kg is not None else (item.litres or 0.0) * (item.kg_per_l or 1.0)
    return float(item.count * each)


def items_kg(load: Load, place: LoadPlace) -> float:
    """Sum of the list's things in one place. [kg]"""
    return sum(item_kg(item) for item in load.items if item.place == place)


def carried(load: Load) -> tuple[tuple[str, float, LoadPlace], ...]:
    """Everything that is carried, thing by thing: its name, its mass [kg], where."""
    water = water_kg(load.water_l or 0.0, 15.0 if load.water_c is None else load.water_c)
    told: tuple[tuple[str, float, LoadPlace], ...] = (
        ("people", float(load.people_kg or 0.0), "aboard"),
        ("cargo", float(load.cargo_kg or 0.0), "aboard"),
        ("water", water, "aboard"),
        ("fuel", float(load.fuel_l or 0.0) * load.fuel_kg_per_l, "aboard"),
        ("on the roof", float(load.roof_kg or 0.0), "roof"),
    )
    return (*(x for x in told if x[1]), *((i.name, item_kg(i), i.place) for i in load.items))


def aboard_kg(load: Load) -> float:
    """Everything in and on the vehicle beyond the vehicle as it stands, by sum. [kg]"""
    return sum(kg for _, kg, place in carried(load) if place != "trailer")


def roof_kg(load: Load) -> float | None:
    """What stands on the roof, where anything is told of it. [kg]"""
    listed = items_kg(load, "roof")
    return None if load.roof_kg is None and not listed else (load.roof_kg or 0.0) + listed


@dataclass(frozen=True, slots=True)
class TwoSources:
    """One mass by sum and by scale: the heavier counts, and what they differ by is said."""

    by_sum: float | None
    by_scale: float | None

    @property
    def counts(self) -> float | None:
        """The heavier of what is known. [kg]"""
        known = [v for v in (self.by_sum, self.by_scale) if v is not None]
        return max(known) if known else None

    def words(self, limit: LimitSource | None) -> str:
        """What they differ by, and what each leaves of a limit; empty where there is one source or they agree to 1 %."""
        if self.by_sum is None or self.by_scale is None:
            return ""
        if abs(self.by_sum - self.by_scale) <= 0.01 * max(self.by_sum, self.by_scale, 1.0):
            return ""

        def left(kg: float) -> str:
            if limit is None:
                return ""
            return f", {said(abs(limit.mass_kg - kg), 'kg')} {'left' if kg <= limit.mass_kg else 'over'}"

        return (
            f" By sum {said(self.by_sum, 'kg')}{left(self.by_sum)}; by the scale {said(self.by_scale, 'kg')}{left(self.by_scale)}: "
            "they disagree, and the heavier counts."
        )


def aboard(load: Load) -> TwoSources:
    """Everything aboard, by sum and by scale."""
    total = aboard_kg(load)
    return TwoSources(total if total else None, load.aboard_scale_kg)


def trailer(load: Load) -> TwoSources:
    """The loaded trailer, by the list's sum and weighed."""
    listed = items_kg(load, "trailer")
    return TwoSources(listed if listed else None, load.trailer_kg)


def against(name: str, value: float | None, limits: Sequence[LimitSource], missing: str, beside: str = "") -> Check:
    """A mass against the lowest of its limits; `missing` says what would have to be known, `beside` what else is to be said."""
    limit = lowest(limits)
    if value is None or limit is None:
        what = missing if value is None else f"the limit for {name}"
        return Check(name, "not known", value, None, limit.mass_kg if limit else None, "", f"Not known: {what}.")
    left = limit.mass_kg - value
    source = limit.source or "stated limit"
    disagree = len({x.mass_kg for x in limits}) > 1
    more = (" The sources disagree; the lowest counts." if disagree else "") + beside
    if left < 0:
        return Check(
            name,
            "over",
            value,
            None,
            limit.mass_kg,
            source,
            f"{said(-left, 'kg')} over the {said(limit.mass_kg, 'kg')} of the {source}.{more} Do not drive.",
        )
    state: State = "close" if value > CLOSE_SHARE * limit.mass_kg else "fine"
    return Check(
        name,
        state,
        value,
        None,
        limit.mass_kg,
        source,
        f"{said(left, 'kg')} left of the {said(limit.mass_kg, 'kg')} of the {source}.{more}",
    )


def check_load(load: Load) -> tuple[Check, ...]:
    """Hold the load against its limits; only what was filled in is checked.

    Returns
    -------
    tuple of Check
        Laden vehicle, roof, trailer, train and nose weight, where anything about them is known.
    """
    checks: list[Check] = []
    on_board, towed = aboard(load), trailer(load)
    nose = _nose(load) or 0.0
    if load.payload_limit or load.aboard_scale_kg is not None:
        on_it = None if on_board.counts is None else on_board.counts + nose
        checks.append(
            against("payload", on_it, load.payload_limit, "what is aboard", on_board.words(lowest(load.payload_limit)))
        )
    by_sum = None if load.vehicle_kg is None else load.vehicle_kg + (on_board.counts or 0.0) + nose
    laden = TwoSources(by_sum, _on_weighbridge(load))
    if laden.counts is not None or load.gross_limit:
        beside = laden.words(lowest(load.gross_limit))
        checks.append(against("laden vehicle", laden.counts, load.gross_limit, "the vehicle's own mass", beside))
    roof = roof_kg(load)
    if roof is not None or load.roof_limit:
        checks.append(against("roof load", roof, load.roof_limit, "the mass on the roof"))
    towing = towed.counts is not None or bool(load.towing_limit)
    if towing:
        missing = "the trailer's actual mass"
        checks.append(
            against("trailer", towed.counts, load.towing_limit, missing, towed.words(lowest(load.towing_limit)))
        )
    if load.train_limit or (towing and load.vehicle_kg is not None):
        train = None
        if load.vehicle_kg is not None and towed.counts is not None:
            # The nose weight stands on the vehicle but belongs to the trailer: count it once.
            train = load.vehicle_kg + (on_board.counts or 0.0) + towed.counts
        checks.append(against("train", train, load.train_limit, "vehicle and trailer mass"))
    if towing:
        checks.append(_nose_check(load))
    return tuple(checks)


def nose_by_weighbridge(load: Load) -> float | None:
    """What the trailer puts on the vehicle: its axles with the trailer hitched, less without. [kg]"""
    alone = (load.front_axle_kg, load.rear_axle_kg)
    hitched = (load.front_axle_towing_kg, load.rear_axle_towing_kg)
    if any(v is None for v in (*alone, *hitched)):
        return None
    return sum(float(v or 0.0) for v in hitched) - sum(float(v or 0.0) for v in alone)


def _nose(load: Load) -> float | None:
    if load.nose_kg is not None:
        return float(load.nose_kg)
    weighed = nose_by_weighbridge(load)
    if weighed is not None and weighed >= 0:
        return weighed
    if load.jockey_kg is not None and load.axle_to_jockey_m and load.axle_to_coupling_m:
        return nose_from_jockey(load.jockey_kg, load.axle_to_jockey_m, load.axle_to_coupling_m)
    return None


def _on_weighbridge(load: Load) -> float | None:
    """The laden vehicle by its two axles, hitched where it was weighed so: what its wheels carry. [kg]"""
    for pair in ((load.front_axle_towing_kg, load.rear_axle_towing_kg), (load.front_axle_kg, load.rear_axle_kg)):
        if pair[0] is not None and pair[1] is not None:
            return float(pair[0]) + float(pair[1])
    return None


def _nose_check(load: Load) -> Check:
    """Nose weight between its floor and the lowest ceiling, seen together."""
    nose, limit, whole = _nose(load), lowest(load.nose_limit), trailer(load).counts
    high = limit.mass_kg if limit else None
    source = (limit.source or "stated limit") if limit else ""

    def told(state: State, words: str) -> Check:
        return Check("nose weight", state, nose, least, high, source, words)

    least = None if whole is None else NOSE_LEAST_SHARE * whole
    if whole is not None and high is not None and least is not None and least > high:
        lawful = high / NOSE_LEAST_SHARE
        measured = "" if nose is None else f" It is {said(nose, 'kg')} now."
        return told(
            "over",
            f"About 4 % of the whole {said(whole, 'kg')} is {said(least, 'kg')}, more than the {said(high, 'kg')} of the {source}: no place "
            f"of the load fits both. At most {said(lawful, 'kg')} in all would.{measured} Take {said(whole - lawful, 'kg')} off.",
        )
    if nose is None or whole is None or least is None:
        what = "the nose weight" if nose is None else "the trailer's actual mass"
        return Check("nose weight", "not known", nose, None, high, "", f"Not known: {what}.")
    share = 100 * nose / whole if whole else 0.0
    if high is not None and nose > high:
        return told(
            "over",
            f"{said(nose - high, 'kg')} over the {said(high, 'kg')} of the {source}. Move the load back, to {said(least, 'kg')} at least.",
        )
    if nose < least:
        at_most = f", to {said(high, 'kg')} at most ({source})" if high is not None else ""
        return told(
            "too light",
            f"{said(nose, 'kg')} is {share:.1f} % of the whole loaded trailer; at least about 4 % ({said(least, 'kg')}) keeps it from "
            f"swaying. Move the load forward{at_most}.",
        )
    usual = f"{100 * NOSE_USUAL_SHARE[0]:.0f} to {100 * NOSE_USUAL_SHARE[1]:.0f} % is usual"
    state: State = "fine" if high is not None and nose <= CLOSE_SHARE * high else "close"
    ceiling = f"at most {said(high, 'kg')} ({source})" if high is not None else "no limit entered: read the plates"
    return told(state, f"{said(nose, 'kg')} is {share:.1f} % of the trailer; {usual}; {ceiling}.")


#: A thing of this mass is not lifted by one person (common practice: about 25 kg).
LIFT_KG: Final = 25.0


def cautions(load: Load) -> tuple[str, ...]:
    """What lifting and liquids ask for."""
    found = []
    each = [i.mass_kg for i in load.items if i.mass_kg is not None and i.name.lower() not in PEOPLE]
    if any(m > LIFT_KG for m in each):
        found.append("Heavy things: lift with two, from the knees; lash them before driving.")
    if load.water_l or any(i.liquid for i in load.items):
        found.append(
            "Liquids slosh: full or empty tanks, baffled and lashed; a half-full one moves in every bend and stop."
        )
    if load.roof_kg or any(i.place == "roof" for i in load.items):
        found.append("On the roof: lift with two, lash, stop and check after the first kilometres; mind the height.")
    return tuple(found)


#: Things that walk aboard by themselves.
PEOPLE: Final = frozenset({"people", "driver", "passenger", "passengers", "two people", "persons"})


def towing_budget_kg(load: Load) -> float | None:
    """Mass still free for the train, or None when not known: the lowest train limit less all that is known. [kg]"""
    limit = lowest(load.train_limit)
    if limit is None or load.vehicle_kg is None:
        return None
    return float(limit.mass_kg - load.vehicle_kg - (aboard(load).counts or 0.0) - (trailer(load).counts or 0.0))
