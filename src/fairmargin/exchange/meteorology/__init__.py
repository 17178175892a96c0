"""Weather from outside: reports, stations, forecasts."""
