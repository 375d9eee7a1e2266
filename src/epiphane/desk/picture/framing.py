"""The framing of the selected shot or item, dragged on the picture: where it lies, how large, how turned."""

import math
from collections.abc import Callable
from enum import Enum
from typing import assert_never

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import ItemSelection, ShotSelection
from epiphane.desk.look import theme
from epiphane.desk.picture.handles import GRAB_PIXELS, SNAP_PIXELS, length_of, placed
from epiphane.desk.picture.view import TITLE_SAFE, PictureView
from epiphane.document.footage import FootageKind
from epiphane.document.project import Project, footage_of
from epiphane.document.timeline import FootageCut, Framing, Item, Move, Panels, ShapeFill, SolidFill
from epiphane.document.titles import LogoFill, TextFill, TitleLook
from epiphane.edits.items.keys import frame_item
from epiphane.edits.shots.shots import frame_end, frame_shots
from epiphane.facts.framing import item_framing
from epiphane.facts.titles import logo_size
from epiphane.render.transform import shown_size
from epiphane.titles.layout import text_size

_KNOB_AWAY = 26
_SNAP_DEGREES = 2.0


class _Grip(Enum):
    MOVE = "move"
    SCALE = "scale"
    TURN = "turn"


class FramingHandles(QObject):
    """Shows the outline of the selected shot or item while the pointer is over the picture, and moves it.

    Inside it is moved, at a corner scaled, at its knob turned. It snaps to the middle and to the edges of the
    frame, and to right angles, unless Shift is held. Where the shot moves to an end framing, the nearer one
    in time is changed; of an item that has keys, the one on this frame is changed or made.
    """

    is_always_seen = False

    def __init__(self, editor: Editor, view: PictureView) -> None:
        super().__init__(view)
        self._editor, self._view = editor, view
        self._grip: _Grip | None = None
        self._from = QPointF()
        self._begun = Framing()
        self._guides: tuple[bool, bool] = (False, False)
        self.gives_way: Callable[[], bool] = lambda: False
        """Whether something else is done on the picture."""
        view.add_handles(self)

    @property
    def is_active(self) -> bool:
        """Whether there is a shot under the playhead whose framing can be dragged."""
        return self._found() is not None

    def paint(self, painter: QPainter, room: QRectF) -> None:
        """Paint the outline over the picture that lies in `room`."""
        found = self._found()
        if found is None or self.gives_way():
            return
        corners = self._corners(found, room)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        middle_top, knob = self._knob(corners)
        for pen in (QPen(theme.GROUND, 3), QPen(theme.TEXT, 1.2)):
            painter.setPen(pen)
            painter.drawPolygon(QPolygonF(corners))
            painter.drawLine(middle_top, knob)
            for has_guide, vertical in zip(self._guides, (True, False), strict=True):
                if has_guide and self._grip is _Grip.MOVE:
                    _paint_guide(painter, room, vertical=vertical)
        painter.setBrush(theme.PANEL)
        for corner in self._near(corners, room):
            painter.drawRect(QRectF(corner.x() - 4, corner.y() - 4, 8, 8))
        painter.drawEllipse(knob, 5, 5)

    def cursor_at(self, at: QPointF, room: QRectF) -> Qt.CursorShape:
        """Return which pointer says what a press there does."""
        grip = self._grip_at(at, room)
        if grip is None:
            has_title = self._title_at(at, room) is not None
            return Qt.CursorShape.PointingHandCursor if has_title else Qt.CursorShape.ArrowCursor
        shapes = {
            _Grip.MOVE: Qt.CursorShape.SizeAllCursor,
            _Grip.SCALE: Qt.CursorShape.SizeFDiagCursor,
            _Grip.TURN: Qt.CursorShape.PointingHandCursor,
        }
        return shapes[grip]

    def press(self, at: QPointF, room: QRectF) -> bool:
        """Hold what is at a point, a title that is not selected too; False where there is nothing."""
        title = self._title_at(at, room)
        if title is not None and not isinstance(self._editor.selection, ItemSelection):
            self._editor.select(ItemSelection(title.id))
        found, grip = self._found(), self._grip_at(at, room)
        if grip is None and title is not None:
            self._editor.select(ItemSelection(title.id))
            found, grip = self._found(), self._grip_at(at, room)
        if found is None or grip is None:
            return False
        self._grip, self._from, self._begun = grip, at, self._framing(found)
        return True

    def move(self, at: QPointF, room: QRectF) -> None:
        """Move, scale or turn the shot to the pointer."""
        found = self._found()
        if found is None or self._grip is None:
            return
        is_free = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        begun, middle = self._begun, self._middle(self._begun, room)
        if self._grip is _Grip.MOVE:
            made = self._moved(at - self._from, room, found, is_free=is_free)
        elif self._grip is _Grip.SCALE:
            factor = length_of(at - middle) / max(length_of(self._from - middle), 1)
            made = replace(begun, scale=round(min(max(begun.scale * factor, 0.05), 20.0), 4))
        else:
            turn = _angle(at - middle) - _angle(self._from - middle)
            degrees = (begun.rotation + turn + 180) % 360 - 180
            right = round(degrees / 90) * 90
            is_near = abs(degrees - right) <= _SNAP_DEGREES and not is_free
            made = replace(begun, rotation=float(right) if is_near else round(degrees, 1))
        self._apply(found, made)

    def release(self) -> None:
        """Let go."""
        self._grip, self._guides = None, (False, False)
        self._editor.end_gesture()

    def _moved(self, by: QPointF, room: QRectF, item: Item, *, is_free: bool) -> Framing:
        """Return the framing moved by the pointer: middle to middle and edge to edge where they are near."""
        places = []
        guides = []
        half = self._half(item, self._begun)
        for value, moved, length, side in zip(
            (self._begun.x, self._begun.y), (by.x(), by.y()), (room.width(), room.height()), half, strict=True
        ):
            place = value + moved / length
            stops = [0.0, side - 0.5, 0.5 - side]
            if isinstance(item.content, TitleLook):  # its edge on that of the safe area
                stops += [side - TITLE_SAFE / 2, TITLE_SAFE / 2 - side]
            near = min(stops, key=lambda stop, place=place: abs(stop - place))  # type: ignore[misc]
            snaps = not is_free and abs(near - place) * length <= SNAP_PIXELS
            places.append(round(near if snaps else place, 4))
            guides.append(snaps and near == 0)
        self._guides = (guides[0], guides[1])
        x, y = (min(max(place, -5.0), 5.0) for place in places)
        return replace(self._begun, x=x, y=y)

    def _apply(self, item: Item, made: Framing) -> None:
        changes = {"scale": made.scale, "x": made.x, "y": made.y, "rotation": made.rotation}
        frame = self._editor.playhead

        def edit(project: Project) -> Project:
            if isinstance(self._editor.selection, ItemSelection):
                return frame_item(project, item.id, frame, **changes)
            if self._is_end(item):
                return frame_end(project, [item.id], made)
            return frame_shots(project, [item.id], **changes)

        self._editor.apply(edit, "framing", gesture="framing")
        self._view.update()

    def _found(self) -> Item | None:
        """Return the selected shot or item, if it is under the playhead and lies somewhere."""
        editor = self._editor
        item = editor.chosen.shot if isinstance(editor.selection, ShotSelection) else None
        if isinstance(editor.selection, ItemSelection):
            item = editor.chosen.item
        if item is None or not item.start <= editor.playhead < item.end:
            return None
        return None if self._size(item) is None else item

    def _title_at(self, at: QPointF, room: QRectF) -> Item | None:
        """Return the uppermost text or logo at a point of the picture."""
        project, frame = self._editor.project, self._editor.playhead
        seen = (
            item
            for track in reversed(project.tracks)
            if not track.is_muted
            for item in track.items
            if item.start <= frame < item.end and isinstance(item.content, TitleLook)
        )
        for item in seen:
            if QPolygonF(self._corners(item, room)).containsPoint(at, Qt.FillRule.WindingFill):
                return item
        return None

    def _share(self, item: Item) -> float:
        return (self._editor.playhead - item.start + 0.5) / item.n_frames

    def _is_end(self, item: Item) -> bool:
        return not item.keys and item.transform.move is Move.TO_END and self._share(item) >= 0.5

    def _framing(self, item: Item) -> Framing:
        """Return the framing that is dragged: of a shot that moves to an end, the nearer one."""
        if item.keys:
            return item_framing(item, self._editor.playhead)
        return item.transform.end if self._is_end(item) else item.transform.start

    def _size(self, item: Item) -> tuple[float, float] | None:
        """Return the width and height of what an item shows, unscaled, in shares of the frame."""
        content, project = item.content, self._editor.project
        match content:
            case ShapeFill(width=width, height=height):
                return width, height
            case TextFill():
                return text_size(content, project.width / project.height)
            case LogoFill():
                return logo_size(project, content)
            case FootageCut(footage=shown):
                footage = footage_of(project, shown)
                if footage is None or footage.kind is FootageKind.SOUND:
                    return None
                frame = project.width, project.height
                return shown_size((footage.width, footage.height), frame, item.transform.fit)
            case SolidFill() | Panels():
                return None
            case _:
                assert_never(content)

    def _half(self, item: Item, framing: Framing) -> tuple[float, float]:
        """Return half the width and height of the picture, in shares of the frame."""
        across, down = self._size(item) or (1.0, 1.0)
        return across * framing.scale / 2, down * framing.scale / 2

    def _middle(self, framing: Framing, room: QRectF) -> QPointF:
        return placed(framing, (1.0, 1.0), room).middle

    def _corners(self, item: Item, room: QRectF) -> list[QPointF]:
        """Return the corners of the picture as it is seen now, clockwise from the upper left."""
        here = placed(item_framing(item, self._editor.playhead), self._size(item) or (1.0, 1.0), room)
        return [here.point(x, y) for x, y in ((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5))]

    def _knob(self, corners: list[QPointF]) -> tuple[QPointF, QPointF]:
        """Return the middle of the upper edge, and the knob below it by which the picture is turned.

        Of what is low it is above that edge: the middle is for moving.
        """
        top = (corners[0] + corners[1]) / 2
        down = corners[3] - corners[0]
        length = max(length_of(down), 1.0)
        away = _KNOB_AWAY if length >= 4 * _KNOB_AWAY else -_KNOB_AWAY
        return top, top + down * (away / length)

    def _near(self, corners: list[QPointF], room: QRectF) -> list[QPointF]:
        """Return where the corners can be held: those outside of the frame, at its edge."""
        inside = room.adjusted(5, 5, -5, -5)
        return [
            QPointF(
                _within(corner.x(), inside.left(), inside.right()),
                _within(corner.y(), inside.top(), inside.bottom()),
            )
            for corner in corners
        ]

    def _grip_at(self, at: QPointF, room: QRectF) -> _Grip | None:
        found = self._found()
        if found is None:
            return None
        corners = self._corners(found, room)
        near = self._near(corners, room)
        if any(length_of(at - corner) <= GRAB_PIXELS for corner in near):
            return _Grip.SCALE
        if length_of(at - self._knob(corners)[1]) <= GRAB_PIXELS:
            return _Grip.TURN
        is_inside = QPolygonF(corners).containsPoint(at, Qt.FillRule.WindingFill)
        return _Grip.MOVE if is_inside else None


def _within(value: float, low: float, high: float) -> float:
    return min(max(value, low), high)


def _angle(vector: QPointF) -> float:
    return math.degrees(math.atan2(vector.y(), vector.x()))


def _paint_guide(painter: QPainter, room: QRectF, *, vertical: bool) -> None:
    middle = room.center()
    if vertical:
        painter.drawLine(QPointF(middle.x(), room.top()), QPointF(middle.x(), room.bottom()))
    else:
        painter.drawLine(QPointF(room.left(), middle.y()), QPointF(room.right(), middle.y()))
