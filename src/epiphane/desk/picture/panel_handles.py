"""The panels of the selected split screen on the picture: chosen, moved and scaled where they lie."""

from enum import Enum

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.panels import PanelDesk
from epiphane.desk.look import theme
from epiphane.desk.picture.handles import GRAB_PIXELS, SNAP_PIXELS, length_of
from epiphane.desk.picture.view import PictureView
from epiphane.document.timeline import Fit, Framing, PanelLayout, Panels
from epiphane.facts.panels import Box, PanelPlace, panel_places
from epiphane.render.transform import shown_size

_LEAST_SIDE, _FARTHEST = 0.02, 5.0


class _Grip(Enum):
    BOX = "box"
    BOX_CORNER = "box corner"
    PICTURE = "picture"
    SCALE = "scale"


class PanelHandles(QObject):
    """Shows the outlines of the panels while the pointer is over the picture; a press chooses one.

    Inside a panel its picture is moved, as far as it covers the panel, and at a corner scaled. Free panels
    are moved and get other sides instead, and their pictures are moved with Ctrl held; they snap to each
    other and to the frame. With Shift held nothing snaps or stops.
    """

    is_always_seen = False

    def __init__(self, editor: Editor, view: PictureView, panels: PanelDesk) -> None:
        super().__init__(view)
        self._editor, self._view, self._panels = editor, view, panels
        self._grip: _Grip | None = None
        self._from = QPointF()
        self._corner = 0
        self._begun_box: Box = (0.0, 0.0, 1.0, 1.0)
        self._begun = Framing()
        view.add_handles(self)
        panels.chosen.connect(view.update)

    def paint(self, painter: QPainter, room: QRectF) -> None:
        """Paint the outlines over the picture that lies in `room`."""
        places = self._places()
        if not places:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for place in places:
            self._outline(painter, _corners(place, room), width=1.0)
        chosen = _corners(places[self._panels.place], room)
        self._outline(painter, chosen, width=2.0)
        painter.setBrush(theme.PANEL)
        for corner in chosen:
            painter.drawRect(_inside(QRectF(corner.x() - 4, corner.y() - 4, 8, 8), room))

    def cursor_at(self, at: QPointF, room: QRectF) -> Qt.CursorShape:
        """Return which pointer says what a press there does."""
        grip = self._grip_at(at, room)[0]
        if grip in (_Grip.SCALE, _Grip.BOX_CORNER):
            return Qt.CursorShape.SizeFDiagCursor
        return Qt.CursorShape.ArrowCursor if grip is None else Qt.CursorShape.SizeAllCursor

    def press(self, at: QPointF, room: QRectF) -> bool:
        """Choose the panel at a point and hold it, its picture or its corner; False where there is none."""
        grip, place, corner = self._grip_at(at, room)
        if grip is None:
            return False
        self._panels.choose(place)
        panel = self._panels.panel
        assert panel is not None
        self._grip, self._from, self._corner = grip, at, corner
        self._begun_box, self._begun = self._places()[place].box, panel.framing
        return True

    def move(self, at: QPointF, room: QRectF) -> None:
        """Move or scale what is held to the pointer."""
        by = at - self._from
        across, down = by.x() / room.width(), by.y() / room.height()
        left, top, width, height = self._begun_box
        if self._grip is _Grip.PICTURE:
            wanted = self._begun.x + across / width, self._begun.y + down / height
            x, y = (
                round(min(max(value, -most), most), 4)
                for value, most in zip(wanted, self._reach(), strict=True)
            )
            self._apply(framing=replace(self._begun, x=x, y=y))
        elif self._grip is _Grip.SCALE:
            middle = room.topLeft() + QPointF(
                (left + width / 2) * room.width(), (top + height / 2) * room.height()
            )
            factor = length_of(at - middle) / max(length_of(self._from - middle), 1)
            self._apply(
                framing=replace(self._begun, scale=round(min(max(self._begun.scale * factor, 0.05), 20.0), 4))
            )
        elif self._grip is _Grip.BOX:
            self._apply(
                box=(
                    self._slid(left + across, width, room, is_across=True),
                    self._slid(top + down, height, room, is_across=False),
                    width,
                    height,
                )
            )
        elif self._grip is _Grip.BOX_CORNER:
            is_right, is_lower = self._corner in (1, 2), self._corner in (2, 3)
            x0, x1 = self._stretched(left, left + width, across, room, is_far=is_right, is_across=True)
            y0, y1 = self._stretched(top, top + height, down, room, is_far=is_lower, is_across=False)
            self._apply(box=(x0, y0, round(x1 - x0, 4), round(y1 - y0, 4)))

    def _reach(self) -> tuple[float, float]:
        """Return how far off the middle the held picture may lie: it covers the panel, if not with Shift."""
        panel, project = self._panels.panel, self._editor.project
        footage = next((one for one in project.footage if panel and one.id == panel.cut.footage), None)
        is_free = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        if footage is None or is_free or self._begun.rotation:
            return _FARTHEST, _FARTHEST
        _, _, width, height = self._begun_box
        shape = max(1, round(width * project.width)), max(1, round(height * project.height))
        shown = shown_size((footage.width, footage.height), shape, Fit.COVER)
        across, down = (max(0.0, (side * self._begun.scale - 1) / 2) for side in shown)
        return across, down

    def release(self) -> None:
        """Let go."""
        self._grip = None
        self._editor.end_gesture()

    def _apply(self, **changes: object) -> None:
        self._panels.change_panel(gesture="panel", **changes)
        self._view.update()

    def _slid(self, start: float, side: float, room: QRectF, *, is_across: bool) -> float:
        """Return where a box that is moved begins: inside of the frame, on an edge that is near."""
        stops = self._stops(is_across=is_across)
        starts = [*stops, *(stop - side for stop in stops)]
        return round(min(max(self._snapped(start, starts, room, is_across=is_across), 0.0), 1 - side), 4)

    def _stretched(
        self, first: float, last: float, by: float, room: QRectF, *, is_far: bool, is_across: bool
    ) -> tuple[float, float]:
        """Return both edges of a box of which one is moved."""
        stops = self._stops(is_across=is_across)
        edge = self._snapped((last if is_far else first) + by, stops, room, is_across=is_across)
        if is_far:
            return round(first, 4), round(min(max(edge, first + _LEAST_SIDE), 1.0), 4)
        return round(min(max(edge, 0.0), last - _LEAST_SIDE), 4), round(last, 4)

    def _stops(self, *, is_across: bool) -> list[float]:
        """Return the edges of the frame and of the other panels, and the middle, in shares of the frame."""
        stops = [0.0, 0.5, 1.0]
        for number, place in enumerate(self._places()):
            if number != self._panels.place:
                start, side = place.box[0 if is_across else 1], place.box[2 if is_across else 3]
                stops += [start, start + side]
        return stops

    def _snapped(self, value: float, stops: list[float], room: QRectF, *, is_across: bool) -> float:
        near = min(stops, key=lambda stop: abs(stop - value))
        pixels = abs(near - value) * (room.width() if is_across else room.height())
        is_free = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        return near if pixels <= SNAP_PIXELS and not is_free else value

    def _found(self) -> Panels | None:
        """Return the panels of the selected shot, if it is a split screen under the playhead."""
        found = self._panels.selected()
        if found is None or not found[0].start <= self._editor.playhead < found[0].end:
            return None
        return found[1]

    def _places(self) -> tuple[PanelPlace, ...]:
        panels, project = self._found(), self._editor.project
        return () if panels is None else panel_places(panels, project.width / project.height)

    def _grip_at(self, at: QPointF, room: QRectF) -> tuple[_Grip | None, int, int]:
        """Return what a press holds, of which panel, and at which corner: those above come first."""
        panels, places = self._found(), self._places()
        if panels is None:
            return None, 0, 0
        is_free = panels.layout is PanelLayout.FREE
        chosen = self._panels.place
        for number, corner in enumerate(_corners(places[chosen], room)):
            if length_of(at - corner) <= GRAB_PIXELS:
                return (_Grip.BOX_CORNER if is_free else _Grip.SCALE), chosen, number
        of_picture = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier)
        for place in reversed(range(len(places))):
            if QPolygonF(_corners(places[place], room)).containsPoint(at, Qt.FillRule.WindingFill):
                return (_Grip.BOX if is_free and not of_picture else _Grip.PICTURE), place, 0
        return None, 0, 0

    @staticmethod
    def _outline(painter: QPainter, corners: list[QPointF], *, width: float) -> None:
        for pen in (QPen(theme.GROUND, width + 1.8), QPen(theme.TEXT, width)):
            painter.setPen(pen)
            painter.drawPolygon(QPolygonF(corners))


def _corners(place: PanelPlace, room: QRectF) -> list[QPointF]:
    """Return the corners of a panel in a room, clockwise from the upper left."""
    left, top, width, height = place.box
    right, lean = left + width, (place.lean_left / 2, place.lean_right / 2)
    shares = (
        (left + lean[0], top),
        (right + lean[1], top),
        (right - lean[1], top + height),
        (left - lean[0], top + height),
    )
    return [QPointF(room.left() + x * room.width(), room.top() + y * room.height()) for x, y in shares]


def _inside(box: QRectF, room: QRectF) -> QRectF:
    """Return a box moved so that all of it lies in a room."""
    x = min(max(box.left(), room.left() + 1), room.right() - box.width() - 1)
    y = min(max(box.top(), room.top() + 1), room.bottom() - box.height() - 1)
    return QRectF(x, y, box.width(), box.height())
