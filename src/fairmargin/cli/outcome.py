"""Ranges and trips on the command line."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from fairmargin.cli.words import BAD_INPUT, Units, fault_line, from_stdin, say, say_json, spoken

if TYPE_CHECKING:
    from fairmargin.core.outcome.asking import Asking, Predicted
    from fairmargin.core.outcome.average_wind import WindAveraged
    from fairmargin.core.result.types import Analysis
    from fairmargin.core.study import Study
    from fairmargin.core.study.trip import Trip

PackagePath = Annotated[Path, typer.Argument(help="Study package: a folder or zip.")]
AsJson = Annotated[bool, typer.Option("--json", help="One JSON object.")]


def _asked(path: Path) -> tuple[Study, tuple[Asking, ...], Analysis]:
    """A package's study, ready to be asked."""
    from fairmargin.core.analysis import analyse
    from fairmargin.core.outcome.asking import askings
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.packages.reading import read_package

    package = read_package(from_stdin(path))
    found = analyse(package.study, package.traces)
    made = askings(package.study, package.traces, found.results)
    if not made:
        why = found.missing or f'the method "{package.study.method}" has no road load that could be asked'
        raise InvalidInput([f"nothing to ask: {why}"])
    return package.study, made, found


def _stopped(path: Path, error: Exception) -> typer.Exit:
    """Say why a package could not be used."""
    from fairmargin.core.study.entry import words_of
    from fairmargin.exchange.files.faults import InvalidInput

    lines = error.faults if isinstance(error, InvalidInput) else [words_of(error)]
    for line in lines:
        fault_line(f"{path}: {line}")
    return typer.Exit(BAD_INPUT)


def range_command(
    package: PackagePath,
    as_json: AsJson = False,
    speed: Annotated[float | None, typer.Option(help="Speed, km/h; else the study's.")] = None,
    temperature: Annotated[float | None, typer.Option(help="Air, °C; else the reference.")] = None,
    climate: Annotated[str, typer.Option(help="off, auto, or the temperature set, °C.")] = "off",
    head_wind: Annotated[float | None, typer.Option(help="Head wind at the mast, m/s; negative from behind.")] = None,
    road: Annotated[str, typer.Option(help="dry, damp, wet or snow.")] = "dry",
    climb: Annotated[float, typer.Option(help="Climb, m a km.")] = 0.0,
    load: Annotated[float, typer.Option(help="Load on top, kg.")] = 0.0,
    reserve: Annotated[float, typer.Option(help="Reserve to keep, %.")] = 15.0,
    fade: Annotated[float, typer.Option(help="Capacity lost since it was told, %.")] = 0.0,
    place_wind: Annotated[
        float | None,
        typer.Option(help="Usual wind of the place at the mast, m/s: the effect in it, from every side alike."),
    ] = None,
    units: Units = "",
) -> None:
    """Say what each configuration takes, and how far it goes, at a speed and in weather that need not have been driven."""
    from fairmargin.core.inference.prediction import Circumstances
    from fairmargin.core.outcome.asking import cabin_k, predict
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.words.outcomes import range_json, range_lines, wind_averaged_words

    try:
        study, made, analysis = _asked(package)
        found: list[Predicted] = []
        winds: list[tuple[str, WindAveraged]] = []
        for asking in made:
            if place_wind is not None:
                winds += _in_its_wind(study, analysis, asking, place_wind)
            low, high = asking.predictor.driven_kmh
            air = asking.predictor.reference_c if temperature is None else temperature
            asked = Circumstances(
                speed_kmh=_within(
                    "--speed", speed or float(study.target_speed_kmh or (low + high) / 2), 5, 250, "km/h"
                ),
                temperature_c=None if temperature is None else _within("--temperature", temperature, -40, 50, "°C"),
                cabin_k=cabin_k(air, climate),
                head_wind_ms=head_wind,
                road="" if road == "dry" else road,
                climb_m_per_km=_within("--climb", climb, -200, 200, "m a km"),
                load_kg=_within("--load", load, -2000, 20000, "kg"),
            )
            found += predict(study, asking, asked, reserve / 100.0, fade / 100.0)
    except (InvalidInput, ArithmeticError, ValueError) as error:
        raise _stopped(package, error) from None
    if as_json:
        say_json(range_json(str(package), study, asked, found, winds))
        return
    say(study.title or "(no title)")
    for trial, w in winds:
        say(f"  {study.configuration(trial).label}: {wind_averaged_words(w, spoken())}")
    for line in range_lines(study, found, spoken()):
        say(f"  {line}")


def _in_its_wind(study: Study, analysis: Analysis, asking: Asking, wind_ms: float) -> list[tuple[str, WindAveraged]]:
    """Every comparison that one vehicle's drives say something of, in the wind of the place, by trial."""
    from fairmargin.core.outcome.average_wind import of_comparison

    own = [c for c in analysis.comparisons if c.vehicle == asking.vehicle and (c.sector or "") == asking.sector]
    made = [(c.trial, of_comparison(study, asking, c, wind_ms)) for c in own]
    return [(trial, w) for trial, w in made if w is not None]


def _within(name: str, value: float, low: float, high: float, unit: str) -> float:
    if not low <= value <= high:
        raise ValueError(f"{name} {value:g} is not possible; expected {low:g} to {high:g} {unit}")
    return value


def trip_command(
    package: PackagePath,
    as_json: AsJson = False,
    way: Annotated[
        str | None, typer.Option(help='The way: "420", "60 at 90; 360 at 85 +400 m"; else the study\'s trip.')
    ] = None,
    chargers: Annotated[
        str | None, typer.Option(help='A CSV file (at, name, kW, price), or "every 90 to 140 km".')
    ] = None,
    configuration: Annotated[str | None, typer.Option(help="Id; else the trial.")] = None,
    start: Annotated[float | None, typer.Option(help="Charge on setting off, %.")] = None,
    arrive: Annotated[float | None, typer.Option(help="Charge to arrive with, %.")] = None,
    reserve: Annotated[float | None, typer.Option(help="Charge to keep at chargers, %.")] = None,
    certainty: Annotated[float | None, typer.Option(help="Plan for so surely: 0.5 (the mean) to 0.99.")] = None,
    temperature: Annotated[float | None, typer.Option(help="Air, °C.")] = None,
    climate: Annotated[str | None, typer.Option(help="off, auto, or the temperature set, °C.")] = None,
    head_wind: Annotated[float | None, typer.Option(help="Head wind at the mast, m/s.")] = None,
    road: Annotated[str | None, typer.Option(help="damp, wet or snow.")] = None,
    unhitch: Annotated[float | None, typer.Option(help="Unhitching and hitching, minutes a stop.")] = None,
    queue: Annotated[str | None, typer.Option(help='Chance and minutes of a queue: "0.25, 15".')] = None,
    peak: Annotated[float | None, typer.Option(help="Most that the battery takes, kW.")] = None,
    price: Annotated[float | None, typer.Option(help="Price per kWh.")] = None,
    road_price: Annotated[float | None, typer.Option(help="Road charge per km.")] = None,
    fuel: Annotated[float | None, typer.Option(help="A fuel vehicle beside it, L/100 km.")] = None,
    fuel_price: Annotated[float | None, typer.Option(help="Price per litre.")] = None,
    back: Annotated[bool, typer.Option("--back", help="The way back instead.")] = False,
    units: Units = "",
) -> None:
    """Plan a trip: where to charge, when and with what charge one arrives, what it costs, what would happen if."""
    from fairmargin.core.outcome.asking import of_vehicle
    from fairmargin.core.outcome.trips import fuelled, plan_trip, what_ifs
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.words.outcomes import trip_json, trip_lines

    given = {
        "configuration": configuration, "start_percent": start, "arrive_percent": arrive, "reserve_percent": reserve,
        "certainty": certainty, "temperature_c": temperature, "climate": climate, "head_wind_ms": head_wind, "road": road,
        "unhitch_min": unhitch, "peak_kw": peak, "price_per_kwh": price, "road_price_per_km": road_price,
        "fuel_l_per_100km": fuel, "fuel_price_per_l": fuel_price,
    }  # fmt: skip
    try:
        study, made, _ = _asked(package)
        changes = {k: v for k, v in given.items() if v is not None} | _queue(queue)
        trip = _laid_out(study, way, chargers, changes, back)
        asking = of_vehicle(made, trip.vehicle) or made[0]
        plan = plan_trip(study, asking, trip)
        cases, beside = what_ifs(study, asking, plan), fuelled(plan.trip)
    except (InvalidInput, ArithmeticError, ValueError) as error:
        raise _stopped(package, error) from None
    except OSError as error:
        raise _stopped(Path(chargers or ""), ValueError(f"cannot be read: {error.strerror or error}")) from None
    if as_json:
        say_json(trip_json(str(package), study, plan, cases, beside))
        return
    say(f"{study.title or '(no title)'}: {trip.name or 'a trip'} with {study.configuration(plan.configuration).label}")
    for line in trip_lines(plan, cases, beside, spoken()):
        say(f"  {line}")


def _queue(text: str | None) -> dict[str, float]:
    if text is None:
        return {}
    parts = re.findall(r"\d+(?:\.\d+)?", text)
    if len(parts) != 2:
        raise ValueError(f'--queue "{text}": expected a chance and minutes, such as "0.25, 15"')
    return {"queue_chance": float(parts[0]), "queue_min": float(parts[1])}


def _laid_out(study: Study, way: str | None, chargers: str | None, changes: dict[str, Any], back: bool) -> Trip:
    """The study's trip, with what was told on the command line."""
    from fairmargin.core.outcome.trips import returning
    from fairmargin.core.study.trip import Trip
    from fairmargin.exchange.tables.chargers import read_chargers, read_stretches

    trip = study.trip or Trip()
    if way is not None:
        stretches = read_stretches(way)
        trip = trip.with_(stretches=stretches, chargers=(), stop_at_km=())
    if chargers is not None:
        every = chargers.strip().lower().startswith("every")
        text = chargers if every else Path(chargers).read_text(encoding="utf-8-sig")
        trip = trip.with_(chargers=read_chargers(text, trip.km), stop_at_km=())
    trip = trip.with_(**changes)
    return returning(trip) if back else trip
