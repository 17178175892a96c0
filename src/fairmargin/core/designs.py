"""Before any driving: what the change could do, and what each design could see of it.

Designs are compared by simulating this very study: the vehicle, the route, the forecast, the display and the
tester's scatter are those of the plan. Each simulated day draws a weather around the forecast (what blows, and
what the station would report of it), and readings from the same uncertainties that the analysis will allow for;
the interval that the analysis would then state is computed, and its verdict.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.evidence.conditions import Conditions, leg_conditions
from fairmargin.core.evidence.logs import Logs, gate_logs
from fairmargin.core.evidence.readings import observations, route_km
from fairmargin.core.evidence.reported_wind import REPORT_M_S
from fairmargin.core.inference.options import FitOptions, Group
from fairmargin.core.inference.posterior import mixture_quantile, posterior
from fairmargin.core.inference.problem import prepare
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.laws import air, auxiliaries, wind
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.model.paths import LegTable, join
from fairmargin.core.model.road import Road
from fairmargin.core.planning.day import Timetable, timetable
from fairmargin.core.planning.day import daylight as daylight_of
from fairmargin.core.planning.orders import display_noise_percent, drift_left
from fairmargin.core.result import verdict
from fairmargin.core.study import Leg, Study, new_study

Array = NDArray[np.float64]

WEATHERS: Final = 40
READINGS: Final = 5  # sets of readings drawn for each weather
DRIFT_PERCENT: Final = 1.0  # of consumption, over a day, that no model explains; common practice
FORECAST_WIND_SHARE: Final = 0.3  # how far a forecast wind strays, one standard deviation; common practice
FORECAST_WIND_M_S: Final = 0.7
FORECAST_K: Final = 1.5
DEFAULT_WIND_M_S: Final = 3.0
DEFAULT_LEG_KM: Final = 20.0


@dataclass(frozen=True, slots=True)
class Share:
    """Where the energy goes at one speed. [Wh/km]"""

    air: float
    tyres: float
    hills: float
    climate: float
    driveline: float

    @property
    def total(self) -> float:
        """Sum. [Wh/km]"""
        return self.air + self.tyres + self.hills + self.climate + self.driveline


@dataclass(frozen=True, eq=False, slots=True)
class Expected:
    """Effect of the change over speed, before any driving; arrays of shape (n,)."""

    speed_kmh: Array
    percent: Array
    low: Array  # at the study's confidence
    high: Array
    given: bool  # whether anything of the change was told; else all is zero


@dataclass(frozen=True, slots=True)
class Design:
    """What one order of runs can be expected to give."""

    order: str
    words: str
    runs: int
    half_width_percent: float  # median of the simulated days
    settles: float  # share of days on which the question is settled
    wrong: float  # share of days on which the verdict is wrong
    drift_percent: float  # of an unexplained steady drift that stays in the effect
    hours: float
    energy_kwh: float
    swaps: int
    recommended: bool = False
    confidence: float = intervals.USUAL

    @property
    def price_percent(self) -> float:
        """Margin with the drift that the order leaves."""
        return math.hypot(self.half_width_percent, intervals.deviate(self.confidence) * self.drift_percent)


# ---------------------------------------------------------------- physics of the expected effect


def leg_km(study: Study) -> float:
    """Length of one leg of the plan. [km]"""
    return route_km(study) or DEFAULT_LEG_KM


def _steady(
    study: Study, speeds_m_s: Sequence[float], temperature_c: float, head_m_s: float, climate_k: float
) -> RoadModel:
    """Model of steady drives, one row per speed (and, there and back, per direction)."""
    road = Road(gate_logs(study, (), {}, {}).shape, study)
    ways = (False, True) if study.method in {"out-and-back", "side-by-side"} else (False,)
    rows = [(v, w) for v in speeds_m_s for w in ways]
    paths = join([road.steady(w, 1000.0 * leg_km(study), v, ()) for v, w in rows], [0.0] * len(rows))
    n = len(rows)
    density = float(
        air.moist_air_density(
            100.0 * study.reference.pressure_hpa, temperature_c + 273.15, air.USUAL_HUMIDITY
        )
    )
    factor = wind.height_factor(study.wind.measured_at_m, study.wind.terrain)
    return RoadModel(
        study.vehicle.constants(),
        factor,
        paths,
        LegTable(
            temperature_c=np.full(n, temperature_c),
            density=np.full(n, density),
            from_north=np.full(n, head_m_s),
            from_east=np.zeros(n),
            turbulence=np.full(n, wind.turbulence_m_s(abs(head_m_s))),
            climate_k=np.full(n, climate_k),
            mass_delta_kg=np.zeros(n),
            pressure_ratio=np.ones(n),
            warm_share=np.zeros(n),
            stopped_s=np.zeros(n),
        ),
        np.zeros(n),
    )


def split(
    study: Study,
    speed_kmh: float,
    *,
    wind_m_s: float = 0.0,
    temperature_c: float | None = None,
    mass_kg: float = 0.0,
    drag_area_percent: float = 0.0,
    climate_c: float | None = None,
) -> Share:
    """Where the energy goes at a steady speed, with things changed to play with.

    Parameters
    ----------
    study : Study
    speed_kmh : float
    wind_m_s : float
        Reported wind along the first leg; there and back it comes from both sides in turn.
    temperature_c : float, optional
        Reference temperature when absent.
    mass_kg, drag_area_percent : float
        Beyond the vehicle as it is.
    climate_c : float, optional
        Cabin setting; off when absent.

    Returns
    -------
    Share
    """
    t = study.reference.temperature_c if temperature_c is None else temperature_c
    cabin = 0.0 if climate_c is None else auxiliaries.climate_k(climate_c, t)
    model = _steady(study, [speed_kmh / 3.6], t, wind_m_s, cabin)
    local = np.zeros((len(model.paths.starts), len(Parameter)))
    constants = model.constants
    local[:, Parameter.MASS] = math.log1p(mass_kg / constants.mass_kg)
    local[:, Parameter.DRAG] = math.log1p(drag_area_percent / 100.0)
    energies = model.energies(local, derivatives=True)
    assert energies.by_parameter is not None
    km = float(model.paths.length_m.sum()) / 1000.0
    by = energies.by_parameter.sum(axis=0) / km
    total = float(energies.wh.sum()) / km
    eta = constants.drive_efficiency
    # At the wheel: what drag and tyres take; the driveline's part is what is lost on the way there.
    drag, tyres = float(by[Parameter.DRAG]) * eta, float(by[Parameter.ROLLING]) * eta
    hills = float(by[Parameter.MASS] - by[Parameter.ROLLING])
    hours = float(by[Parameter.AUXILIARY_W])
    aux = hours * float(auxiliaries.power_w(constants.auxiliary_w, auxiliaries.CLIMATE_W_PER_K, cabin))
    return Share(drag, tyres, hills, aux, total - drag - tyres - hills - aux)


def expected_effect(study: Study, speeds_kmh: Sequence[float] = tuple(range(30, 131, 5))) -> Expected:
    """What the change could plausibly do, over speed, from the physics alone.

    Uses what the plan says of the change (drag area, rolling resistance, auxiliary power, a plain factor) and
    the trial's declared mass. The margin holds the vehicle's constants, and a quarter of each stated change
    (nobody knows it better before the drive; common practice).
    """
    plan = study.plan
    mass = float(study.trials[0].mass_delta_kg or 0.0) if study.trials else 0.0
    changes: list[tuple[Parameter, float]] = []
    if plan.drag_area_percent:
        changes.append((Parameter.DRAG, math.log1p(plan.drag_area_percent / 100.0)))
    if plan.rolling_percent:
        changes.append((Parameter.ROLLING, math.log1p(plan.rolling_percent / 100.0)))
    if mass:
        changes.append((Parameter.MASS, math.log1p(mass / study.vehicle.constants().mass_kg)))
    if plan.auxiliary_w:
        changes.append((Parameter.AUXILIARY_W, float(plan.auxiliary_w)))
    if plan.total_percent:
        changes.append((Parameter.TOTAL, math.log1p(plan.total_percent / 100.0)))
    speeds = np.asarray(speeds_kmh, dtype=float)
    if not changes:
        zero = np.zeros(len(speeds))
        return Expected(speeds, zero, zero, zero, False)
    model = _steady(study, [v / 3.6 for v in speeds], study.reference.temperature_c, 0.0, 0.0)
    per = len(model.paths.starts) // len(speeds)
    k = model.constants
    before = np.zeros((len(model.paths.starts), len(Parameter)))
    after = before.copy()
    for slot, size in changes:
        after[:, slot] += size
    base, trial = (model.energies(local, derivatives=True) for local in (before, after))
    assert base.by_parameter is not None and trial.by_parameter is not None

    def summed(rows: Array) -> Array:
        return np.asarray(rows.reshape(len(speeds), per, *rows.shape[1:]).sum(axis=1))

    wh = summed(base.wh), summed(trial.wh)
    slopes = summed(base.by_parameter) / wh[0][:, None], summed(trial.by_parameter) / wh[1][:, None]
    sds = {
        Parameter.DRAG: k.drag_area_sd_m2 / k.drag_area_m2,
        Parameter.ROLLING: k.rolling_coefficient_sd / k.rolling_coefficient,
        Parameter.EFFICIENCY: k.drive_efficiency_sd / k.drive_efficiency,
        Parameter.AUXILIARY_W: k.auxiliary_sd_w,
    }
    variance = np.zeros(len(speeds))
    for slot, sd in sds.items():
        variance += ((slopes[1][:, slot] - slopes[0][:, slot]) * sd) ** 2
    for slot, size in changes:
        if slot is not Parameter.MASS:  # a mass was weighed
            variance += (slopes[1][:, slot] * 0.25 * size) ** 2
    ratio = wh[1] / wh[0]
    percent = (ratio - 1) * 100
    spread = 100.0 * intervals.deviate(study.confidence) * ratio * np.sqrt(variance)
    return Expected(speeds, percent, percent - spread, percent + spread, True)


def visible_from_kmh(expected: Expected, margin_percent: float) -> float | None:
    """Lowest speed at which the expected effect exceeds a margin; None when it never does. [km/h]"""
    seen = np.abs(expected.percent) > margin_percent
    return float(expected.speed_kmh[int(np.argmax(seen))]) if seen.any() else None


# ---------------------------------------------------------------- the planned day


def planned(study: Study, order: str, day: date | None = None) -> Study:
    """Return the study with legs laid out in `order`, each with the time, weather and duration it is planned for."""
    plan = study.plan
    made = new_study(title="", kind="other", order=order, method=study.method)
    names = {"A": study.baseline.id, "B": study.trials[0].id if study.trials else study.baseline.id}
    table = plan_day(study, order, day)
    forecast = plan.forecast
    speed = study.target_speed_kmh or 90.0
    km = leg_km(study)
    runs = {s.run: s for s in table.steps if s.kind == "run"}
    first = table.steps[0].start
    legs: list[Leg] = []
    for run, own in made.runs():
        for j, leg in enumerate(own):
            begin = runs[run].start + timedelta(minutes=j * (60.0 * km / speed + plan.turn_min))
            hours = (begin - first).total_seconds() / 3600.0
            warm = 15.0 if forecast.temperature_c is None else forecast.temperature_c
            legs.append(
                leg.with_(
                    configuration=names[leg.configuration],
                    started_at=begin,
                    duration_s=round(3600.0 * km / speed),
                    distance_km=km,
                    temperature_c=round(warm + (forecast.warming_k_per_h or 0.0) * hours, 1),
                    pressure_hpa=forecast.pressure_hpa or 1013.25,
                    wind_speed_ms=forecast.wind_speed_ms
                    if forecast.wind_speed_ms is not None
                    else DEFAULT_WIND_M_S,
                    wind_gust_ms=forecast.wind_gust_ms,
                    wind_from_deg=forecast.wind_from_deg if forecast.wind_from_deg is not None else 0.0,
                    climate="off",
                    road="dry",
                )
            )
    return study.with_(legs=tuple(legs), events=(), weather=())


def plan_day(
    study: Study,
    order: str,
    day: date | None = None,
    *,
    late_min: float = 0.0,
    done_runs: int = 0,
    now: datetime | None = None,
    utc_offset: timedelta | None = None,
) -> Timetable:
    """Timetable of the study's plan for an order of runs.

    `utc_offset` is that of the clock people go by; without it the longitude decides, to the hour and without
    summer time.
    """
    plan = study.plan
    day = day or plan.day or date(2026, 6, 1)
    names = {"A": study.baseline.id, "B": study.trials[0].id if study.trials else study.baseline.id}
    labels = {c.id: c.label for c in study.configurations}
    speed = study.target_speed_kmh or 90.0
    place = next((p for p in study.route if p.latitude is not None and p.longitude is not None), None)
    light = None
    if place is not None and place.latitude is not None and place.longitude is not None:
        offset = utc_offset if utc_offset is not None else timedelta(hours=round(place.longitude / 15.0))
        light = daylight_of(day, place.latitude, place.longitude, offset)
    return timetable(
        plan,
        day=day,
        kind=study.change.kind,
        runs=[(f"R{i + 1}", names[letter]) for i, letter in enumerate(order)],
        legs_per_run=2 if study.method in {"out-and-back", "side-by-side", "climb"} else 1,
        leg_km=leg_km(study),
        speed_kmh=speed,
        wh_per_km=split(study, speed).total,
        factors={t.id: 1.0 + max(_true_effect(study), 0.0) / 100.0 for t in study.trials},
        capacity_kwh=study.vehicle.usable_capacity_kwh if study.vehicle.energy == "electric" else None,
        names=labels,
        light=light,
        late_min=late_min,
        done_runs=done_runs,
        now=now,
    )


# ---------------------------------------------------------------- designs


#: Patterns compared, as blocks that are repeated; "random" shuffles each pair by lot.
PATTERNS: Final = {
    "ABBA": "a steady drift of the day cancels within each block",
    "BAAB": "the same, the trial first",
    "ABAB": "simple; a part of a steady drift stays",
    "AABB": "one swap only; half the drift and more stays",
    "random": "pairs in an order drawn by lot: fair on average, not on each day",
}


def order_of(pattern: str, runs: int, rng: np.random.Generator | None = None) -> str:
    """Write a pattern out to a number of runs (even).

    Raises
    ------
    ValueError
        If the pattern is not known or `runs` is odd or below 2.
    """
    if runs < 2 or runs % 2:
        raise ValueError(f"{runs} runs cannot be paired; expected an even number from 2")
    half = runs // 2
    if pattern == "AABB":
        return "A" * half + "B" * half
    if pattern == "random":
        rng = rng or np.random.default_rng(0)
        return "".join("AB" if rng.random() < 0.5 else "BA" for _ in range(half))
    if pattern not in PATTERNS:
        raise ValueError(f'"{pattern}" is not a pattern; expected one of {", ".join(PATTERNS)}')
    if pattern == "ABAB":
        return "AB" * half
    text = (pattern * (runs // 4 + 1))[:runs]
    if text.count("A") != half:  # an odd number of pairs: the last block is one pair
        text = (pattern * (runs // 4))[: runs - runs % 4] + ("AB" if pattern[0] == "A" else "BA")
    return text


def compare_designs(
    study: Study,
    *,
    runs: int = 4,
    patterns: Sequence[str] = tuple(PATTERNS),
    days: int = WEATHERS * READINGS,
    seed: int = 1,
    scatter: ScatterPrior | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Iterator[Design]:
    """Simulate each pattern on this very study; yields one design after another, the recommended one marked last.

    Parameters
    ----------
    study : Study
        With its plan; legs already driven do not matter.
    runs : int
        Runs in all, even.
    patterns : sequence of str
        Of `PATTERNS`.
    days : int
        Simulated days for each.
    seed : int
    scatter : ScatterPrior, optional
    cancelled : callable
        Asked between weathers; stops the iteration when true.

    Yields
    ------
    Design
    """
    for pattern in patterns:
        made = _simulate(study, pattern, runs, days, seed, scatter or ScatterPrior(), cancelled)
        if made is None:
            return
        yield made


def recommend(designs: Sequence[Design]) -> tuple[Design, ...]:
    """Mark the design to prefer: the first of `PATTERNS` whose margin and drift are as small as any.

    Simulated margins differ by chance; what lies within a tenth of the smallest counts as equal.
    """
    if not designs:
        return ()
    smallest = min(d.price_percent for d in designs)
    best = next(d for d in designs if d.price_percent <= 1.1 * smallest)
    return tuple(replace(d, recommended=d is best) for d in designs)


def _simulate(
    study: Study,
    pattern: str,
    runs: int,
    days: int,
    seed: int,
    scatter: ScatterPrior,
    cancelled: Callable[[], bool],
) -> Design | None:
    rng = np.random.default_rng(seed)
    lot = np.random.default_rng(seed + 1)  # apart, so that every pattern meets the same days
    size = _true_effect(study)
    level = split(study, study.target_speed_kmh or 90.0).total
    step = _reading_step(study, level)
    options = FitOptions(scatter_share=scatter.share, scatter_freedom=scatter.freedom)
    half_widths: list[float] = []
    settled = wrong = count = 0
    drift = hours = energy = 0.0
    swaps = 0
    weathers = max(1, days // READINGS)
    smallest = study.smallest_effect_percent
    base: Study | None = None
    logs = Logs({}, None, False)
    table: dict[str, Conditions] = {}
    order = ""
    for _ in range(weathers):
        if cancelled():
            return None
        if base is None or pattern == "random":
            order = order_of(pattern, runs, lot)
            base = planned(study, order)
            base = base.with_legs(
                leg.with_(average_shown=level / 10.0, average_unit="kWh/100km", average_step=step / 10.0)
                for leg in base.legs
            )
            logs = gate_logs(base, base.legs, {}, {})
            table = leg_conditions(base, {})
            day = plan_day(study, order)
            hours += day.hours
            energy += day.energy_kwh
            swaps = sum(a != b for a, b in zip(order, order[1:], strict=False))
            drift += abs(drift_left(order))
        found = observations(base, {})
        own = _weather(list(table.values()), study, rng)
        problem = prepare(base, own, found, logs, options)
        theta = problem.prior_mean
        at = problem.linearise(theta)
        evidence = problem.evidence(at, 0.0)
        log_levels, gradients = problem.levels(at)
        g, fixed = gradients[1] - gradients[0], float(log_levels[1] - log_levels[0])
        change = np.array([u.group is Group.CHANGE for u in problem.unknowns])
        for _ in range(READINGS):
            drawn = np.sqrt(problem.prior_var) * rng.normal(size=len(theta))
            drawn[change] = 0.0
            # The change is as large as is expected, along the direction the analysis would look for it.
            along = problem.prior_var * g * change
            need = math.log1p(size / 100.0) - fixed
            drawn = drawn + along * (need / max(float(along @ g), 1e-12))
            sigma = math.sqrt(scatter.freedom / rng.chisquare(scatter.freedom))
            n = len(at.predicted)
            noise = sigma * np.sqrt(problem.owns @ problem.scatter_var) * rng.normal(size=n)
            rounding = np.sqrt(problem.rows.reading_var * 12.0) * rng.uniform(-0.5, 0.5, n)
            innovation = at.jacobian @ drawn + noise + rounding
            found_effect = posterior(evidence, innovation, g[None, :], [fixed], options.scatter_freedom)
            weights, means, sds = found_effect.weights, found_effect.means[:, 0], found_effect.sds[:, 0]
            tail = (1 - study.confidence) / 2
            low, high = (100 * math.expm1(mixture_quantile(weights, means, sds, q)) for q in (tail, 1 - tail))
            middle = 100 * math.expm1(float(weights @ means))
            said = verdict.word(middle, (low, high), smallest, False, 0.0)
            half_widths.append((high - low) / 2)
            count += 1
            settled += said != "not settled"
            truth = 100 * math.expm1(float(g @ (drawn)) + fixed)
            wrong += (
                (said == "uses more" and truth < 0)
                or (said == "uses less" and truth > 0)
                or (said == "no difference that matters" and abs(truth) > smallest)
            )
    made = weathers if pattern == "random" else 1
    return Design(
        order=order if pattern != "random" else "random",
        words=PATTERNS[pattern],
        runs=runs,
        half_width_percent=float(np.median(half_widths)),
        settles=settled / count,
        wrong=wrong / count,
        drift_percent=DRIFT_PERCENT * drift / made,
        hours=hours / made,
        energy_kwh=energy / made,
        swaps=swaps,
        confidence=study.confidence,
    )


def _reading_step(study: Study, level_wh_per_km: float) -> float:
    """Step of the instrument as the study's own legs show it, else the plan's display. [Wh/km]"""
    driven = [o for o in observations(study, {}) if all(study.leg(name).included for name in o.legs)]
    if driven:
        return math.sqrt(12.0) * float(np.mean([o.relative_sd for o in driven])) * level_wh_per_km
    return study.plan.display_step_kwh_per_100km * 10.0


def _true_effect(study: Study) -> float:
    """Effect that the simulated days have: what is expected, else predicted, else twice what matters. [per cent]"""
    expected = expected_effect(study, [study.target_speed_kmh or 90.0])
    if expected.given and abs(expected.percent[0]) >= study.smallest_effect_percent:
        return float(expected.percent[0])
    if study.change.prediction_percent:
        return float(study.change.prediction_percent)
    return 2.0 * study.smallest_effect_percent


def _weather(conditions: list[Conditions], study: Study, rng: np.random.Generator) -> list[Conditions]:
    """One day's reports around the forecast: the day strays from it, each leg's report from the day."""
    speed = conditions[0].wind_speed
    stray = FORECAST_WIND_M_S + FORECAST_WIND_SHARE * speed
    shift_n, shift_e = stray * rng.normal(), stray * rng.normal()
    warmer = FORECAST_K * rng.normal()
    if study.plan.forecast.wind_from_deg is None:  # any direction
        turn = float(rng.uniform(0, 2 * math.pi))
        shift_n += speed * (math.cos(turn) - 1.0)
        shift_e += speed * math.sin(turn)
    return [
        replace(
            c,
            from_north=c.from_north + shift_n + REPORT_M_S * rng.normal(),
            from_east=c.from_east + shift_e + REPORT_M_S * rng.normal(),
            temperature_c=c.temperature_c + warmer,
        )
        for c in conditions
    ]


def pairs_for(study: Study, design: Design) -> int | None:
    """Pairs that would settle the expected effect with 80 % power, scaled from a simulated design."""
    size = abs(_true_effect(study))
    pairs = design.runs // 2
    deviate = intervals.deviate(study.confidence)
    sd = design.half_width_percent / deviate
    return verdict.pairs_needed(pairs, size, 0.0, sd, study.smallest_effect_percent, deviate)


def shortest_leg_km(study: Study, legs_each: int, share_of_smallest: float = 0.5) -> float:
    """Shortest leg for which the display's step alone stays below a share of the smallest effect that matters. [km]

    Displays of an average do not gain from longer legs, whole-kWh displays do: this is for a display that shows
    energy with the plan's step per 100 km as its step in kWh.
    """
    step_kwh = study.plan.display_step_kwh_per_100km
    per_km = split(study, study.target_speed_kmh or 90.0).total / 1000.0
    allowed = share_of_smallest * study.smallest_effect_percent
    one_km = display_noise_percent(step_kwh / per_km, legs_each, study.confidence)
    return one_km / allowed


@dataclass(frozen=True, slots=True)
class Shape:
    """Another shape of study, and what it would cost."""

    name: str
    half_width_percent: float
    hours: float
    words: str


def other_shapes(study: Study, runs: int, scatter: ScatterPrior | None = None) -> tuple[Shape, ...]:
    """Margins of other shapes of study, from scatter alone (the day cancels or averages out in both).

    Side by side with a swap: each pair of drives is a ratio of two legs, so scatter counts twice and weather
    hardly. Everyday: trips of this route's length scatter by 6 % of 10 km and 2.5 % a day (common practice).
    """
    prior = scatter or ScatterPrior()
    km = leg_km(study)
    legs = runs // 2 * (2 if study.method == "out-and-back" else 1)
    one = prior.share * math.sqrt(30.0 / min(max(km, 5.0), 60.0))
    beside = intervals.half_width_percent(one**2 * 4.0 / max(legs, 1), study.confidence)
    trips = 20
    each = math.hypot(0.06 * math.sqrt(10.0 / min(max(km, 3.0), 33.0)), 0.025)
    hours = plan_day(study, order_of("ABBA", runs)).hours
    return (
        Shape(
            "two cars side by side, swapped half way",
            beside,
            hours,
            "the day cancels; a second car and driver, and a swap of the change between the cars",
        ),
        Shape(
            "everyday log, 20 trips of each",
            intervals.half_width_percent(each**2 * 2.0 / trips, study.confidence),
            2 * trips * km / (study.target_speed_kmh or 60.0),
            "no test day; weeks of patience, and trips you make anyway",
        ),
    )
