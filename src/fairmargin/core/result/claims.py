"""What becomes of a claim, and of a prediction that is a consumption."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from fairmargin.core import units
from fairmargin.core.result.results import WHOLE
from fairmargin.core.result.types import ClaimResult, Comparison
from fairmargin.core.study import Claim, Study
from fairmargin.core.units import said


def claim_result(study: Study, comparisons: Sequence[Comparison]) -> ClaimResult | None:
    """Hold the study's claim against all its comparisons (those over the whole route where there are some).

    Refuted where the whole interval of one lies outside what was claimed, with its tolerance; borne out where each lies inside.

    Returns
    -------
    ClaimResult or None
        None where nothing is claimed.
    """
    claim = study.change.claim
    if claim is None:
        return None
    if not comparisons:
        return ClaimResult("not refuted", "Nothing has been driven that could speak for it or against it.")
    whole = [x for x in comparisons if x.sector == WHOLE]
    asked = whole or list(comparisons)
    found = [(c, judged(claim, c)) for c in asked]
    if len(found) == 1:
        return found[0][1]
    order = ("refuted", "not refuted", "borne out")
    c, worst = min(found, key=lambda f: order.index(f[1].verdict))
    which = f"{study.side_label(c.trial)} at {said(c.speed_kmh, 'km/h')}" + (f", {c.sector}" if c.sector else "")
    alike = sum(f[1].verdict == worst.verdict for f in found)
    return ClaimResult(worst.verdict, f"{alike} of {len(found)} comparisons say so; {which}: {worst.reason}")


def judged(claim: Claim, c: Comparison) -> ClaimResult:
    """Hold one claim against one comparison."""
    low, high = c.interval_percent
    near, far = claim.percent - claim.tolerance_percent, claim.percent + claim.tolerance_percent
    who = f"{claim.by}\u2019s" if claim.by else "the"
    said = f"{who} {_signed(claim.percent)} ± {claim.tolerance_percent:g} %"
    found = f"{_signed(low)} to {_signed(high)} %"
    if c.verdict == "not a fair comparison":
        return ClaimResult("not refuted", f"The comparison is not fair, so that it says nothing of {said}.")
    if high + c.open_charge_percent < near or low - c.open_charge_percent > far:
        return ClaimResult("refuted", f"The whole interval, {found}, lies outside {said}.")
    if near <= low - c.open_charge_percent and high + c.open_charge_percent <= far:
        return ClaimResult("borne out", f"The whole interval, {found}, lies inside {said}.")
    if high < near or low > far:
        return ClaimResult(
            "not refuted",
            f"The interval, {found}, lies outside {said}, but open concerns worth {c.open_charge_percent:.1f} % could undo that.",
        )
    return ClaimResult("not refuted", f"The interval, {found}, holds {said} in part: both may be true.")


def _signed(value: float) -> str:
    text = f"{value:+.1f}"
    return "0" if float(text) == 0 else text.replace("-", "\u2212")


@dataclass(frozen=True, slots=True)
class PredictionResult:
    """A predicted consumption beside what came, both in the unit of the prediction."""

    low: float
    high: float
    unit: str
    found: float
    word: Literal["inside", "above", "below"]


def predicted_percent(study: Study, c: Comparison | None) -> float | None:
    """What was said beforehand, in per cent of the baseline: as typed, or a consumption against the baseline's as read.

    None where nothing was said, or nothing is there yet to set a consumption against.
    """
    said, p = study.change.prediction_percent, study.change.prediction
    if said is not None or p is None or c is None or not c.baseline_as_read:
        return said
    ends = [units.to_wh_per_km(x, p.unit, study.vehicle.heating_value) for x in (p.low, p.high)]
    return 100.0 * (sum(ends) / 2.0 / c.baseline_as_read - 1.0)


def prediction_result(study: Study, wh_per_km: float | None) -> PredictionResult | None:
    """Hold a predicted range of consumption against what the trial took as driven; None where there is none."""
    p = study.change.prediction
    if p is None or wh_per_km is None:
        return None
    found = units.from_wh_per_km(wh_per_km, p.unit, study.vehicle.heating_value)
    word: Literal["inside", "above", "below"] = (
        "inside" if p.low <= found <= p.high else "above" if found > p.high else "below"
    )
    return PredictionResult(p.low, p.high, p.unit, found, word)
