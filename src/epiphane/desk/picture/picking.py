"""A colour picked in the picture: the next click on it is taken."""

from PyQt6.QtCore import QObject, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

from epiphane.desk.control.grading import GradeDesk
from epiphane.desk.look import theme
from epiphane.desk.picture.view import PictureView


class ColourPicking(QObject):
    """Tells on the picture what is to be clicked, and takes the click."""

    is_always_seen = True

    def __init__(self, desk: GradeDesk, view: PictureView) -> None:
        super().__init__(view)
        self._desk = desk
        view.add_handles_first(self)
        desk.picking_changed.connect(view.update)

    def paint(self, painter: QPainter, room: QRectF) -> None:
        """Paint what is to be clicked."""
        if self._desk.hint:
            painter.setFont(theme.words(9))
            width = painter.fontMetrics().horizontalAdvance(self._desk.hint) + 16
            box = QRectF(room.center().x() - width / 2, room.bottom() - 34, width, 22)
            theme.paint_badge(painter, box, self._desk.hint)

    def cursor_at(self, at: QPointF, room: QRectF) -> Qt.CursorShape:
        """Return a cross while a colour is to be picked."""
        is_here = bool(self._desk.hint) and room.contains(at)
        return Qt.CursorShape.CrossCursor if is_here else Qt.CursorShape.ArrowCursor

    def press(self, at: QPointF, room: QRectF) -> bool:
        """Pick the colour there."""
        if not self._desk.hint or not room.contains(at):
            return False
        across, down = (at.x() - room.left()) / room.width(), (at.y() - room.top()) / room.height()
        self._desk.pick_at(min(across, 0.9999), min(down, 0.9999))
        return True

    def move(self, at: QPointF, room: QRectF) -> None:
        """Do nothing: it was picked when it was pressed."""

    def release(self) -> None:
        """Let go."""
