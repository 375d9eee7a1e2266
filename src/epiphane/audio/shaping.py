"""The song as it is played and exported: trimmed, faded, louder or softer."""

import numpy as np

from epiphane.document.model import Song
from epiphane.types import Float32Array, FloatArray

_BEND_OCTAVES = 2.0


def shaped_song(sound: Float32Array, rate: int, song: Song) -> Float32Array:
    """Return the part of a song's file that is used, with its fades and its gain.

    Parameters
    ----------
    sound : float32, shape (n_samples, n_channels), the whole file; it is not changed
    rate : int, samples / second
    """
    first = round(song.start * rate)
    part = sound[first : first + round(song.duration * rate)]
    n_in, n_out = (min(round(seconds * rate), len(part)) for seconds in (song.fade_in, song.fade_out))
    if song.gain == 0 and n_in == n_out == 0:
        return part
    made = part * np.float32(10 ** (song.gain / 20))
    if n_in:
        made[:n_in] *= fade_curve(n_in, song.fade_bend)[:, None]
    if n_out:
        made[len(made) - n_out :] *= fade_curve(n_out, song.fade_bend)[::-1, None]
    return np.asarray(made, np.float32)


def fade_curve(n_samples: int, bend: float) -> Float32Array:
    """Return a rise from 0 to 1: a straight line at bend 0, quick at 1, slow at -1."""
    return fade_level(np.arange(n_samples) / n_samples, bend).astype(np.float32)


def fade_level(share: FloatArray, bend: float) -> FloatArray:
    """Return how loud a fade is at a share of its way, 0 to 1."""
    return np.asarray(share ** (2 ** (-_BEND_OCTAVES * bend)))
