"""Before the drive: what the change could do, what each design could see of it, the day, the load, go or wait."""

from fairmargin.core.planning.already_known import (
    known_factors,
    known_step_kwh_per_100km,
    known_wh_per_km,
    read_by,
    reading_step_wh_per_km,
)
from fairmargin.core.planning.enough import pairs_for, with_power
from fairmargin.core.planning.expected import (
    Expected,
    Share,
    expected_effect,
    leg_km,
    planned_speed_kmh,
    split,
    visible_from_kmh,
)
from fairmargin.core.planning.outlook import outlook
from fairmargin.core.planning.patterns import PATTERNS, order_of
from fairmargin.core.planning.planned_day import drift_left_by_clock, light_of, plan_day, planned, usual_order
from fairmargin.core.planning.shapes import Shape, everyday_shape, other_shapes, shortest_leg_km
from fairmargin.core.planning.simulated import (
    Design,
    compare_designs,
    lone_designs,
    patterns_of,
    recommend,
    runs_of_each,
)

__all__ = [
    "PATTERNS",
    "Design",
    "Expected",
    "Shape",
    "Share",
    "compare_designs",
    "drift_left_by_clock",
    "everyday_shape",
    "expected_effect",
    "known_factors",
    "known_step_kwh_per_100km",
    "known_wh_per_km",
    "leg_km",
    "light_of",
    "lone_designs",
    "order_of",
    "other_shapes",
    "outlook",
    "pairs_for",
    "patterns_of",
    "plan_day",
    "planned",
    "planned_speed_kmh",
    "read_by",
    "reading_step_wh_per_km",
    "recommend",
    "runs_of_each",
    "shortest_leg_km",
    "split",
    "usual_order",
    "visible_from_kmh",
    "with_power",
]
