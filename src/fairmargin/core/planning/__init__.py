"""Before the drive: what the change could do, what each design could see of it, the day, the load, go or wait."""

from fairmargin.core.planning.already_known import known_factors, known_step_kwh_per_100km, known_wh_per_km
from fairmargin.core.planning.expected import Expected, Share, expected_effect, leg_km, split, visible_from_kmh
from fairmargin.core.planning.outlook import outlook
from fairmargin.core.planning.patterns import PATTERNS, order_of
from fairmargin.core.planning.planned_day import light_of, plan_day, planned
from fairmargin.core.planning.shapes import Shape, other_shapes, shortest_leg_km
from fairmargin.core.planning.simulated import Design, compare_designs, pairs_for, recommend, with_power

__all__ = [
    "PATTERNS",
    "Design",
    "Expected",
    "Shape",
    "Share",
    "compare_designs",
    "expected_effect",
    "known_factors",
    "known_step_kwh_per_100km",
    "known_wh_per_km",
    "leg_km",
    "light_of",
    "order_of",
    "other_shapes",
    "outlook",
    "pairs_for",
    "plan_day",
    "planned",
    "recommend",
    "shortest_leg_km",
    "split",
    "visible_from_kmh",
    "with_power",
]
