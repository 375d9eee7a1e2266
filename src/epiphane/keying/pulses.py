"""The hits of a pulse."""

from epiphane.document.model import DRUMS, Hit, Pulse, PulseUnit, Song


def hits_of(pulse: Pulse, song: Song | None) -> tuple[Hit, ...]:
    """Return the hits of a pulse, ascending; none where there is no song or no beat.

    Every Nth beat or bar is counted from the first downbeat, both ways, so that it falls on it; every
    Nth hit of a drum from its first.
    """
    if song is None:
        return ()
    if pulse.unit.value in DRUMS:
        return song.drums.hits(pulse.unit.value)[pulse.first :: pulse.every]
    beats = song.beats
    if pulse.unit is PulseUnit.BAR:
        beats = tuple(beat for beat in beats if beat.place == 1)
    origin = next((index for index, beat in enumerate(beats) if beat.place == 1), 0)
    return tuple(
        Hit(beat.time, beat.strength)
        for index, beat in enumerate(beats)
        if (index - origin - pulse.first) % pulse.every == 0
    )
