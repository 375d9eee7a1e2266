"""The shape of a cue over frames."""

import numpy as np

from epiphane.document.lane import Ease, Envelope
from epiphane.types import FloatArray

# Goes a tenth beyond.
_BACK = 1.70158
# Of each arc of the ball: where it ends and where its middle is, in parts of `_SPAN`, and its level there.
_SPAN, _GRAVITY = 2.75, 7.5625
_ARCS = ((1.0, 0.0, 0.0), (2.0, 1.5, 0.75), (2.5, 2.25, 0.9375), (2.75, 2.625, 0.984375))
_AT_THE_END = (Ease.OVERSHOOT, Ease.BOUNCE)


def eased(share: FloatArray, ease: Ease) -> FloatArray:
    """Return how far along an eased movement is.

    Parameters
    ----------
    share : float64, any shape, in [0, 1]
        How far along it would be if it were linear.
    ease : Ease
        IN starts slowly (quadratic), OUT ends slowly, BOTH does both (cubic smoothstep). OVERSHOOT goes a
        tenth beyond its end and comes back, BOUNCE comes to it as a ball to the floor, and up again, three
        times less and less (R. Penner, "Tweening", 2002: "back" and "bounce", both out).

    Returns
    -------
    float64, the same shape, 0 at 0 and 1 at 1, in [0, 1.1]
    """
    if ease is Ease.IN:
        return share**2
    if ease is Ease.OUT:
        return 1 - (1 - share) ** 2
    if ease is Ease.BOTH:
        return share**2 * (3 - 2 * share)
    if ease is Ease.OVERSHOOT:
        away = 1 - share
        return np.asarray(np.where(share <= 0, 0.0, 1 - (_BACK + 1) * away**3 + _BACK * away**2))
    if ease is Ease.BOUNCE:
        return np.asarray(
            np.select(
                [share < end / _SPAN for end, _, _ in _ARCS],
                [_GRAVITY * (share - middle / _SPAN) ** 2 + base for _, middle, base in _ARCS],
                default=1.0,
            )
        )
    return share


def envelope_level(envelope: Envelope, offset: FloatArray) -> FloatArray:
    """Return the level of an envelope around its peak.

    Parameters
    ----------
    offset : float64, any shape, frames after the peak frame
        May lie between frames: then the level is that of the drawn curve.

    Returns
    -------
    float64, same shape, in [0, 1], down to -0.1 where a side overshoots
        1 from the peak frame to `hold` frames after it; eased from and to 0 over `rise` frames
        before and `fall` frames after; 0 beyond.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        rising = np.asarray(
            np.clip(1 + offset / envelope.rise, 0, 1) if envelope.rise else offset >= 0, float
        )
        if envelope.rise_ease in _AT_THE_END:  # turned round: the peak is the hit, and nothing exceeds it
            risen = 1 - eased(1 - rising, envelope.rise_ease)
        else:
            risen = eased(rising, envelope.rise_ease)
        after = offset - envelope.hold
        falling = np.asarray(np.clip(after / envelope.fall, 0, 1) if envelope.fall else after > 0, float)
    return np.asarray(np.where(offset < 0, risen, 1 - eased(falling, envelope.fall_ease)))


def frame_levels(envelope: Envelope) -> FloatArray:
    """Return the level on every frame from `rise` before the peak to the end of the fall."""
    offsets = np.arange(-envelope.rise, envelope.hold + envelope.fall + 1, dtype=np.float64)
    return envelope_level(envelope, offsets)
