"""Effects of the colour family."""
