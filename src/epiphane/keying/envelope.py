"""The shape of a cue over frames."""

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from msgspec.structs import replace

from epiphane.document.envelope import CurvePoint, Ease, Envelope, LengthUnit
from epiphane.types import FloatArray

# Goes a tenth beyond.
_BACK = 1.70158
# Of each arc of the ball: where it ends and where its middle is, in parts of `_SPAN`, and its level there.
_SPAN, _GRAVITY = 2.75, 7.5625
_ARCS = ((1.0, 0.0, 0.0), (2.0, 1.5, 0.75), (2.5, 2.25, 0.9375), (2.75, 2.625, 0.984375))
_AT_THE_END = (Ease.OVERSHOOT, Ease.BOUNCE)


def eased(share: FloatArray, ease: Ease, curve: tuple[CurvePoint, ...] = ()) -> FloatArray:
    """Return how far along an eased movement is.

    Parameters
    ----------
    share : float64, any shape, in [0, 1]
        How far along it would be if it were linear.
    ease : Ease
        IN starts slowly (quadratic), OUT ends slowly, BOTH does both (cubic smoothstep). OVERSHOOT goes a
        tenth beyond its end and comes back, BOUNCE comes to it as a ball to the floor, and up again, three
        times less and less (R. Penner, "Tweening", 2002: "back" and "bounce", both out).
    curve : tuple of CurvePoint
        What a FREE ease goes through between its ends, on a cubic that turns nowhere but at them
        (F. N. Fritsch & J. Butland, SIAM J. Sci. Stat. Comput. 5, 1984).

    Returns
    -------
    float64, the same shape, 0 at 0 and 1 at 1, in [0, 1.1]
    """
    if ease is Ease.FREE:
        return np.asarray(_through(curve)(share))
    return _EASED[ease](share)


def _overshot(share: FloatArray) -> FloatArray:
    away = 1 - share
    return np.asarray(np.where(share <= 0, 0.0, 1 - (_BACK + 1) * away**3 + _BACK * away**2))


def _bounced(share: FloatArray) -> FloatArray:
    return np.asarray(
        np.select(
            [share < end / _SPAN for end, _, _ in _ARCS],
            [_GRAVITY * (share - middle / _SPAN) ** 2 + base for _, middle, base in _ARCS],
            default=1.0,
        )
    )


_EASED: dict[Ease, Callable[[FloatArray], FloatArray]] = {
    Ease.LINEAR: lambda share: share,
    Ease.IN: lambda share: share**2,
    Ease.OUT: lambda share: 1 - (1 - share) ** 2,
    Ease.BOTH: lambda share: share**2 * (3 - 2 * share),
    Ease.OVERSHOOT: _overshot,
    Ease.BOUNCE: _bounced,
}


@lru_cache(maxsize=256)
def _through(curve: tuple[CurvePoint, ...]) -> Callable[[FloatArray], FloatArray]:
    from scipy.interpolate import PchipInterpolator  # late: it takes a second to load, and few need it

    points = [(0.0, 0.0), *((point.at, round(point.level, 6)) for point in curve), (1.0, 1.0)]
    places, levels = zip(*points, strict=True)
    found: Callable[[FloatArray], FloatArray] = PchipInterpolator(places, levels)
    return found


def in_frames(envelope: Envelope, beat_frames: float) -> Envelope:
    """Return an envelope with sides of whole frames, where a beat lasts `beat_frames`."""
    scale = beat_frames if envelope.unit is LengthUnit.BEATS else 1.0
    sides = {name: float(round(getattr(envelope, name) * scale)) for name in ("rise", "hold", "fall")}
    return replace(envelope, unit=LengthUnit.FRAMES, **sides)


def envelope_level(envelope: Envelope, offset: FloatArray) -> FloatArray:
    """Return the level of an envelope around its peak.

    Parameters
    ----------
    envelope : Envelope
        Whose sides are measured as `offset` is.
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
            risen = eased(rising, envelope.rise_ease, envelope.rise_curve)
        after = offset - envelope.hold
        falling = np.asarray(np.clip(after / envelope.fall, 0, 1) if envelope.fall else after > 0, float)
    turned = tuple(CurvePoint(point.at, 1 - point.level) for point in envelope.fall_curve)
    return np.asarray(np.where(offset < 0, risen, 1 - eased(falling, envelope.fall_ease, turned)))


@lru_cache(maxsize=1024)
def frame_levels(envelope: Envelope) -> FloatArray:
    """Return the level on every frame from `rise` before the peak to the end of the fall; not to be changed.

    Parameters
    ----------
    envelope : Envelope
        In whole frames.
    """
    offsets = np.arange(-envelope.rise, envelope.hold + envelope.fall + 1, dtype=np.float64)
    levels = envelope_level(envelope, offsets)
    levels.setflags(write=False)
    return levels
