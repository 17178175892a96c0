"""What comes out: comparisons, pairs, corrections, the verdict, and their JSON."""
