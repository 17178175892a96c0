"""Open formats in and out: study packages, reports."""
