"""Effects of the motion family."""
