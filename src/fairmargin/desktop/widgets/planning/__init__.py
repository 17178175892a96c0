"""Charts of what lies before the drive: designs, expected effect, split of the energy, road, day, load."""
