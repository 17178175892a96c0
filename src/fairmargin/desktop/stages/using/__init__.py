"""Pages of the Use stage: range, money, a trip, the car's own forecasts."""
