"""Effects: one file each, in a folder of its family."""
