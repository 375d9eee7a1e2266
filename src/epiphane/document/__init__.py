"""What the user has decided: immutable structures and their file."""
