"""Exports: films, pictures and sound made of a project, here, in a queue or by a farm."""
