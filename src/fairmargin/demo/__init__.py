"""The demo logbook: the invented vans of the Wexmoor Bakers' Cooperative."""
