"""Attack times of the song near a hit."""

from epiphane.audio.heard import HeardSong
from epiphane.wording import tr


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
        return tr("on the attack")
    return tr(
        "{milliseconds} ms {side} the attack",
        milliseconds=abs(milliseconds),
        side=tr("after") if milliseconds > 0 else tr("before"),
    )
