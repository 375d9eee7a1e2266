"""Painting hits: beats on the ruler, drums and pulses as note heads."""

import bisect
import itertools
import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import BeatSelection
from epiphane.desk.look import theme
from epiphane.desk.look.marks import head_of, paint_head
from epiphane.desk.score.layout import (
    MARGIN_LEFT,
    ScoreLayout,
    Stave,
)
from epiphane.document.song import DRUMS, Beat, Hit
from epiphane.facts.grid import DOUBTFUL
from epiphane.wording import tr

_TALL, _SHORT = 12, 5


class NotePainter:
    """Paints what was heard in the song onto a stave."""

    def __init__(self, editor: Editor) -> None:
        self._editor = editor

    def beats_on(self, stave: Stave) -> tuple[Beat, ...]:
        """Return the beats of a stave."""
        song = self._editor.project.song
        if song is None:
            return ()
        first, end = (
            bisect.bisect_left(song.beats, seconds - 1e-3, key=lambda beat: beat.time)
            for seconds in (stave.start, stave.end)
        )
        return song.beats[first:end]

    def drums_on(self, stave: Stave) -> object:
        """Return the hits of each drum on a stave, and what stands in for it."""
        song = self._editor.project.song
        if song is None:
            return None
        return tuple(
            (song.drums.stand_in(drum), hits_between(song.drums.hits(drum), stave.start, stave.end))
            for drum in DRUMS
        )

    def paint_beat(self, painter: QPainter, x: float, base: float, time: float, *, is_first: bool) -> None:
        """Paint one beat on the ruler: taller at the first of a bar, hollow where it is doubtful."""
        tall, pen = (_TALL, QPen(theme.TEXT, 1.6)) if is_first else (_SHORT, QPen(theme.QUIET, 1))
        number = self._beat_number(time)
        song = self._editor.project.song
        if song is None or number is None or song.beats[number].confidence >= DOUBTFUL:
            painter.setPen(pen)
            painter.drawLine(QPointF(x, base - tall), QPointF(x, base))
        else:
            painter.setPen(QPen(pen.color(), 1))
            painter.setBrush(theme.GROUND)
            painter.drawRect(QRectF(x - 2, base - tall, 4, tall))
        selection = self._editor.selection
        if isinstance(selection, BeatSelection) and number is not None and number == selection.beat:
            painter.setPen(QPen(theme.TEXT, 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(x - 5, base - _TALL - 3, 10, _TALL + 6))

    def _beat_number(self, time: float) -> int | None:
        song = self._editor.project.song
        if song is None:
            return None
        index = bisect.bisect_left(song.beats, time - 1e-6, key=lambda beat: beat.time)
        is_there = index < len(song.beats) and abs(song.beats[index].time - time) < 1e-5
        return index if is_there else None

    def paint_drums(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        """Paint the hits of the drums as note heads, a line for each."""
        song = self._editor.project.song
        if song is None:
            return
        left, right = layout.left(stave), layout.right(stave)
        for drum in DRUMS:
            y = layout.drum_middle(stave.top, drum)
            painter.setPen(QPen(theme.RULE, 0.7))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
            painter.setPen(theme.QUIET)
            painter.setFont(theme.words(8.5))
            band = song.drums.stand_in(drum)
            name, head = (
                (tr("{band} for {drum}", band=band, drum=tr(drum)), "band") if band else (tr(drum), drum)
            )
            painter.drawText(QRectF(0, y - 7, MARGIN_LEFT - 14, 14), _RIGHT, name)
            self._paint_heads(
                painter, layout, stave, head, y, hits_between(song.drums.hits(drum), stave.start, stave.end)
            )

    def _paint_heads(
        self,
        painter: QPainter,
        layout: ScoreLayout,
        stave: Stave,
        head: str,
        y: float,
        hits: Sequence[Hit],
    ) -> None:
        """Paint note heads on a line, as narrow as they have to be beside each other."""
        xs = [layout.x_at(stave, hit.time) for hit in hits]
        gaps = [math.inf, *(b - a for a, b in itertools.pairwise(xs)), math.inf]
        for hit, x, room in zip(hits, xs, map(min, gaps, gaps[1:]), strict=False):
            paint_head(painter, head, x, y, hit.strength, room=room)

    def paint_pulses(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        """Paint a line for each pulse that is not drawn elsewhere."""
        left, right = layout.left(stave), layout.right(stave)
        pulses = {pulse.id: pulse for pulse in self._editor.project.pulses}
        for index, pulse_id in enumerate(layout.pulses):
            pulse, y = pulses[pulse_id], layout.pulse_middle(stave.top, index)
            is_chosen = pulse_id == self._editor.selection.pulse
            if is_chosen:
                height = layout.heights.pulse
                band = QRectF(left, y - height / 2, right - left, height)
                painter.fillRect(band, theme.RAISED)
            painter.setPen(QPen(theme.RULE, 0.7))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
            painter.setPen(theme.TEXT if is_chosen else theme.QUIET)
            painter.setFont(theme.words(8.5))
            room = QRectF(4, y - 7, MARGIN_LEFT - 18, 14)
            name = painter.fontMetrics().elidedText(
                pulse.name, Qt.TextElideMode.ElideRight, int(room.width())
            )
            painter.drawText(room, _RIGHT, name)
            hits = hits_between(self._editor.hits_of(pulse), stave.start, stave.end)
            self._paint_heads(painter, layout, stave, head_of(pulse), y, hits)
            for hit in hits:
                if is_chosen and hit.time == self._editor.selection.tap:
                    x = layout.x_at(stave, hit.time)
                    painter.setPen(QPen(theme.TEXT, 1.4))
                    painter.setBrush(theme.TEXT)
                    painter.drawEllipse(QPointF(x, y), 5, 5)


def hits_between(hits: tuple[Hit, ...], start: float, end: float) -> tuple[Hit, ...]:
    """Return the hits from `start` to `end` seconds."""
    first = bisect.bisect_left(hits, start - 1e-4, key=lambda hit: hit.time)
    return hits[first : bisect.bisect_left(hits, end, key=lambda hit: hit.time)]


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
