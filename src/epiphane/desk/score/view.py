"""The score on screen, and what mouse and keys do on it."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
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
from PyQt6.QtWidgets import QAbstractScrollArea, QScrollBar, QToolTip, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import LanesSelection, ShotsSelection
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.score.bows import BowsRow
from epiphane.desk.score.buffered import paint_loop, paint_prepared
from epiphane.desk.score.dragging import Dragging
from epiphane.desk.score.drops import Dropped, Drops
from epiphane.desk.score.hit_testing import CueGrip, cue_under, skipped_hit_under, transition_under
from epiphane.desk.score.lane_rows import FoldRow, LaneRow
from epiphane.desk.score.layout import (
    LaneRows,
    Place,
    RowPlace,
    ScoreLayout,
    Stave,
    Strip,
    usual_rows,
)
from epiphane.desk.score.parts import PartsRow
from epiphane.desk.score.rows import HitsRow, Press, Row, RulerRow, ShotsRow, SoundRow
from epiphane.desk.score.stave_cache import ABOVE, BELOW, StavePictures
from epiphane.desk.score.tooltips import tell_place
from epiphane.desk.score.track_rows import TrackRow
from epiphane.document.ids import LaneId, TrackId
from epiphane.document.lane import Lane
from epiphane.edits.keying.cues import toggle_cues
from epiphane.keying.schedule import Cue
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

BARS_PER_LINE = (1, 2, 4, 8)
_AHEAD_MILLISECONDS = 2
_NOWHERE = QPointF(-1, -1)


class ScoreView(QAbstractScrollArea):
    """The whole song in lines of bars.

    Signals
    -------
    footage_dropped(ids: list of FootageId, place: ShotPlace)
        Clips from the shelf, and where they go among the shots.
    effect_dropped(key: str, target: Target)
        An effect from the shelf, and what it was dropped on.
    overlay_dropped(name: str, target: Target, place: ShotPlace or None)
        An overlay from the shelf, and its place on a track, or else what it was dropped on.
    footage_fired(ids: list of FootageId, target: Target)
        Clips from the shelf that hits are to play over the picture.
    recipe_dropped(path: str, target: Target)
        The same of a recipe.
    hit_taken(lane: LaneId, hit: float)
        A hit that a lane leaves out is to be fired.
    loop_drawn(first: int, end: int)
        The frames between which it is to play round.
    trimming(pair: (int, int) or None)
        The frames on both sides of what is dragged; None when it is let go.
    held(is_held: bool)
        Something is dragged from now on, or no longer.
    scrolled()
    lines_changed()
        Another number of bars a line.
    """

    footage_dropped = pyqtSignal(object, object)
    effect_dropped = pyqtSignal(str, object)
    overlay_dropped = pyqtSignal(str, object, object)
    footage_fired = pyqtSignal(object, object)
    recipe_dropped = pyqtSignal(str, object)
    hit_taken = pyqtSignal(object, float)
    loop_drawn = pyqtSignal(int, int)
    trimming = pyqtSignal(object)
    held = pyqtSignal(bool)
    scrolled = pyqtSignal()
    lines_changed = pyqtSignal()

    def __init__(self, editor: Editor, thumbnails: Thumbnails, snapping: Snapping) -> None:
        super().__init__()
        self._editor = editor
        self._song_rows: dict[Strip, Row] = {
            one.strip: one
            for one in (
                PartsRow(editor),
                RulerRow(editor, snapping, self.loop_drawn.emit),
                SoundRow(editor),
                HitsRow(editor),
            )
        }
        self._bows, self._shots = BowsRow(editor), ShotsRow(editor, thumbnails, snapping)
        self._snapping = snapping
        self._loop: tuple[int, int] | None = None
        self._pictures = StavePictures()
        self._ahead = debounced(self, _AHEAD_MILLISECONDS, self._paint_ahead)
        self._bars_per_line = 4
        self._drops = Drops(editor, snapping)
        self._drags = Dragging(self, editor)
        self._drags.trimming.connect(self.trimming)
        self._chosen_rows: LaneRows | None = None
        self._open_lane: LaneId | None = None
        self._prepared: tuple[int, ...] = ()
        self._is_held_still = False
        self._playhead_box = QRect()
        self._is_slim = self._is_taking = False
        self._lift = 0.0
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setAccessibleName(tr("Score"))
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
        self._editor.said.emit(tr("Rows of lanes: {rows}.", rows=tr(self._chosen_rows.value)), False)

    def _lane_rows(self) -> LaneRows:
        return self._chosen_rows or usual_rows(len(self._editor.project.lanes))

    def set_slim(self, is_slim: bool) -> None:
        """Show of each stave the ruler, the song, the shots and all lanes in one row, or all of it again."""
        self._is_slim = is_slim
        self._lay_out()

    def paper(self) -> QWidget:
        """Return what is painted on: the viewport."""
        return self._paper

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
        changed = self._paper.rect() if event is None else event.rect()
        painter.fillRect(changed, theme.GROUND)
        for stave in self._layout.staves:
            top = stave.top - self._offset
            if top - ABOVE <= changed.bottom() and top + stave.height + BELOW >= changed.top():
                painter.drawPixmap(QPointF(0, top - ABOVE), self._picture(stave))
        self._drops.paint(painter, self._layout, offset=self._offset)
        paint_prepared(painter, self._layout, self._editor.project.rate, self._prepared, offset=self._offset)
        if self._loop is not None:
            paint_loop(painter, self._layout, self._editor.project.rate, self._loop, offset=self._offset)
        self._paint_playhead(painter)
        self._ahead.start()
        self._drags.paint(painter, offset=self._offset)

    def _picture(self, stave: Stave) -> QPixmap:
        return self._pictures.picture(self._layout, self._rows, stave, self.devicePixelRatioF())

    def _paint_ahead(self) -> None:
        """Paint a row of a stave beside those that are seen, while there is nothing else to do."""
        low, high = self._offset - self._paper.height() / 2, self._offset + self._paper.height() * 1.5
        for stave in self._layout.staves:
            is_near = stave.top + stave.height > low and stave.top < high
            if is_near and not self._pictures.is_ready(stave):
                self._pictures.paint_row(self._layout, self._rows, stave, self.devicePixelRatioF())
                self._ahead.start()
                return

    def _box_of_playhead(self) -> QRect:
        """Return the part of the viewport that the playhead is painted in."""
        stave = self._playhead_stave()
        seconds = frame_start(self._editor.playhead, self._editor.project.rate)
        x = self._layout.x_at(stave, max(seconds, stave.start))
        top = stave.top - self._offset
        return QRectF(x - 6, top - 4, 12, stave.height + 12).toAlignedRect()

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
        held = event.modifiers()
        press = Press(
            self._layout,
            place,
            at,
            is_adding=bool(held & Qt.KeyboardModifier.ShiftModifier),
            is_alone=bool(held & Qt.KeyboardModifier.ControlModifier),
        )
        with self._held_still():
            self._drags.begin(self._row_of(place).press(press), press)
        self.held.emit(True)

    def _row_of(self, place: Place) -> Row:
        """Return the row of a stave that is at a place."""
        return next(
            row
            for row, there in zip(self._rows, self._layout.rows, strict=True)
            if (there.strip, there.lane, there.track) == (place.strip, place.lane, place.track)
        )

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Select what is under the pointer, and go there; what can be done with it, the window offers."""
        if event is None:
            return
        event.ignore()
        if event.reason() == QContextMenuEvent.Reason.Keyboard or self._editor.project.n_frames == 0:
            return
        at = QPointF(event.pos()) + QPointF(0, self._offset)
        place = self._layout.locate(at.x(), at.y())
        if place is None:
            return
        before = self._editor.selection
        with self._held_still():
            self._row_of(place).press(Press(self._layout, place, at, is_adding=False, is_alone=False))
            self._editor.go_to(frame_at(place.seconds, self._editor.project.rate))
        after = self._editor.selection
        is_among = after.lane in before.lanes if after.lane is not None else after.shot in before.shots
        if is_among and not after.cues and isinstance(before, LanesSelection | ShotsSelection):
            self._editor.select(before)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position() + QPointF(0, self._offset)
        if not self._drags.is_holding:
            self._paper.setCursor(self.cursor_at(at))
        else:
            with self._held_still():
                self._drags.move(at)

    def give_up_drag(self) -> bool:
        """Have everything as it was before the drag that goes on; False where there is none."""
        return self._drags.give_up()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        with self._held_still():
            self._drags.release()
        self.held.emit(False)

    @contextmanager
    def _held_still(self) -> Iterator[None]:
        """Have nothing scroll by itself: what is under the pointer stays there."""
        self._is_held_still = True
        try:
            yield
        finally:
            self._is_held_still = False

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Switch a cue off or on, take a hit that is left out; elsewhere it is one more click."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position() + QPointF(0, self._offset)
        place = self._layout.locate(at.x(), at.y())
        if place is not None and place.strip is Strip.CUTS:
            bow = transition_under(self._editor, self._layout, place.stave, at.x())
            if bow is not None:
                key = (bow[0].lane, bow[0].cue.hit.time)
                self._editor.apply(lambda p: toggle_cues(p, [key]), tr("turning cues off or on"))
            return
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
        self._editor.apply(lambda p: toggle_cues(p, [key]), tr("turning cues off or on"))

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
            if self._drags.is_holding:  # a drag tells of itself
                return True
            at = QPointF(event.pos()) + QPointF(0, self._offset)
            QToolTip.showText(event.globalPos(), theme.plain(self.tip_at(at)), self._paper)
            return True
        return super().viewportEvent(event)

    def cursor_at(self, at: QPointF) -> Qt.CursorShape:
        """Return the pointer that says what can be dragged at a point of the score."""
        place = self._layout.locate(at.x(), at.y())
        if place is None:
            return Qt.CursorShape.ArrowCursor
        return self._row_of(place).cursor(Press(self._layout, place, at, False, False))

    def tip_at(self, at: QPointF) -> str:
        """Return what is told of a point of the score."""
        place = self._layout.locate(at.x(), at.y())
        return "" if place is None else tell_place(self._editor, self._layout, place, at)

    # Drag and drop

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and self._drops.takes(event.mimeData()):
            event.acceptProposedAction()
            self._set_taking(True, event.position())

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is not None:
            self._point_drop(event)
            if self._drops.words:
                QToolTip.showText(QCursor.pos(), self._drops.words, self._paper)
            self._paper.update()
            event.acceptProposedAction()

    def _set_taking(self, is_taking: bool, at: QPointF = _NOWHERE) -> None:
        """Have rows be easy to hit while something is carried; what is under the pointer stays there."""
        old, y = self._layout, at.y() + self._offset
        place = old.locate(at.x(), y)
        self._is_taking, self._lift = is_taking, 0.0
        tall = self._laid_out()
        if is_taking and place is not None:
            here = replace(place, stave=tall.staves[place.stave.index])
            self._lift = tall.middle_of(here) - old.middle_of(place)
        elif is_taking:
            above = [stave.index for stave in old.staves if stave.top < y]
            self._lift = sum(tall.staves[n].height - old.staves[n].height for n in above)
        self._lay_out()

    def dragLeaveEvent(self, event: QDragLeaveEvent | None) -> None:
        self._drops.end()
        self._set_taking(False)
        self._paper.update()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is None:
            return
        self._point_drop(event)
        dropped = self._drops.end()
        self._set_taking(False)
        with self._held_still():
            self._drop(dropped)
        event.acceptProposedAction()
        self._paper.update()

    def _drop(self, dropped: Dropped) -> None:
        if dropped.overlay:
            self.overlay_dropped.emit(dropped.overlay, dropped.target, dropped.place)
        elif dropped.footage and dropped.place is None:
            self.footage_fired.emit(dropped.footage, dropped.target)
        elif dropped.footage:
            self.footage_dropped.emit(dropped.footage, dropped.place)
        elif dropped.effect:
            self.effect_dropped.emit(dropped.effect, dropped.target)
        elif dropped.recipe:
            self.recipe_dropped.emit(dropped.recipe, dropped.target)

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

    def _cue_at(self, place: Place, lane: Lane, at: QPointF) -> tuple[Cue, CueGrip] | None:
        return cue_under(self._editor, self._layout, place, lane, at.x())

    # Staying current

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._lay_out()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self._paper.update()
        self.scrolled.emit()

    def _on_project(self, new: object, old: object) -> None:
        self._lay_out()

    def _on_selection(self) -> None:
        if (self._editor.chosen.band is not None) != self._layout.shows_spectrum:
            self._lay_out()
            self.reveal_playhead()
        chosen = self._editor.selection.lane
        if chosen is not None and chosen != self._open_lane:
            self._open_lane = chosen
            if self._layout.is_folded:
                self._lay_out()
        self._doubt_pictures()

    def _on_playhead(self) -> None:
        before = self._offset
        if not self._is_held_still:
            self.reveal_playhead()
        if self._offset == before:  # while it plays nothing but the playhead changes
            self._paper.update(self._playhead_box)
        self._playhead_box = self._box_of_playhead()
        self._paper.update(self._playhead_box)

    def _forget_pictures(self) -> None:
        self._pictures.forget()
        self._paper.update()

    def _doubt_pictures(self) -> None:
        """Paint again those staves whose content has changed."""
        self._pictures.doubt()
        self._paper.update()

    def _made_rows(self) -> tuple[Row, ...]:
        """Return the rows of a stave as objects, in the order of the layout's."""
        rows: dict[Strip, Callable[[RowPlace], Row]] = {
            Strip.CUTS: lambda _: self._bows,
            Strip.SHOTS: lambda _: self._shots,
            Strip.FOLD: lambda _: FoldRow(self._editor),
            Strip.LANE: lambda place: LaneRow(self._editor, place.lane or LaneId(0), self._snapping),
            Strip.TRACK: lambda place: TrackRow(self._editor, place.track or TrackId(0), self._snapping),
        }
        return tuple(
            self._song_rows.get(place.strip) or rows[place.strip](place) for place in self._layout.rows
        )

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
            is_slim=self._is_slim,
            is_taking=self._is_taking,
            lift=self._lift,
            shows_spectrum=self._editor.chosen.band is not None,
        )
