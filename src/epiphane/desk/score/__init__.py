"""The score: the whole song, wrapped into lines of bars."""
