"""Painting the staves."""

import bisect
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from epiphane.audio.heard import COLUMNS_PER_SECOND
from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.score.cue_silhouettes import (
    LEAST_FALL,
    LEAST_RISE,
    bands_image,
    heights_image,
    heights_of,
)
from epiphane.desk.score.layout import (
    MARGIN_LEFT,
    ScoreLayout,
    Stave,
)
from epiphane.desk.score.notes import NotePainter, hits_between
from epiphane.desk.score.shots import ShotPainter, shots_between
from epiphane.desk.score.spectrum import paint_spectrum
from epiphane.desk.shell import theme
from epiphane.document.envelope import Ease, Envelope
from epiphane.document.lane import Lane, Trigger
from epiphane.effects.declare import EFFECTS
from epiphane.keying.envelope import envelope_level
from epiphane.keying.schedule import Cue, LaneSchedule
from epiphane.timing import frame_at, frame_start
from epiphane.types import FloatArray

_LOW_LANE = 12


class CueShape(Struct, frozen=True):
    """Where a cue lies on a stave: its peak, and the ends of its sides, in pixels."""

    left: float
    peak: float
    hold_end: float
    right: float
    height: float


class StavePainter:
    """Paints staves of the score from what the editor holds."""

    def __init__(self, editor: Editor, thumbnails: Thumbnails) -> None:
        self._editor = editor
        self._notes = NotePainter(editor)
        self._shots = ShotPainter(editor, thumbnails)

    def paint(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        """Paint what stands above the lanes of a stave."""
        self._paint_number(painter, layout, stave)
        self._paint_ruler(painter, layout, stave)
        self._paint_sound(painter, layout, stave)
        self._notes.paint(painter, layout, stave)
        self._shots.paint(painter, layout, stave)

    def content(self, layout: ScoreLayout, stave: Stave) -> object:
        """Return everything that this depends on: equal contents are painted alike."""
        project, selection = self._editor.project, self._editor.selection
        song = project.song
        shown = self._editor.shown_band
        shots = shots_between(project, stave.start, stave.end)
        return (
            (stave, layout.width, layout.heights, layout.sound_height, layout.is_folded, project.rate),
            shots,
            (bool(project.shots), project.footage, id(self._editor.whole)),
            None if song is None else (song.start, song.duration),
            None if song is None else (song.sections, song.drops, self._notes.content(stave)),
            tuple(
                (one, hits_between(self._editor.hits_of(one), stave.start, stave.end))
                for one in project.pulses
                if one.id in layout.pulses
            ),
            (selection.shot, selection.beat, selection.pulse, selection.tap),
            None if shown is None else shown.band,
        )

    def lane_content(self, stave: Stave, index: int) -> object:
        """Return everything that the strip of a lane on a stave depends on, beside what is above it."""
        selection = self._editor.selection
        lane = self._editor.cues.lanes[index]
        rate = self._editor.project.rate
        first, end = (frame_at(seconds, rate) for seconds in (stave.start, stave.end))
        lane_id = lane.lane.id
        cues = self._cues_near(lane, stave)
        chosen = selection.cues
        return (
            (replace(lane.lane, overrides=()), lane.is_silent, lane.spans, lane_id in selection.lanes),
            cues,
            tuple((lane_id, cue.hit.time) in chosen for cue in cues) if chosen else (),
            b"" if lane.lane.trigger is Trigger.FIRE else lane.levels[first : end + 1].tobytes(),
            lane.skipped_hits if selection.lane == lane_id else (),
        )

    def cue_shape(self, layout: ScoreLayout, stave: Stave, cue: Cue) -> CueShape:
        """Return where a cue is painted."""
        rate = self._editor.project.rate
        envelope = cue.envelope
        anchor = frame_start(cue.frame, rate)
        peak = layout.x_at(stave, anchor)
        frame_width = layout.pixels_per_second(stave, anchor) / float(rate)

        def x(offset: float) -> float:
            return peak + offset * frame_width

        height = (layout.lane_height - 3) * min(cue.strength, 1.0)
        return CueShape(
            x(-max(envelope.rise, LEAST_RISE)),
            x(0),
            x(envelope.hold),
            x(envelope.hold + max(envelope.fall, LEAST_FALL)),
            height,
        )

    def _paint_number(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        painter.setPen(theme.TEXT)
        painter.setFont(theme.numbers(13, weight=500))
        box = QRectF(0, layout.ruler_top(stave.top) - 2, MARGIN_LEFT - 14, layout.heights.ruler)
        painter.drawText(box, _RIGHT, str(stave.bars[0].number))

    def _paint_name(self, painter: QPainter, layout: ScoreLayout, top: float, lane: LaneSchedule) -> None:
        is_chosen = lane.lane.id in self._editor.selection.lanes
        painter.setFont(theme.words(8.5, weight=600 if is_chosen else 400))
        painter.setPen(theme.TEXT if is_chosen else theme.QUIET)
        room = QRectF(4, top - 1, MARGIN_LEFT - 18, layout.lane_height + 2)
        name = lane_label(lane.lane)
        text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, _RIGHT, text)
        inset = 3 if layout.lane_height > _LOW_LANE else 1
        painter.fillRect(
            QRectF(MARGIN_LEFT - 9, top + inset, 3, layout.lane_height - 2 * inset),
            theme.RULE if lane.is_silent else lane_colour(lane.lane),
        )

    def paint_fold(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        """Paint the row in which all lanes of a stave stand, one over the other."""
        top, height = layout.lanes_top(stave.top), layout.fold_height - layout.heights.lane_gap
        left, right = layout.left(stave), layout.right(stave)
        painter.fillRect(QRectF(0, top - 1, layout.width, height + 2), theme.GROUND)
        painter.setFont(theme.words(8.5))
        painter.setPen(theme.QUIET)
        painter.drawText(QRectF(4, top, MARGIN_LEFT - 18, height), _RIGHT, f"{len(layout.lanes)} lanes")
        painter.fillRect(QRectF(left, top, right - left, height), theme.STRIP)
        columns = range(int(left), int(right) + 1)
        seconds = layout.seconds_of(stave, np.array(columns, np.float64))
        frames = (seconds * float(self._editor.project.rate)).astype(int)
        bands = [_levels_at(lane, frames) for lane in self._editor.cues.lanes]
        colours = [
            theme.RULE if lane.is_silent else lane_colour(lane.lane) for lane in self._editor.cues.lanes
        ]
        painter.drawImage(QRectF(int(left), top, len(columns), height), bands_image(np.array(bands), colours))

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

    def _paint_sound(self, painter: QPainter, layout: ScoreLayout, stave: Stave) -> None:
        top, height = layout.sound_top(stave.top), layout.sound_height
        middle = top + height / 2
        left, right = layout.left(stave), layout.right(stave)
        painter.setPen(QPen(theme.RULE, 1))
        for y in (top + 2, middle, top + height - 2):
            painter.drawLine(QPointF(left, y), QPointF(right, y))
        heard = self._editor.heard
        if heard is None or self._editor.project.song is None:
            return
        shown = self._editor.shown_band
        if shown is not None:
            paint_spectrum(painter, layout, stave, shown.levels, shown.band)
            return
        edges = layout.seconds_of(stave, np.arange(int(left), int(right) + 1, dtype=np.float64))
        if len(edges) > 1:
            heights = _tallest(heard.listening.waveform, edges)
            image = _silhouettes(heights, round(height - 2), _ratio_of(painter))
            painter.drawImage(QRectF(int(left), top + 1, len(edges) - 1, height - 2), image)

    def paint_lane(self, painter: QPainter, layout: ScoreLayout, stave: Stave, index: int) -> None:
        """Paint the strip of a lane on a stave over what was there."""
        lane, top = self._editor.cues.lanes[index], layout.lane_top(stave, index)
        painter.fillRect(QRectF(0, top - 1, layout.width, layout.lane_height + 2), theme.GROUND)
        self._paint_name(painter, layout, top, lane)
        left, right = layout.left(stave), layout.right(stave)
        painter.fillRect(QRectF(left, top, right - left, layout.lane_height), theme.STRIP)
        colour = lane_colour(lane.lane)
        if lane.is_silent:
            colour = theme.RULE
        painter.save()
        painter.setClipPath(self._clip(layout, stave, top, lane))
        if lane.lane.id == self._editor.selection.lane:
            self._paint_skipped(painter, layout, stave, top + layout.lane_height - 3, lane)
        if lane.lane.trigger is not Trigger.FIRE and not lane.is_silent:
            self._paint_level(painter, layout, stave, top + layout.lane_height - 1, lane, colour)
        self._paint_cues(painter, layout, stave, top + layout.lane_height - 1, lane, colour)
        painter.restore()

    def _paint_cues(
        self,
        painter: QPainter,
        layout: ScoreLayout,
        stave: Stave,
        base: float,
        lane: LaneSchedule,
        colour: QColor,
    ) -> None:
        """Paint those that are as their lane has them in one go, and then those that are not, or chosen."""
        chosen = self._editor.selection.cues
        lane_id = lane.lane.id
        plain: list[Cue] = []
        others: list[Cue] = []
        for cue in self._cues_near(lane, stave):
            is_plain = cue.override is None and (lane_id, cue.hit.time) not in chosen
            (plain if is_plain and lane.lane.trigger is Trigger.FIRE else others).append(cue)
        if plain:
            self._paint_plain(painter, layout, stave, base, plain, colour)
        for cue in others:
            self._paint_cue(painter, layout, stave, base, lane.lane, cue, colour)

    def _paint_plain(
        self,
        painter: QPainter,
        layout: ScoreLayout,
        stave: Stave,
        base: float,
        cues: Sequence[Cue],
        colour: QColor,
    ) -> None:
        """Paint cues as a picture of all of them: there may be hundreds on a stave."""
        rate, ratio = float(self._editor.project.rate), _ratio_of(painter)
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
        image = heights_image(heights, round((layout.lane_height - 3) * ratio), colour)
        top = base - (layout.lane_height - 3)
        painter.drawImage(QRectF(left, top, right - left, layout.lane_height - 3), image)

    def _clip(self, layout: ScoreLayout, stave: Stave, top: float, lane: LaneSchedule) -> QPainterPath:
        """Return where a lane's cues are seen: on its shots, if it is for some."""
        left, right, rate = layout.left(stave), layout.right(stave), self._editor.project.rate
        spans = [(left, right)]
        if lane.spans is not None:
            spans = [
                (max(left, layout.x_at(stave, start)), min(right, layout.x_at(stave, end)))
                for start, end in ((frame_start(a, rate), frame_start(b, rate)) for a, b in lane.spans)
                if start < stave.end and end > stave.start
            ]
        path = QPainterPath()
        for first, end in spans:
            path.addRect(QRectF(first, top - 1, end - first, layout.lane_height + 2))
        return path

    def _paint_level(
        self,
        painter: QPainter,
        layout: ScoreLayout,
        stave: Stave,
        base: float,
        lane: LaneSchedule,
        colour: QColor,
    ) -> None:
        """Show the level itself, where it is not made of cues that come and go."""
        rate = self._editor.project.rate
        first, last = frame_at(stave.start, rate), min(frame_at(stave.end, rate) + 1, len(lane.levels))
        path = QPainterPath(QPointF(layout.left(stave), base))
        for frame in range(first, last):
            level = min(max(float(lane.levels[frame]), 0.0), 1.0)
            x = layout.x_at(stave, max(frame_start(frame, rate), stave.start))
            path.lineTo(x, base - (layout.lane_height - 3) * level)
        path.lineTo(layout.right(stave), base)
        path.closeSubpath()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPath(path)

    def _paint_skipped(
        self, painter: QPainter, layout: ScoreLayout, stave: Stave, y: float, lane: LaneSchedule
    ) -> None:
        """Show the hits of the lane's pulse that it does not take as points."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.QUIET)
        for time in lane.skipped_hits:
            if stave.start <= time < stave.end:
                painter.drawEllipse(QPointF(layout.x_at(stave, time), y), 1.3, 1.3)

    def _cues_near(self, lane: LaneSchedule, stave: Stave) -> tuple[Cue, ...]:
        """Return the cues of a lane that reach into a stave."""
        reach = lane.reach / float(self._editor.project.rate)
        first = bisect.bisect_left(lane.cues, stave.start - reach, key=_time_of)
        return lane.cues[first : bisect.bisect_right(lane.cues, stave.end + reach, key=_time_of)]

    def _paint_cue(
        self,
        painter: QPainter,
        layout: ScoreLayout,
        stave: Stave,
        base: float,
        lane: Lane,
        cue: Cue,
        colour: QColor,
    ) -> None:
        shape = self.cue_shape(layout, stave, cue)
        selection = self._editor.selection
        is_chosen = (lane.id, cue.hit.time) in selection.cues
        path = cue_path(shape, cue.envelope, base, full_height=layout.lane_height - 3 if cue.is_off else None)
        if cue.override is not None and cue.override.effect is not None and colour != theme.RULE:
            colour = family_colour(cue.override.effect)
        if cue.is_off:
            painter.setPen(QPen(colour, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        else:
            painter.setPen(QPen(theme.GROUND, 0.8))
            painter.setBrush(colour)
        if lane.trigger is Trigger.FIRE or cue.is_off:
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
            tall = layout.lane_height - 1
            painter.drawRect(QRectF(shape.left - 2, base - tall, shape.right - shape.left + 4, tall))
            for x in (shape.left - 2, shape.right + 2):  # where its feet are held
                painter.fillRect(QRectF(x - 1.5, base - tall / 2 - 4, 3, 8), theme.TEXT)


def _levels_at(lane: LaneSchedule, frames: np.ndarray) -> FloatArray:
    """Return the level of a lane on some frames, 0 to 1."""
    if not len(lane.levels):
        return np.zeros(len(frames))
    return np.asarray(np.clip(lane.levels[np.clip(frames, 0, len(lane.levels) - 1)], 0, 1))


def lane_colour(lane: Lane) -> QColor:
    """Return the colour of a lane's family."""
    return family_colour(lane.effect)


def family_colour(key: str) -> QColor:
    """Return the colour of an effect's family."""
    effect = EFFECTS.find(key)
    return theme.UNKNOWN_COLOUR if effect is None else theme.FAMILY_COLOURS[effect.family]


def lane_label(lane: Lane) -> str:
    """Return what a lane is called: by the editor, else by its effect."""
    if lane.name:
        return lane.name
    effect = EFFECTS.find(lane.effect)
    return f"{lane.effect} (missing)" if effect is None else effect.label


def cue_path(
    shape: CueShape, envelope: Envelope, base: float, *, full_height: float | None = None
) -> QPainterPath:
    """Return the outline of a cue: its true envelope, standing on `base`."""
    height = shape.height if full_height is None else full_height
    rising, falling = _sides(envelope)
    path = QPainterPath(QPointF(shape.left, base))
    for share, level in rising:
        path.lineTo(shape.left + (shape.peak - shape.left) * share, base - height * level)
    path.lineTo(shape.hold_end, base - height)
    for share, level in falling:
        path.lineTo(shape.hold_end + (shape.right - shape.hold_end) * share, base - height * level)
    path.closeSubpath()
    return path


@lru_cache(maxsize=64)
def _sides(envelope: Envelope) -> tuple[tuple[tuple[float, float], ...], tuple[tuple[float, float], ...]]:
    """Return (share of the way, level) along the rise and the fall of an envelope."""
    is_smooth = not {Ease.BOUNCE, Ease.FREE} & {envelope.rise_ease, envelope.fall_ease}
    rise, fall = np.linspace(0, 1, 7 if is_smooth else 31), np.linspace(0, 1, 12 if is_smooth else 31)
    rising = envelope_level(envelope, (rise - 1) * envelope.rise) if envelope.rise else rise
    falling = envelope_level(envelope, envelope.hold + fall * envelope.fall) if envelope.fall else 1 - fall
    return (
        tuple(zip(rise.tolist(), rising.tolist(), strict=True)),
        tuple(zip(fall.tolist(), falling.tolist(), strict=True)),
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


def _ratio_of(painter: QPainter) -> float:
    """Return how many pixels of the device one is."""
    device = painter.device()
    return 1.0 if device is None else device.devicePixelRatioF()


def _time_of(cue: Cue) -> float:
    return cue.hit.time


def _diamond(x: float, y: float, reach: float) -> QPolygonF:
    return QPolygonF(
        [QPointF(x, y - reach), QPointF(x + reach, y), QPointF(x, y + reach), QPointF(x - reach, y)]
    )


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
