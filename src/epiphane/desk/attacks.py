"""What the window asks of the levels that were heard: the hits of a band, and attacks beside a hit."""

from msgspec.structs import replace

from epiphane.audio.heard import HeardSong
from epiphane.audio.levels import SongLevels
from epiphane.document.model import BandSource, Hit, Project


def hits_in_band(levels: SongLevels, band: BandSource) -> BandSource:
    """Return a band with the hits that are found in it."""
    from epiphane.audio.bands import band_hits  # late: it loads much of SciPy

    found = band_hits(levels, band.low, band.high, band.threshold, band.gap)
    hits = tuple(Hit(round(float(time), 6), float(strength)) for time, strength in found)
    return replace(band, hits=hits)


def with_band_hits(project: Project, levels: SongLevels | None) -> Project:
    """Return `project` with the hits of all its bands as they are in another song, or part of one."""
    if levels is None:
        return project
    pulses = tuple(
        replace(pulse, source=hits_in_band(levels, pulse.source))
        if isinstance(pulse.source, BandSource)
        else pulse
        for pulse in project.pulses
    )
    return replace(project, pulses=pulses)


def attack_near(heard: HeardSong | None, time: float) -> float | None:
    """Return the instant of the attack nearest to a time, seconds, or None where there is none beside it."""
    levels = None if heard is None else heard.listening.levels
    if levels is None:
        return None
    import numpy as np

    from epiphane.audio.bands import attacks_near

    near = float(attacks_near(levels, np.array([time]))[0])
    return near if np.isfinite(near) else None


def attack_distance(heard: HeardSong | None, time: float) -> float | None:
    """Return how many seconds after its nearest attack a time is; negative before it, None where none is."""
    near = attack_near(heard, time)
    return None if near is None else time - near


def attack_words(off: float) -> str:
    """Return in words how far a hit is from its attack."""
    milliseconds = round(1000 * off)
    if milliseconds == 0:
        return "on the attack"
    return f"{abs(milliseconds)} ms {'after' if milliseconds > 0 else 'before'} the attack"
