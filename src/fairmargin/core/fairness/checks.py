"""Fairness: every reason why the comparison may not be fair, priced in per cent of consumption.

Prices come from running the same fit with and without the thing; where only common practice gives a size
the text says so. ``covered`` tells whether the correction and its margin already carry the concern; what is
not covered is the *open* charge, which the verdict must respect.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from fairmargin.core import intervals
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.readings import Observation, circumference_known
from fairmargin.core.inference.fit import Fit
from fairmargin.core.inference.options import Cause, FitOptions, Group, Regressor
from fairmargin.core.inference.posterior import Effect
from fairmargin.core.inference.priors import SCATTER_SHARE
from fairmargin.core.laws import aero, auxiliaries, disturbance, driveline
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.planning import display_noise_percent, drift_left
from fairmargin.core.study import Leg, Study

Severity = Literal["note", "caution", "blocks"]


@dataclass(frozen=True, slots=True)
class Concern:
    """One reason why the comparison may not be fair."""

    code: str
    severity: Severity
    charge_percent: float | None
    legs: tuple[str, ...]
    title: str
    message: str
    next_step: str
    covered: bool
    signed: bool  # whether the sign of the charge is known


@dataclass(frozen=True, eq=False, slots=True)
class Case:
    """One comparison, as the checks below see it."""

    study: Study
    trial: str
    conditions: Sequence[Conditions]
    observations: Sequence[Observation]
    fit: Fit
    effect: Effect
    options: FitOptions
    refit: Callable[..., Fit | None]  # (options, conditions, other study, other observations)
    with_left_out: Callable[[], Fit | None]  # the same fit with the left-out legs taken back in
    gaps: Mapping[str, float] = field(default_factory=dict)  # share of each logged leg without samples

    @property
    def baseline(self) -> str:
        """Id of the baseline configuration."""
        return self.study.baseline.id

    def of(self, configuration: str) -> list[Conditions]:
        """Conditions of the legs driven in `configuration` (control vehicle left out)."""
        return [c for c in self.conditions if c.configuration == configuration and not c.control]

    @property
    def both(self) -> tuple[list[Conditions], list[Conditions]]:
        """Conditions of the baseline legs and of the trial legs."""
        return self.of(self.baseline), self.of(self.trial)

    def legs(self) -> list[Leg]:
        """Study legs of both configurations."""
        names = {c.leg for c in self.conditions if c.configuration in {self.baseline, self.trial}}
        return [leg for leg in self.study.legs if leg.leg in names]

    def without(self, *things: Cause) -> float | None:
        """Effect with `things` in the model minus effect without them, in per cent."""
        changed = self.refit(replace(self.options, ignore=self.options.ignore | set(things)), self.conditions)
        return self._against(changed)

    def with_conditions(self, conditions: Sequence[Conditions]) -> float | None:
        """Effect as analysed minus effect with other conditions, in per cent."""
        return self._against(self.refit(self.options, conditions))

    def dropping(self, legs: Sequence[str]) -> float | None:
        """Effect as analysed minus effect without some legs, in per cent; None when nothing would be left."""
        kept = [c for c in self.conditions if c.leg not in legs]
        if not {self.baseline, self.trial} <= {c.configuration for c in kept}:
            return None
        return self._against(
            self.refit(replace(self.options, drop_legs=self.options.drop_legs | set(legs)), self.conditions)
        )

    def at_speed(self, speed_kmh: float) -> float | None:
        """Effect as analysed minus the effect stated for another speed, in per cent."""
        if not 5 <= speed_kmh <= 300:
            return None  # time and distance do not fit together; the readings want a look first
        other = self.study.with_(target_speed_kmh=speed_kmh)
        return self._against(self.refit(self.options, self.conditions, other))

    def with_readings(self, others: Mapping[str, Observation]) -> float | None:
        """Effect as analysed minus the effect with other readings of some legs, in per cent."""
        return self._against(self.refit(self.options, self.conditions, None, others))

    def energy_share(self, parameter: Parameter) -> float:
        """Mean derivative of the log energy by one parameter: the share of consumption that depends on it."""
        energies = self.fit.model.energies(self.fit.local, derivatives=True)
        assert energies.by_parameter is not None
        return float(np.mean(energies.by_parameter[:, parameter] / energies.wh))

    def _against(self, other: Fit | None) -> float | None:
        if other is None or self.trial not in other.effects:
            return None
        return self.effect.percent - other.effects[self.trial].percent

    def part_percent(self, group: Group) -> float:
        """Half-width that one source of the margin budget would have alone, at the study's confidence."""
        return intervals.half_width_percent(dict(self.effect.budget).get(group, 0.0), self.study.confidence)


def mean(values: Sequence[float | None]) -> float | None:
    """Mean of what is known, None when nothing is."""
    known = [v for v in values if v is not None]
    return float(np.mean(known)) if known else None


def _names(conditions: Sequence[Conditions]) -> tuple[str, ...]:
    return tuple(c.leg for c in conditions)


def check(case: Case) -> list[Concern]:
    """Run every check on one comparison."""
    found: list[Concern] = []
    for function in (_design, _weather, _driving, _instruments, _vehicle, _second_change, _sun, _statistics):
        found += function(case)
    return found


def _design(case: Case) -> list[Concern]:
    a, b = case.both
    out: list[Concern] = []
    if case.study.method in {"out-and-back", "one-way"} and a and b:
        ways_a, ways_b = {c.backwards for c in a}, {c.backwards for c in b}
        if not ways_a & ways_b:
            out.append(
                Concern(
                    "direction-confounded",
                    "blocks",
                    None,
                    _names(case.conditions),
                    "Each direction has one configuration only",
                    "The baseline was driven one way and the trial the other: hill and wind cannot be told from "
                    "the change.",
                    "Drive both configurations in both directions.",
                    covered=False,
                    signed=False,
                )
            )
    if any(c.control for c in case.conditions) or case.study.method == "side-by-side":
        control = {c.configuration for c in case.conditions if c.control}
        test = {c.configuration for c in case.conditions if not c.control}
        if len(test) < 2 and len(control) < 2:
            out.append(
                Concern(
                    "vehicle-confounded",
                    "blocks",
                    None,
                    _names(case.conditions),
                    "One vehicle always had the change",
                    "The change and the vehicle that carries it cannot be told apart.",
                    "Swap the change to the other vehicle, or drive both vehicles in the baseline as well.",
                    covered=False,
                    signed=False,
                )
            )
    days_a, days_b = {c.day for c in a}, {c.day for c in b}
    if a and b and not days_a & days_b:
        gap = None
        starts = [[c.started_s for c in side if c.started_s is not None] for side in (a, b)]
        if all(starts):
            gap = abs(float(np.mean(starts[1])) - float(np.mean(starts[0]))) / 86400.0
        when = f"about {gap:.0f} days" if gap is not None and gap >= 1.5 else "a day"
        out.append(
            Concern(
                "days-apart",
                "caution" if gap is None or gap > 2 else "note",
                case.part_percent(Group.DAY),
                _names(b),
                "Baseline and trial on different days",
                f"Baseline and trial lie {when} apart: battery, road surface and driver's form are not the same. "
                "The margin has been widened for it.",
                "Drive a few runs of both on one day.",
                covered=True,
                signed=False,
            )
        )
    ordered = sorted(a + b, key=lambda c: (c.day, c.started_s if c.started_s is not None else 0.0))
    letters = [(case.study.letter(c.configuration), c.run) for c in ordered]
    runs = "".join(letter for i, (letter, run) in enumerate(letters) if i == 0 or letters[i - 1][1] != run)
    if a and b and days_a & days_b and set(runs) == {"A", "B"}:
        left = drift_left(runs)
        if abs(left) > 0.3:
            drift = _drift_percent(case, ordered)
            charge = None if drift is None else drift * left
            out.append(
                Concern(
                    "order-drift",
                    "caution" if len(runs) > 2 or charge is None or abs(charge) > 1 else "note",
                    charge,
                    _names(ordered),
                    f"Order {runs} does not cancel the day's drift",
                    f"{abs(left):.0%} of any steady drift of the day (warming, wind, battery) stays in the difference.",
                    "Add runs in the opposite order, so that the whole reads ABBA.",
                    covered=True,
                    signed=charge is not None,
                )
            )
    count_a, count_b = len({c.run for c in a}), len({c.run for c in b})
    if min(count_a, count_b) == 1:
        out.append(
            Concern(
                "one-pair-only",
                "caution",
                case.part_percent(Group.SCATTER),
                _names(ordered),
                "One pair only",
                "With a single run of one configuration, nothing tells its scatter from the change.",
                "Drive another pair, in the other order.",
                covered=True,
                signed=False,
            )
        )
    target = case.study.target_speed_kmh
    driven = mean([c.speed_m_s * 3.6 for c in case.conditions])
    if target and driven and abs(driven / target - 1) > 0.10 and not case.fit.as_driven:
        out.append(
            Concern(
                "outside-tested-speed",
                "caution",
                case.at_speed(driven),
                _names(case.conditions),
                "Driven at another speed than the one asked about",
                f"The legs averaged {driven:.0f} km/h; the result is stated for {target:.0f} km/h. "
                "This much of it is the model's, not the road's.",
                "Set the study's target speed to the one driven, or drive at the target speed.",
                covered=True,
                signed=True,
            )
        )
    return out


def _drift_percent(case: Case, ordered: Sequence[Conditions]) -> float | None:
    """Steady drift over the whole day, in per cent, from what the fit leaves over; None with few legs."""
    if len(ordered) < 6 or any(c.started_s is None for c in ordered):
        return None
    t = np.array([c.started_s for c in ordered], dtype=float)
    span = float(np.ptp(t))
    if span < 600:
        return None
    log_residual = np.array([case.fit.residual[c.leg] * case.fit.leg_sd[c.leg] for c in ordered])
    is_b = np.array([c.configuration == case.trial for c in ordered], dtype=float)
    back = np.array([c.backwards for c in ordered], dtype=float)
    design = np.stack([np.ones(len(t)), is_b, back, (t - t.mean()) / span], axis=1)
    slope = float(np.linalg.lstsq(design, log_residual, rcond=None)[0][3])
    return 100.0 * slope


def _weather(case: Case) -> list[Concern]:
    a, b = case.both
    out: list[Concern] = []
    unknown = [c for c in case.conditions if not c.wind_known]
    headless = [
        c
        for c, known in zip(case.conditions, case.fit.model.paths.heading_known, strict=True)
        if c.wind_known and not known and c.wind_speed > 1
    ]
    if unknown or headless:
        legs = unknown or headless
        what = "Nobody wrote the wind down" if unknown else "The road's direction is not known"
        out.append(
            Concern(
                "weather-unlike",
                "caution",
                case.part_percent(Group.WIND),
                _names(legs),
                what,
                "Wind along the road cannot be corrected; the margin has been widened for it."
                if unknown
                else "Without a route the reported wind cannot be laid along the road; the margin has been widened.",
                "Look up the nearest station's report for those hours."
                if unknown
                else "Bring in the route (a track or a few points).",
                covered=True,
                signed=False,
            )
        )
    strongest = max((c.wind_speed for c in case.conditions), default=0.0)
    if strongest > 5.0:
        out.append(
            Concern(
                "wind-strong",
                "caution" if strongest > 8.0 else "note",
                case.part_percent(Group.WIND),
                _names([c for c in case.conditions if c.wind_speed > 5.0]),
                f"Wind up to {strongest:.0f} m/s",
                "What the mast reports is not what blows at the car; this is what the wind may still be worth "
                "after correction.",
                "Wait for under 5 m/s, or keep it and accept the margin.",
                covered=True,
                signed=False,
            )
        )
    gusty = [
        leg
        for leg in case.legs()
        if leg.wind_gust_ms is not None
        and leg.wind_speed_ms is not None
        and leg.wind_gust_ms - leg.wind_speed_ms > 4
    ]
    if gusty:
        charge = case.without(Cause.GUSTS)
        out.append(
            Concern(
                "gusts",
                "note" if charge is not None and abs(charge) < 0.5 else "caution",
                charge,
                tuple(leg.leg for leg in gusty),
                "Gusts well above the mean wind",
                "Gusts add drag that does not average out; the model allows for the usual amount.",
                "Drive again on a steadier day if this is large beside the effect.",
                covered=True,
                signed=True,
            )
        )
    if a and b:
        warm = (mean([c.temperature_c for c in b]) or 0.0) - (mean([c.temperature_c for c in a]) or 0.0)
        north = float(np.mean([c.from_north for c in b]) - np.mean([c.from_north for c in a]))
        east = float(np.mean([c.from_east for c in b]) - np.mean([c.from_east for c in a]))
        moved = math.hypot(north, east)
        if abs(warm) > 3.0 or moved > 1.5:
            charge = case.without(Cause.WIND, Cause.AIR, Cause.TYRES)
            parts = []
            if abs(warm) > 3.0:
                parts.append(f"trial legs were {abs(warm):.0f} K {'warmer' if warm > 0 else 'colder'}")
            if moved > 1.5:
                parts.append(f"the wind differed by {moved:.1f} m/s")
            out.append(
                Concern(
                    "weather-unlike",
                    "caution" if abs(charge or 0.0) > max(1.0, abs(case.effect.percent) / 2) else "note",
                    charge,
                    _names(b),
                    "Unlike weather",
                    f"{' and '.join(parts).capitalize()}. This is what the correction for it is worth.",
                    "Corrected. Drive both on one day to need less of it.",
                    covered=True,
                    signed=True,
                )
            )
    wet = [c for c in case.conditions if c.road in {"wet", "snow", "damp"}]
    if wet and a and b:
        cost = [100.0 * float(np.mean([disturbance.road_share(c.road) for c in side])) for side in (a, b)]
        difference = cost[1] - cost[0]
        uneven = abs(difference) > 1.0
        out.append(
            Concern(
                "wet-road",
                "caution" if uneven else "note",
                difference,
                _names(wet),
                "Wet road on some legs" if uneven else "Wet road, alike for both",
                "Water on the road is not corrected; heavy rain costs about 10 % (common practice).",
                "Leave the wet legs out with the reason, or drive them again in the dry."
                if uneven
                else "Nothing to do.",
                covered=not uneven,
                signed=True,
            )
        )
    return out


def _driving(case: Case) -> list[Concern]:
    a, b = case.both
    out: list[Concern] = []
    if a and b:
        fast = [float(np.mean([c.speed_m_s for c in side])) * 3.6 for side in (a, b)]
        middle = float(np.mean(fast))
        if abs(fast[1] / fast[0] - 1) > 0.015 and not is_technique(case.study):
            level = [replace(c, speed_m_s=middle / 3.6) for c in case.conditions]
            charge = case.with_conditions(level)
            out.append(
                Concern(
                    "speed-unlike",
                    "caution" if abs(charge or 0.0) > 1.0 else "note",
                    charge,
                    _names(b),
                    f"Trial legs {abs(fast[1] - fast[0]):.1f} km/h {'faster' if fast[1] > fast[0] else 'slower'}",
                    f"Baseline legs averaged {fast[0]:.1f} km/h, trial legs {fast[1]:.1f} km/h.",
                    "Corrected through the model. Hold the speed by GPS next time.",
                    covered=True,
                    signed=True,
                )
            )
        by_way: dict[bool, list[Conditions]] = {}
        for c in case.conditions:
            if c.true_m:
                by_way.setdefault(c.backwards, []).append(c)
        odd = [
            c
            for legs in by_way.values()
            for c in legs
            if abs(c.true_m / float(np.median([x.true_m for x in legs])) - 1) > 0.02
        ]
        if odd:
            out.append(
                Concern(
                    "distance-unlike",
                    "caution",
                    case.dropping([c.leg for c in odd]),
                    _names(odd),
                    "Legs of unlike length",
                    "These legs are more than 2 % longer or shorter than the others of their direction: a wrong turn, "
                    "a late reset or another read-off point.",
                    "Check reset and read-off; leave the leg out with the reason if it was another road.",
                    covered=False,
                    signed=True,
                )
            )
        early = [float(np.mean([c.warm_share for c in side])) for side in (a, b)]
        if abs(early[1] - early[0]) > 0.12:
            cold = [c for c in case.conditions if c.warm_share > 0.3]
            charge = case.without(Cause.WARM_UP)
            out.append(
                Concern(
                    "cold-tyres",
                    "note" if abs(charge or 0.0) < 1.0 else "caution",
                    charge,
                    _names(cold),
                    "The day's first leg on cold tyres",
                    "Tyres roll harder for the first 15 to 30 minutes; one configuration carries more of that.",
                    "Drive a warm-up leg first; or start the next block with the other configuration.",
                    covered=True,
                    signed=True,
                )
            )
    texts: dict[str, tuple[str, str, str]] = {
        "slow-traffic": (
            "Slow traffic",
            "Held up by traffic. The slower stretch is in the model; restarts are not, and count as scatter.",
            "Corrected. Drive the leg again if it was long.",
        ),
        "following-closely": (
            "Followed another vehicle closely",
            "The wake of a vehicle ahead lowers the drag, by 10 to 20 % at motorway distances (common practice).",
            "Never follow closely to test. Leave the leg out with the reason, or drive it again.",
        ),
        "reset-doubtful": (
            "Trip meter reset doubtful",
            "If the reset did not take, the average belongs to a longer drive.",
            "Check distance against the route; leave the leg out if they differ.",
        ),
        "lift-off": (
            "Lifted off before the read-off",
            "Coasting before the read-off leaves kinetic energy out of the reading.",
            "Read off at the landmark, at speed; drive the leg again.",
        ),
        "rain": (
            "Rain on the leg",
            "Rain costs up to 10 % and is not corrected (common practice).",
            "Leave the leg out with the reason, or drive it again in the dry.",
        ),
    }
    codes = {
        "reset-doubtful": "trip-meter-not-reset",
        "lift-off": "read-off-point-moved",
        "rain": "wet-road",
    }
    names = {c.leg for c in case.conditions}
    for kind, (title, message, step) in texts.items():
        legs = tuple(dict.fromkeys(e.leg for e in case.study.events if e.kind == kind and e.leg in names))
        if not legs:
            continue
        if kind == "slow-traffic":
            # The leg's own time already slows the model down: price it as if nobody had been held up.
            free = float(np.median([c.speed_m_s for c in case.conditions]))
            level = [replace(c, speed_m_s=free) if c.leg in legs else c for c in case.conditions]
            blind = replace(case.options, ignore=case.options.ignore | {Cause.EVENTS})
            charge, covered = case._against(case.refit(blind, level)), True
        else:
            charge = case.dropping(legs)
            if charge is None and kind in {"following-closely", "rain"}:
                charge = _as_usual(case, kind, legs)
            covered = charge is not None and abs(charge) < 0.5
        out.append(
            Concern(
                codes.get(kind, kind),
                "note" if covered and abs(charge or 0.0) < 0.5 else "caution",
                charge,
                legs,
                title,
                message,
                step,
                covered=covered,
                signed=True,
            )
        )
    stopped = [c for c in case.conditions if c.stopped_s > 60]
    if stopped:
        power_w = case.fit.model.constants.auxiliary_w
        share = [
            100.0
            * auxiliaries.energy_wh(power_w, sum(c.stopped_s for c in side))
            / max(sum(c.true_m for c in side) / 1000.0 * case.effect.baseline_wh_per_km, 1.0)
            for side in (a, b)
        ]
        out.append(
            Concern(
                "stopped-with-car-on",
                "note",
                share[1] - share[0] if a and b else None,
                _names(stopped),
                "Stops with the car on",
                "Auxiliaries ran while the car stood, and each stop costs its speed's energy; both are in the model.",
                "Corrected. Plan a route without stops.",
                covered=True,
                signed=True,
            )
        )
    return out


def _as_usual(case: Case, kind: str, legs: Sequence[str]) -> float:
    """What a thing usually does to legs that cannot be left out, as a difference of means (common practice)."""
    if kind == "following-closely":
        worth = -disturbance.WAKE_SHARE * case.energy_share(Parameter.DRAG)
    else:
        worth = disturbance.RAIN_SHARE
    shares = [sum(c.leg in legs for c in side) / max(len(side), 1) for side in case.both]
    return 100.0 * worth * (shares[1] - shares[0])


def _instruments(case: Case) -> list[Concern]:
    out: list[Concern] = []
    a = [o for o in case.observations if case.study.leg(o.legs[0]).configuration == case.baseline]
    b = [o for o in case.observations if case.study.leg(o.legs[0]).configuration == case.trial]
    for kind, code in (
        ("trip average", "display-too-coarse"),
        ("trip energy", "display-too-coarse"),
        ("state of charge", "gauge-too-coarse"),
        ("charge back", "display-too-coarse"),
    ):
        using = [o for o in (*a, *b) if o.readings[0].instrument == kind]
        if not using:
            continue
        step_share = float(np.mean([o.relative_sd for o in using])) * math.sqrt(12.0)
        count = max(1, min(len(a), len(b)))
        charge = display_noise_percent(step_share, count, case.study.confidence)
        matter = max(case.study.smallest_effect_percent, abs(case.effect.percent) / 2)
        severity: Severity = "caution" if charge > matter else "note"
        if charge > 0.1:
            gauge = "gauge" if code == "gauge-too-coarse" else "display"
            out.append(
                Concern(
                    code,
                    severity,
                    charge,
                    tuple(name for o in using for name in o.legs),
                    f"Charging back repeats to \u00b1{56.6 * step_share:.1f} % of a leg"
                    if kind == "charge back"
                    else f"Step of the {gauge}: {100 * step_share:.1f} % of a reading",
                    f"{'Where the charger stops' if kind == 'charge back' else 'Rounding'} alone is worth this much with "
                    f"{count} leg{'s' if count != 1 else ''} each ({kind}).",
                    "Longer legs, more of them, or a finer instrument."
                    if severity == "caution"
                    else "Nothing to do.",
                    covered=True,
                    signed=False,
                )
            )
    gappy = [(o.legs[0], g) for o in case.observations if (g := case.gaps.get(o.legs[0], 0.0)) > 0.01]
    if gappy:
        out.append(
            Concern(
                "log-gaps",
                "caution" if max(g for _, g in gappy) > 0.05 else "note",
                case.dropping([name for name, _ in gappy]),
                tuple(name for name, _ in gappy),
                f"Gaps in the log: up to {100 * max(g for _, g in gappy):.0f} % of a leg",
                "Power was bridged in a straight line over pauses of more than 10 s; stretches that are mostly gap "
                "are left out.",
                "Check the logger's connection; drive the leg again if much is missing.",
                covered=True,
                signed=True,
            )
        )
    differing = []
    for o in case.observations:
        best = o.readings[0]
        for other in o.readings[1:]:
            if other.instrument == "state of charge" and case.study.vehicle.usable_capacity_kwh is None:
                continue
            allowed = 3 * math.hypot(best.relative_sd, other.relative_sd) + 0.03
            if abs(other.energy_wh / best.energy_wh - 1) > allowed:
                differing.append((o, other))
    if differing:
        o, other = differing[0]
        swapped = {
            d.legs[0]: replace(
                d, readings=(r, *(x for x in d.readings if x is not r)), gated_wh=None, gated_km=None
            )
            for d, r in differing
        }
        out.append(
            Concern(
                "instruments-disagree",
                "caution",
                case.with_readings(swapped),
                tuple(name for d, _ in differing for name in d.legs),
                "Instruments disagree",
                f"Leg {o.legs[0]}: {o.readings[0].instrument} {o.energy_wh / 1000:.2f} kWh, {other.instrument} "
                f"{other.energy_wh / 1000:.2f} kWh: further apart than their steps allow.",
                "Check the typed readings and the usable capacity.",
                covered=False,
                signed=True,
            )
        )
    legs = case.legs()
    if case.study.change.kind in {"tyres", "wheels"} and not circumference_known(case.study):
        out.append(
            Concern(
                "rolling-circumference-changed",
                "caution",
                case.part_percent(Group.CIRCUMFERENCE),
                tuple(leg.leg for leg in legs if leg.configuration == case.trial),
                "Rolling circumference not known",
                "Other wheels or tyres change the odometer, and with it every per-distance figure the car shows; "
                "worn tread alone is worth up to 1 % (common practice). The margin has been widened for it.",
                "Read a GPS distance on one leg of each configuration, or enter the circumference change.",
                covered=True,
                signed=False,
            )
        )
    if case.study.change.kind == "preconditioning" and not any(leg.grid_kwh for leg in legs):
        out.append(
            Concern(
                "grid-energy-left-out",
                "caution",
                None,
                tuple(leg.leg for leg in legs),
                "Energy from the wall left out",
                "Preconditioning draws energy before the drive; leaving it out makes the warm-up look free.",
                "Enter what the wall supplied before departure.",
                covered=False,
                signed=False,
            )
        )
    return out


def _difference(a: Sequence[float | None], b: Sequence[float | None]) -> float | None:
    mean_a, mean_b = mean(a), mean(b)
    return None if mean_a is None or mean_b is None else mean_b - mean_a


def _vehicle(case: Case) -> list[Concern]:
    out: list[Concern] = []
    legs = case.legs()
    a = [leg for leg in legs if leg.configuration == case.baseline]
    b = [leg for leg in legs if leg.configuration == case.trial]
    pressure = _difference([x.tyre_pressure_kpa for x in a], [x.tyre_pressure_kpa for x in b])
    if pressure is not None and abs(pressure) > 5:
        out.append(
            Concern(
                "tyre-pressure-unlike",
                "note",
                case.without(Cause.PRESSURE),
                tuple(x.leg for x in b),
                f"Tyres {abs(pressure):.0f} kPa {'higher' if pressure > 0 else 'lower'} on trial legs",
                "Rolling resistance falls with pressure; the difference is corrected.",
                "Corrected; set both cold to the same pressure next time.",
                covered=True,
                signed=True,
            )
        )
    settings = [{x.climate for x in side if x.climate} for side in (a, b)]
    if settings[0] and settings[1] and settings[0] != settings[1]:
        charge = case.without(Cause.CLIMATE)
        out.append(
            Concern(
                "climate-unlike",
                "caution",
                charge,
                tuple(x.leg for x in (*a, *b) if x.climate),
                "Cabin climate not the same",
                "Climate settings differ between baseline and trial; the load is estimated per kelvin.",
                "Drive with the climate off, or at one setting, in both.",
                covered=True,
                signed=True,
            )
        )
    battery = _difference([x.battery_temperature_c for x in a], [x.battery_temperature_c for x in b])
    if battery is not None and abs(battery) > 5:
        out.append(
            Concern(
                "battery-temperature-unlike",
                "note" if abs(battery) < 10 else "caution",
                100.0 * driveline.battery_share(battery),
                tuple(x.leg for x in b),
                f"Battery {abs(battery):.0f} K {'warmer' if battery > 0 else 'colder'} on trial legs",
                "A cold battery loses more: about 0.1 % per kelvin (common practice); not corrected.",
                "Let the battery reach the same temperature before each block.",
                covered=False,
                signed=True,
            )
        )
    soc = _difference([x.soc_start_percent for x in a], [x.soc_start_percent for x in b])
    if soc is not None and abs(soc) > 25:
        out.append(
            Concern(
                "charge-window-unlike",
                "note",
                None,
                tuple(x.leg for x in b),
                "Unlike charge level at the start",
                f"Trial legs started {abs(soc):.0f} points {'higher' if soc > 0 else 'lower'}: gauge and regeneration "
                "behave differently near full and near empty.",
                "Keep both inside one charge band.",
                covered=True,
                signed=False,
            )
        )
    mass = _difference([x.mass_delta_kg or 0.0 for x in a], [x.mass_delta_kg or 0.0 for x in b])
    if mass is not None and abs(mass) > 10:
        out.append(
            Concern(
                "mass-unlike",
                "note",
                case.without(Cause.MASS),
                tuple(x.leg for x in (*a, *b) if x.mass_delta_kg),
                f"{abs(mass):.0f} kg more aboard on {'trial' if mass > 0 else 'baseline'} legs",
                "A load that is not part of the change; corrected through the model.",
                "Corrected. Keep the same people and things aboard.",
                covered=True,
                signed=True,
            )
        )
    return out


def _second_change(case: Case) -> list[Concern]:
    """What else differs between the configurations, by their own data, than the change declares."""
    out: list[Concern] = []
    study, fit = case.study, case.fit
    base, trial = study.configuration(case.baseline), study.configuration(case.trial)
    legs_b = _names(case.both[1])
    mechanisms = set(study.change.mechanisms)
    mass = (trial.mass_delta_kg or 0.0) - (base.mass_delta_kg or 0.0)
    usual = {"payload", "cargo", "towing"}
    if (
        abs(mass) > 0.02 * fit.model.constants.mass_kg
        and study.change.kind not in usual
        and "mass" not in mechanisms
    ):
        charge = 100.0 * case.energy_share(Parameter.MASS) * mass / fit.model.constants.mass_kg
        out.append(
            Concern(
                "second-change",
                "caution",
                charge,
                legs_b,
                f"The trial also weighs {abs(mass):.0f} kg {'more' if mass > 0 else 'less'}",
                f"Two things change at once: {study.change.kind}, and a mass worth about this much of the effect.",
                "Carry the same mass in the baseline, or say that the mass belongs to the change.",
                covered=False,
                signed=True,
            )
        )
    turn = (trial.circumference_change_percent or 0.0) - (base.circumference_change_percent or 0.0)
    if abs(turn) > 0.5 and study.change.kind not in {"wheels", "tyres"}:
        out.append(
            Concern(
                "second-change",
                "caution",
                None,
                legs_b,
                f"The trial also rolls on wheels {abs(turn):.1f} % {'larger' if turn > 0 else 'smaller'}",
                "Other wheels or tyres change rolling resistance by several per cent (common practice).",
                "Keep wheels and tyres the same, or test them by themselves.",
                covered=False,
                signed=False,
            )
        )
    shape = mechanisms & {"aerodynamic", "mixed", "unknown"}
    area = (trial.frontal_area_delta_m2 or 0.0) - (base.frontal_area_delta_m2 or 0.0)
    if study.change.kind == "payload" and not shape and mass > 0:
        by_mass = 100.0 * case.energy_share(Parameter.MASS) * mass / fit.model.constants.mass_kg
        half = 0.5 * float(np.ptp(case.effect.interval_percent(study.confidence)))
        beyond = case.effect.percent - by_mass
        if area > 0.02 or beyond > max(half, 0.5):
            by_area = (
                100.0
                * case.energy_share(Parameter.DRAG)
                * aero.box_drag_area_m2(area)
                / fit.model.constants.drag_area_m2
            )
            out.append(
                Concern(
                    "extra-frontal-area",
                    "caution",
                    by_area if area > 0.02 else beyond,
                    legs_b,
                    "The load seems to stand in the wind",
                    f"{mass:.0f} kg alone would cost about {by_mass:.1f} %; what is beyond it looks like shape, not weight.",
                    "Stow the load below the cab's roof line, or declare the change as mass and aerodynamic.",
                    covered=False,
                    signed=True,
                )
            )
    legs_a, legs_t = [
        [leg for leg in case.legs() if leg.configuration == name] for name in (case.baseline, case.trial)
    ]
    for name, what in (("driver", "driver"), ("mode", "drive mode")):
        sides = [{getattr(leg, name) for leg in side if getattr(leg, name)} for side in (legs_a, legs_t)]
        if sides[0] and sides[1] and sides[0] != sides[1] and not is_technique(study):
            apart = not sides[0] & sides[1]
            out.append(
                Concern(
                    "driver-or-mode-changed",
                    "caution" if apart else "note",
                    2.0,
                    legs_b,
                    f"Another {what} on trial legs" if apart else f"More than one {what}",
                    f"Another {what} is commonly worth about 2 % (common practice); it is not corrected.",
                    f"Keep one {what} for all legs.",
                    covered=not apart,
                    signed=False,
                )
            )
    return out


def is_technique(study: Study) -> bool:
    """Whether the way of driving is the change itself."""
    return study.change.kind == "technique" or "technique" in study.change.mechanisms


def _sun(case: Case) -> list[Concern]:
    """Climate on, and the two configurations driven at other times of day: the sun is not the same."""
    a, b = ([c for c in side if c.climate_k] for side in case.both)
    if not a or not b:
        return []
    clocks = [[c.started_s % 86400.0 for c in side if c.started_s is not None] for side in (a, b)]
    if not clocks[0] or not clocks[1]:
        return []
    height = [float(np.mean([auxiliaries.sun_height(s) for s in side])) for side in clocks]
    if abs(height[1] - height[0]) < 0.25:
        return []
    level_w = case.effect.baseline_wh_per_km * 3.6 * float(np.mean([c.speed_m_s for c in (*a, *b)]))
    charge = 100.0 * auxiliaries.SUN_W * (height[1] - height[0]) / level_w
    warm = float(np.mean([c.temperature_c for c in (*a, *b)])) > 18.0
    return [
        Concern(
            "sun-load",
            "note" if abs(charge) < 1.0 else "caution",
            charge if warm else -charge,
            _names(b),
            "Climate on, and the sun not alike",
            "Baseline and trial were driven at other times of day; full sun changes the cabin's load by about "
            f"{auxiliaries.SUN_W:.0f} W (common practice), clouds unknown.",
            "Drive with the climate off, or both at the same time of day.",
            covered=False,
            signed=False,
        )
    ]


def check_everyday(
    study: Study,
    trial: str,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    effect: Effect,
    without: Callable[[Regressor], float | None],
) -> list[Concern]:
    """Concerns of everyday logs: what the regression leans on, and whether it may.

    Parameters
    ----------
    study : Study
    trial : str
    conditions : sequence of Conditions
        One per observation.
    observations : sequence of Observation
    effect : Effect
    without : callable
        Effect minus the effect with one regressor (temperature, speed, trip_length) left out, in per cent.

    Returns
    -------
    list of Concern
    """
    out: list[Concern] = []

    def part(group: Group) -> float:
        return intervals.half_width_percent(dict(effect.budget).get(group, 0.0), study.confidence)

    a = [c for c in conditions if c.configuration == study.baseline.id]
    b = [c for c in conditions if c.configuration == trial]
    km = {o.legs[0]: o.true_km for o in observations}
    tables = {
        "weather-unlike": (
            Regressor.TEMPERATURE,
            [c.temperature_c for c in a],
            [c.temperature_c for c in b],
            3.0,
            "K",
            "Trips in unlike weather",
        ),
        "speed-unlike": (
            Regressor.SPEED,
            [3.6 * c.speed_m_s for c in a],
            [3.6 * c.speed_m_s for c in b],
            5.0,
            "km/h",
            "Trips at unlike speeds",
        ),
        "distance-unlike": (
            Regressor.TRIP_LENGTH,
            [km[c.leg] for c in a],
            [km[c.leg] for c in b],
            0.2 * float(np.mean(list(km.values()))),
            "km",
            "Trips of unlike length",
        ),
    }
    for code, (line, of_a, of_b, limit, unit, title) in tables.items():
        difference = float(np.mean(of_b) - np.mean(of_a))
        if abs(difference) <= limit:
            continue
        apart = max(min(of_a), min(of_b)) > min(max(of_a), max(of_b))
        out.append(
            Concern(
                code,
                "caution" if apart else "note",
                without(line),
                _names(b),
                title,
                f"Trial trips differ by {difference:+.1f} {unit} on average"
                + (
                    "; the two never overlap, so the slope is common practice's, not yours." if apart else "."
                ),
                "Corrected by the regression. Log trips of both kinds under like conditions."
                if apart
                else "Corrected by the regression.",
                covered=True,
                signed=True,
            )
        )
    days_a, days_b = {c.day for c in a}, {c.day for c in b}
    if not days_a & days_b:
        out.append(
            Concern(
                "days-apart",
                "note" if min(len(days_a), len(days_b)) > 3 else "caution",
                part(Group.DAY),
                _names(b),
                "Baseline and trial on different days",
                "Everyday logs of weeks with and weeks without: what each day did is in the margin.",
                "Alternate more often, so that season and habit even out.",
                covered=True,
                signed=False,
            )
        )
    few = min(len(a), len(b))
    if few < 5:
        out.append(
            Concern(
                "one-pair-only" if few == 1 else "few-trips",
                "caution",
                part(Group.SCATTER),
                _names(conditions),
                f"Only {few} trip{'s' if few != 1 else ''} of one configuration",
                "Everyday trips scatter by 5 % and more (common practice); a handful says little.",
                "Keep logging: two weeks of each is a fair start.",
                covered=True,
                signed=False,
            )
        )
    wet = tuple(c.leg for c in conditions if disturbance.road_share(c.road) > 0)
    if wet:
        cost = [100.0 * float(np.mean([disturbance.road_share(c.road) for c in side])) for side in (a, b)]
        difference = cost[1] - cost[0]
        uneven = abs(difference) > 1.0
        out.append(
            Concern(
                "wet-road",
                "caution" if uneven else "note",
                difference,
                wet,
                "Wet road on some trips" if uneven else "Wet road, alike for both",
                "Water on the road is not corrected; heavy rain costs about 10 % (common practice).",
                "Leave the wet trips out with the reason." if uneven else "Nothing to do.",
                covered=not uneven,
                signed=True,
            )
        )
    return out


def _statistics(case: Case) -> list[Concern]:
    out: list[Concern] = []
    e = case.effect
    interval = e.interval_percent(case.study.confidence)
    decided = interval[0] > 0 or interval[1] < 0
    if e.influence and len(e.influence) >= 4:
        leg, shift = max(e.influence.items(), key=lambda kv: abs(kv[1]))
        percent = 100.0 * shift * math.exp(e.log_ratio)
        half = (interval[1] - interval[0]) / 2
        flips = decided and (interval[0] + percent) * (interval[1] + percent) <= 0
        if flips or abs(percent) > 0.6 * half:
            out.append(
                Concern(
                    "one-leg-decides",
                    "caution" if flips else "note",
                    -percent,
                    (leg,),
                    f"Leg {leg} weighs heavily",
                    f"Without leg {leg} the effect would be {e.percent + percent:+.1f} %.",
                    "Look at that leg again: reading, events, traffic. Drive it again if in doubt.",
                    covered=True,
                    signed=True,
                )
            )
    if case.fit.scatter_share > 1.8 * SCATTER_SHARE:
        out.append(
            Concern(
                "scatter-large",
                "note" if case.fit.scatter_share < 2.5 * SCATTER_SHARE else "caution",
                case.part_percent(Group.SCATTER),
                _names(case.conditions),
                "Legs disagree more than usual",
                f"Run-to-run scatter {100 * case.fit.scatter_share:.1f} %, where a careful 30 km run has 1 to 2 % "
                "(common practice). The margin has been widened for it.",
                "Look for a spoilt leg; hold the speed; drive more pairs.",
                covered=True,
                signed=False,
            )
        )
    late = [leg for leg in case.study.legs if not leg.included and leg.left_out_after_result]
    if late:
        out.append(
            Concern(
                "left-out-after-result",
                "note",
                case._against(case.with_left_out()),
                tuple(leg.leg for leg in late),
                f"{len(late)} leg{'s' if len(late) != 1 else ''} left out after the result was seen",
                "; ".join(f"{leg.leg}: {leg.reason or 'no reason given'}" for leg in late) + ".",
                "The reason is kept in the report.",
                covered=True,
                signed=True,
            )
        )
    return out


def merge(found: Sequence[Concern]) -> tuple[Concern, ...]:
    """One entry per code and title (the dearest), blocks first, then the largest charge."""
    best: dict[tuple[str, str], Concern] = {}
    for c in found:
        key = (c.code, c.title)
        if key not in best or abs(c.charge_percent or 0.0) > abs(best[key].charge_percent or 0.0):
            best[key] = c
    rank: Mapping[str, int] = {"blocks": 0, "caution": 1, "note": 1}
    return tuple(
        sorted(
            best.values(), key=lambda c: (rank[c.severity], -abs(c.charge_percent or 0.0), c.severity, c.code)
        )
    )


def open_charge(found: Sequence[Concern]) -> float:
    """What no correction and no margin covers, together: the root of the sum of squares. [per cent]"""
    return math.sqrt(
        sum(c.charge_percent**2 for c in found if not c.covered and c.charge_percent is not None)
    )
