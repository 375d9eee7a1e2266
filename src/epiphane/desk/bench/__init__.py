"""The bench: the one selected thing, to be changed."""
