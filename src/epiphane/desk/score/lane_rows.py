"""The strip of a lane on a stave, and the one row in which all lanes stand."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import LaneSelection
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.look import theme
from epiphane.desk.look.cue_path import cue_path
from epiphane.desk.look.lanes import family_colour, lane_colour, lane_family, lane_label
from epiphane.desk.look.marks import paint_family, ratio_of
from epiphane.desk.score.choosing import lane_in_fold, lanes_with
from epiphane.desk.score.cue_silhouettes import bands_image, heights_image, heights_of
from epiphane.desk.score.gesture import CueDrag, FootDrag, Gesture, RowDrag
from epiphane.desk.score.hit_testing import CueGrip, cue_outline, cue_under
from epiphane.desk.score.layout import MARGIN_LEFT, NAMES_RIGHT, ScoreLayout, Stave, Strip
from epiphane.desk.score.rows import Press, Row
from epiphane.desk.score.span_drag import SpanDrag, span_of_hit
from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane, Span, Trigger
from epiphane.document.project import find
from epiphane.edits.shots.shots import footage_name
from epiphane.keying.overlays import clip_of
from epiphane.keying.schedule import Cue, LaneSchedule
from epiphane.keying.words import word_of
from epiphane.lane_kinds import OVERLAY, is_layer
from epiphane.timing import frame_at, frame_start
from epiphane.types import FloatArray
from epiphane.wording import tr

_MARK_REACH = 4.5
_LEAST_NAME = 16
_WORD_ROOM = 60  # how far a word may reach beyond its cue
_SHAPED = (Trigger.FIRE, Trigger.SPAN)
"""What is drawn as the envelopes of its cues."""


class _Strip(Struct, frozen=True, eq=False):
    """Where the strip of a lane is painted, and in which colour."""

    painter: QPainter
    layout: ScoreLayout
    stave: Stave
    lane: LaneSchedule
    top: float
    colour: QColor

    @property
    def base(self) -> float:
        """The line on which cues stand."""
        return self.top + self.layout.lane_height - 1

    @property
    def room(self) -> int:
        """How high a cue of full strength is."""
        return self.layout.lane_height - 3


class LaneRow(Row):
    """The cues of one lane."""

    strip = Strip.LANE
    is_apart = True

    def __init__(self, editor: Editor, lane: LaneId, snapping: Snapping) -> None:
        super().__init__(editor)
        self.lane_id = lane
        self._snapping = snapping

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        return lane_content(self._editor, stave, self._schedule)

    @property
    def _schedule(self) -> LaneSchedule:
        found = self._editor.cues.lane(self.lane_id)
        assert found is not None
        return found

    def cursor(self, press: Press) -> Qt.CursorShape:
        lane = find(self._editor.project.lanes, self.lane_id, "lane")
        hit = cue_under(self._editor, press.layout, press.place, lane, press.at.x())
        if hit is None:
            return Qt.CursorShape.ArrowCursor
        is_body = hit[1] is CueGrip.BODY
        return Qt.CursorShape.PointingHandCursor if is_body else Qt.CursorShape.SizeHorCursor

    def press(self, press: Press) -> Gesture | None:
        if self.lane_id in press.layout.folded:
            self._editor.select(LaneSelection(self.lane_id))
            return RowDrag(self._editor, press.place)
        is_on_name = press.at.x() < NAMES_RIGHT
        if is_on_name and (press.is_adding or press.is_alone):
            self._editor.select(lanes_with(self._editor, self.lane_id, is_range=press.is_adding))
            return None
        lane = find(self._editor.project.lanes, self.lane_id, "lane")
        hit = cue_under(self._editor, press.layout, press.place, lane, press.at.x())
        if hit is None:
            return self._press_beside(press, lane, is_on_name=is_on_name)
        cue, grip = hit
        key, chosen = (lane.id, cue.hit.time), self._editor.selection.cues
        if press.is_adding:  # a click adds it or takes it away, a drag draws a band, wherever it begins
            self._editor.select_cues(chosen ^ {key}, lane=lane.id)
            return self._band_over_cues(press, lane.id)
        if key not in chosen:
            self._editor.select_cues(frozenset({key}), lane=lane.id)
        span = span_of_hit(self._editor.project, lane, cue.hit.time) if lane.trigger is Trigger.SPAN else None
        if span is not None:
            return self._hold_span(press, span, grip)
        return hold_cue(self._editor, press, lane.id, cue, grip)

    def _press_beside(self, press: Press, lane: Lane, *, is_on_name: bool) -> Gesture:
        """Select the lane, and hold its row, a span that begins here, or a band."""
        is_open = not self._editor.selection.cues and lane.id in self._editor.selection.lanes
        if not press.is_adding and not (is_on_name and is_open):
            self._editor.select(LaneSelection(lane.id))
        if lane.trigger is Trigger.SPAN and not is_on_name and not press.is_adding:
            return self._hold_span(press, None, CueGrip.FALL)
        return RowDrag(self._editor, press.place) if is_on_name else self._band_over_cues(press, lane.id)

    def _hold_span(self, press: Press, span: Span | None, grip: CueGrip) -> Gesture:
        return SpanDrag(self._editor, self._snapping, self.lane_id, span, grip, press.place.seconds)

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        """Paint it over what was there."""
        lane, top = self._schedule, layout.lane_top(stave, layout.lanes.index(self.lane_id))
        colour = theme.RULE if lane.is_silent else lane_colour(lane.lane)
        if self.lane_id in layout.folded:
            self._paint_folded(painter, layout, stave, top, colour)
            return
        strip = _Strip(painter, layout, stave, lane, top, colour)
        painter.fillRect(QRectF(0, top - 1, layout.width, layout.lane_height + 2), theme.GROUND)
        self._paint_name(strip)
        left, right = layout.left(stave), layout.right(stave)
        painter.fillRect(QRectF(left, top, right - left, layout.lane_height), theme.STRIP)
        painter.save()
        painter.setClipPath(self._clip(strip))
        if lane.lane.id == self._editor.selection.lane:
            self._paint_skipped(strip)
        if lane.lane.trigger not in _SHAPED and not lane.is_silent:
            self._paint_level(strip)
        self._paint_cues(strip)
        painter.restore()

    def _paint_folded(
        self, painter: QPainter, layout: ScoreLayout, stave: Stave, top: float, colour: QColor
    ) -> None:
        """Paint its level as one line of its colour, and no name."""
        height = layout.row_step(self.lane_id) - layout.heights.lane_gap
        left, right = layout.left(stave), layout.right(stave)
        painter.fillRect(QRectF(0, top - 1, layout.width, height + 2), theme.GROUND)
        painter.fillRect(QRectF(left, top, right - left, height), theme.STRIP)
        middle = QPointF(MARGIN_LEFT - 7.5, top + height / 2)
        paint_family(painter, lane_family(self._schedule.lane), middle, height / 2 - 0.5, colour)
        columns = range(int(left), int(right) + 1)
        seconds = layout.seconds_of(stave, np.array(columns, np.float64))
        frames = (seconds * float(self._editor.project.rate)).astype(int)
        image = bands_image(_levels_at(self._schedule, frames)[None], [colour])
        painter.drawImage(QRectF(int(left), top + 1, len(columns), height - 2), image)

    def _paint_name(self, strip: _Strip) -> None:
        painter, layout, lane, top = strip.painter, strip.layout, strip.lane, strip.top
        is_chosen = lane.lane.id in self._editor.selection.lanes
        painter.setFont(theme.words(8.5, weight=600 if is_chosen else 400))
        painter.setPen(theme.TEXT if is_chosen else theme.QUIET)
        room = QRectF(4, top - 1, MARGIN_LEFT - 18, layout.lane_height + 2)
        name = f"↳ {lane_label(lane.lane)}" if lane.lane.track is not None else lane_label(lane.lane)
        text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, _RIGHT, text)
        reach = min(_MARK_REACH, layout.lane_height / 2 - 1)
        middle = QPointF(MARGIN_LEFT - 7.5, top + layout.lane_height / 2)
        paint_family(painter, lane_family(lane.lane), middle, reach, strip.colour)

    def _paint_cues(self, strip: _Strip) -> None:
        """Paint those that are as their lane has them in one go, and then those that are not, or chosen."""
        chosen, lane = self._editor.selection.cues, strip.lane
        lane_id = lane.lane.id
        plain: list[Cue] = []
        others: list[Cue] = []
        near = lane.cues_near(strip.stave.start, strip.stave.end, float(self._editor.project.rate))
        if is_layer(lane.lane.effect) or lane.lane.trigger is Trigger.SPAN:
            for cue in near:
                self._paint_block(strip, cue)
            return
        for cue in near:
            is_plain = cue.override is None and (lane_id, cue.hit.time) not in chosen
            (plain if is_plain and lane.lane.trigger in _SHAPED else others).append(cue)
        if plain:
            self._paint_plain(strip, plain)
        for cue in others:
            self._paint_cue(strip, cue)

    def _paint_block(self, strip: _Strip, cue: Cue) -> None:
        """Paint a cue that lasts as a block with what it shows: footage or words laid over, or a span."""
        painter, lane = strip.painter, strip.lane.lane
        rate = float(self._editor.project.rate)
        shape = cue_outline(strip.layout, strip.stave, cue, rate)
        is_chosen = (lane.id, cue.hit.time) in self._editor.selection.cues
        is_layer_cue = is_layer(lane.effect) and lane.trigger is not Trigger.SPAN
        top, right = strip.base - strip.room, shape.right
        room = right + (0 if lane.words is None else _WORD_ROOM)
        frame = strip.lane.next_peak(cue.frame) if is_layer_cue else None
        if frame is not None:  # the next cue takes its place
            after = strip.layout.x_at(strip.stave, frame / rate)
            right, room = min(right, after), min(room, after)
        path = cue_path(shape, cue.envelope, strip.base, full_height=strip.room)
        if is_layer_cue and lane.words is None:
            path = QPainterPath()
            path.addRect(QRectF(shape.left, top + 2, right - shape.left, strip.room - 2))
        ground = QColor(strip.colour)
        ground.setAlpha(0 if cue.is_off else 70)
        painter.setBrush(ground)
        line = Qt.PenStyle.DotLine if cue.is_off else Qt.PenStyle.SolidLine
        painter.setPen(QPen(theme.TEXT if is_chosen else strip.colour, 1.6 if is_chosen else 1, line))
        painter.drawPath(path)
        if is_layer_cue:
            painter.fillRect(QRectF(shape.peak - 1, top + 2, 2, strip.room - 2), strip.colour)
            self._paint_shown(strip, cue, QRectF(shape.peak + 4, top, room - shape.peak - 8, strip.room))
        if cue.override is not None and not cue.is_off:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.TEXT)
            painter.drawPolygon(_diamond(shape.peak, strip.base - 2.5, 2.6))

    def _paint_shown(self, strip: _Strip, cue: Cue, box: QRectF) -> None:
        """Paint the word that a cue shows, or the name of the footage it plays, where there is room."""
        if box.width() < _LEAST_NAME or cue.is_off:
            return
        turn = strip.lane.turn_of(cue)
        if strip.lane.lane.words is None:
            clip = clip_of(self._editor.project, strip.lane.lane, cue, turn)
            shown = "" if clip is None else footage_name(clip)
        else:
            shown = word_of(self._editor.project, strip.lane, cue, turn)
        strip.painter.setFont(theme.words(8))
        strip.painter.setPen(theme.TEXT)
        metrics = strip.painter.fontMetrics()
        text = metrics.elidedText(shown, Qt.TextElideMode.ElideRight, int(box.width()))
        strip.painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)

    def _paint_plain(self, strip: _Strip, cues: Sequence[Cue]) -> None:
        """Paint cues as a picture of all of them: there may be hundreds on a stave."""
        layout, stave = strip.layout, strip.stave
        rate, ratio = float(self._editor.project.rate), ratio_of(strip.painter)
        left, right = int(layout.left(stave)), int(layout.right(stave)) + 1
        at = np.array([cue.frame for cue in cues]) / rate
        peaks = layout.xs_of(stave, at)
        widths = layout.xs_of(stave, at + 1 / rate) - peaks
        heights = heights_of(
            tuple(cue.envelope for cue in cues),
            (peaks - left) * ratio,
            widths * ratio,
            np.minimum([cue.strength for cue in cues], 1.0),
            round((right - left) * ratio),
        )
        image = heights_image(heights, round(strip.room * ratio), strip.colour)
        strip.painter.drawImage(QRectF(left, strip.base - strip.room, right - left, strip.room), image)

    def _clip(self, strip: _Strip) -> QPainterPath:
        """Return where a lane's cues are seen: on its shots, if it is for some."""
        layout, stave, lane = strip.layout, strip.stave, strip.lane
        left, right, rate = layout.left(stave), layout.right(stave), self._editor.project.rate
        spans = [(left, right)]
        if lane.frames_of_shots is not None:
            spans = [
                (max(left, layout.x_at(stave, start)), min(right, layout.x_at(stave, end)))
                for start, end in (
                    (frame_start(a, rate), frame_start(b, rate)) for a, b in lane.frames_of_shots
                )
                if start < stave.end and end > stave.start
            ]
        path = QPainterPath()
        for first, end in spans:
            path.addRect(QRectF(first, strip.top - 1, end - first, layout.lane_height + 2))
        return path

    def _paint_level(self, strip: _Strip) -> None:
        """Show the level itself, where it is not made of cues that come and go."""
        painter, layout, stave, lane = strip.painter, strip.layout, strip.stave, strip.lane
        rate = self._editor.project.rate
        first, last = frame_at(stave.start, rate), min(frame_at(stave.end, rate) + 1, len(lane.levels))
        path = QPainterPath(QPointF(layout.left(stave), strip.base))
        for frame in range(first, last):
            level = min(max(float(lane.levels[frame]), 0.0), 1.0)
            x = layout.x_at(stave, max(frame_start(frame, rate), stave.start))
            path.lineTo(x, strip.base - strip.room * level)
        path.lineTo(layout.right(stave), strip.base)
        path.closeSubpath()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(strip.colour)
        painter.drawPath(path)

    def _paint_skipped(self, strip: _Strip) -> None:
        """Show the hits of the lane's pulse that it does not take as points."""
        strip.painter.setPen(Qt.PenStyle.NoPen)
        strip.painter.setBrush(theme.QUIET)
        for time in strip.lane.skipped_hits:
            if strip.stave.start <= time < strip.stave.end:
                at = QPointF(strip.layout.x_at(strip.stave, time), strip.base - 2)
                strip.painter.drawEllipse(at, 1.3, 1.3)

    def _paint_cue(self, strip: _Strip, cue: Cue) -> None:
        painter, base, lane, colour = strip.painter, strip.base, strip.lane.lane, strip.colour
        shape = cue_outline(strip.layout, strip.stave, cue, float(self._editor.project.rate))
        is_chosen = (lane.id, cue.hit.time) in self._editor.selection.cues
        path = cue_path(shape, cue.envelope, base, full_height=strip.room if cue.is_off else None)
        if cue.override is not None and cue.override.effect is not None and colour != theme.RULE:
            colour = family_colour(cue.override.effect)
        if cue.is_off:
            painter.setPen(QPen(colour, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        else:
            painter.setPen(QPen(theme.GROUND, 0.8))
            painter.setBrush(colour)
        if lane.trigger in _SHAPED or cue.is_off:
            painter.drawPath(path)
        else:
            painter.setPen(QPen(theme.TEXT, 1.2))
            painter.drawLine(QPointF(shape.peak, base), QPointF(shape.peak, base - 5))
        if cue.override is not None and not cue.is_off:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.TEXT)
            painter.drawPolygon(_diamond(shape.peak, base - 2.5, 2.6))
        if is_chosen:
            painter.setPen(QPen(theme.TEXT, 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            tall = strip.room + 2
            painter.drawRect(QRectF(shape.left - 2, base - tall, shape.right - shape.left + 4, tall))
            for x in (shape.left - 2, shape.right + 2):  # where its feet are held
                painter.fillRect(QRectF(x - 1.5, base - tall / 2 - 4, 3, 8), theme.TEXT)


def hold_cue(editor: Editor, press: Press, lane: LaneId, cue: Cue, grip: CueGrip) -> Gesture:
    """Return what is dragged of the selected cues by what is held of one of them."""
    keys = editor.selection.cues
    if grip is CueGrip.BODY:
        return CueDrag(editor, press.place, keys, cue)
    return FootDrag(editor, press.place, lane, keys, cue, grip, is_alone=press.is_alone)


class FoldRow(Row):
    """All lanes in one row, one over the other."""

    strip = Strip.FOLD
    is_apart = True

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        return tuple(lane_content(self._editor, stave, lane) for lane in self._editor.cues.lanes)

    def press(self, press: Press) -> Gesture | None:
        """Open the lane of the cue that is nearest in the row of all lanes."""
        if press.is_adding:
            return self._band_over_cues(press, None)
        lane = lane_in_fold(self._editor, press.layout, press.place, press.at.x())
        if lane is not None:
            self._editor.select(LaneSelection(lane))
        return self._go_there(press)

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        top, height = layout.stack_top(stave.top), layout.fold_height - layout.heights.lane_gap
        left, right = layout.left(stave), layout.right(stave)
        painter.fillRect(QRectF(0, top - 1, layout.width, height + 2), theme.GROUND)
        painter.setFont(theme.words(8.5))
        painter.setPen(theme.QUIET)
        painter.drawText(
            QRectF(4, top, MARGIN_LEFT - 18, height), _RIGHT, tr("{count} lanes", count=len(layout.lanes))
        )
        painter.fillRect(QRectF(left, top, right - left, height), theme.STRIP)
        columns = range(int(left), int(right) + 1)
        seconds = layout.seconds_of(stave, np.array(columns, np.float64))
        frames = (seconds * float(self._editor.project.rate)).astype(int)
        bands = [_levels_at(lane, frames) for lane in self._editor.cues.lanes]
        colours = [
            theme.RULE if lane.is_silent else lane_colour(lane.lane) for lane in self._editor.cues.lanes
        ]
        painter.drawImage(QRectF(int(left), top, len(columns), height), bands_image(np.array(bands), colours))


def lane_content(editor: Editor, stave: Stave, lane: LaneSchedule) -> object:
    """Return everything that a lane shows on a stave."""
    selection = editor.selection
    rate = editor.project.rate
    first, end = (frame_at(seconds, rate) for seconds in (stave.start, stave.end))
    lane_id = lane.lane.id
    cues = lane.cues_near(stave.start, stave.end, float(rate))
    chosen = selection.cues
    return (
        (replace(lane.lane, overrides=()), lane.is_silent, lane.frames_of_shots, lane_id in selection.lanes),
        cues,
        tuple((lane_id, cue.hit.time) in chosen for cue in cues) if chosen else (),
        b"" if lane.lane.trigger in _SHAPED else lane.levels[first : end + 1].tobytes(),
        editor.project.footage if lane.lane.effect == OVERLAY.key else (),
        lane.skipped_hits if selection.lane == lane_id else (),
        tuple(lane.turn_of(cue) for cue in cues) if is_layer(lane.lane.effect) else (),
    )


def _levels_at(lane: LaneSchedule, frames: np.ndarray) -> FloatArray:
    """Return the level of a lane on some frames, 0 to 1."""
    if not len(lane.levels):
        return np.zeros(len(frames))
    return np.asarray(np.clip(lane.levels[np.clip(frames, 0, len(lane.levels) - 1)], 0, 1))


def _diamond(x: float, y: float, reach: float) -> QPolygonF:
    return QPolygonF(
        [QPointF(x, y - reach), QPointF(x + reach, y), QPointF(x, y + reach), QPointF(x - reach, y)]
    )


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
