"""The pages of Home: studies, what they say together, vehicles and roads, practice."""
