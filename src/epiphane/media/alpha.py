"""Whether the colours of a clip with alpha are stored straight, or premultiplied: files do not say."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np

from epiphane.errors import MediaError
from epiphane.media.decoding import decoded_frames, open_container, picture_stream
from epiphane.types import FloatArray, Picture

_PLACES = (0.0, 0.25, 0.5, 0.75)
_SEEN_THROUGH, _FAINT = (8, 200), 100
"""Alpha, in levels, of what is looked at, and under which a straight colour would be above it."""
_TOLERANCE, _MOST_ABOVE = 12, 0.005
_LEAST_PIXELS, _LEAST_BRIGHT = 64, 0.2


def is_premultiplied(path: Path, times: FloatArray) -> bool:
    """Return whether the colours of a clip are premultiplied by its alpha, judged by a few of its pictures.

    Premultiplied colours are never above their alpha; straight ones are, where a soft edge fades out. A clip
    in which nothing is faint and bright enough to tell is straight, as most files are.

    Parameters
    ----------
    path : Path
    times : float64, shape (n_pictures,)
        Seconds from the first picture.
    """
    is_told = False
    try:
        with open_container(path) as container:
            stream = picture_stream(container, path)
            base = float(stream.time_base or 1)
            for place in _PLACES:
                seconds = float(times[int(place * (len(times) - 1))])
                container.seek(round(seconds / base) + (stream.start_time or 0), stream=stream)
                frame = next(decoded_frames(container, stream, deinterlaced=False), None)
                judged = (
                    None if frame is None else _judged(np.asarray(frame.to_ndarray(format="bgra"), np.uint8))
                )
                if judged is False:
                    return False
                is_told = is_told or judged is True
    except (MediaError, av.FFmpegError, IndexError, ValueError):
        return False  # what is damaged is told elsewhere
    return is_told


def _judged(picture: Picture) -> bool | None:
    """Return whether one picture is premultiplied, or None where it does not tell."""
    alpha, brightest = picture[..., 3], picture[..., :3].max(axis=2)
    low, high = _SEEN_THROUGH
    is_seen_through = (alpha >= low) & (alpha <= high)
    if np.count_nonzero(is_seen_through) < _LEAST_PIXELS:
        return None
    levels, colours = alpha[is_seen_through].astype(int), brightest[is_seen_through].astype(int)
    if np.mean(colours > levels + _TOLERANCE) > _MOST_ABOVE:
        return False
    is_faint = levels < _FAINT
    has_enough = np.count_nonzero(is_faint) >= _LEAST_PIXELS
    return True if has_enough and np.mean(2 * colours[is_faint] >= levels[is_faint]) > _LEAST_BRIGHT else None
