"""Listening to the song."""
