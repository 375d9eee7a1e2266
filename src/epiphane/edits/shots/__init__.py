"""Edits of shots of the main row, and the footage in them."""
