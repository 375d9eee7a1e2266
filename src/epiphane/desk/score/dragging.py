"""The drag that goes on over the score: what each move of the mouse does with what is held."""

from typing import Protocol

from PyQt6.QtCore import QObject, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QCursor, QPainter, QPen
from PyQt6.QtWidgets import QApplication, QToolTip, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.look import theme
from epiphane.desk.score.drag import (
    Drag,
    Grip,
    HeldThing,
    drag_band,
    drag_beat,
    drag_frames,
    drag_row,
    drag_strength,
)
from epiphane.desk.score.lane_wide import paint_lane_wide, tell_lane_wide
from epiphane.desk.score.layout import ScoreLayout, Strip
from epiphane.desk.score.pick import cues_within, shots_within
from epiphane.timing import frame_at

_DRAG_START = 4
_SNAP_PIXELS = 8


class LaidOut(Protocol):
    """The score, as far as a drag has to know it."""

    def layout_now(self) -> ScoreLayout:
        """Return where things are."""
        ...

    def paper(self) -> QWidget:
        """Return what is painted on."""
        ...


class Dragging(QObject):
    """What is held with the mouse in the score.

    Attributes
    ----------
    held : Drag or None

    Signals
    -------
    loop_drawn(first: int, end: int)
        The frames between which it is to play round.
    trimming(pair: (int, int) or None)
        The frames on both sides of what is dragged; None when it is let go.
    """

    loop_drawn = pyqtSignal(int, int)
    trimming = pyqtSignal(object)

    def __init__(self, view: LaidOut, editor: Editor, snapping: Snapping) -> None:
        super().__init__()
        self._view, self._editor, self._snapping = view, editor, snapping
        self._is_shift_spent = False
        self._rubber = QRectF()
        self.held: Drag | None = None

    def begin(self, drag: Drag | None, *, is_shift: bool) -> None:
        """Hold something from now on; where there is nothing new, what was held."""
        self._is_shift_spent = is_shift  # it says what is dragged, and not that it is free
        self.held = drag or self.held

    def move(self, at: QPointF) -> None:
        """Do with what is held what the pointer means at a point of the score."""
        drag = self.held
        if drag is None:
            return
        moved = at - drag.origin
        if not drag.has_moved and max(abs(moved.x()), abs(moved.y())) < _DRAG_START:
            return
        drag.has_moved = True
        if drag.grip is Grip.CUE:  # the first direction tells what is meant
            drag.grip = Grip.NUDGE if abs(moved.x()) >= abs(moved.y()) else Grip.STRENGTH
        self._drag_on(drag, at, moved)

    def give_up(self) -> bool:
        """Have everything as it was before what is held was dragged; False where nothing was."""
        drag, self.held = self.held, None
        if drag is None or not drag.has_moved:
            return False
        self._editor.give_up_gesture()
        self.trimming.emit(None)
        self._view.paper().update()
        return True

    def release(self) -> None:
        """Let go; where nothing was dragged, the playhead goes there."""
        drag, self.held = self.held, None
        if drag is not None and drag.shot is not None and drag.has_moved:
            drag.shot.end()
        self.trimming.emit(None)
        self._editor.end_gesture()
        stays = (Grip.PLAYHEAD, Grip.BEAT, Grip.ROW)
        if drag is not None and not drag.has_moved and drag.grip not in stays:
            there = frame_at(drag.place.seconds, self._editor.project.rate)
            self._editor.go_to(there if drag.cue is None else drag.cue.frame)
        self._view.paper().update()

    def paint(self, painter: QPainter, *, offset: int) -> None:
        """Show over the score, scrolled by `offset`, what is dragged and what it would do."""
        drag, layout = self.held, self._view.layout_now()
        if drag is None or not drag.has_moved:
            return
        if drag.grip is Grip.RUBBER:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.TEXT, 1, Qt.PenStyle.DashLine))
            painter.drawRect(self._rubber.translated(0, -offset))
        elif drag.shot is not None:
            drag.shot.paint(painter, layout, offset=offset)
        elif drag.is_lane_wide:
            paint_lane_wide(painter, layout, drag.place.lane, offset=offset)

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
                drag_band(self._editor, drag, self._view.layout_now(), at.y())
            case Grip.BEAT | Grip.TAP:
                self._drag_hit(drag, at)
            case Grip.ROW:
                drag_row(self._editor, drag, self._view.layout_now(), at.y())
            case Grip.STRENGTH:
                drag_strength(self._editor, drag, -moved.y() / self._view.layout_now().lane_height)
            case _:
                drag_frames(self._editor, drag, self._pixels_to_frames(drag, moved.x()))
                if drag.is_lane_wide:
                    QToolTip.showText(QCursor.pos(), tell_lane_wide(self._editor, drag), self._view.paper())

    def _drag_playhead(self, at: QPointF) -> None:
        place = self._view.layout_now().locate(at.x(), at.y())
        if place is not None:
            self._editor.go_to(frame_at(place.seconds, self._editor.project.rate))

    def _drag_rubber(self, drag: Drag, at: QPointF) -> None:
        """Select the cues, or the shots, in the rectangle from where the button went down to the pointer."""
        self._rubber = QRectF(drag.origin, at).normalized()
        editor, layout = self._editor, self._view.layout_now()
        if drag.place.strip is Strip.SHOTS:
            editor.select_shots(drag.shots | shots_within(editor.project, layout, self._rubber))
        else:
            found = cues_within(editor, layout, self._rubber)
            editor.select_cues(drag.keys | found, lane=drag.place.lane)
        self._view.paper().update()

    def _drag_hit(self, drag: Drag, at: QPointF) -> None:
        """Move the held beat or tap; with Shift, a beat alone."""
        if drag.grip is Grip.TAP:
            seconds = self._view.layout_now().seconds_at(drag.place.stave, at.x())
            self._editor.move_tap(seconds, gesture="tap")
        else:
            seconds = (drag.layout or self._view.layout_now()).seconds_at(drag.place.stave, at.x())
            alone = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
            drag_beat(self._editor, drag, seconds, alone=alone)

    def _drag_loop(self, drag: Drag, at: QPointF) -> None:
        """Let the loop go from where the button went down to the pointer: from hit to hit."""
        place = self._view.layout_now().locate(at.x(), at.y())
        if place is None:
            return
        project, snapped = self._editor.project, self._snapping.snapped
        ends = sorted(frame_at(one.seconds, project.rate) for one in (drag.place, place))
        per_frame = self._view.layout_now().pixels_per_second(place.stave, place.seconds) / float(
            project.rate
        )
        first, end = (snapped(project, one, round(_SNAP_PIXELS / per_frame)) for one in ends)
        if end > first:
            self.loop_drawn.emit(first, end)

    def _drag_shot(self, shot: HeldThing, at: QPointF) -> None:
        """Drag a shot, or a cut, to the pointer, on whichever stave that is; Shift lets go of hits."""
        place = self._view.layout_now().locate(at.x(), at.y())
        if place is None:
            return
        is_shift = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._is_shift_spent = self._is_shift_spent and is_shift
        shot.move(self._view.layout_now(), place, is_free=is_shift and not self._is_shift_spent)
        QToolTip.showText(QCursor.pos(), theme.plain(shot.words), self._view.paper())
        self.trimming.emit(shot.pair)
        self._view.paper().update()

    def _pixels_to_frames(self, drag: Drag, pixels: float) -> int:
        scale = self._view.layout_now().pixels_per_second(drag.place.stave, drag.place.seconds)
        # [px] / [px/s] * [frame/s] = [frame]
        return round(pixels / scale * float(self._editor.project.rate))
