"""Dialogs: a new study, units, keys, notes, pasting, merging, recovering."""
