"""Where cues lie on a stave."""

from PyQt6.QtGui import QPainter

from epiphane.desk.look.cue_path import CueOutline
from epiphane.desk.score.cue_silhouettes import LEAST_FALL, LEAST_RISE
from epiphane.desk.score.layout import ScoreLayout, Stave
from epiphane.keying.schedule import Cue


def cue_outline(layout: ScoreLayout, stave: Stave, cue: Cue, rate: float) -> CueOutline:
    """Return where a cue is painted; `rate` is in frames / second."""
    envelope = cue.envelope
    anchor = cue.frame / rate
    peak = layout.x_at(stave, anchor)
    frame_width = layout.pixels_per_second(stave, anchor) / rate

    def x(offset: float) -> float:
        return peak + offset * frame_width

    height = (layout.lane_height - 3) * min(cue.strength, 1.0)
    return CueOutline(
        x(-max(envelope.rise, LEAST_RISE)),
        x(0),
        x(envelope.hold),
        x(envelope.hold + max(envelope.fall, LEAST_FALL)),
        height,
    )


def ratio_of(painter: QPainter) -> float:
    """Return how many pixels of the device one is."""
    device = painter.device()
    return 1.0 if device is None else device.devicePixelRatioF()
