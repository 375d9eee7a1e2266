"""What the editor has decided: immutable structures and their file."""
