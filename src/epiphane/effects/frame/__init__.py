"""Effects of the frame family."""
