"""Transitions: how one shot becomes the next, one file each."""
