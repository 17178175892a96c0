"""What is handed on: reports, cards, the day on paper and as a calendar."""
