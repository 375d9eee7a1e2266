"""Effects of the focus family."""
