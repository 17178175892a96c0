"""Whether the comparison is fair: one function for each concern, each with its price in per cent of consumption.

Prices come from running the same fit with and without the thing; where only common practice gives a size the text
says so. *Covered* concerns are corrected, or carried by the margin; what is not covered is the open charge, which the
verdict must respect.

Each concern is one function, registered with its code, the stage where one looks into it, what has to be noted for it
to be seen, and whether it is covered (`registry`). What it takes for a concern to be raised stands in `thresholds`.
"""

from fairmargin.core.conditions.concern import Concern, Severity, merge, open_charge

__all__ = ["Concern", "Severity", "merge", "open_charge"]
