"""What the window is looking at, and what is worked out of it beside the window."""
