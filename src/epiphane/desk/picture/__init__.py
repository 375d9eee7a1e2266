"""The picture and the lamps below it."""
