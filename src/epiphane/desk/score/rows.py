"""The strips of a stave as objects: what each shows, how it is painted, and what a press in it does."""

from abc import ABC, abstractmethod
from collections.abc import Callable

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPen

from epiphane.audio.heard import COLUMNS_PER_SECOND
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import (
    BeatSelection,
    GapSelection,
    PulseSelection,
    ShotSelection,
    SongSelection,
    TapSelection,
)
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.look.marks import ratio_of
from epiphane.desk.score.gesture import (
    BandDrag,
    BeatDrag,
    Gesture,
    LoopDrag,
    PlayheadDrag,
    RubberBand,
    TapDrag,
)
from epiphane.desk.score.hit_testing import cues_within, shot_under, shots_within, tap_under
from epiphane.desk.score.layout import MARGIN_LEFT, Place, ScoreLayout, Stave, Strip
from epiphane.desk.score.notes import NotePainter, hits_between
from epiphane.desk.score.shot_drag import CURSORS, ShotDrag, ShotGrip, grip_under, is_name
from epiphane.desk.score.shots import ShotPainter, shots_between
from epiphane.desk.score.spectrum import grip_at, paint_spectrum
from epiphane.desk.score.tooltips import beat_at
from epiphane.document.ids import LaneId
from epiphane.edits.shots.cutting import gap_at
from epiphane.edits.song.beats import add_beat
from epiphane.timing import frame_at
from epiphane.wording import tr


class Press(Struct, frozen=True):
    """The mouse in the score, pressed or not: where, and whether Shift (adding) or Ctrl (alone) is held."""

    layout: ScoreLayout
    place: Place
    at: QPointF
    is_adding: bool
    is_alone: bool


class Row(ABC):
    """A strip of every stave.

    Attributes
    ----------
    strip : Strip
        As which the layout knows it.
    is_apart : bool
        Whether it is painted alone when its content has changed; the others are painted together.
    """

    strip: Strip
    is_apart = False

    def __init__(self, editor: Editor) -> None:
        self._editor = editor

    @abstractmethod
    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        """Return everything that its picture on a stave depends on: equal contents are painted alike."""

    @abstractmethod
    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        """Paint it on a stave."""

    @abstractmethod
    def press(self, press: Press) -> Gesture | None:
        """Do what a press in it does; return what is dragged from there on."""

    def cursor(self, press: Press) -> Qt.CursorShape:
        """Return which pointer says what a press there does."""
        return Qt.CursorShape.ArrowCursor

    def _go_there(self, press: Press) -> Gesture:
        """Put the playhead under the pointer, and hold it."""
        self._editor.go_to(frame_at(press.place.seconds, self._editor.project.rate))
        return PlayheadDrag(self._editor)

    def _band_over_cues(self, press: Press, lane: LaneId | None) -> Gesture:
        """Hold a band that selects cues, beside those that are selected already where the press adds."""
        editor = self._editor
        before = editor.selection.cues if press.is_adding else frozenset()
        return RubberBand(
            press.at,
            lambda layout, band: editor.select_cues(before | cues_within(editor, layout, band), lane=lane),
        )


class RulerRow(Row):
    """Bars and beats."""

    strip = Strip.RULER

    def __init__(self, editor: Editor, snapping: Snapping, loop_drawn: Callable[[int, int], object]) -> None:
        super().__init__(editor)
        self._snapping, self._loop_drawn = snapping, loop_drawn
        self._notes = NotePainter(editor)

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        song = self._editor.project.song
        if song is None:
            return None
        return self._notes.beats_on(stave), self._editor.selection.beat

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        self._paint_number(painter, layout, stave)
        self._paint_ruler(painter, layout, stave)

    def press(self, press: Press) -> Gesture | None:
        if press.is_alone:
            return self._press_beat(press)
        if press.is_adding:
            return LoopDrag(self._editor, self._snapping, press.place, self._loop_drawn)
        if not isinstance(self._editor.selection, PulseSelection):
            self._editor.select(SongSelection())
        return self._go_there(press)

    def _press_beat(self, press: Press) -> Gesture | None:
        """Hold the beat under the pointer, or put one where there is none."""
        song, place = self._editor.project.song, press.place
        if song is None:
            return None
        number = beat_at(song, press.layout, place, press.at.x())
        if number is None:
            if not self._editor.apply(lambda p: add_beat(p, place.seconds), tr("adding of a beat")):
                return None
            beats = self._editor.project.song.beats if self._editor.project.song else ()
            number = min(range(len(beats)), key=lambda index: abs(beats[index].time - place.seconds))
        self._editor.select(BeatSelection(number))
        return BeatDrag(self._editor, press.layout, place, number)

    def _paint_number(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        painter.setPen(theme.TEXT)
        painter.setFont(theme.numbers(13, weight=500))
        box = QRectF(0, layout.ruler_top(stave.top) - 2, MARGIN_LEFT - 14, layout.heights.ruler)
        painter.drawText(box, _RIGHT, str(stave.bars[0].number))

    def _paint_ruler(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        base = layout.ruler_top(stave.top) + layout.heights.ruler - 6
        painter.setPen(QPen(theme.RULE, 1))
        painter.drawLine(QPointF(layout.left(stave), base), QPointF(layout.right(stave), base))
        painter.setFont(theme.numbers(8.5))
        for slot, bar in enumerate(stave.bars):
            for number, time in enumerate(bar.beats):
                is_first = number == 0 and abs(time - bar.start) < 1e-6
                self._notes.paint_beat(painter, layout.x_at(stave, time), base, time, is_first=is_first)
            if not bar.beats:
                x = layout.x_at(stave, bar.start)
                painter.setPen(QPen(theme.RULE, 1))
                painter.drawLine(QPointF(x, base - 8), QPointF(x, base))
            if slot:
                painter.setPen(theme.QUIET)
                at = QRectF(layout.slot_left(slot) + 5, base - 17, 40, 12)
                painter.drawText(at, _LEFT, str(bar.number))


class SoundRow(Row):
    """The waveform, or the spectrum while a band of it is the selected pulse."""

    strip = Strip.SOUND

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        song, shown = self._editor.project.song, self._editor.chosen.band
        return (
            id(self._editor.heard_file),
            None if song is None else (song.start, song.duration),
            None if shown is None else shown.band,
        )

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        top, height = layout.sound_top(stave.top), layout.sound_height
        middle = top + height / 2
        left, right = layout.left(stave), layout.right(stave)
        painter.setPen(QPen(theme.RULE, 1))
        for y in (top + 2, middle, top + height - 2):
            painter.drawLine(QPointF(left, y), QPointF(right, y))
        heard = self._editor.heard
        if heard is None or self._editor.project.song is None:
            return
        shown = self._editor.chosen.band
        if shown is not None:
            paint_spectrum(painter, layout, stave, shown.levels, shown.band)
            return
        edges = layout.seconds_of(stave, np.arange(int(left), int(right) + 1, dtype=np.float64))
        if len(edges) > 1:
            heights = _tallest(heard.listening.waveform, edges)
            image = _silhouettes(heights, round(height - 2), ratio_of(painter))
            painter.drawImage(QRectF(int(left), top + 1, len(edges) - 1, height - 2), image)

    def press(self, press: Press) -> Gesture | None:
        shown = self._editor.chosen.band
        if shown is not None:
            grip = grip_at(press.layout, press.place.stave, shown.band, press.at.y())
            return BandDrag(self._editor, press.place, grip)
        self._editor.select(SongSelection())
        return self._go_there(press)


class HitsRow(Row):
    """The hits of the drums, and a line for each pulse that is not drawn elsewhere."""

    strip = Strip.HITS

    def __init__(self, editor: Editor) -> None:
        super().__init__(editor)
        self._notes = NotePainter(editor)

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        editor = self._editor
        return (
            self._notes.drums_on(stave),
            tuple(
                (one, hits_between(editor.hits_of(one), stave.start, stave.end))
                for one in editor.project.pulses
                if one.id in layout.pulses
            ),
            (editor.selection.pulse, editor.selection.tap),
        )

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        self._notes.paint_pulses(painter, layout, stave)
        if layout.drums_height:
            self._notes.paint_drums(painter, layout, stave)

    def press(self, press: Press) -> Gesture | None:
        pulse = press.place.pulse
        if pulse is None:
            self._editor.select(SongSelection())
            return self._go_there(press)
        tap = tap_under(self._editor, press.layout, press.place, press.at.x())
        if tap is not None:
            self._editor.select(TapSelection(pulse, tap))
            return TapDrag(self._editor, press.place)
        self._editor.select(PulseSelection(pulse))
        return self._go_there(press)


class ShotsRow(Row):
    """The shots."""

    strip = Strip.SHOTS

    def __init__(self, editor: Editor, thumbnails: Thumbnails, snapping: Snapping) -> None:
        super().__init__(editor)
        self._painter = ShotPainter(editor, thumbnails)
        self._snapping = snapping

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        project = self._editor.project
        return (
            shots_between(project, stave.start, stave.end),
            project.shots[-1].end if project.shots else None,
            project.footage,
            self._editor.selection.shots,
            self._editor.selection.gap,
        )

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        self._painter.paint(painter, layout, stave)

    def cursor(self, press: Press) -> Qt.CursorShape:
        held = grip_under(self._editor, press.layout, press.place, press.at)
        return CURSORS[held.grip] if held is not None else Qt.CursorShape.ArrowCursor

    def press(self, press: Press) -> Gesture | None:
        project, editor = self._editor.project, self._editor
        frame = frame_at(press.place.seconds, project.rate)
        held = grip_under(editor, press.layout, press.place, press.at)
        is_fitting = press.is_adding and press.is_alone
        if press.is_adding and not is_fitting:
            return self._press_adding(press)
        if held is None:
            gap = gap_at(project, frame)
            has_gap = gap is not None and bool(project.shots)
            editor.select(GapSelection(gap[0]) if gap is not None and has_gap else SongSelection())
            return self._go_there(press)
        is_chosen = held.shot.id in editor.selection.shots
        if held.grip in (ShotGrip.MOVE, ShotGrip.SLIP) and not is_chosen:
            editor.select(ShotSelection(held.shot.id))
        shot = ShotDrag(editor, self._snapping, held, frame, is_alone=press.is_alone, is_fitting=is_fitting)
        is_body = held.grip is ShotGrip.MOVE and not is_name(press.layout, press.place, press.at)
        return self._go_there(press) if is_body else shot

    def _press_adding(self, press: Press) -> Gesture:
        """Add the shot under the pointer to those that are selected, or take it from them; hold a band."""
        editor = self._editor
        shot, chosen = shot_under(editor.project, press.place.seconds), editor.selection.shots
        if shot is not None:
            editor.select_shots(chosen ^ {shot.id}, shot.id)
        before = editor.selection.shots
        return RubberBand(
            press.at,
            lambda layout, band: editor.select_shots(before | shots_within(editor.project, layout, band)),
        )


def _tallest(waveform: np.ndarray, edges: np.ndarray) -> np.ndarray:
    """Return the greatest column between neighbouring instants, shape (n_edges - 1, 3)."""
    if len(waveform) == 0:
        return np.zeros((len(edges) - 1, 3))
    index = np.clip((edges * COLUMNS_PER_SECOND).astype(int), 0, len(waveform) - 1)
    waveform, index = waveform[index[0] : index[-1] + 1], index - index[0]  # of an hour the stave's part
    starts = index[:-1]
    tall = np.maximum.reduceat(waveform, np.append(starts, len(waveform) - 1)[:-1], axis=0)
    return np.where((index[1:] > starts)[:, None], tall, waveform[starts])


def _silhouettes(heights: np.ndarray, n_rows: int, ratio: float) -> QImage:
    """Return the waveform as a picture: three silhouettes nested around the middle, clear elsewhere.

    Parameters
    ----------
    heights : float, shape (n_columns, 3), 0 to 1, the inmost first
    n_rows : int, pixels
    ratio : float, device pixels for one
    """
    n_rows = round(n_rows * ratio)
    half = n_rows / 2
    away = np.abs(np.arange(n_rows, dtype=np.float32) + 0.5 - half)[: n_rows // 2 + n_rows % 2, None]
    pixels = np.zeros((len(away), len(heights), 4), np.float32)
    tall = (heights * half + 0.5).astype(np.float32)
    for part, colour in zip((2, 1, 0), theme.WAVE, strict=True):  # the outmost first
        covered = np.clip(tall[:, part] - away, 0, 1)[..., None]
        shade = np.array([colour.blue(), colour.green(), colour.red(), 255], np.float32)
        pixels += covered * (shade - pixels)
    upper = (pixels + 0.5).astype(np.uint8)
    content = np.concatenate([upper, upper[: n_rows // 2][::-1]]).tobytes()  # it is the same below
    width = len(heights)
    return QImage(content, width, n_rows, 4 * width, QImage.Format.Format_ARGB32_Premultiplied).copy()


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
