"""Formats that films, pictures and sound are written in, one file each."""
