"""The hits of a pulse."""

from msgspec import Struct

from epiphane.document.model import GridUnit, Pulse, Song


class Hit(Struct, frozen=True):
    """One moment of the song: its time in seconds, and its strength, 0 to 1."""

    time: float
    strength: float


def hits_of(pulse: Pulse, song: Song | None) -> tuple[Hit, ...]:
    """Return the hits of a pulse, ascending; none where there is no song or no beat.

    Every Nth is counted from the first downbeat, both ways, so that it falls on it.
    """
    if song is None:
        return ()
    beats = song.beats
    if pulse.unit is GridUnit.BAR:
        beats = tuple(beat for beat in beats if beat.place == 1)
    origin = next((index for index, beat in enumerate(beats) if beat.place == 1), 0)
    return tuple(
        Hit(beat.time, beat.strength)
        for index, beat in enumerate(beats)
        if (index - origin - pulse.first) % pulse.every == 0
    )
