"""Painting the shots of a stave: what they show, and the moments that are joined to their hits."""

import bisect
import math
from fractions import Fraction

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.shots import ShotPlace
from epiphane.desk.engine.thumbnails import THUMB_SIZE, Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.look.marks import paint_pin
from epiphane.desk.score.layout import ScoreLayout, Stave
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.project import Project, footage_of
from epiphane.document.timeline import FootageCut, Item
from epiphane.edits.shots.arranging import length_there
from epiphane.edits.shots.main_track import shot_name
from epiphane.edits.shots.shots import footage_name
from epiphane.edits.shots.speed import speed_text
from epiphane.facts.source_time import anchor_frame, gaps_between, source_seconds
from epiphane.facts.speed import speed_at
from epiphane.render.nodes import FramePlan
from epiphane.render.plan import node_of
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_THUMB_SHAPE = 16 / 9
_DRAWN_EVERY = 15
"""Frames for which one picture of a split screen stands."""
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
            painter.drawText(box, _LEFT, tr("Drop clips here, or fill the song with all of them (Ctrl+L)"))
        self._paint_gaps(painter, layout, stave)
        sliver = float(0.99 / project.rate)
        for shot in shots_between(project, stave.start, stave.end):
            start = frame_start(shot.start, project.rate)
            end = frame_start(shot.start + shot.n_frames, project.rate)
            # Where a bar line lies within the frame of a cut, less than a frame of a shot would be seen.
            if end > stave.start + sliver and start < stave.end - sliver:
                x0 = max(left, layout.x_at(stave, max(start, stave.start)))
                x1 = right if end >= stave.end - 1e-3 else layout.x_at(stave, end)
                self._paint_shot(painter, QRectF(x0, top, x1 - x0, layout.heights.shots), shot, layout, stave)

    def _paint_gaps(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        """Paint where nothing is shown between shots, and after the last one: black, as it plays."""
        project = self._editor.project
        top, height = layout.shots_top(stave.top), layout.heights.shots
        first_frame, end_frame = frame_at(stave.start, project.rate), frame_at(stave.end, project.rate)
        for first, end in gaps_between(project, first_frame, end_frame):
            start, stop = (frame_start(frame, project.rate) for frame in (first, end))
            if stop <= stave.start or start >= stave.end:
                continue
            left = layout.x_at(stave, max(start, stave.start))
            box = QRectF(left, top, layout.x_at(stave, min(stop, stave.end)) - left, height)
            painter.fillRect(box, Qt.GlobalColor.black)
            is_chosen = first == self._editor.selection.gap
            painter.setPen(QPen(theme.TEXT, 2) if is_chosen else QPen(theme.RULE, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(1, 1, -1, -1))
            if box.width() > 60:
                painter.setPen(theme.QUIET)
                painter.setFont(theme.words(8))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, tr("black"))

    def _paint_shot(
        self, painter: QPainter, box: QRectF, shot: Item, layout: ScoreLayout, stave: Stave
    ) -> None:
        project = self._editor.project
        footage = footage_of(project, shot.footage)
        painter.save()
        painter.setClipRect(box)
        if footage is not None:
            self._paint_pictures(painter, box, shot, footage, layout, stave)
        elif not isinstance(shot.content, FootageCut):
            self._paint_drawn(painter, box, shot, layout, stave)
        if frame_start(shot.start, project.rate) >= stave.start - 1e-3:
            painter.fillRect(QRectF(box.left(), box.top(), 2, box.height()), theme.GROUND)
        if footage is not None:
            self._paint_curve(painter, box, shot, layout, stave)
            self._paint_name(painter, box, shot, footage_name(footage))
        elif not isinstance(shot.content, FootageCut):
            self._paint_name(painter, box, shot, shot_name(project, shot))
        painter.restore()
        self._paint_moment(painter, layout, stave, shot)
        if shot.id in self._editor.selection.shots:
            painter.setPen(QPen(theme.TEXT, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(2, 1, -1, -1))
            self._paint_ends(painter, box, shot, stave)

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

    def _paint_ends(self, painter: QPainter, box: QRectF, shot: Item, stave: Stave) -> None:
        """Paint the ends of a selected shot, by which it is trimmed."""
        rate, wide = self._editor.project.rate, min(4.0, box.width() / 4)
        middle = box.center().y() - 7
        if frame_start(shot.start, rate) >= stave.start - 1e-3:
            painter.fillRect(QRectF(box.left() + 2, middle, wide, 14), theme.TEXT)
        if frame_start(shot.end, rate) <= stave.end + 1e-3:
            painter.fillRect(QRectF(box.right() - 1 - wide, middle, wide, 14), theme.TEXT)

    def _paint_curve(
        self, painter: QPainter, box: QRectF, shot: Item, layout: ScoreLayout, stave: Stave
    ) -> None:
        """Paint the speed of a shot that changes: fast is high, a freeze in the middle, back below it."""
        rate = self._editor.project.rate
        speed = shot.content.speed if isinstance(shot.content, FootageCut) else 1.0
        if not isinstance(speed, tuple):
            return
        anchor = anchor_frame(shot, rate)
        path = QPainterPath()
        for x in range(round(box.left()), round(box.right()) + 1, 2):
            here = speed_at(speed, float(layout.seconds_at(stave, x) * float(rate)) - anchor)
            y = box.center().y() - math.copysign(min(abs(here) / 3, 1) ** 0.5, here) * (box.height() / 2 - 3)
            path.lineTo(x, y) if path.elementCount() else path.moveTo(x, y)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(theme.GROUND, 3.5), QPen(theme.TEXT, 1.4)):
            painter.setPen(pen)
            painter.drawPath(path)

    def _paint_moment(self, painter: QPainter, layout: ScoreLayout, stave: Stave, shot: Item) -> None:
        """Paint the moment as a pin that reaches up to the hit it falls on."""
        if shot.pin is None or not stave.start - 1e-6 <= shot.pin.hit < stave.end:
            return
        x = layout.x_at(stave, shot.pin.hit)
        heights = layout.heights
        base = layout.shots_top(stave.top) + heights.shots - 1
        paint_pin(painter, x, base, True, height=heights.shots - 4 + heights.strip_gap)

    def _paint_drawn(
        self, painter: QPainter, box: QRectF, shot: Item, layout: ScoreLayout, stave: Stave
    ) -> None:
        """Paint pictures of what is no single clip: split screens, solids."""
        project = self._editor.project
        last = shot.end - 1
        x, wide = box.left(), box.height() * _THUMB_SHAPE
        while x < box.right():
            frame = min(max(frame_at(layout.seconds_at(stave, x + 1), project.rate), shot.start), last)
            node = node_of(project, shot, max(frame // _DRAWN_EVERY * _DRAWN_EVERY, shot.start))
            image = None if node is None else self._thumbnails.of_plan(FramePlan(THUMB_SIZE, node))
            if image is not None:
                painter.drawImage(QRectF(x, box.top(), wide, box.height()), image)
            x += wide

    def _paint_name(self, painter: QPainter, box: QRectF, shot: Item, name: str) -> None:
        speed = shot.content.speed if isinstance(shot.content, FootageCut) else 1.0
        if speed != 1 and not isinstance(speed, tuple):
            name += f" {speed_text(speed)}"
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
    painter: QPainter, layout: ScoreLayout, project: Project, place: ShotPlace, *, offset: int
) -> None:
    """Show where clips would fall: over a shot, over what lies there, on a cut, or after the last shot."""
    end = max((shot.end for shot in project.shots), default=0)
    shot = next((one for one in project.shots if one.id == place.shot), None)
    first = shot.start if shot is not None else end if place.frame is None else place.frame
    last = first + length_there(project, first) if place.covers else first
    _paint_place(painter, layout, (first, last if shot is None else shot.end), project.rate, offset=offset)


def _paint_place(
    painter: QPainter, layout: ScoreLayout, frames: tuple[int, int], rate: Fraction, *, offset: int
) -> None:
    first, last = (frame_start(frame, rate) for frame in frames)
    for stave in layout.staves:
        if first > stave.end - 1e-6 or last < stave.start - 1e-6:
            continue
        top = layout.shots_top(stave.top) - offset
        left, right = (layout.x_at(stave, time) for time in (max(first, stave.start), min(last, stave.end)))
        if first == last:
            painter.fillRect(QRectF(left - 2, top - 4, 4, layout.heights.shots + 8), theme.TEXT)
            return
        painter.setPen(QPen(theme.TEXT, 3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(left + 1, top, right - left - 2, layout.heights.shots))
