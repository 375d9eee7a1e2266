"""The score on screen, and what mouse and keys do on it."""

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QCursor,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QHelpEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QApplication, QScrollBar, QToolTip, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.score.buffered import paint_loop, paint_prepared
from epiphane.desk.score.drag import (
    Drag,
    Grip,
    HeldThing,
    drag_band,
    drag_beat,
    drag_frames,
    drag_lane,
    drag_strength,
)
from epiphane.desk.score.drops import Drops
from epiphane.desk.score.lane_rows import FoldRow, LaneRow
from epiphane.desk.score.lane_wide import paint_lane_wide, tell_lane_wide
from epiphane.desk.score.layout import (
    LaneRows,
    Place,
    ScoreLayout,
    Stave,
    Strip,
    usual_rows,
)
from epiphane.desk.score.pick import cue_under, cues_within, shots_within, skipped_hit_under
from epiphane.desk.score.rows import HitsRow, Press, Row, RulerRow, ShotsRow, SoundRow
from epiphane.desk.score.stave_cache import ABOVE, BELOW, StavePictures
from epiphane.desk.score.tooltips import tell_place
from epiphane.desk.score.track_rows import TrackRow
from epiphane.desk.shell import theme
from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane
from epiphane.edits.cues import toggle_cues
from epiphane.keying.schedule import Cue
from epiphane.timing import frame_at, frame_start

BARS_PER_LINE = (1, 2, 4, 8)
_DRAG_START = 4
_AHEAD_MILLISECONDS = 2
_SNAP_PIXELS = 8


class ScoreView(QAbstractScrollArea):
    """The whole song in lines of bars.

    Signals
    -------
    footage_dropped(ids: list of FootageId, place: ShotPlace)
        Clips from the shelf, and where they go among the shots.
    effect_dropped(key: str, target: Target)
        An effect from the shelf, and what it was dropped on.
    recipe_dropped(path: str, target: Target)
        The same of a recipe.
    hit_taken(lane: LaneId, hit: float)
        A hit that a lane leaves out is to be fired.
    loop_drawn(first: int, end: int)
        The frames between which it is to play round.
    trimming(pair: (int, int) or None)
        The frames on both sides of what is dragged; None when it is let go.
    scrolled()
    lines_changed()
        Another number of bars a line.
    """

    footage_dropped = pyqtSignal(object, object)
    effect_dropped = pyqtSignal(str, object)
    recipe_dropped = pyqtSignal(str, object)
    hit_taken = pyqtSignal(object, float)
    loop_drawn = pyqtSignal(int, int)
    trimming = pyqtSignal(object)
    scrolled = pyqtSignal()
    lines_changed = pyqtSignal()

    def __init__(self, editor: Editor, thumbnails: Thumbnails, snapping: Snapping) -> None:
        super().__init__()
        self._editor = editor
        self._song_rows = (
            RulerRow(editor),
            SoundRow(editor),
            HitsRow(editor),
            ShotsRow(editor, thumbnails, snapping),
        )
        self._snapping = snapping
        self._is_shift_spent = False
        self._loop: tuple[int, int] | None = None
        self._pictures = StavePictures()
        self._ahead = debounced(self, _AHEAD_MILLISECONDS, self._paint_ahead)
        self._bars_per_line = 4
        self._drag: Drag | None = None
        self._drops = Drops(editor, snapping)
        self._chosen_rows: LaneRows | None = None
        self._open_lane: LaneId | None = None
        self._prepared: tuple[int, ...] = ()
        self._rubber = QRectF()
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setAccessibleName("Score")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._paper.setMouseTracking(True)
        self.setAcceptDrops(True)
        self._layout = self._laid_out()
        self._rows = self._made_rows()
        editor.project_changed.connect(self._on_project)
        editor.selection_changed.connect(self._on_selection)
        editor.song_changed.connect(self._forget_pictures)
        editor.playhead_changed.connect(self._on_playhead)
        thumbnails.ready.connect(self._forget_pictures)

    @property
    def bars_per_line(self) -> int:
        """How many bars stand in a line."""
        return self._bars_per_line

    def set_bars_per_line(self, number: int) -> None:
        """Put 1, 2, 4 or 8 bars in a line, and keep the playhead in sight."""
        if number != self._bars_per_line:
            self._bars_per_line = number
            self._lay_out()
            self.reveal_playhead()
            self.lines_changed.emit()

    def next_rows(self) -> None:
        """Have lanes stand tall, low, or folded into one row; from then on they stay so."""
        order = list(LaneRows)
        self._chosen_rows = order[(order.index(self._lane_rows()) + 1) % len(order)]
        self._lay_out()
        self.reveal_playhead()
        self._editor.said.emit(f"Rows of lanes: {self._chosen_rows.value}.", False)

    def _lane_rows(self) -> LaneRows:
        return self._chosen_rows or usual_rows(len(self._editor.project.lanes))

    def layout_now(self) -> ScoreLayout:
        """Return where things are."""
        return self._layout

    def point_of(self, place: float, lane: LaneId | None = None) -> QPoint:
        """Return the point of an instant (seconds) on a lane or the ruler, in the viewport."""
        stave = self._layout.stave_at(place)
        y = stave.top + 8.0
        if lane is not None:
            y = self._layout.lane_top(stave, self._layout.lanes.index(lane))
            y += self._layout.lane_height - 5
        return QPoint(round(self._layout.x_at(stave, place)), round(y - self._offset))

    def stave_frames(self) -> tuple[int, int]:
        """Return the frames (first, end) of the stave under the playhead."""
        rate = self._editor.project.rate
        stave = self._layout.stave_at(frame_start(self._editor.playhead + 1, rate) - 1e-6)
        return frame_at(stave.start, rate), frame_at(stave.end, rate)

    def reveal_playhead(self) -> None:
        """Scroll so that the stave under the playhead is seen whole."""
        stave = self._playhead_stave()
        bar = self._bar
        if stave.top < self._offset:
            bar.setValue(round(stave.top - 8))
        elif stave.top + stave.height > self._offset + self._paper.height():
            bar.setValue(round(stave.top + stave.height - self._paper.height() + 10))

    def show_loop(self, loop: tuple[int, int] | None) -> None:
        """Show on the ruler from which frame to before which other one it plays round."""
        if loop != self._loop:
            self._loop = loop
            self._paper.update()

    def show_prepared(self, frames: Sequence[int]) -> None:
        """Show for which frames a picture is ready: a thin line under the ruler."""
        prepared = tuple(sorted(frames))
        if prepared != self._prepared:
            self._prepared = prepared
            self._paper.update()

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self._paper)
        painter.fillRect(self._paper.rect(), theme.GROUND)
        for stave in self._layout.staves:
            top = stave.top - self._offset
            if top < self._paper.height() and top + stave.height + ABOVE + BELOW > 0:
                painter.drawPixmap(QPointF(0, top - ABOVE), self._picture(stave))
        self._drops.paint(painter, self._layout, offset=self._offset)
        paint_prepared(painter, self._layout, self._editor.project.rate, self._prepared, offset=self._offset)
        if self._loop is not None:
            paint_loop(painter, self._layout, self._editor.project.rate, self._loop, offset=self._offset)
        self._paint_playhead(painter)
        self._ahead.start()
        if self._drag is not None and self._drag.grip is Grip.RUBBER and self._drag.has_moved:
            painter.setPen(QPen(theme.TEXT, 1, Qt.PenStyle.DashLine))
            painter.drawRect(self._rubber.translated(0, -self._offset))
        elif self._drag is not None and self._drag.shot is not None and self._drag.has_moved:
            self._drag.shot.paint(painter, self._layout, offset=self._offset)
        elif self._drag is not None and self._drag.has_moved and self._drag.is_lane_wide:
            paint_lane_wide(painter, self._layout, self._drag.place.lane, offset=self._offset)

    def _picture(self, stave: Stave) -> QPixmap:
        return self._pictures.picture(self._layout, self._rows, stave, self.devicePixelRatioF())

    def _paint_ahead(self) -> None:
        """Paint a stave beside those that are seen, while there is nothing else to do."""
        low, high = self._offset - self._paper.height() / 2, self._offset + self._paper.height() * 1.5
        for stave in self._layout.staves:
            is_near = stave.top + stave.height > low and stave.top < high
            if is_near and not self._pictures.is_ready(stave):
                self._picture(stave)
                self._ahead.start()
                return

    def _paint_playhead(self, painter: QPainter) -> None:
        if self._editor.project.n_frames == 0:
            return
        stave = self._playhead_stave()
        seconds = frame_start(self._editor.playhead, self._editor.project.rate)
        x = self._layout.x_at(stave, max(seconds, stave.start))
        top = stave.top - self._offset
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.TEXT, 1.5))
        painter.drawLine(QPointF(x, top + 2), QPointF(x, top + stave.height + 4))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.TEXT)
        painter.drawEllipse(QPointF(x, top + 2), 3.5, 3.5)

    # Mouse

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position() + QPointF(0, self._offset)
        place = self._layout.locate(at.x(), at.y())
        if place is None or self._editor.project.n_frames == 0:
            return
        press = self._press_at(place, at, event.modifiers())
        self._drag = self._row_of(place).press(press) or self._drag

    def _press_at(self, place: Place, at: QPointF, held: Qt.KeyboardModifier) -> Press:
        is_adding = bool(held & Qt.KeyboardModifier.ShiftModifier)
        is_alone = bool(held & Qt.KeyboardModifier.ControlModifier)
        self._is_shift_spent = is_adding  # it says what is dragged, and not that it is free
        return Press(self._layout, place, at, is_adding=is_adding, is_alone=is_alone)

    def _row_of(self, place: Place) -> Row:
        """Return the row of a stave that is at a place."""
        return next(
            row
            for row, there in zip(self._rows, self._layout.rows, strict=True)
            if (there.strip, there.lane, there.track) == (place.strip, place.lane, place.track)
        )

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position() + QPointF(0, self._offset)
        drag = self._drag
        if drag is None:
            self._point(at)
            return
        moved = at - drag.origin
        if not drag.has_moved and max(abs(moved.x()), abs(moved.y())) < _DRAG_START:
            return
        drag.has_moved = True
        if drag.grip is Grip.CUE:  # the first direction tells what is meant
            drag.grip = Grip.NUDGE if abs(moved.x()) >= abs(moved.y()) else Grip.STRENGTH
        self._drag_on(drag, at, moved)

    def _drag_on(self, drag: Drag, at: QPointF, moved: QPointF) -> None:
        match drag.grip:
            case Grip.PLAYHEAD:
                self._drag_playhead(at)
            case Grip.LOOP:
                self._drag_loop(drag, at)
            case Grip.SHOT if drag.shot is not None:
                self._drag_shot(drag.shot, at)
            case Grip.RUBBER:
                self._drag_rubber(drag, at)
            case Grip.FREQUENCIES:
                drag_band(self._editor, drag, self._layout, at.y())
            case Grip.BEAT | Grip.TAP:
                self._drag_hit(drag, at)
            case Grip.LANE:
                drag_lane(self._editor, drag, self._layout, at.y())
            case Grip.STRENGTH:
                drag_strength(self._editor, drag, -moved.y() / self._layout.lane_height)
            case _:
                drag_frames(self._editor, drag, self._pixels_to_frames(drag, moved.x()))
                if drag.is_lane_wide:
                    QToolTip.showText(QCursor.pos(), tell_lane_wide(self._editor, drag), self._paper)

    def _drag_playhead(self, at: QPointF) -> None:
        place = self._layout.locate(at.x(), at.y())
        if place is not None:
            self._editor.go_to(frame_at(place.seconds, self._editor.project.rate))

    def _drag_rubber(self, drag: Drag, at: QPointF) -> None:
        """Select the cues, or the shots, in the rectangle from where the button went down to the pointer."""
        self._rubber = QRectF(drag.origin, at).normalized()
        editor = self._editor
        if drag.place.strip is Strip.SHOTS:
            editor.select_shots(drag.shots | shots_within(editor.project, self._layout, self._rubber))
        else:
            found = cues_within(editor, self._layout, self._rubber)
            editor.select_cues(drag.keys | found, lane=drag.place.lane)
        self._paper.update()

    def _drag_hit(self, drag: Drag, at: QPointF) -> None:
        """Move the held beat or tap; with Shift, a beat alone."""
        if drag.grip is Grip.TAP:
            seconds = self._layout.seconds_at(drag.place.stave, at.x())
            self._editor.move_tap(seconds, gesture="tap")
        else:
            seconds = (drag.layout or self._layout).seconds_at(drag.place.stave, at.x())
            alone = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
            drag_beat(self._editor, drag, seconds, alone=alone)

    def _drag_loop(self, drag: Drag, at: QPointF) -> None:
        """Let the loop go from where the button went down to the pointer: from hit to hit."""
        place = self._layout.locate(at.x(), at.y())
        if place is None:
            return
        project = self._editor.project
        ends = sorted(frame_at(one.seconds, project.rate) for one in (drag.place, place))
        per_frame = self._layout.pixels_per_second(place.stave, place.seconds) / float(project.rate)
        first, end = (self._snapping.snapped(project, one, round(_SNAP_PIXELS / per_frame)) for one in ends)
        if end > first:
            self.loop_drawn.emit(first, end)

    def _drag_shot(self, shot: HeldThing, at: QPointF) -> None:
        """Drag a shot, or a cut, to the pointer, on whichever stave that is; Shift lets go of hits."""
        place = self._layout.locate(at.x(), at.y())
        if place is None:
            return
        is_shift = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._is_shift_spent = self._is_shift_spent and is_shift
        shot.move(self._layout, place, is_free=is_shift and not self._is_shift_spent)
        QToolTip.showText(QCursor.pos(), theme.plain(shot.words), self._paper)
        self.trimming.emit(shot.pair)
        self._paper.update()

    def give_up_drag(self) -> bool:
        """Have everything as it was before the drag that goes on; False where there is none."""
        drag, self._drag = self._drag, None
        if drag is None or not drag.has_moved:
            return False
        self._editor.give_up_gesture()
        self.trimming.emit(None)
        self._paper.update()
        return True

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, self._drag = self._drag, None
        if drag is not None and drag.shot is not None and drag.has_moved:
            drag.shot.end()
        self.trimming.emit(None)
        self._editor.end_gesture()
        stays = (Grip.PLAYHEAD, Grip.BEAT, Grip.LANE)
        if drag is not None and not drag.has_moved and drag.grip not in stays:
            self._editor.go_to(frame_at(drag.place.seconds, self._editor.project.rate))
        self._paper.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Switch a cue off or on, take a hit that is left out; elsewhere it is one more click."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position() + QPointF(0, self._offset)
        place = self._layout.locate(at.x(), at.y())
        lane = next((x for x in self._editor.project.lanes if place and x.id == place.lane), None)
        hit = self._cue_at(place, lane, at) if place is not None and lane is not None else None
        if lane is None or place is None or hit is None:
            skipped = None
            if lane is not None and place is not None:
                skipped = skipped_hit_under(self._editor, self._layout, place, lane, at.x())
            if lane is not None and skipped is not None:
                self.hit_taken.emit(lane.id, skipped)
            else:
                self.mousePressEvent(event)
            return
        key = (lane.id, hit[0].hit.time)
        self._editor.apply(lambda p: toggle_cues(p, [key]), "turning cues off or on")

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scroll; with Ctrl, put fewer or more bars in a line."""
        if event is None or not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().wheelEvent(event)
            return
        step = -1 if event.angleDelta().y() > 0 else 1
        index = BARS_PER_LINE.index(self._bars_per_line) + step
        if 0 <= index < len(BARS_PER_LINE):
            self.set_bars_per_line(BARS_PER_LINE[index])
        event.accept()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._paper.unsetCursor()

    def viewportEvent(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            at = QPointF(event.pos()) + QPointF(0, self._offset)
            QToolTip.showText(event.globalPos(), theme.plain(self.tip_at(at)), self._paper)
            return True
        return super().viewportEvent(event)

    def _point(self, at: QPointF) -> None:
        """Let the pointer say what can be dragged here."""
        place = self._layout.locate(at.x(), at.y())
        cursor = Qt.CursorShape.ArrowCursor
        if place is not None:
            cursor = self._row_of(place).cursor(Press(self._layout, place, at, False, False))
        self._paper.setCursor(cursor)

    def tip_at(self, at: QPointF) -> str:
        """Return what is told of a point of the score."""
        place = self._layout.locate(at.x(), at.y())
        return "" if place is None else tell_place(self._editor, self._layout, place, at)

    # Drag and drop

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and self._drops.takes(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is not None:
            self._point_drop(event)
            if self._drops.words:
                QToolTip.showText(QCursor.pos(), self._drops.words, self._paper)
            self._paper.update()
            event.acceptProposedAction()

    def dragLeaveEvent(self, event: QDragLeaveEvent | None) -> None:
        self._drops.end()
        self._paper.update()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is None:
            return
        self._point_drop(event)
        dropped = self._drops.end()
        if dropped.footage:
            self.footage_dropped.emit(dropped.footage, dropped.place)
        elif dropped.effect:
            self.effect_dropped.emit(dropped.effect, dropped.target)
        elif dropped.recipe:
            self.recipe_dropped.emit(dropped.recipe, dropped.target)
        event.acceptProposedAction()
        self._paper.update()

    def _point_drop(self, event: QDropEvent) -> None:
        held = event.modifiers()
        self._drops.point(
            event.mimeData(),
            event.position(),
            self._layout,
            self._offset,
            covers=bool(held & Qt.KeyboardModifier.ControlModifier),
            is_over=bool(held & Qt.KeyboardModifier.ShiftModifier),
        )

    # What is where

    @property
    def _paper(self) -> QWidget:
        viewport = self.viewport()
        assert viewport is not None
        return viewport

    @property
    def _bar(self) -> QScrollBar:
        bar = self.verticalScrollBar()
        assert bar is not None
        return bar

    @property
    def _offset(self) -> int:
        return self._bar.value()

    def _playhead_stave(self) -> Stave:
        rate = self._editor.project.rate
        return self._layout.stave_at(frame_start(self._editor.playhead + 1, rate) - 1e-6)

    def _cue_at(self, place: Place, lane: Lane, at: QPointF) -> tuple[Cue, Grip] | None:
        return cue_under(self._editor, self._layout, place, lane, at)

    def _pixels_to_frames(self, drag: Drag, pixels: float) -> int:
        scale = self._layout.pixels_per_second(drag.place.stave, drag.place.seconds)
        # [px] / [px/s] * [frame/s] = [frame]
        return round(pixels / scale * float(self._editor.project.rate))

    # Staying current

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._lay_out()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self._paper.update()
        self.scrolled.emit()

    def _on_project(self, new: object, old: object) -> None:
        self._lay_out()

    def _on_selection(self) -> None:
        if (self._editor.shown_band is not None) != self._layout.shows_spectrum:
            self._lay_out()
            self.reveal_playhead()
        chosen = self._editor.selection.lane
        if chosen is not None and chosen != self._open_lane:
            self._open_lane = chosen
            if self._layout.is_folded:
                self._lay_out()
        self._doubt_pictures()

    def _on_playhead(self) -> None:
        self.reveal_playhead()
        self._paper.update()

    def _forget_pictures(self) -> None:
        self._pictures.forget()
        self._paper.update()

    def _doubt_pictures(self) -> None:
        """Paint again those staves whose content has changed."""
        self._pictures.doubt()
        self._paper.update()

    def _made_rows(self) -> tuple[Row, ...]:
        """Return the rows of a stave as objects, in the order of the layout's."""
        fold = (FoldRow(self._editor),) if self._layout.is_folded else ()
        lanes = (LaneRow(self._editor, lane) for lane in self._layout.shown_lanes)
        tracks = (TrackRow(self._editor, track, self._snapping) for track in self._layout.tracks)
        return (*self._song_rows, *tracks, *fold, *lanes)

    def _lay_out(self) -> None:
        self._layout = self._laid_out()
        self._rows = self._made_rows()
        self._bar.setRange(0, max(0, round(self._layout.height - self._paper.height())))
        self._bar.setPageStep(self._paper.height())
        self._bar.setSingleStep(40)
        self._doubt_pictures()

    def _laid_out(self) -> ScoreLayout:
        return ScoreLayout(
            self._editor.project,
            self._editor.bars,
            bars_per_line=self._bars_per_line,
            width=self._paper.width(),
            rows=self._lane_rows(),
            open_lane=self._open_lane,
            shows_spectrum=self._editor.shown_band is not None,
        )
