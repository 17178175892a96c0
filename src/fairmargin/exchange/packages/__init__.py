"""Study packages: read, checked, written."""
