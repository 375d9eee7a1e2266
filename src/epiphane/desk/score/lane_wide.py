"""A highlight while a drag changes all cues of a lane."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.score.drag import Drag, Grip
from epiphane.desk.score.layout import ScoreLayout
from epiphane.document.ids import LaneId


def paint_lane_wide(painter: QPainter, layout: ScoreLayout, lane: LaneId | None, *, offset: int) -> None:
    """Frame the strips of a lane on all staves, scrolled by `offset` pixels."""
    if lane not in layout.lanes:
        return
    painter.setPen(QPen(theme.TEXT, 1, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    index = layout.lanes.index(lane)
    for stave in layout.staves:
        left, top = layout.left(stave), layout.lane_top(stave, index) - offset
        painter.drawRect(QRectF(left, top - 1, layout.right(stave) - left, layout.lane_height + 2))


def tell_lane_wide(editor: Editor, drag: Drag) -> str:
    """Return in words what a foot that is dragged makes of how many cues."""
    found = None if drag.place.lane is None else editor.cues.lane(drag.place.lane)
    if found is None:
        return ""
    envelope = found.lane.envelope
    side = "Rise" if drag.grip is Grip.RISE else "Fall"
    length = getattr(envelope, drag.grip.value)
    number = f"all {len(found.cues)} cues of the lane; with Ctrl held, this one alone"
    return f"{side} {length:g} {envelope.unit.value}, {number}"
