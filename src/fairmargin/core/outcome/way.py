"""The way of a trip, ready to be asked: what its stretches take and how long they are, with one configuration."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.inference.prediction import Band, Circumstances
from fairmargin.core.laws.charging import Taper, taper_of
from fairmargin.core.outcome.asking import Askable, Asking, cabin_k, held, with_capacity
from fairmargin.core.study import Study, Vehicle
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.trip import Trip, TripStretch

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False, slots=True)
class Way:
    """The way of a trip, ready to be asked: what its stretches take with one configuration."""

    trip: Trip
    vehicle: Vehicle
    asking: Askable
    configuration: str
    asked: tuple[Circumstances, ...]
    edges_km: Array  # ends of stretches, from 0
    wh_per_km: Array  # of each stretch
    careful: float  # what stops are planned for, over the mean: 1 where they are planned for the mean
    capacity_kwh: float
    taper: Taper

    def for_trip(self, trip: Trip) -> Way:
        """The same way with other stops or chargers: nothing has to be asked anew."""
        return replace(self, trip=trip)

    def energy_wh(self, km: Array) -> Array:
        """Energy from the start to places of the way."""
        each = np.diff(self.edges_km) * self.wh_per_km
        return np.asarray(np.interp(km, self.edges_km, np.concatenate([[0.0], np.cumsum(each)])))

    def driving_h(self, km: Array) -> Array:
        """Driving time from the start to places of the way, without pauses."""
        each = np.array([_hours(s) for s in self.trip.stretches])
        return np.asarray(np.interp(km, self.edges_km, np.concatenate([[0.0], np.cumsum(each)])))

    def lengths(self, begin_km: float, ends_km: Sequence[float]) -> Array:
        """Kilometres of each stretch between a place and others, shape (places, stretches)."""
        low, high = self.edges_km[:-1], self.edges_km[1:]
        ends = np.asarray(ends_km, dtype=float)[:, None]
        return np.asarray(np.clip(np.minimum(high, ends) - np.maximum(low, begin_km), 0.0, None))

    def band(self, begin_km: float, ends_km: Sequence[float]) -> Band:
        """Energies from a place to others, each as one drive to come, with what the capacity leaves open."""
        lengths = self.lengths(begin_km, ends_km)
        made = self.asking.band(self.configuration, self.asked, lengths, lengths.sum(axis=1).tolist())
        return with_capacity(made, self.vehicle, self.asked[0].temperature_c or 0.0)


def configuration_of(study: Study, asking: Askable, trip: Trip) -> str:
    """The configuration that a trip is driven with: the one it names, else the first trial that was driven.

    Raises
    ------
    ValueError
        If it was not driven, or the trip has no stretch.
    """
    if not trip.stretches:
        raise ValueError("the trip has no length: give a distance, or stretches with their speeds")
    wanted = trip.configuration or next((c for c in asking.configurations if c != study.baseline.id), study.baseline.id)
    if wanted not in asking.configurations:
        raise ValueError(f'"{wanted}" was not driven; expected one of {", ".join(asking.configurations)}')
    return wanted


def driving_h(trip: Trip) -> float:
    """Driving time of a trip whose speeds are told, without pauses. [h]

    Raises
    ------
    ValueError
        If a stretch has no speed.
    """
    return sum(_hours(s) for s in trip.stretches)


def _hours(s: TripStretch) -> float:
    if s.speed_kmh is None:
        raise ValueError(f"nobody said how fast {s.km:g} km are driven")
    return float(s.km) / float(s.speed_kmh)


def as_driven(study: Study, asking: Askable, trip: Trip) -> Trip:
    """The trip with speeds for its stretches that have none: those of the study's legs, sector by sector.

    A stretch of no sector of a study with several is driven as they were: as much of each as the whole route has.
    """
    if all(s.speed_kmh is not None for s in trip.stretches):
        return trip
    made: list[TripStretch] = []
    for s in trip.stretches:
        if s.speed_kmh is not None:
            made.append(s)
        elif isinstance(asking, Asking):
            made.append(s.with_(speed_kmh=asking.kmh))
        else:
            own = [p for p in asking.parts if p.sector == s.name]
            made += _shared(study, s, own or list(asking.parts))
    return trip.with_(stretches=tuple(made))


def _shared(study: Study, s: TripStretch, parts: Sequence[Asking]) -> list[TripStretch]:
    """A stretch as the sectors of a route share it; together as long."""
    length = [sector_km(study, p.sector) for p in parts]
    ends = np.round(np.cumsum(length) / sum(length) * s.km, 3)
    each = np.diff(np.concatenate([[0.0], ends]))
    return [
        s.with_(km=float(km), speed_kmh=p.kmh, climb_m=s.climb_m * float(km) / s.km, name=p.sector)
        for km, p in zip(each, parts, strict=True)
        if km >= 0.1
    ]


def sector_km(study: Study, sector: str) -> float:
    """Length that a sector counts with: as typed, or as driven; alike where nobody said. [km]"""
    told = study.sector_weights_km.get(sector)
    known = [float(km) for x in study.legs if x.sector == sector and (km := x.gps_distance_km or x.distance_km)]
    return float(told) if told else float(np.mean(known)) if known else 1.0


def circumstances_of(asking: Askable, trip: Trip) -> tuple[Circumstances, ...]:
    """What the stretches of a trip meet."""
    temperature = asking.reference_c if trip.temperature_c is None else float(trip.temperature_c)
    return tuple(
        held(
            Circumstances(
                speed_kmh=s.km / _hours(s),
                temperature_c=temperature,
                cabin_k=cabin_k(temperature, trip.climate),
                head_wind_ms=trip.head_wind_ms,
                road=trip.road,
                climb_m_per_km=s.climb_m / s.km,
                load_kg=trip.load_kg,
                temperature_sd_k=trip.temperature_sd_k,
                wind_sd_ms=trip.wind_sd_ms,
                sector=s.name,
            )
        )
        for s in trip.stretches
    )


def way_of(study: Study, asking: Askable, trip: Trip) -> Way:
    """Ask a study what the stretches of a trip take.

    Raises
    ------
    ValueError
        If the trip has no stretch, the vehicle no capacity, or the configuration was not driven.
    """
    vehicle = vehicle_of(study, asking.vehicle)
    if vehicle.energy != "electric":
        raise ValueError(f"{vehicle.name or 'this vehicle'} does not charge; a trip is planned for electric vehicles")
    if vehicle.capacity_kwh is None:
        raise ValueError("the usable capacity is not known: give it on the Question or Range page")
    wanted = configuration_of(study, asking, trip)
    trip = as_driven(study, asking, trip)
    if study.change.about.hitched and wanted == study.baseline.id:
        trip = trip.with_(unhitch_min=0.0)  # alone there is nothing to unhitch
    asked = circumstances_of(asking, trip)
    capacity = float(vehicle.capacity_kwh)
    edges = np.concatenate([[0.0], np.cumsum([s.km for s in trip.stretches])])
    whole = asking.band(wanted, asked, np.array([[s.km for s in trip.stretches]]), [trip.km])
    return Way(
        trip=trip,
        vehicle=vehicle,
        asking=asking,
        configuration=wanted,
        asked=asked,
        edges_km=edges,
        wh_per_km=asking.band(wanted, asked).wh,
        careful=max(whole.quantile(0, trip.certainty) / float(whole.wh[0]), 1.0),
        capacity_kwh=capacity,
        taper=taper_of(capacity, trip.peak_kw, trip.taper_from_percent / 100.0),
    )
