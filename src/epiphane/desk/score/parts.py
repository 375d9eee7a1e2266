"""The line of parts above the ruler: parts of the song and drops, and what is dragged of them."""

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from epiphane.arrays import nearest_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import DropSelection, PartSelection, SongSelection
from epiphane.desk.look import theme
from epiphane.desk.score.gesture import Gesture, Pointer
from epiphane.desk.score.hit_testing import part_grip
from epiphane.desk.score.layout import MARGIN_LEFT, SECTION_HEIGHT, ScoreLayout, Stave, Strip
from epiphane.desk.score.rows import Press, Row
from epiphane.document.song import Section
from epiphane.edits.song.form import move_drop, move_part, shortest_part
from epiphane.facts.form import part_at, part_words, parts_of
from epiphane.facts.grid import bars_of
from epiphane.timing import frame_at
from epiphane.wording import tr

_NAME_INSET = 6.0  # clear of the playhead
_SAME_SECONDS = 0.05


class PartsRow(Row):
    """The parts of the song and its drops: those that the user set are drawn full, those heard thinner."""

    strip = Strip.PARTS

    def __init__(self, editor: Editor) -> None:
        super().__init__(editor)

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        song, selection = self._editor.project.song, self._editor.selection
        if song is None:
            return None
        return song.sections, song.drops, song.has_own_drops, selection.part, selection.drop

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        song = self._editor.project.song
        if song is None:
            return
        parts = parts_of(song)
        if not parts and stave.index == 0:
            painter.setPen(theme.QUIET)
            painter.setFont(theme.words(8.5))
            painter.drawText(QRectF(0, stave.top - 4, MARGIN_LEFT - 14, SECTION_HEIGHT - 1), _RIGHT, "parts")
        for number, part in enumerate(parts):
            if part.end > stave.start and part.start < stave.end:
                self._paint_part(painter, layout, stave, part, number)
        for number, drop in enumerate(song.drops):
            if stave.start - 1e-3 <= drop < stave.end:
                is_chosen = number == self._editor.selection.drop
                at = QPointF(layout.x_at(stave, drop), stave.top - 1)
                _paint_drop(painter, at, is_own=song.has_own_drops, is_chosen=is_chosen)

    def cursor(self, press: Press) -> Qt.CursorShape:
        grip = part_grip(self._editor.project, press.layout, press.place.stave, press.at.x())
        if grip is None:
            return Qt.CursorShape.PointingHandCursor
        return Qt.CursorShape.SplitHCursor if grip.drop is None else Qt.CursorShape.SizeHorCursor

    def press(self, press: Press) -> Gesture | None:
        editor, song = self._editor, self._editor.project.song
        grip = part_grip(editor.project, press.layout, press.place.stave, press.at.x())
        if grip is not None and grip.drop is not None:
            editor.select(DropSelection(grip.drop))
            return DropDrag(editor, grip.drop)
        if grip is not None and grip.part is not None:
            editor.select(PartSelection(grip.part))
            return PartDrag(editor, grip.part)
        number = part_at(song, press.place.seconds)
        editor.select(SongSelection() if number is None else PartSelection(number))
        return self._go_there(press)

    def _paint_part(
        self, painter: QPainter, layout: ScoreLayout, stave: Stave, part: Section, number: int
    ) -> None:
        start, end = max(part.start, stave.start), min(part.end, stave.end)
        if end - start < _SAME_SECONDS:
            return
        left, right = layout.x_at(stave, start), layout.x_at(stave, end)
        is_chosen = number == self._editor.selection.part
        base = stave.top + SECTION_HEIGHT - 1
        if is_chosen:
            room = QRectF(left, stave.top - 5, right - left - 2, SECTION_HEIGHT + 4)
            painter.fillRect(room, theme.RAISED)
        weight = 1 + 3 * part.energy
        line = QRectF(left, base - weight, right - left - 2, weight)
        painter.fillRect(line, theme.QUIET if part.is_own or is_chosen else theme.RULE)
        if part.start < stave.start - 1e-3:
            return
        painter.fillRect(QRectF(left, stave.top - 3, 1, SECTION_HEIGHT + 2), theme.RULE)
        song = self._editor.project.song
        drops = () if song is None else song.drops
        if any(abs(drop - part.start) < _SAME_SECONDS for drop in drops):
            left += 12
        painter.setPen(theme.TEXT)
        painter.setFont(theme.words(8.5, weight=600 if part.is_own else 400))
        room = QRectF(left + _NAME_INSET, stave.top - 4, max(right - left - 8, 12), SECTION_HEIGHT - 1)
        text = painter.fontMetrics().elidedText(
            part_words(part), Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, _LEFT, text)


class _FormDrag(Gesture):
    """Something of the form that is dragged from mark to mark, or with Shift anywhere."""

    def __init__(self, editor: Editor, number: int) -> None:
        self._number = number
        self._editor, self._before = editor, editor.project

    def _mark(self, marks: Sequence[float], pointer: Pointer) -> float | None:
        """Return where it goes, in seconds; None where the pointer is beside all staves."""
        if pointer.place is None:
            return None
        found = None if pointer.is_free else nearest_of(marks, pointer.place.seconds)
        return pointer.place.seconds if found is None else found


class PartDrag(_FormDrag):
    """The start of a part, dragged from bar line to bar line."""

    def move(self, pointer: Pointer) -> None:
        """Have the part begin at the bar line nearest to the pointer; both parts stay a beat long."""
        song, before, number = self._before.song, self._before, self._number
        if song is None:
            return
        parts, least = parts_of(song), shortest_part(song)
        low, high = parts[number - 1].start + least, parts[number].end - least
        marks = [bar.start for bar in bars_of(before) if low - 1e-3 <= bar.start <= high + 1e-3]
        mark = self._mark(marks, pointer)
        if mark is None:
            return
        at = min(max(mark, low), high)
        bar = next((one.number for one in bars_of(before) if abs(one.start - at) < 1e-3), None)
        self.words = (
            tr("begins at {at:.2f} s", at=at) if bar is None else tr("begins with bar {bar}", bar=bar)
        )
        self._editor.apply(lambda _: move_part(before, number, at), tr("start of a part"), gesture="part")


class DropDrag(_FormDrag):
    """A drop, dragged from beat to beat."""

    def move(self, pointer: Pointer) -> None:
        """Put the drop on the beat nearest to the pointer."""
        song, before, number = self._before.song, self._before, self._number
        if song is None:
            return
        at = self._mark([beat.time for beat in song.beats], pointer)
        if at is None:
            return
        self.words = tr("drop at {at:.2f} s · frame {frame}", at=at, frame=frame_at(at, before.rate))
        if self._editor.apply(lambda _: move_drop(before, number, at), tr("move of a drop"), gesture="drop"):
            drops = self._editor.project.song.drops if self._editor.project.song else ()
            nearest = min(range(len(drops)), key=lambda n: abs(drops[n] - at), default=None)
            if nearest is not None:
                self._editor.select(DropSelection(nearest))


def _paint_drop(painter: QPainter, at: QPointF, *, is_own: bool, is_chosen: bool) -> None:
    """Paint a mark that falls onto the score: filled where the user set it, else as an outline."""
    x, top = at.x(), at.y()
    painter.setPen(QPen(theme.TEXT, 1.6 if is_chosen else 1.1))
    painter.setBrush(theme.TEXT if is_own else theme.GROUND)
    painter.drawPolygon(QPolygonF([QPointF(x + 0.5, top), QPointF(x + 9.5, top), QPointF(x + 5, top + 9)]))
    if is_chosen:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(x - 2.5, top - 3, 15, 14))


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
