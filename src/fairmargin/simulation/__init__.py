"""The virtual test day: a time-stepped drive with a known truth, written apart from the correction model."""

from fairmargin.simulation.day import DayPlan, SimulatedStudy, simulate
from fairmargin.simulation.road import straight_road
from fairmargin.simulation.vehicle import TrueVehicle

__all__ = ["DayPlan", "SimulatedStudy", "TrueVehicle", "simulate", "straight_road"]
