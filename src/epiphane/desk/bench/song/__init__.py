"""Pages of the bench for the song: its beats, bars, parts and drops."""
