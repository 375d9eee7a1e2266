"""The clips of the demo: each scene in its own file."""
