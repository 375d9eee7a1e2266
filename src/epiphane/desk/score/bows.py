"""The bows of transitions above the shots: as wide as their frames, dragged by their ends."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from epiphane.desk.control.selection import SongSelection
from epiphane.desk.look import theme
from epiphane.desk.look.lanes import family_colour
from epiphane.desk.score.gesture import Gesture
from epiphane.desk.score.hit_testing import CueGrip, bow_of, transition_under, transitions_on
from epiphane.desk.score.lane_rows import hold_cue
from epiphane.desk.score.layout import ScoreLayout, Stave, Strip
from epiphane.desk.score.rows import Press, Row
from epiphane.keying.transition_cues import TransitionCue


class BowsRow(Row):
    """The transitions of a stave."""

    strip = Strip.CUTS
    is_apart = True

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        return transitions_on(self._editor, stave), self._editor.selection.cues, self._editor.project.footage

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        top, height = layout.bows_top(stave.top), layout.bows_height
        painter.fillRect(QRectF(0, top, layout.width, height + 1), theme.GROUND)
        left, right = layout.left(stave), layout.right(stave)
        painter.save()
        painter.setClipRect(QRectF(left - 4, top, right - left + 8, height + 1))
        for one in transitions_on(self._editor, stave):
            self._paint(painter, layout, stave, one)
        painter.restore()

    def cursor(self, press: Press) -> Qt.CursorShape:
        found = transition_under(self._editor, press.layout, press.place.stave, press.at.x())
        if found is None:
            return Qt.CursorShape.ArrowCursor
        is_body = found[1] is CueGrip.BODY
        return Qt.CursorShape.PointingHandCursor if is_body else Qt.CursorShape.SizeHorCursor

    def press(self, press: Press) -> Gesture | None:
        """Hold a transition: by an end for the frames of its lane, with Ctrl for its own."""
        found = transition_under(self._editor, press.layout, press.place.stave, press.at.x())
        if found is None and press.is_adding:
            return self._band_over_cues(press, None)
        if found is None:
            self._editor.select(SongSelection())
            return self._go_there(press)
        one, grip = found
        key, chosen = (one.lane, one.cue.hit.time), self._editor.selection.cues
        if press.is_adding:
            self._editor.select_cues(chosen ^ {key}, lane=one.lane)
            return self._band_over_cues(press, one.lane)
        if key not in chosen:
            self._editor.select_cues(frozenset({key}), lane=one.lane)
        return hold_cue(self._editor, press, one.lane, one.cue, grip)

    def _paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave, one: TransitionCue) -> None:
        """Paint a bow; a side for which the footage is too short is hollow."""
        bow = bow_of(self._editor, layout, stave, one)
        top, base = layout.bows_top(stave.top) + 3, layout.bows_top(stave.top) + layout.bows_height
        colour = family_colour(one.transition.key)
        is_chosen = (one.lane, one.cue.hit.time) in self._editor.selection.cues
        # Before the cut it is the incoming footage that is needed, after it the outgoing.
        lacking = one.n_lacking(self._editor.project)
        for end, n_lacking in ((bow.left, lacking[1]), (bow.right, lacking[0])):
            path = QPainterPath(QPointF(bow.peak, base))
            path.lineTo(bow.peak, top)
            path.quadTo(bow.peak + (end - bow.peak) * 0.75, top, end, base)
            path.closeSubpath()
            painter.setPen(QPen(theme.TEXT if is_chosen else theme.GROUND, 1.4 if is_chosen else 0.8))
            painter.setBrush(colour)
            if n_lacking:
                painter.setPen(QPen(theme.TEXT if is_chosen else colour, 1.2, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        painter.setPen(QPen(theme.TEXT, 1))
        painter.drawLine(QPointF(bow.peak, top), QPointF(bow.peak, base))
        if one.cue.override is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.TEXT)
            painter.drawEllipse(QPointF(bow.peak, base - 3), 2, 2)
