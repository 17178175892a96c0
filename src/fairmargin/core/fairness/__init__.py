"""Whether the comparison is fair: one function for each concern, each with its price."""
