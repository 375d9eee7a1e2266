"""From pulses to cues: which hits fire, how strongly, and what shape."""
