"""Pages of the Plan stage."""
