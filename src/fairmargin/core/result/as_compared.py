"""Levels that agree with the effects between them: a trial's consumption is the baseline's and the effect, on every page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fairmargin.core.result.results import Result
from fairmargin.core.result.types import Comparison


def as_compared(results: Sequence[Result], comparisons: Sequence[Comparison]) -> tuple[Result, ...]:
    """Results whose trials stand to their baseline as the comparisons say.

    A level is taken at the fit's solution, an effect as the mean over the sizes of the scatter; the two differ by hundredths of a
    per cent, which a page shows as two figures for one thing.

    Parameters
    ----------
    results : sequence of Result
        Of one speed and sector.
    comparisons : sequence of Comparison
        Of the same.

    Returns
    -------
    tuple of Result
    """
    wanted = {c.trial: c.trial_wh_per_km for c in comparisons if c.method == "model" and not c.coasted}
    out = []
    for r in results:
        level = wanted.get(r.configuration)
        if level is None or r.method != "model" or not r.wh_per_km or not r.interval_wh_per_km:
            out.append(r)
            continue
        factor = level / r.wh_per_km
        low, high = r.interval_wh_per_km
        out.append(replace(r, wh_per_km=level, interval_wh_per_km=(low * factor, high * factor)))
    return tuple(out)
