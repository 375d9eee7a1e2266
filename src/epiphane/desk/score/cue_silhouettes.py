"""Rasterised silhouettes of many cues at once, by column heights."""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtGui import QColor, QImage

from epiphane.desk.look.cue_outline import LEAST_FALL, LEAST_RISE
from epiphane.document.envelope import Envelope
from epiphane.keying.envelope import envelope_level
from epiphane.types import FloatArray

_PARTS = 2
"""In how many parts a column is looked at, so that steep sides are smooth."""


def heights_of(
    envelopes: tuple[Envelope, ...],
    peaks: FloatArray,
    widths: FloatArray,
    strengths: FloatArray,
    n_columns: int,
) -> FloatArray:
    """Return how high some cues stand: where they overlap, the highest.

    Parameters
    ----------
    envelopes : tuple of Envelope, in frames, one for each cue
    peaks : float64, shape (n_cues,), columns
    widths : float64, shape (n_cues,), columns a frame
    strengths : float64, shape (n_cues,), 0 to 1

    Returns
    -------
    float64, shape (n_columns * 2,), 0 to 1: a height for each half of a column
    """
    heights = np.zeros(n_columns * _PARTS)
    numbers: dict[Envelope, list[int]] = {}
    for number, envelope in enumerate(envelopes):
        numbers.setdefault(envelope, []).append(number)
    for envelope, those in numbers.items():
        peak, width, strength = (array[those][:, None] for array in (peaks, widths, strengths))
        rise, fall = max(envelope.rise, LEAST_RISE), max(envelope.fall, LEAST_FALL)
        first = np.floor((peak - rise * width) * _PARTS).astype(int)
        reach = int(np.ceil((rise + envelope.hold + fall) * width.max() * _PARTS)) + 2
        columns = first + np.arange(reach)
        # A side without a length stands a little wide, so that its cue is seen.
        offsets = ((columns + 0.5) / _PARTS - peak) / width
        if envelope.rise == 0:
            offsets = np.where((offsets < 0) & (offsets >= -LEAST_RISE), 0.0, offsets)
        if envelope.fall == 0:
            beyond = offsets - envelope.hold
            offsets = np.where((beyond > 0) & (beyond <= LEAST_FALL), envelope.hold, offsets)
        levels = strength * envelope_level(envelope, offsets)
        inside = (columns >= 0) & (columns < len(heights))
        np.maximum.at(heights, columns[inside], levels[inside])
    return heights


def heights_image(heights: FloatArray, n_rows: int, colour: QColor) -> QImage:
    """Return a strip filled up to `heights` (2 for each column, 0 to 1) with a colour, clear above."""
    rows = np.arange(n_rows, 0, -1, dtype=np.float32)[:, None]  # how high the upper edge of each row is
    tall = (heights * n_rows + 1).astype(np.float32).reshape(-1, _PARTS).T
    covered = sum(np.clip(part - rows, 0, 1) for part in tall)
    alphas = (covered * np.float32(255 / _PARTS) + 0.5).astype(np.uint8)
    content, width = alphas.tobytes(), alphas.shape[1]  # the image shares its memory
    image = QImage(content, width, n_rows, width, QImage.Format.Format_Indexed8)
    shades = [QColor(colour.red(), colour.green(), colour.blue(), alpha).rgba() for alpha in range(256)]
    image.setColorTable(shades)
    return image.convertToFormat(QImage.Format.Format_ARGB32_Premultiplied)


def bands_image(levels: FloatArray, colours: Sequence[QColor]) -> QImage:
    """Return a row of pixels for each band, in its colour as far as its level (n_bands, n_columns) goes."""
    n_bands, n_columns = levels.shape
    shades = np.array([[one.blue(), one.green(), one.red(), 255] for one in colours], np.float32)
    pixels = (levels[..., None] * shades[:, None] + 0.5).astype(np.uint8)
    form = QImage.Format.Format_ARGB32_Premultiplied
    return QImage(pixels.tobytes(), n_columns, n_bands, 4 * n_columns, form).copy()
