"""The strip of a track over the shots: its items as blocks that are moved and trimmed."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import ItemSelection, SongSelection, TrackSelection
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.look import theme
from epiphane.desk.look.marks import paint_pin
from epiphane.desk.score.gesture import Gesture, Pointer, RowDrag
from epiphane.desk.score.layout import MARGIN_LEFT, NAMES_RIGHT, ScoreLayout, Stave, Strip
from epiphane.desk.score.rows import Press, Row
from epiphane.document.ids import TrackId
from epiphane.document.project import Project, find
from epiphane.document.timeline import Item, Track
from epiphane.edits.items.tracks import find_item, move_item, trim_item
from epiphane.edits.shots.main_track import shot_name, track_name
from epiphane.facts.silent_rows import silent_rows
from epiphane.facts.source_time import item_at
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_END_GRAB = 6


class ItemDrag(Gesture):
    """An item of a track that is dragged: the whole of it, its start, or its end."""

    def __init__(self, editor: Editor, snapping: Snapping, item: Item, side: str, frame: int) -> None:
        self._editor, self._snapping = editor, snapping
        self._before, self._item, self._side, self._origin = editor.project, item, side, frame

    def move(self, pointer: Pointer) -> None:
        """Bring what is held to the pointer."""
        if pointer.place is None:
            return
        before, item = self._before, self._item
        by = frame_at(pointer.place.seconds, before.rate) - self._origin
        edge = item.end if self._side == "end" else item.start
        frame = self._snapping.snapped(before, edge + by, pointer.reach(before))

        def edit(_: Project) -> Project:
            if self._side == "whole":
                return move_item(before, item.id, frame)
            if self._side == "end":
                return trim_item(before, item.id, end=frame)
            return trim_item(before, item.id, start=frame)

        if self._editor.apply(edit, tr("move of an item"), gesture="item"):
            now = find_item(self._editor.project, item.id)[1]
            self.words = tr("frame {start}, {n_frames} frames", start=now.start, n_frames=now.n_frames)


class TrackRow(Row):
    """The items of one track."""

    strip = Strip.TRACK

    def __init__(self, editor: Editor, track: TrackId, snapping: Snapping) -> None:
        super().__init__(editor)
        self._track_id, self._snapping = track, snapping

    @property
    def _track(self) -> Track:
        return find(self._editor.project.tracks, self._track_id, "track")

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        project, selection = self._editor.project, self._editor.selection
        is_silent = self._track_id in silent_rows(project)
        return self._track, project.footage, selection.item, selection.track, is_silent

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        track, project = self._track, self._editor.project
        top = layout.track_top(stave, track.id)
        height = layout.row_step(track.id) - layout.heights.lane_gap
        is_folded = track.id in layout.folded
        is_chosen = track.id == self._editor.selection.track
        painter.setFont(theme.words(8.5, weight=600 if is_chosen else 400))
        painter.setPen(theme.TEXT if is_chosen else theme.QUIET)
        room = QRectF(4, top - 1, MARGIN_LEFT - 18, height + 2)
        text = painter.fontMetrics().elidedText(track_name(project, track), _ELIDED, int(room.width()))
        if not is_folded:
            painter.drawText(room, _RIGHT, text)
        left, right = layout.left(stave), layout.right(stave)
        painter.fillRect(QRectF(left, top, right - left, height), theme.STRIP)
        for item in track.items:
            start, end = frame_start(item.start, project.rate), frame_start(item.end, project.rate)
            if end <= stave.start + 1e-3 or start >= stave.end - 1e-3:
                continue
            x0, x1 = layout.x_at(stave, max(start, stave.start)), layout.x_at(stave, min(end, stave.end))
            box = QRectF(x0, top, x1 - x0, height)
            if is_folded:
                painter.fillRect(box.adjusted(1, 1, -1, -1), theme.QUIET)
                continue
            self._paint_item(painter, box, item, is_muted=track.id in silent_rows(project))
            if item.pin is not None and stave.start <= item.pin.hit < stave.end:
                x = layout.x_at(stave, item.pin.hit)
                paint_pin(painter, x, top + height - 1, True, height=height - 4)

    def _paint_item(self, painter: QPainter, box: QRectF, item: Item, *, is_muted: bool) -> None:
        is_chosen = item.id == self._editor.selection.item
        painter.setPen(QPen(theme.TEXT if is_chosen else theme.RULE, 2 if is_chosen else 1))
        painter.setBrush(theme.PANEL if is_muted else theme.RAISED)
        painter.drawRect(box.adjusted(1, 1, -1, -1))
        name = shot_name(self._editor.project, item)
        painter.setPen(theme.QUIET if is_muted else theme.TEXT)
        painter.setFont(theme.words(8))
        inner = box.adjusted(6, 0, -4, 0)
        text = painter.fontMetrics().elidedText(name, _ELIDED, max(0, int(inner.width())))
        painter.drawText(inner, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)

    def cursor(self, press: Press) -> Qt.CursorShape:
        found = self._held(press)
        if found is None:
            return Qt.CursorShape.ArrowCursor
        return Qt.CursorShape.OpenHandCursor if found[1] == "whole" else Qt.CursorShape.SizeHorCursor

    def press(self, press: Press) -> Gesture | None:
        if press.at.x() < NAMES_RIGHT:
            track = self._track
            self._editor.select(TrackSelection(track.id))
            return RowDrag(self._editor, press.place)
        found = self._held(press)
        if found is None:
            self._editor.select(SongSelection())
            return self._go_there(press)
        item, side = found
        self._editor.select(ItemSelection(item.id))
        frame = frame_at(press.place.seconds, self._editor.project.rate)
        return ItemDrag(self._editor, self._snapping, item, side, frame)

    def _held(self, press: Press) -> tuple[Item, str] | None:
        """Return the item under the pointer, and which part of it would be dragged there."""
        rate, layout, stave = self._editor.project.rate, press.layout, press.place.stave
        if press.at.x() < layout.left(stave):
            return None
        item = item_at(self._track.items, frame_at(press.place.seconds, rate))
        if item is None:
            return None
        left, right = (layout.x_at(stave, frame_start(one, rate)) for one in (item.start, item.end))
        grab = min(_END_GRAB, (right - left) / 4)
        at: QPointF = press.at
        if at.x() < left + grab:
            return item, "start"
        return item, "end" if at.x() > right - grab else "whole"


_ELIDED = Qt.TextElideMode.ElideRight
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
