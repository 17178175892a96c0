"""Do the intervals of drives that were not driven hold the truth? Simulated studies, asked about other speeds and weather.

    .venv/bin/python benchmarks/asked.py [studies]

Each study (ABBA at 90 km/h on one mixed day, display in steps of 0.1, all noted) is asked what its baseline would take in
circumstances that it did not meet; the truth is the same van driven in them without noise. Prints how often the 95 % interval
holds, the error's mean and RMS, and the interval's median half-width, in per cent of the truth.
"""

from __future__ import annotations

import os
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from fairmargin.core.inference.prediction import Circumstances
from fairmargin.core.outcome.asking import askings
from fairmargin.simulation.day import DayPlan, simulate
from fairmargin.simulation.drive import drive_leg
from fairmargin.simulation.road import straight_road
from fairmargin.simulation.sky import air_density
from fairmargin.simulation.vehicle import TrueEffect, true_van

ASKED = {
    "as driven": Circumstances(90.0),
    "60 km/h": Circumstances(60.0),
    "75 km/h": Circumstances(75.0),
    "110 km/h": Circumstances(110.0),
    "130 km/h": Circumstances(130.0),
    "-5 degrees": Circumstances(90.0, temperature_c=-5.0),
    "30 degrees": Circumstances(90.0, temperature_c=30.0),
    "head wind 6 m/s": Circumstances(90.0, head_wind_ms=6.0),
    "tail wind 6 m/s": Circumstances(90.0, head_wind_ms=-6.0),
    "200 kg": Circumstances(90.0, load_kg=200.0),
    "5 m a km": Circumstances(90.0, climb_m_per_km=5.0),
    "110 km/h, -5 degrees, head wind": Circumstances(110.0, temperature_c=-5.0, head_wind_ms=6.0),
}


def true_wh(seed: int, asked: Circumstances) -> float:
    """What the van of a seed takes in the circumstances, without noise. [Wh/km]"""
    rng = np.random.default_rng(seed)
    road = straight_road(rng, 18_400.0)
    van = replace(true_van(rng), mass_kg=1710.0 + asked.load_kg)
    temperature = 15.0 if asked.temperature_c is None else asked.temperature_c
    density = air_density(temperature, 1013.25)
    climb = asked.climb_m_per_km * np.arange(len(road.height_m)) * road.step_m / 1000.0
    energy = 0.0
    for back in (False, True):
        # A climb and a head wind are met both ways.
        way = replace(
            road,
            height_m=road.height_m + (climb[::-1] if back else climb),
            heading=np.zeros(len(road.heading)),
            shelter=np.ones(len(road.shelter)),
        )
        wind = (asked.head_wind_ms or 0.0) * (-1.0 if back else 1.0)
        drive = drive_leg(
            van, TrueEffect(), way, back, asked.speed_kmh / 3.6, temperature, density, wind, 0.0, 0.0, 0.67, 0.0, None, None,
        )  # fmt: skip
        energy += drive.energy_wh
    return energy / (2 * road.length_m / 1000.0)


def one(seed: int) -> list[tuple[float, float, float, float]]:
    """Truth, answer and interval of every question, of one study."""
    made = simulate(seed, DayPlan(traffic=0.0))
    (asking,) = askings(made.study, made.traces)
    out = []
    for asked in ASKED.values():
        band = asking.band("A", [asked])
        out.append((true_wh(seed, asked), float(band.wh[0]), *band.interval(0, 0.95)))
    return out


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        rows = np.array(list(pool.map(one, range(count), chunksize=3)))
    print("| asked | holds | bias, % | RMS, % | half-width, % |\n|---|---|---|---|---|")
    for i, name in enumerate(ASKED):
        truth, answer, low, high = rows[:, i].T
        error = 100 * (answer / truth - 1)
        print(
            f"| {name} | {np.mean((low <= truth) & (truth <= high)):.1%} | {error.mean():+.2f} | "
            f"{np.sqrt(np.mean(error**2)):.2f} | {np.median((high - low) / truth) * 50:.1f} |"
        )


if __name__ == "__main__":
    main()
