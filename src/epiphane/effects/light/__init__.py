"""Effects of the light family."""
