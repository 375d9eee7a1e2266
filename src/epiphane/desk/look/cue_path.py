"""The outline of a cue."""

from functools import lru_cache

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainterPath

from epiphane.desk.look.cue_outline import CueOutline
from epiphane.document.envelope import Ease, Envelope
from epiphane.keying.envelope import envelope_level


def cue_path(
    shape: CueOutline, envelope: Envelope, base: float, *, full_height: float | None = None
) -> QPainterPath:
    """Return the outline of a cue: its true envelope, standing on `base`."""
    height = shape.height if full_height is None else full_height
    rising, falling = _sides(envelope)
    path = QPainterPath(QPointF(shape.left, base))
    for share, level in rising:
        path.lineTo(shape.left + (shape.peak - shape.left) * share, base - height * level)
    path.lineTo(shape.hold_end, base - height)
    for share, level in falling:
        path.lineTo(shape.hold_end + (shape.right - shape.hold_end) * share, base - height * level)
    path.closeSubpath()
    return path


@lru_cache(maxsize=64)
def _sides(envelope: Envelope) -> tuple[tuple[tuple[float, float], ...], tuple[tuple[float, float], ...]]:
    """Return (share of the way, level) along the rise and the fall of an envelope."""
    is_smooth = not {Ease.BOUNCE, Ease.FREE} & {envelope.rise_ease, envelope.fall_ease}
    rise, fall = np.linspace(0, 1, 7 if is_smooth else 31), np.linspace(0, 1, 12 if is_smooth else 31)
    rising = envelope_level(envelope, (rise - 1) * envelope.rise) if envelope.rise else rise
    falling = envelope_level(envelope, envelope.hold + fall * envelope.fall) if envelope.fall else 1 - fall
    return (
        tuple(zip(rise.tolist(), rising.tolist(), strict=True)),
        tuple(zip(fall.tolist(), falling.tolist(), strict=True)),
    )
