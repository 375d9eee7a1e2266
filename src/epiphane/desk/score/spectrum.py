"""The spectrum in the sound strip: a band pulse's band, its level and its threshold, drawn and dragged."""

from functools import lru_cache

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from epiphane.audio.band_levels import LEVELS_PER_SECOND, SongLevels
from epiphane.desk.look import theme
from epiphane.desk.score.layout import ScoreLayout, Stave
from epiphane.document.pulse import BandSource
from epiphane.types import Float32Array
from epiphane.wording import tr

_INSET = 2.0
_GRAB_PIXELS = 5.0
_LEAST_BAND_PIXELS = 2.0
_LOWEST_HZ, _HIGHEST_HZ = 20.0, 20_000.0
_BOTTOM_HZ, _TOP_HZ = 30.0, 16_000.0


class BandGrip(Struct, frozen=True):
    """What of a band is held: an edge, the threshold, or a new band from a frequency on."""

    part: str
    anchor: float = 0.0


def paint_spectrum(
    painter: QPainter, layout: ScoreLayout, stave: Stave, levels: SongLevels, band: BandSource
) -> None:
    """Paint the spectrum of a stave, dimmed outside the band, with the band's level and threshold."""
    box = strip_box(layout, stave)
    columns = np.arange(int(box.left()), int(box.right()))
    if len(columns) == 0 or levels.bands.size == 0:
        return
    seconds = layout.seconds_of(stave, np.append(columns, columns[-1] + 1).astype(np.float64))
    hops = np.clip((seconds * LEVELS_PER_SECOND).astype(np.int64), 0, levels.bands.shape[1] - 1)
    painter.drawImage(box, _image(levels, hops, round(box.height())))
    top, bottom = y_of(band.high, box), y_of(band.low, box)
    shade = QColor(theme.GROUND)
    shade.setAlpha(150)
    painter.fillRect(QRectF(box.left(), box.top(), box.width(), top - box.top()), shade)
    painter.fillRect(QRectF(box.left(), bottom, box.width(), box.bottom() - bottom), shade)
    painter.setPen(QPen(theme.TEXT, 1))
    for y in (top, bottom):
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
    level = band_level(levels, band.low, band.high)
    heights = _highest(level, hops)
    curve = QPolygonF(
        [
            QPointF(float(x), box.bottom() - float(h) * box.height())
            for x, h in zip(columns, heights, strict=True)
        ]
    )
    painter.setPen(QPen(theme.GROUND, 3))
    painter.drawPolyline(curve)
    painter.setPen(QPen(theme.TEXT, 1.2))
    painter.drawPolyline(curve)
    y = box.bottom() - band.threshold * box.height()
    painter.setPen(QPen(theme.TEXT, 1.4, Qt.PenStyle.DashLine))
    painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
    _write_edges(painter, box, band, top, bottom)


def grip_at(layout: ScoreLayout, stave: Stave, band: BandSource, y: float) -> BandGrip:
    """Return what is held at a height of the sound strip: the nearest line, or a new band from there."""
    box = strip_box(layout, stave)
    lines = {
        "high": y_of(band.high, box),
        "low": y_of(band.low, box),
        "threshold": box.bottom() - band.threshold * box.height(),
    }
    nearest = min(lines, key=lambda part: abs(lines[part] - y))
    if abs(lines[nearest] - y) <= _GRAB_PIXELS:
        return BandGrip(nearest)
    return BandGrip("new", hz_at(y, box))


def dragged_band(layout: ScoreLayout, stave: Stave, band: BandSource, grip: BandGrip, y: float) -> BandSource:
    """Return the band with what is held at another height; an edge stops short of the other."""
    box = strip_box(layout, stave)
    y = min(max(y, box.top()), box.bottom())
    if grip.part == "threshold":
        return replace(band, threshold=round((box.bottom() - y) / box.height(), 3))
    here = round(hz_at(y, box), 1)
    if grip.part == "new":
        low, high = sorted((round(grip.anchor, 1), here))
        apart = abs(y - y_of(grip.anchor, box))
        return replace(band, low=low, high=high) if apart >= _LEAST_BAND_PIXELS and high > low else band
    if grip.part == "low":
        most = hz_at(y_of(band.high, box) + _LEAST_BAND_PIXELS, box)
        return replace(band, low=min(here, round(most, 1)))
    least = hz_at(y_of(band.low, box) - _LEAST_BAND_PIXELS, box)
    return replace(band, high=max(here, round(least, 1)))


@lru_cache(maxsize=4)
def band_level(levels: SongLevels, low: float, high: float) -> Float32Array:
    """Return `SongLevels.level`; a few are kept, as every stave asks for the same."""
    return levels.level(low, high)


def y_of(hz: float, box: QRectF) -> float:
    """Return the height of a frequency: octaves are evenly high."""
    share = np.log2(hz / _BOTTOM_HZ) / np.log2(_TOP_HZ / _BOTTOM_HZ)
    return box.bottom() - float(np.clip(share, 0, 1)) * box.height()


def hz_at(y: float, box: QRectF) -> float:
    """Return the frequency at a height; at the very ends everything below or above is meant."""
    share = (box.bottom() - y) / box.height()
    if share <= 0:
        return _LOWEST_HZ
    if share >= 1:
        return _HIGHEST_HZ
    return float(_BOTTOM_HZ * (_TOP_HZ / _BOTTOM_HZ) ** share)


def strip_box(layout: ScoreLayout, stave: Stave) -> QRectF:
    """Return where the spectrum of a stave is painted."""
    top = layout.sound_top(stave.top) + _INSET
    left, right = layout.left(stave), layout.right(stave)
    return QRectF(left, top, right - left, layout.sound_height - 2 * _INSET)


def _image(levels: SongLevels, hops: np.ndarray, n_rows: int) -> QImage:
    """Return the spectrum between neighbouring hops as a picture, low frequencies at the bottom."""
    starts = hops[:-1]
    share = 1 - (np.arange(n_rows) + 0.5) / n_rows
    hz = _BOTTOM_HZ * (_TOP_HZ / _BOTTOM_HZ) ** share
    octaves = np.log2(levels.centres)
    rows = np.abs(np.log2(hz)[:, None] - octaves).argmin(axis=1)
    loudest = np.maximum.reduceat(levels.bands[:, : hops[-1] + 1], starts, axis=1)[rows]
    pixels = _PALETTE[loudest]
    height, width = loudest.shape
    return QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def _highest(level: Float32Array, hops: np.ndarray) -> np.ndarray:
    return np.asarray(np.maximum.reduceat(level[: hops[-1] + 1], hops[:-1]))


def _write_edges(painter: QPainter, box: QRectF, band: BandSource, top: float, bottom: float) -> None:
    painter.setFont(theme.numbers(7.5))
    for hz, y, is_above in ((band.high, top, True), (band.low, bottom, False)):
        text = f"{hz:.0f} Hz" if hz < 1000 else tr("{hz:.1f} kHz", hz=hz / 1000)
        width = painter.fontMetrics().horizontalAdvance(text) + 6
        fits_outside = y - box.top() > 13 if is_above else box.bottom() - y > 13
        label_top = y - 13 if fits_outside == is_above else y + 1
        label = QRectF(box.left() + 4, min(max(label_top, box.top()), box.bottom() - 12), width, 12)
        painter.fillRect(label, theme.GROUND)
        painter.setPen(theme.TEXT)
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, text)


def _palette() -> np.ndarray:
    """Return the colours of levels, from the ground through the waveform's to writing: no hue."""
    stops = [theme.GROUND, theme.STRIP, theme.WAVE[0], theme.WAVE[1], theme.WAVE[2]]
    places = [0, 50, 120, 185, 245]
    channels = [[colour.red(), colour.green(), colour.blue()] for colour in stops]
    steps = np.arange(256)
    return np.stack(
        [np.interp(steps, places, [colour[k] for colour in channels]) for k in range(3)], axis=1
    ).astype(np.uint8)


_PALETTE = _palette()
