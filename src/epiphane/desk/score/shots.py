"""Painting the shots of a stave: what they show, and the moments that are joined to their hits."""

import bisect

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.score.layout import ScoreLayout, Stave
from epiphane.desk.shelf.tiles import paint_pin
from epiphane.desk.shell import theme
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.project import Project
from epiphane.document.timeline import FootageCut, Item
from epiphane.edits.shots import footage_name
from epiphane.facts.source_time import source_seconds
from epiphane.timing import frame_at, frame_start

_THUMB_SHAPE = 16 / 9
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


class ShotPainter:
    """Paints the strip of shots from what the editor holds."""

    def __init__(self, editor: Editor, thumbnails: Thumbnails) -> None:
        self._editor = editor
        self._thumbnails = thumbnails

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        """Paint the shots of one stave."""
        top = layout.shots_top(stave.top)
        left, right = layout.left(stave), layout.right(stave)
        painter.fillRect(QRectF(left, top, right - left, layout.heights.shots), theme.STRIP)
        project = self._editor.project
        if not project.shots and stave.index == 0:
            painter.setPen(theme.QUIET)
            painter.setFont(theme.words(9))
            box = QRectF(left + 12, top, right - left, layout.heights.shots)
            painter.drawText(box, _LEFT, "Drop clips here, or fill the song with all of them (Ctrl+L)")
        sliver = float(0.99 / project.rate)
        for shot in shots_between(project, stave.start, stave.end):
            start = frame_start(shot.start, project.rate)
            end = frame_start(shot.start + shot.n_frames, project.rate)
            # Where a bar line lies within the frame of a cut, less than a frame of a shot would be seen.
            if end > stave.start + sliver and start < stave.end - sliver:
                x0 = max(left, layout.x_at(stave, max(start, stave.start)))
                x1 = right if end >= stave.end - 1e-3 else layout.x_at(stave, end)
                self._paint_shot(painter, QRectF(x0, top, x1 - x0, layout.heights.shots), shot, layout, stave)

    def _paint_shot(
        self, painter: QPainter, box: QRectF, shot: Item, layout: ScoreLayout, stave: Stave
    ) -> None:
        project = self._editor.project
        footage = next((f for f in project.footage if f.id == shot.footage), None)
        painter.save()
        painter.setClipRect(box)
        if footage is not None:
            self._paint_pictures(painter, box, shot, footage, layout, stave)
        if frame_start(shot.start, project.rate) >= stave.start - 1e-3:
            painter.fillRect(QRectF(box.left(), box.top(), 2, box.height()), theme.GROUND)
        if footage is not None:
            self._paint_name(painter, box, shot, footage)
        painter.restore()
        self._paint_moment(painter, layout, stave, shot)
        if shot.id == self._editor.selection.shot:
            painter.setPen(QPen(theme.TEXT, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(2, 1, -1, -1))

    def _paint_pictures(
        self,
        painter: QPainter,
        box: QRectF,
        shot: Item,
        footage: Footage,
        layout: ScoreLayout,
        stave: Stave,
    ) -> None:
        if footage.kind is FootageKind.SOUND:
            return
        rate = self._editor.project.rate
        last = shot.start + shot.n_frames - 1
        x, wide = box.left(), box.height() * _THUMB_SHAPE
        while x < box.right():
            frame = min(max(frame_at(layout.seconds_at(stave, x + 1), rate), shot.start), last)
            image = self._thumbnails.get(footage, source_seconds(shot, footage, frame, rate))
            if image is not None:
                painter.drawImage(QRectF(x, box.top(), wide, box.height()), image)
            x += wide

    def _paint_moment(self, painter: QPainter, layout: ScoreLayout, stave: Stave, shot: Item) -> None:
        """Paint the moment as a pin that reaches up to the hit it falls on."""
        if shot.pin is None or not stave.start - 1e-6 <= shot.pin.hit < stave.end:
            return
        x = layout.x_at(stave, shot.pin.hit)
        heights = layout.heights
        base = layout.shots_top(stave.top) + heights.shots - 1
        paint_pin(painter, x, base, True, height=heights.shots - 4 + heights.strip_gap)

    def _paint_name(self, painter: QPainter, box: QRectF, shot: Item, footage: Footage) -> None:
        name = footage_name(footage)
        speed = shot.content.speed if isinstance(shot.content, FootageCut) else 1.0
        if speed != 1:
            name += f" {speed * 100:.0f} %"
        painter.setFont(theme.words(8, weight=500))
        icon = 12 if shot.is_locked else 0
        width = painter.fontMetrics().horizontalAdvance(name) + 10 + icon
        if width > box.width() - 6:
            if not icon or box.width() < 24:
                return
            name, width = "", 18
        ground = QColor(theme.GROUND)
        ground.setAlpha(190)
        label = QRectF(box.left() + 5, box.bottom() - 17, width, 14)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ground)
        painter.drawRoundedRect(label, 3, 3)
        if icon:
            at = QPointF(label.left() + 4, label.top() + 2)
            painter.drawPixmap(at, theme.icon_pixmap("lock", theme.TEXT.name(), 10))
        painter.setPen(theme.TEXT)
        painter.drawText(label.adjusted(icon, 0, 0, 0), Qt.AlignmentFlag.AlignCenter, name)


def shots_between(project: Project, start: float, end: float) -> tuple[Item, ...]:
    """Return the shots that are seen between two instants, seconds."""
    first, last = frame_at(start, project.rate), frame_at(end, project.rate)
    shots = project.shots
    begin = max(bisect.bisect_right(shots, first, key=lambda shot: shot.start) - 1, 0)
    return shots[begin : bisect.bisect_right(shots, last, key=lambda shot: shot.start)]


def paint_drop(
    painter: QPainter, layout: ScoreLayout, project: Project, shot: Item | None, *, offset: int
) -> None:
    """Show where clips would fall: over the shot whose place they take, or, without one, after the last."""
    end = max((s.start + s.n_frames for s in project.shots), default=0)
    frames = (end, end) if shot is None else (shot.start, shot.start + shot.n_frames)
    first, last = (frame_start(frame, project.rate) for frame in frames)
    for stave in layout.staves:
        if first > stave.end - 1e-6 or last < stave.start - 1e-6:
            continue
        top = layout.shots_top(stave.top) - offset
        left, right = (layout.x_at(stave, time) for time in (max(first, stave.start), min(last, stave.end)))
        if shot is None:
            painter.fillRect(QRectF(left - 2, top - 4, 4, layout.heights.shots + 8), theme.TEXT)
            return
        painter.setPen(QPen(theme.TEXT, 3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(left + 1, top, right - left - 2, layout.heights.shots))
