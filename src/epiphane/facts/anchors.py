"""Places of a song from which others are counted: its first beat, its drop, its last bar."""

from epiphane.document.recipe import RecipeAnchor
from epiphane.document.song import Song


def anchor_time(song: Song | None, anchor: RecipeAnchor) -> float:
    """Return the seconds of an anchor in a song; of one that has no such place the next best, or 0."""
    beats = [] if song is None else [beat.time for beat in song.beats]
    bars = [] if song is None else [beat.time for beat in song.beats if beat.place == 1]
    if anchor is RecipeAnchor.DROP:
        drops = () if song is None else song.drops
        return drops[0] if drops else next(iter(bars or beats), 0.0)
    return next(iter((bars or beats)[-1:] if anchor is RecipeAnchor.LAST else beats), 0.0)
