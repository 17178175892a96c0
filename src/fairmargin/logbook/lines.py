"""What the list says about a study."""

from __future__ import annotations

import json

from fairmargin.core.result.types import Analysis


def study_summary(result: Analysis, own: bool = True) -> str:
    """What the list says about a study, as JSON: words, legs used, effect and interval; and what it tells of scatter.

    With `own` false (a rehearsal) nothing is told of the tester's scatter: a virtual driver drove.
    """
    used = sum(leg.included for leg in result.legs)
    if not result.comparisons:
        return json.dumps({"words": result.missing, "legs": used})
    c = result.comparisons[0]
    return json.dumps(
        {
            "scatter": [round(v, 3) for v in result.scatter_evidence] if own else [],
            "words": c.verdict,
            "legs": used,
            "effect": round(c.effect_percent, 3),
            "low": round(c.interval_percent[0], 3),
            "high": round(c.interval_percent[1], 3),
        }
    )
