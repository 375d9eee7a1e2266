"""Footage that lanes lay over the picture: its moment, and the shape of a cue that plays all of it."""

from fractions import Fraction

from epiphane.document.envelope import Ease, Envelope
from epiphane.document.footage import Footage, FootageKind

_LONGEST_SIDE = 600
_STILL_FRAMES = 12


def moment_of(footage: Footage) -> float:
    """Return the instant of overlay footage that falls on the hit: its best moment, or else its start."""
    best = footage.best_moment
    return footage.used_from if best is None else best.time


def overlay_envelope(footage: Footage, rate: Fraction) -> Envelope:
    """Return the envelope of a cue that plays all of some footage, in frames of the project."""
    if footage.kind is FootageKind.STILL:
        return Envelope(0, 0, _STILL_FRAMES, Ease.LINEAR, Ease.LINEAR)
    moment = moment_of(footage)
    before, after = ((moment - footage.used_from), (footage.end - moment))
    rise, fall = (min(_LONGEST_SIDE, max(0, round(one * rate))) for one in (before, after))
    return Envelope(float(rise and rise + 1), 0, float(fall), Ease.LINEAR, Ease.LINEAR)
