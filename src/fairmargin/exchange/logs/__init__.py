"""Logs: how they are read, cut into legs, and laid on them."""
