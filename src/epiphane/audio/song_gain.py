"""Trim, fades and gain of the song as it is played and exported."""

import numpy as np

from epiphane.audio.mapped_array import ArrayBuilder, in_blocks
from epiphane.document.song import Song
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
    rows = ArrayBuilder(sound.shape[1])
    at, fade_in, fade_out = 0, fade_curve(n_in, song.fade_bend), fade_curve(n_out, song.fade_bend)[::-1]
    for block in in_blocks(part):
        made = block * np.float32(10 ** (song.gain / 20))
        begins, ends = fade_in[at : at + len(made)], len(part) - n_out
        made[: len(begins)] *= begins[:, None]
        if at + len(made) > ends:
            faded = made[max(ends - at, 0) :]
            first = at + len(made) - len(faded) - ends
            faded *= fade_out[first : first + len(faded), None]
        rows.add(made)
        at += len(made)
    return rows.array()


def fade_curve(n_samples: int, bend: float) -> Float32Array:
    """Return a rise from 0 to 1: a straight line at bend 0, quick at 1, slow at -1.

    Parameters
    ----------
    n_samples : int
    bend : float, -1 to 1

    Returns
    -------
    float32, shape (n_samples,)
    """
    return fade_level(np.arange(n_samples) / n_samples, bend).astype(np.float32)


def fade_level(share: FloatArray, bend: float) -> FloatArray:
    """Return how loud a fade-in is at a share of its way: ``share ** (2 ** (-2 * bend))``.

    Parameters
    ----------
    share : float64, any shape, 0 to 1
    bend : float, -1 (slow) to 1 (quick); 0 is a straight line

    Returns
    -------
    float64, the shape of `share`
        A factor of amplitude, 0 to 1.
    """
    return np.asarray(share ** (2 ** (-_BEND_OCTAVES * bend)))
