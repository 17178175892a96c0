"""Before the drive: orders, tyre sizes, the load, the day's timetable, go or wait, checklists."""

from fairmargin.core.planning.orders import ORDERS, display_noise_percent, drift_left

__all__ = ["ORDERS", "display_noise_percent", "drift_left"]
