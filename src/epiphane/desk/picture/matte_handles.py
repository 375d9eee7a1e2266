"""Marking the subject of a shot on the picture: a box around it, strokes over it and beside it."""

import math

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.mattes import MatteDesk
from epiphane.desk.look import theme
from epiphane.desk.picture.handles import Placed, length_of, placed
from epiphane.desk.picture.view import PictureView
from epiphane.document.matte import MatteKind, MatteMark, MatteStroke
from epiphane.document.project import footage_of
from epiphane.document.timeline import Item
from epiphane.facts.framing import item_framing
from epiphane.render.sources import OpenFootage
from epiphane.render.transform import shown_size

_RADIUS = 0.018
"""Of a stroke, in shares of the picture's height."""
_SUBJECT, _BESIDE = QColor("#7fe3c4"), QColor("#c8553d")
_NEAR = 0.5


class MatteHandles(QObject):
    """While the subject is marked: a drag draws the box, then strokes on the subject; Ctrl: beside it."""

    def __init__(self, editor: Editor, view: PictureView, desk: MatteDesk, footage: OpenFootage) -> None:
        super().__init__(view)
        self._editor, self._view, self._desk, self._footage = editor, view, desk, footage
        self._from: QPointF | None = None
        self._to = QPointF()
        self._strokes: list[MatteStroke] = []
        self._is_box = False
        view.add_handles(self)
        desk.changed.connect(view.update)

    @property
    def is_always_seen(self) -> bool:
        """Whether the marks are seen though the pointer is elsewhere: while they are made."""
        return self._desk.is_marking

    def paint(self, painter: QPainter, room: QRectF) -> None:
        """Paint what is marked on the picture that is shown."""
        shot = self._shot()
        if shot is None:
            return
        self._paint_mask(painter, shot, room)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        mark = self._mark(shot)
        sides = None if mark is None else mark.box
        if self._is_box and self._from is not None:
            sides = (*self._share_of(self._from, room), *self._share_of(self._to, room))
        if sides is not None:
            left, top, right, bottom = sides
            corners = [(left, top), (right, top), (right, bottom), (left, bottom)]
            outline = QPolygonF([self._point_of(x, y, room) for x, y in corners])
            for pen in (QPen(theme.GROUND, 3), QPen(theme.TEXT, 1.4, Qt.PenStyle.DashLine)):
                painter.setPen(pen)
                painter.drawPolygon(outline)
        painter.setPen(Qt.PenStyle.NoPen)
        for stroke in (*(() if mark is None else mark.strokes), *self._strokes):
            colour = QColor(_SUBJECT if stroke.is_subject else _BESIDE)
            colour.setAlpha(150)
            painter.setBrush(colour)
            reach = stroke.radius * self._placed(shot, room).height
            painter.drawEllipse(self._point_of(stroke.x, stroke.y, room), reach, reach)

    def _paint_mask(self, painter: QPainter, shot: Item, room: QRectF) -> None:
        """Paint what has been made of the matte over the picture, so that it is seen where it went astray."""
        source = self._desk.mask_now()
        if source is None:
            return
        plane = self._footage.picture(source).planes[0]
        levels = plane if plane.ndim == 2 else plane[..., 0]
        height, width = levels.shape
        tint = np.empty((height, width, 4), np.uint8)
        tint[:] = (_SUBJECT.blue(), _SUBJECT.green(), _SUBJECT.red(), 0)
        tint[..., 3] = levels // 2
        image = QImage(tint.tobytes(), width, height, 4 * width, QImage.Format.Format_ARGB32)
        here = self._placed(shot, room)
        painter.save()
        painter.setClipRect(room)
        painter.translate(here.middle)
        painter.rotate(math.degrees(here.radians))
        painter.drawImage(QRectF(-here.width / 2, -here.height / 2, here.width, here.height), image)
        painter.restore()

    def cursor_at(self, at: QPointF, room: QRectF) -> Qt.CursorShape:
        """Return a cross while the subject is marked."""
        return Qt.CursorShape.ArrowCursor if self._shot() is None else Qt.CursorShape.CrossCursor

    def press(self, at: QPointF, room: QRectF) -> bool:
        """Begin a box or a stroke; False while nothing is marked."""
        shot = self._shot()
        if shot is None or shot.matte is None:
            return False
        keys = QApplication.keyboardModifiers()
        has_box = any(mark.box is not None for mark in shot.matte.marks)
        self._is_box = not has_box or bool(keys & Qt.KeyboardModifier.ShiftModifier)
        self._from = self._to = at
        self._strokes = []
        if not self._is_box:
            self._dab(at, room)
        return True

    def move(self, at: QPointF, room: QRectF) -> None:
        """Draw on."""
        self._to = at
        shot = self._shot()
        if shot is not None and not self._is_box:
            last = self._point_of(self._strokes[-1].x, self._strokes[-1].y, room) if self._strokes else at
            if length_of(at - last) >= _RADIUS * self._placed(shot, room).height:
                self._dab(at, room)
        self._view.update()

    def release(self) -> None:
        """Take what was drawn."""
        begun, self._from = self._from, None
        strokes, self._strokes = self._strokes, []
        room = self._view.picture_room()
        if begun is not None and self._is_box:
            self._is_box = False
            self._desk.box((*self._share_of(begun, room), *self._share_of(self._to, room)))
        elif strokes:
            self._desk.stroke(strokes)

    def _dab(self, at: QPointF, room: QRectF) -> None:
        x, y = self._share_of(at, room)
        is_beside = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier)
        self._strokes.append(MatteStroke(round(x, 5), round(y, 5), _RADIUS, not is_beside))

    def _shot(self) -> Item | None:
        """Return the shot whose subject is being marked, where it is shown."""
        shot = self._editor.chosen.shot if self._desk.is_marking else None
        is_traced = shot is not None and shot.matte is not None and shot.matte.kind is MatteKind.TRACED
        return shot if is_traced and self._desk.time_now() is not None else None

    def _mark(self, shot: Item) -> MatteMark | None:
        """Return what was marked on the picture that is shown now."""
        time = self._desk.time_now()
        marks = () if shot.matte is None else shot.matte.marks
        near = _NEAR / float(self._editor.project.rate)
        return next((one for one in marks if time is not None and abs(one.time - time) <= near), None)

    def _placed(self, shot: Item, room: QRectF) -> Placed:
        """Return where a shot's picture lies in the view."""
        project = self._editor.project
        footage = footage_of(project, shot.footage)
        assert footage is not None, "a project has the footage of its shots"
        shape = project.width, project.height
        size = shown_size((footage.width, footage.height), shape, shot.transform.fit)
        return placed(item_framing(shot, self._editor.playhead), size, room)

    def _point_of(self, x: float, y: float, room: QRectF) -> QPointF:
        """Return where a place of the picture, in shares of it, lies in the view."""
        shot = self._editor.chosen.shot
        return QPointF() if shot is None else self._placed(shot, room).point(x - 0.5, y - 0.5)

    def _share_of(self, at: QPointF, room: QRectF) -> tuple[float, float]:
        """Return which place of the picture, in shares of it, a point of the view shows."""
        shot = self._editor.chosen.shot
        if shot is None:
            return 0.0, 0.0
        across, down = self._placed(shot, room).shares(at)
        return min(max(across + 0.5, 0.0), 1.0), min(max(down + 0.5, 0.0), 1.0)
