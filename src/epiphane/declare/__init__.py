"""Declarations: parameters, and registries of what is declared one file each."""
