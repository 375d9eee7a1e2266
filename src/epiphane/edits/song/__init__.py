"""Edits of the song: its beats, bars, parts and drops."""
