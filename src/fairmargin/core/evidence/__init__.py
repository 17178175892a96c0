"""What the notes and instruments say: readings, conditions, reported wind, logs between their gates."""
