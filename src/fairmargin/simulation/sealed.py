"""What the plan of a rehearsed study keeps of its rehearsal; small, for whoever only asks whether it is one."""

from __future__ import annotations

from typing import Final

from fairmargin.core.study import Study

PRACTICE: Final = "practice"  # where the plan's details keep the name of a practice case
SEED: Final = "rehearsal"  # where the plan's details keep the seed; the truth follows from it
ORDER: Final = "rehearsal legs"  # where they keep the legs as they were sealed, in their order
MISHAPS: Final = "rehearsal mishaps"  # where they keep whether something goes wrong beside


def is_virtual(study: Study) -> bool:
    """Whether a virtual driver drove it, in a rehearsal or a practice case: nothing is learned from it."""
    return not study.plan.details.keys().isdisjoint((SEED, PRACTICE))
