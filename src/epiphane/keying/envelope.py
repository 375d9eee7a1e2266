"""The shape of a cue over frames."""

import numpy as np

from epiphane.document.model import Ease, Envelope
from epiphane.types import FloatArray


def eased(share: FloatArray, ease: Ease) -> FloatArray:
    """Return how far along an eased movement is.

    Parameters
    ----------
    share : float64, any shape, in [0, 1]
        How far along it would be if it were linear.
    ease : Ease
        IN starts slowly (quadratic), OUT ends slowly, BOTH does both (cubic smoothstep).
    """
    if ease is Ease.IN:
        return share**2
    if ease is Ease.OUT:
        return 1 - (1 - share) ** 2
    if ease is Ease.BOTH:
        return share**2 * (3 - 2 * share)
    return share


def envelope_level(envelope: Envelope, offset: FloatArray) -> FloatArray:
    """Return the level of an envelope around its peak.

    Parameters
    ----------
    offset : float64, any shape, frames after the peak frame
        May lie between frames: then the level is that of the drawn curve.

    Returns
    -------
    float64, same shape, in [0, 1]
        1 from the peak frame to `hold` frames after it; eased from and to 0 over `rise` frames
        before and `fall` frames after; 0 beyond.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        rising = np.asarray(
            np.clip(1 + offset / envelope.rise, 0, 1) if envelope.rise else offset >= 0, float
        )
        after = offset - envelope.hold
        falling = np.asarray(np.clip(after / envelope.fall, 0, 1) if envelope.fall else after > 0, float)
    return np.asarray(
        np.where(offset < 0, eased(rising, envelope.rise_ease), 1 - eased(falling, envelope.fall_ease))
    )


def frame_levels(envelope: Envelope) -> FloatArray:
    """Return the level on every frame from `rise` before the peak to the end of the fall."""
    offsets = np.arange(-envelope.rise, envelope.hold + envelope.fall + 1, dtype=np.float64)
    return envelope_level(envelope, offsets)
