"""The virtual test day: a time-stepped drive with a known truth, written apart from the correction model."""

from fairmargin.simulation.day import DayPlan, SimulatedStudy, TrueVehicle, simulate, straight_road

__all__ = ["DayPlan", "SimulatedStudy", "TrueVehicle", "simulate", "straight_road"]
