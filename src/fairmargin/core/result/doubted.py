"""Which leg is to be looked at first."""

from __future__ import annotations

from fairmargin.core.result.types import Analysis
from fairmargin.core.study import Study


def most_doubted(analysis: Analysis | None, study: Study) -> str:
    """The leg that is most in doubt: of the gravest open concern that names few, else what the others foretold least; "" for none."""
    if analysis is None:
        return ""
    few = max(1, len(study.legs) // 4)
    for concern in analysis.concerns:
        if not concern.covered and 0 < len(concern.legs) <= few:
            return concern.legs[0]
    foretold = [(leg.held_out.tail, leg.leg) for leg in analysis.legs if leg.included and leg.held_out is not None]
    return min(foretold)[1] if foretold else ""
