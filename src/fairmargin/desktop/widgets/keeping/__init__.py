"""What the pages of Home draw."""
