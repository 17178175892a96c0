"""The road-load model of every leg at once, and its parameters."""
