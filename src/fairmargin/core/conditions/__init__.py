"""One room for each thing that may differ between drives."""
