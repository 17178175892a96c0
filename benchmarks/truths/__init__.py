"""Simulators that only judge: nothing of the product uses them, and they share no law with it."""
