"""Before and after: a line dragged over the picture, with what it was without a grade on its left."""

from PyQt6.QtCore import QObject, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.grading import plan_without
from epiphane.desk.control.playback import Playback
from epiphane.desk.control.shown_picture import ShownPicture
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.skimming import Skimmed, Skimmer
from epiphane.desk.engine.thumbnails import image_of
from epiphane.desk.look import theme
from epiphane.desk.picture.view import PictureView
from epiphane.document.ids import LaneId
from epiphane.effects.declare import EFFECTS, Family
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture
from epiphane.wording import tr

_REST_MILLISECONDS = 60
_REACH = 10


class Comparison(QObject):
    """What the picture is compared with: itself without the selected lane, or any grade, or a kept one."""

    is_always_seen = True

    def __init__(
        self, editor: Editor, playback: Playback, shown: ShownPicture, view: PictureView, footage: OpenFootage
    ) -> None:
        super().__init__(view)
        self._editor, self._playback, self._shown, self._view = editor, playback, shown, view
        self._footage = footage
        self._skimmer: Skimmer | None = None
        self._is_on = False
        self._share = 0.5
        self._before: Picture | None = None
        self._asking = debounced(self, _REST_MILLISECONDS, self._ask)
        shown.changed.connect(self._on_shown)
        shown.kept_changed.connect(self._on_kept)
        editor.selection_changed.connect(self._on_shown)
        view.add_handles(self)

    @property
    def other(self) -> Picture | None:
        """The picture on the left of the line, None where there is none."""
        return None if not self._is_on else self._before if self._shown.kept is None else self._shown.kept

    def toggle(self) -> None:
        """Show the picture without its grade beside it, or no longer."""
        self._is_on = not self._is_on
        self._before = None
        if self._is_on and self._shown.kept is not None:
            self._shown.keep()
        self._on_shown()
        self._view.update()

    def _on_kept(self) -> None:
        self._is_on = self._shown.kept is not None
        if self._is_on:
            self._editor.said.emit(tr("This picture is kept: what you go to is shown beside it."), False)
        self._view.update()

    def close(self) -> None:
        """Stop drawing."""
        if self._skimmer is not None:
            self._skimmer.close()

    def _on_shown(self) -> None:
        if self._is_on and self._shown.kept is None:
            self._asking.start()

    def _ask(self) -> None:
        """Draw the frame under the playhead without the grade; while it plays there is no time for it."""
        editor, picture = self._editor, self._shown.picture
        if self._playback.is_playing or picture is None or not self._is_on:
            self._before = None
            self._view.update()
            return
        if self._skimmer is None:
            self._skimmer = Skimmer(self._footage)
            self._skimmer.drawn.connect(self._on_drawn)
        plan = plan_without(editor.project, self._left_out(), editor.playhead)
        self._skimmer.ask_plan(editor.playhead, 0.0, plan, (picture.shape[1], picture.shape[0]))

    def _left_out(self) -> frozenset[LaneId]:
        chosen, lanes = self._editor.chosen.lane, self._editor.project.lanes
        if chosen is not None:
            return frozenset({chosen.id})
        grades = {one.key for one in EFFECTS.all() if one.lasts and one.family is Family.COLOUR}
        return frozenset(lane.id for lane in lanes if lane.effect in grades)

    def _on_drawn(self, drawn: Skimmed) -> None:
        if drawn.key == self._editor.playhead and self._is_on:
            self._before = drawn.picture
            self._view.update()

    # What lies over the picture

    def paint(self, painter: QPainter, room: QRectF) -> None:
        """Paint the other picture on the left of the line, and the line."""
        other = self.other
        if other is None:
            return
        x = self._line(room)
        painter.save()
        painter.setClipRect(QRectF(room.left(), room.top(), x - room.left(), room.height()))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(room, image_of(other))
        painter.restore()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for pen in (QPen(theme.GROUND, 3), QPen(theme.TEXT, 1.2)):
            painter.setPen(pen)
            painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
        painter.setBrush(theme.TEXT)
        painter.setPen(QPen(theme.GROUND, 1.5))
        painter.drawEllipse(QPointF(x, room.center().y()), 6, 6)
        painter.setFont(theme.words(8.5))
        left = tr("kept") if self._shown.kept is not None else tr("without")
        for words, at in ((left, x - 8), (tr("now"), x + 8)):
            width = painter.fontMetrics().horizontalAdvance(words) + 12
            start = at - width if at < x else at
            theme.paint_badge(painter, QRectF(start, room.top() + 8, width, 18), words)

    def cursor_at(self, at: QPointF, room: QRectF) -> Qt.CursorShape:
        """Return that the line goes sideways, where it is."""
        is_near = self.other is not None and abs(at.x() - self._line(room)) < _REACH
        return Qt.CursorShape.SplitHCursor if is_near else Qt.CursorShape.ArrowCursor

    def press(self, at: QPointF, room: QRectF) -> bool:
        """Hold the line, where it is."""
        return self.other is not None and abs(at.x() - self._line(room)) < _REACH

    def move(self, at: QPointF, room: QRectF) -> None:
        """Bring the line to a point."""
        self._share = min(max((at.x() - room.left()) / max(room.width(), 1), 0.02), 0.98)
        self._view.update()

    def release(self) -> None:
        """Let go."""

    def _line(self, room: QRectF) -> float:
        return room.left() + self._share * room.width()
