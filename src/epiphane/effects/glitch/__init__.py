"""Effects of the break family."""
