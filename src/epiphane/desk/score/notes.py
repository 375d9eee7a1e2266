"""Painting what was heard: beats on the ruler, drum hits as note heads, sections and drops."""

import bisect

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from epiphane.desk import theme
from epiphane.desk.editor import Editor
from epiphane.desk.score.layout import (
    HITS_HEIGHT,
    MARGIN_LEFT,
    SECTION_HEIGHT,
    Place,
    ScoreLayout,
    Stave,
    Strip,
)
from epiphane.document.model import Hit, Section, Song

DOUBTFUL = 0.5
"""A beat that is less sure than this is drawn hollow, and counted as doubtful."""

_TALL, _SHORT = 12, 5
# Distance of each drum's line from the top of the strip: as on a drum stave, the low drum lies low.
_LINES = {"hat": 5.0, "snare": 13.0, "kick": 22.0}
_LEAST_REACH, _MOST_REACH = 1.3, 3.6
_REACH_PIXELS = 6
_SAME_SECONDS = 0.05


class NotePainter:
    """Paints what was heard in the song onto a stave."""

    def __init__(self, editor: Editor) -> None:
        self._editor = editor

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        """Paint sections, drops and drum hits; beats are painted one by one."""
        song = self._editor.project.song
        if song is None:
            return
        for section in song.sections:
            is_drop = any(abs(drop - section.start) < _SAME_SECONDS for drop in song.drops)
            self._paint_section(painter, layout, stave, section, is_drop=is_drop)
        if layout.has_hits:
            self._paint_hits(painter, layout, stave, song)

    def paint_beat(self, painter: QPainter, x: float, base: float, time: float, *, is_first: bool) -> None:
        """Paint one beat on the ruler: taller at the first of a bar, hollow where it is doubtful."""
        tall, pen = (_TALL, QPen(theme.TEXT, 1.6)) if is_first else (_SHORT, QPen(theme.QUIET, 1))
        if self._sureness(time) >= DOUBTFUL:
            painter.setPen(pen)
            painter.drawLine(QPointF(x, base - tall), QPointF(x, base))
        else:
            painter.setPen(QPen(pen.color(), 1))
            painter.setBrush(theme.GROUND)
            painter.drawRect(QRectF(x - 2, base - tall, 4, tall))

    def _sureness(self, time: float) -> float:
        song = self._editor.project.song
        if song is None:
            return 1.0
        index = bisect.bisect_left(song.beats, time - 1e-6, key=lambda beat: beat.time)
        is_there = index < len(song.beats) and abs(song.beats[index].time - time) < 1e-5
        return song.beats[index].sureness if is_there else 1.0

    def _paint_section(
        self, painter: QPainter, layout: ScoreLayout, stave: Stave, section: Section, *, is_drop: bool
    ) -> None:
        start, end = max(section.start, stave.start), min(section.end, stave.end)
        if end - start < 0.05:
            return
        left, right = layout.x_at(stave, start), layout.x_at(stave, end)
        weight = 1 + 3 * section.energy
        line = QRectF(left, stave.top + SECTION_HEIGHT - 1 - weight, right - left - 2, weight)
        painter.fillRect(line, theme.RULE)
        if section.start < stave.start - 1e-3:
            return
        words = section.label
        if is_drop:
            _paint_drop(painter, left, stave.top - 1)
            left, words = left + 13, f"{section.label} · drop"
        painter.setPen(theme.TEXT)
        painter.setFont(theme.words(8.5, weight=500))
        room = QRectF(left, stave.top - 4, max(right - left - 4, 12), SECTION_HEIGHT - 1)
        text = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, _LEFT, text)

    def _paint_hits(self, painter: QPainter, layout: ScoreLayout, stave: Stave, song: Song) -> None:
        top = layout.hits_top(stave.top)
        left, right = layout.left(stave), layout.right(stave)
        painter.fillRect(QRectF(left, top, right - left, HITS_HEIGHT), theme.GROUND)
        for drum, line in _LINES.items():
            y = top + line
            painter.setPen(QPen(theme.RULE, 0.7))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
            painter.setPen(theme.QUIET)
            painter.setFont(theme.words(7))
            painter.drawText(QRectF(0, y - 6, MARGIN_LEFT - 14, 12), _RIGHT, drum)
            for hit in _between(song.drums.hits(drum), stave.start, stave.end):
                _paint_head(painter, drum, layout.x_at(stave, hit.time), y, hit.strength)


def tell_heard(song: Song, layout: ScoreLayout, place: Place, at: QPointF) -> str:
    """Return in words the drum hit or the beat that lies under the pointer, or nothing."""
    stave = place.stave
    if place.strip is Strip.HITS:
        y = at.y() - layout.hits_top(stave.top)
        drum = min(_LINES, key=lambda name: abs(_LINES[name] - y))
        hits = song.drums.hits(drum)
        hit = min(hits, key=lambda one: abs(one.time - place.seconds), default=None)
        if hit is not None and abs(layout.x_at(stave, hit.time) - at.x()) < _REACH_PIXELS:
            return f"{drum} {hit.time:.3f} s · strength {hit.strength:.0%}"
    if place.strip is Strip.RULER:
        beat = min(song.beats, key=lambda one: abs(one.time - place.seconds), default=None)
        if beat is not None and abs(layout.x_at(stave, beat.time) - at.x()) < _REACH_PIXELS:
            doubt = " · doubtful" if beat.sureness < DOUBTFUL else ""
            return f"beat {beat.place} of the bar · {beat.time:.3f} s · {beat.sureness:.0%} sure{doubt}"
    return ""


def _between(hits: tuple[Hit, ...], start: float, end: float) -> tuple[Hit, ...]:
    first = bisect.bisect_left(hits, start - 1e-4, key=lambda hit: hit.time)
    return hits[first : bisect.bisect_left(hits, end, key=lambda hit: hit.time)]


def _paint_head(painter: QPainter, drum: str, x: float, y: float, strength: float) -> None:
    """Paint a note head, its size the strength: cymbals are crosses, drums are ovals."""
    reach = _LEAST_REACH + (_MOST_REACH - _LEAST_REACH) * strength
    if drum == "hat":
        reach *= 0.75
        painter.setPen(QPen(theme.TEXT, 1.1))
        painter.drawLine(QPointF(x - reach, y - reach), QPointF(x + reach, y + reach))
        painter.drawLine(QPointF(x - reach, y + reach), QPointF(x + reach, y - reach))
        return
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.TEXT)
    painter.drawEllipse(QPointF(x, y), reach * 1.15, reach * 0.9)


def _paint_drop(painter: QPainter, x: float, top: float) -> None:
    """Paint a mark that falls onto the score, beside the name of the section that it begins."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.TEXT)
    painter.drawPolygon(QPolygonF([QPointF(x, top), QPointF(x + 9, top), QPointF(x + 4.5, top + 8)]))


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
