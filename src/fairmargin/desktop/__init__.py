"""The window: Qt, one module per stage, shared widgets, theme."""
