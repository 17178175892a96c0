"""From readings to an effect with a margin: readings, the one fit, pairs, fairness, verdict."""
