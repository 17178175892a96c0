"""The Drive stage on the road: what controls a leg, its view, its instruments."""
