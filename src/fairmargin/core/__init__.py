"""The computing heart: pure functions on immutable values; no Qt, files, clock or network."""
