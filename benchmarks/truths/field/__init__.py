"""Field days: what testers bring. A second simulator, for trying the margins.

The virtual test day (`fairmargin.simulation.day`) is a careful one: complete notes, one van, a flat road. Here every
constant is drawn over what is published or common, vehicles burn fuel or heat their cabin, roads climb, towns stop the
car, stations stand far away and notes are missing. It shares nothing with the correction and next to nothing with the
test day: cells of road instead of seconds, own tyre, yaw and loss laws, own weather.
"""

from .days import FieldDay, FieldStudy, field_day
from .speeds import SpeedsStudy, field_speeds
from .weeks import Weeks, field_weeks

__all__ = ["FieldDay", "FieldStudy", "SpeedsStudy", "Weeks", "field_day", "field_speeds", "field_weeks"]
