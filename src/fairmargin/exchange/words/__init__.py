"""Results in sentences and as JSON, the same on screens, in reports and on the command line."""
