"""What cues and lanes look like: their outlines, colours and names."""

from functools import lru_cache

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QPainter, QPainterPath

from epiphane.desk.score.cue_silhouettes import LEAST_FALL, LEAST_RISE
from epiphane.desk.score.layout import ScoreLayout, Stave
from epiphane.desk.shell import theme
from epiphane.document.envelope import Ease, Envelope
from epiphane.document.lane import Lane
from epiphane.keying.envelope import envelope_level
from epiphane.keying.schedule import Cue
from epiphane.lane_kinds import lane_kind


class CueShape(Struct, frozen=True):
    """Where a cue lies on a stave: its peak, and the ends of its sides, in pixels."""

    left: float
    peak: float
    hold_end: float
    right: float
    height: float


def cue_shape(layout: ScoreLayout, stave: Stave, cue: Cue, rate: float) -> CueShape:
    """Return where a cue is painted; `rate` is in frames / second."""
    envelope = cue.envelope
    anchor = cue.frame / rate
    peak = layout.x_at(stave, anchor)
    frame_width = layout.pixels_per_second(stave, anchor) / rate

    def x(offset: float) -> float:
        return peak + offset * frame_width

    height = (layout.lane_height - 3) * min(cue.strength, 1.0)
    return CueShape(
        x(-max(envelope.rise, LEAST_RISE)),
        x(0),
        x(envelope.hold),
        x(envelope.hold + max(envelope.fall, LEAST_FALL)),
        height,
    )


def lane_colour(lane: Lane) -> QColor:
    """Return the colour of a lane's family."""
    return family_colour(lane.effect)


def family_colour(key: str) -> QColor:
    """Return the colour of an effect's family."""
    effect = lane_kind(key)
    return theme.UNKNOWN_COLOUR if effect is None else theme.FAMILY_COLOURS[effect.family]


def lane_label(lane: Lane) -> str:
    """Return what a lane is called: by the editor, else by its effect."""
    if lane.name:
        return lane.name
    effect = lane_kind(lane.effect)
    return f"{lane.effect} (missing)" if effect is None else effect.label


def cue_path(
    shape: CueShape, envelope: Envelope, base: float, *, full_height: float | None = None
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


def ratio_of(painter: QPainter) -> float:
    """Return how many pixels of the device one is."""
    device = painter.device()
    return 1.0 if device is None else device.devicePixelRatioF()
