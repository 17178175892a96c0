"""Fair Margin: what a change does to a vehicle's consumption, with an honest margin."""

__version__ = "0.1.0"
