"""Drives that were not driven: what the study's own fit says of them, against hand values and a reference library."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import VAN, driven_study
from tests.core.test_reference_vehicle import drive, electric_car

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.prediction import MOST_KEPT, Circumstances
from fairmargin.core.outcome.asking import askings, cabin_k, of_vehicle, predict
from fairmargin.core.study import Configuration, Study, Vehicle
from fairmargin.core.units import plain

fs = pytest.importorskip("fastsim")
class3 = pytest.importorskip("wltp.cycles.class3")


def ask(study: Study, asked: Circumstances, configuration: str = "A") -> tuple[float, float]:
    """Consumption [Wh/km] and half of its interval [%]."""
    (asking,) = askings(study)
    band = asking.band(configuration, [asked])
    low, high = band.interval(0, 0.95)
    return float(band.wh[0]), 50 * (high - low) / float(band.wh[0])


def test_asked_about_what_was_driven_it_says_what_the_study_says() -> None:
    study = driven_study("ABBA")
    results = {r.configuration: r for r in analyse(study).results}
    for name in "AB":
        wh, half = ask(study, Circumstances(90.0), name)
        assert wh == pytest.approx(results[name].wh_per_km, rel=1e-3)
        low, high = results[name].interval_wh_per_km
        assert half == pytest.approx(50 * (high - low) / wh, rel=0.05)


def test_each_circumstance_by_hand() -> None:
    """A van of 1.7 t, 0.83 m² and 0.0095 at 90 km/h and 170 Wh/km: what each asks of it, from the road load (common practice)."""
    study = driven_study("ABBA")
    base, half = ask(study, Circumstances(90.0))
    k = VAN.constants()
    scale = base / (
        (0.5 * 1.225 * k.drag_area_m2 * 25**2 + k.rolling_coefficient * k.mass_kg * 9.81) / 3.6 / k.drive_efficiency
        + k.auxiliary_w / 90
    )

    def more(**changes: object) -> float:
        return ask(study, Circumstances(**({"speed_kmh": 90.0} | changes)))[0] - base

    # Air drag grows with the square of the speed; auxiliaries count for less time.
    air = 0.5 * 1.225 * k.drag_area_m2 / 3.6 / k.drive_efficiency
    faster = air * ((110 / 3.6) ** 2 - 25**2) + k.auxiliary_w * (1 / 110 - 1 / 90)
    assert more(speed_kmh=110.0) == pytest.approx(scale * faster, rel=0.06)
    # 6 m/s at the mast are about 4 at the car: (25 + 4)² over 25².
    assert more(head_wind_ms=6.0) == pytest.approx(scale * air * (29.0**2 - 25.0**2), rel=0.15)
    assert more(head_wind_ms=-6.0) == pytest.approx(scale * air * (21.0**2 - 25.0**2), rel=0.15)
    # 10 m a kilometre: m g h through the driveline, 46 Wh/km for 1.7 t.
    assert more(climb_m_per_km=10.0) == pytest.approx(
        scale * k.mass_kg * 9.81 * 10 / 3600 / k.drive_efficiency, rel=0.02
    )
    assert more(load_kg=100.0) == pytest.approx(
        scale * k.rolling_coefficient * 100 * 9.81 / 3.6 / k.drive_efficiency, rel=0.05
    )
    # 20 K of heating at 55 W/K is 1.1 kW, for 1/90 h a kilometre.
    assert more(cabin_k=20.0) == pytest.approx(scale * 1100 / 90, rel=0.03)
    # 20 K colder: denser air (+7.3 %), stiffer tyres (+0.6 % a kelvin), a colder driveline (+1.4 %).
    colder = (
        scale
        * (
            air * 625 * (288.15 / 268.15 - 1)
            + 0.12 * k.rolling_coefficient * k.mass_kg * 9.81 / 3.6 / k.drive_efficiency
        )
        + 0.014 * base
    )
    assert more(temperature_c=-5.0) == pytest.approx(colder, rel=0.1)
    assert more(road="wet") == pytest.approx(0.06 * base, rel=1e-6)
    assert half < 7.5  # the counter's 2 % is 3.9 of it


def test_margins_grow_away_from_what_was_driven() -> None:
    study = driven_study("ABBA")
    halves = [ask(study, Circumstances(v))[1] for v in (90.0, 100.0, 115.0, 130.0)]
    assert halves == sorted(halves) and halves[-1] > 1.2 * halves[0]
    cold = [ask(study, Circumstances(90.0, temperature_c=t))[1] for t in (15.0, 5.0, -5.0, -15.0)]
    assert cold == sorted(cold) and cold[-1] > 1.3 * cold[0]
    assert ask(study, Circumstances(90.0, cabin_k=30.0))[1] > 1.2 * halves[0]
    open_wind = ask(study, Circumstances(90.0, head_wind_ms=3.0, wind_sd_ms=2.0))[1]
    assert open_wind > ask(study, Circumstances(90.0, head_wind_ms=3.0))[1]


def test_a_speed_driven_narrows_its_neighbours() -> None:
    """Legs at 110 as well: what is asked at 115 is known better than from 90 alone."""
    study = driven_study("ABBA")
    wide = ask(study, Circumstances(115.0))[1]
    faster = driven_study("ABBA", values=[206.0, 196.0, 196.0, 206.0] * 2).legs
    legs = tuple(leg.with_(leg=f"F{leg.leg}", run=f"F{leg.run}", speed_kmh=110, duration_s=602) for leg in faster)
    both = study.with_(legs=(*study.legs, *legs))
    assert ask(both, Circumstances(115.0))[1] < wide


def test_range_keeps_the_reserve_and_fades_with_the_capacity() -> None:
    study = driven_study("ABBA").with_(vehicle=VAN.with_(usable_capacity_kwh=52))
    (asking,) = askings(study)
    a, b = predict(study, asking, Circumstances(90.0), reserve=0.1)
    assert a.reach is not None and b.reach is not None
    assert a.reach.to_empty_km == pytest.approx(52_000 / a.wh_per_km)
    assert a.reach.to_reserve_km == pytest.approx(0.9 * a.reach.to_empty_km)
    low, high = a.reach.interval_km
    assert low < a.reach.to_reserve_km < high
    assert b.reach.to_reserve_km > a.reach.to_reserve_km  # the trial uses less
    (old, _) = predict(study, asking, Circumstances(90.0), reserve=0.1, fade=0.12)
    assert old.reach is not None and old.reach.to_empty_km == pytest.approx(0.88 * a.reach.to_empty_km)
    with pytest.raises(ValueError, match="reserve"):
        predict(study, asking, Circumstances(90.0), reserve=1.2)


def test_a_range_holds_the_speed_really_held_and_what_a_cold_battery_gives() -> None:
    """Beside the consumption's own margin, in squares: 3 % of speed, 1.3 times that of consumption (common practice at 90 km/h),
    and 3 % of capacity; at -5 °C 8.5 % of it."""
    study = driven_study("ABBA").with_(vehicle=VAN.with_(usable_capacity_kwh=52))
    (asking,) = askings(study)

    def halves(asked: Circumstances) -> tuple[float, float]:
        a = predict(study, asking, asked)[0]
        assert a.reach is not None
        low, high = a.interval_wh_per_km
        near, far = a.reach.interval_km
        return math.log(high / low) / 2, math.log(far / near) / 2

    for air_c, capacity in ((15.0, 0.03), (-5.0, math.hypot(0.03, 0.08))):
        own, reach = halves(Circumstances(90.0, temperature_c=air_c))
        beside = math.hypot(1.96 * 1.3 * 0.03, 1.96 * capacity)
        assert reach == pytest.approx(math.hypot(own, beside), rel=0.06)


def test_what_was_not_driven_is_said() -> None:
    study = driven_study("ABBA")
    (asking,) = askings(study)
    (a, _) = predict(study, asking, Circumstances(120.0, temperature_c=-5.0, road="wet"))
    assert tuple(map(plain, a.not_driven)) == (
        "120 km/h was not driven (90 km/h was)", "−5 °C was not driven (15 °C was)",
        "a wet road is common practice, not this vehicle",
    )  # fmt: skip
    (a, _) = predict(study, asking, Circumstances(91.0))
    assert a.not_driven == ()


def test_cabin_of_a_temperature() -> None:
    assert cabin_k(-10.0, "auto") == 31.0
    assert cabin_k(35.0, "22") == 13.0
    assert cabin_k(-10.0, "off") == 0.0


def test_methods_without_a_road_load_are_not_asked() -> None:
    study = Study(configurations=(Configuration(id="A", baseline=True),), method="everyday")
    assert askings(study) == ()


def battery_of(car: dict, speed: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Battery power [W] and speed reached [m/s], second by second, of the library's car over a speed trace [m/s]."""
    shape = fs.Cycle.from_resource("hwfet.csv").to_dict()
    n, seconds = len(shape["time_seconds"]), len(speed)
    made = {k: (v * 3)[:seconds] if isinstance(v, list) and len(v) == n else v for k, v in shape.items()}
    made |= {
        "time_seconds": [float(i) for i in range(seconds)],
        "speed_meters_per_second": speed.tolist(),
        "dist_meters": np.cumsum(speed).tolist(),
    }
    run = fs.SimDrive(fs.Vehicle.from_dict(car), fs.Cycle.from_dict(made))
    run.run()
    out = run.to_dict()["veh"]
    (powertrain,) = out["pt_type"].values()
    battery = np.array(powertrain["res"]["history"]["pwr_out_electrical_watts"])
    return battery, np.array(out["history"]["speed_ach_meters_per_second"])


def steady(car: dict, kmh: float, seconds: int = 1200) -> float:
    """Wh/km of the library's car at a steady speed, after a minute's start."""
    speed = np.full(seconds, kmh / 3.6)
    speed[:60] = np.linspace(0.0, kmh / 3.6, 60)
    battery, metres = battery_of(car, speed)
    return float(battery[90:].sum() / 3.6 / metres[90:].sum())


@pytest.fixture(scope="module")
def library_car() -> tuple[dict, Study]:
    """The car of the package fastsim, and a study of it: one loop of 30 km at 90 km/h, four times, as the library drives it."""
    car = electric_car()
    at_90 = steady(car, 90.0)
    chassis = car["chassis"]
    vehicle = Vehicle(
        mass_kg=car["mass_kilograms"],
        drag_area_m2=chassis["drag_coef"] * chassis["frontal_area_square_meters"] * 1.03,
        usable_capacity_kwh=40,
    )
    study = driven_study("ABBA", values=[at_90] * 4, method="loop", route=()).with_(vehicle=vehicle)
    legs = tuple(leg.with_(distance_km=30.0, duration_s=1200) for leg in study.legs)
    return car, study.with_(legs=legs)


@pytest.mark.parametrize("kmh", [50.0, 70.0, 110.0, 125.0])
def test_the_curve_over_speed_is_that_of_a_reference_library(library_car: tuple[dict, Study], kmh: float) -> None:
    """Steady speeds of the package fastsim (its battery-electric car), told from 90 km/h alone."""
    car, study = library_car
    wh, half = ask(study, Circumstances(kmh))
    truth = steady(car, kmh)
    assert abs(wh / truth - 1) * 100 < half
    assert wh == pytest.approx(truth, rel=0.07 if kmh < 60 else 0.05)


def test_a_published_highway_cycle_lies_just_above_its_mean_speed(library_car: tuple[dict, Study]) -> None:
    """HWFET (16.5 km at 78 km/h, of the package fastsim) is nearly steady: a few per cent over a steady 78 km/h."""
    car, study = library_car
    trace, km = drive(car, "hwfet.csv")
    cycle = 1000 * float(np.trapezoid(trace.power_kw, trace.time_s)) / 3600 / km
    wh, _ = ask(study, Circumstances(78.0))
    assert 1.0 < cycle / wh < 1.12


@pytest.mark.parametrize(("phase", "low", "high"), [(3, 0.98, 1.06), (2, 1.05, 1.18)])
def test_the_curve_over_the_speeds_of_a_published_cycle_is_its_energy(
    library_car: tuple[dict, Study], phase: int, low: float, high: float
) -> None:
    """WLTC class 3b of UN GTR 15 (package wltp), driven by the package fastsim: the curve over speed, taken at each of a phase's
    speeds, is the energy of its extra-high phase; its high phase accelerates more than a curve of steady speeds can know."""
    car, study = library_car
    cycle = class3.class_data_b()
    speeds = np.array(cycle["cycle"], float)
    assert speeds.sum() / 3600 == pytest.approx(23.266, abs=0.001)  # km, UN GTR 15
    battery, metres = battery_of(car, speeds / 3.6)
    first, last = cycle["parts"][phase]
    energy = battery[first:last].sum() / 3.6 / metres[first:last].sum()
    (asking,) = askings(study)
    grid = np.arange(20.0, 135.0, 5.0)
    curve = asking.band("A", [Circumstances(float(kmh)) for kmh in grid]).wh
    kmh = 3.6 * metres[first:last]
    told = float((np.interp(kmh, grid, curve) * kmh).sum() / kmh.sum())
    assert low < energy / told < high


def test_sums_of_drives_are_their_energies() -> None:
    """A trip of 30 km at 90 and 12 km at 60: energies add; what they share does not average out."""
    (asking,) = askings(driven_study("ABBA"))
    asked = [Circumstances(90.0), Circumstances(60.0)]
    apart = asking.band("A", asked)
    whole = asking.band("A", asked, np.array([[30.0, 12.0]]))
    assert whole.wh[0] == pytest.approx(30 * apart.wh[0] + 12 * apart.wh[1], rel=2e-3)
    once = asking.band("A", asked, np.array([[30.0, 12.0]]), to_come_km=[42.0])
    (low, high), (a, b) = whole.interval(0, 0.9), once.interval(0, 0.9)
    assert math.log(b / a) > 1.02 * math.log(high / low)
    assert once.chance_within(0, once.quantile(0, 0.3)) == pytest.approx(0.3, abs=1e-6)
    assert once.chance_within(0, -1.0) == 0.0


def test_sectors_are_each_asked_by_their_own_fit_and_add_up() -> None:
    """A town of 6 km at 120 Wh/km and 40 and a motorway of 20 km at 190 and 110: a drive names its sector, else the nearest speed counts."""
    study = driven_study("ABBA", route=())
    legs = []
    for leg in study.legs:
        slow = leg.direction == "out"
        shown = (120.0 if slow else 190.0) * (1.1 if leg.configuration == "B" else 1.0)
        legs.append(
            leg.with_(
                sector="town" if slow else "motorway", speed_kmh=40.0 if slow else 110.0, average_shown=shown, distance_km=6.0 if slow else 20.0,
                duration_s=540 if slow else 655,
            )
        )  # fmt: skip
    study = study.with_(legs=tuple(legs), method="one-way")
    parts = askings(study)
    assert {p.sector for p in parts} == {"town", "motorway"}
    whole = of_vehicle(parts, "")
    assert whole is not None
    assert whole.configurations == ("A", "B")
    assert whole.reference_c == 15.0
    asked = [Circumstances(45.0, sector="town"), Circumstances(100.0)]
    town, motorway = (
        p.band("A", [a]) for p, a in zip(sorted(parts, key=lambda p: p.sector, reverse=True), asked, strict=True)
    )
    both = whole.band("A", asked, np.array([[6.0, 20.0]]))
    assert both.wh[0] == pytest.approx(6 * town.wh[0] + 20 * motorway.wh[0], rel=1e-6)
    low, high = both.interval(0, 0.95)
    alone = [b.interval(0, 0.95) for b in (town, motorway)]
    widths = [km * (ends[1] - ends[0]) for km, ends in zip((6.0, 20.0), alone, strict=True)]
    assert max(widths) < high - low < 1.02 * sum(widths), "what the sectors' fits leave open is taken as shared"
    assert whole.not_driven(Circumstances(45.0, sector="town")) == parts[
        [p.sector for p in parts].index("town")
    ].not_driven(Circumstances(45.0))
    # Asked of one sector alone, it is that sector's answer; one that nobody has is none.
    assert whole.band("A", asked[:1]).wh[0] == pytest.approx(town.wh[0])
    assert of_vehicle(parts, "another") is None
    assert of_vehicle(parts[:1], "") is parts[0]


def test_a_drive_asked_about_again_is_the_same_and_as_surely_known_as_it_is_asked() -> None:
    study = driven_study("ABBA")
    asked = [Circumstances(v) for v in (70.0, 90.0, 110.0)]
    (asking,), (fresh,) = askings(study), askings(study)
    for again in range(2):
        plain_band = asking.band("A", asked)
        wide = asking.band("A", [replace(a, speed_sd_share=0.02, wind_sd_ms=2.0) for a in asked])
        assert wide.wh == pytest.approx(plain_band.wh, rel=1e-12), again
        assert (wide.sds > plain_band.sds).all()
        assert plain_band.wh == pytest.approx(fresh.band("A", asked[::-1]).wh[::-1], rel=1e-12)
        assert plain_band.wh[0] < plain_band.wh[1] < plain_band.wh[2]
    assert asking.band("B", asked).wh[1] == pytest.approx(0.95 * asking.band("A", asked).wh[1], rel=0.03)
    for v in np.linspace(40.0, 130.0, 200):  # more than are kept
        asking.band("A", [Circumstances(float(v))])
    assert asking.band("A", asked).wh == pytest.approx(plain_band.wh, rel=1e-12)
    assert len(asking.predictor._taken) <= MOST_KEPT
