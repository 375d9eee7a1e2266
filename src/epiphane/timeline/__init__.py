"""Which footage is on screen when."""
