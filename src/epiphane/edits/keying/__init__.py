"""Edits of pulses, lanes and their cues, recipes."""
