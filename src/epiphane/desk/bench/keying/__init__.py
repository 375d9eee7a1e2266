"""Pages of the bench for pulses, lanes and their cues, recipes."""
