"""Across studies: what several say together of a change, a vehicle and a road, and how well a tester judges."""
