"""Epiphane keys visual effects to the beats of a song."""

__version__ = "0.1.0"
