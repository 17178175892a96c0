"""The Drive stage on the road: what conducts a leg, its face, its instruments."""
