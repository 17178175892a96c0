"""Drawings of the Use stage."""
