"""What was found beside what a vehicle is rated at."""

from __future__ import annotations

from fairmargin.core.result.results import Result
from fairmargin.core.study import Vehicle
from fairmargin.core.units import UnitChoice
from fairmargin.core.words import sentence
from fairmargin.exchange.words.figures import consumption_words


def rated_lines(vehicle: Vehicle, r: Result, units: UnitChoice) -> list[str]:
    """A result beside what the vehicle is rated at; nothing where nobody told that."""
    own = units.for_vehicle(vehicle.energy != "electric", vehicle.heating_value)
    parts = []
    if vehicle.rated_wh_per_km is not None and r.as_driven_wh_per_km is not None:
        more = 100.0 * (r.as_driven_wh_per_km / vehicle.rated_wh_per_km - 1.0)
        word = "more" if more > 0 else "less"
        parts.append(
            f"Rated {consumption_words(vehicle.rated_wh_per_km, own)}: as driven it took {abs(more):.0f} % {word}"
        )
    if vehicle.rated_range_km is not None and r.range_km is not None:
        far, rated = (round(units.show("distance", x)) for x in (r.range_km, vehicle.rated_range_km))
        word = "more" if far > rated else "less"
        parts.append(f"rated {rated} {units.distance}, as driven {far}: {abs(far - rated)} {units.distance} {word}")
    lines = [f"{sentence('; '.join(parts))}."] if parts else []
    if parts and vehicle.usable_capacity_kwh is None and vehicle.rated_capacity_kwh is not None:
        battery = f"{vehicle.rated_capacity_kwh:.1f} kWh"
        lines.append(f"The rated figures make a battery of {battery}; nobody told its usable capacity.")
    return lines
