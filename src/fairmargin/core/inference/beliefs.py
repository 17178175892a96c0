"""What the readings themselves say of the sizes that a fit is begun with: slower legs, what days differ by, the wind's reports.

They are found once, at the priors' means, before the fit is solved; a fit that only prices something begins with those of the
fit that it prices.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np

from fairmargin.core.conditions.causes import Cause
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.inference.day_size import as_days_differ, day_evidence, size_of
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import Linearised, Problem
from fairmargin.core.inference.report_quality import as_believed, report_quality
from fairmargin.core.inference.scatter import DAY_SIZES
from fairmargin.core.inference.slower_legs import of_legs, slower_legs

NO_DAYS: Final = (0.0,) * len(DAY_SIZES)


@dataclass(frozen=True, slots=True)
class Beliefs:
    """Sizes over the usual ones, and what speaks for them.

    Attributes
    ----------
    reports : float
        Of the errors of the wind's reports.
    contradicted : float
        Probability that those were off by more than reports usually are.
    days : float
        Of what days differ by.
    day_evidence : tuple of float
        Log likelihood of each of `DAY_SIZES`.
    slower : mapping of str to (float, float)
        Leg: by what share its speed counts as higher, and the variance of that; legs slower than their like.
    """

    reports: float = 1.0
    contradicted: float = 0.0
    days: float = 1.0
    day_evidence: tuple[float, ...] = NO_DAYS
    slower: Mapping[str, tuple[float, float]] = field(default_factory=dict)


def beliefs_of(
    problem: Problem, conditions: Sequence[Conditions], options: FitOptions, segment_share: float
) -> tuple[Beliefs, Linearised | None]:
    """What the readings of a problem say, and the problem at its priors' means where that was asked.

    Parameters
    ----------
    problem : Problem
    conditions : sequence of Conditions
        Of its legs.
    options : FitOptions
    segment_share : float
        Noise of one kilometre of a logged leg.
    """
    freedom = options.scatter_freedom
    slower = any(c.slower_by for c in conditions)
    reported = Cause.WIND not in options.ignore and any(c.wind_known for c in conditions)
    several = len({c.day for c in conditions}) > 1
    found = Beliefs()
    if not (slower or reported or several):
        return replace(found, days=_day_size(options, NO_DAYS)), None
    at = problem.linearise(problem.prior_mean)
    if slower:
        found = replace(found, slower=slower_legs(problem, at, conditions, segment_share, freedom))
        problem = as_they_are(problem, found, conditions)
        at = problem.linearise(problem.prior_mean)
    if several:
        days = day_evidence(problem, at, segment_share, freedom)
        found = replace(found, day_evidence=tuple((days - days.max()).tolist()))
    found = replace(found, days=_day_size(options, found.day_evidence))
    if reported:
        problem = as_days_differ(problem, found.days)
        quality = report_quality(problem, at, segment_share, freedom)
        found = replace(found, reports=quality.multiple, contradicted=quality.contradicted)
    return found, at


def as_they_are(problem: Problem, beliefs: Beliefs, conditions: Sequence[Conditions]) -> Problem:
    """The problem with what is believed in its priors."""
    return as_believed(as_days_differ(of_legs(problem, conditions, beliefs.slower), beliefs.days), beliefs.reports)


def _day_size(options: FitOptions, own: Sequence[float]) -> float:
    """Size of what days differ by; one where neither this study nor another says anything of it."""
    if not any(own) and not options.days:
        return 1.0
    return size_of(np.array(own) + np.array(options.days or 0.0))
