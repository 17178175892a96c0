"""Physics at the SI level: arrays in, arrays out."""
