"""Bringing readings in: what a file is, how it will be read, what is dropped; nothing is taken silently."""
