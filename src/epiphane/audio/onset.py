"""Onset strength: how much begins at each hop, with quiet parts counting as much as loud ones."""

import itertools

import numpy as np
import scipy.ndimage as ndi

from epiphane.audio.mapped_array import release
from epiphane.audio.spectrum import HOPS_PER_SECOND, Bands
from epiphane.types import Float32Array

# Low, middle and high instruments; the low ones carry the beat more often.
GROUP_EDGES_HZ = (30.0, 150.0, 2000.0, 17_000.0)
GROUP_WEIGHTS = (1.0, 0.7, 0.7)

_LAG_HOPS = 2
_HOPS_AT_ONCE = 8192
_MEAN_SECONDS = 1.0
_RMS_SECONDS = 6.0
_SMOOTH_SECONDS = 0.012


class Onsets:
    """Onset strengths of a song.

    Attributes
    ----------
    groups : float32, shape (n_hops, 3)
        Levelled strength of the low, middle and high group.
    strength : float32, shape (n_hops,)
        Their weighted sum over its standard deviation.
    has_contrast : bool
        Whether anything stands out at all: not so in silence and held tones.
    """

    def __init__(self, groups: Float32Array, strength: Float32Array, *, has_contrast: bool) -> None:
        self.groups = groups
        self.strength = strength
        self.has_contrast = has_contrast


def onset_strength(bands: Bands) -> Onsets:
    """Return the levelled SuperFlux of a spectrum (Böck & Widmer, DAFx 2013)."""
    flux = _flux(bands)
    groups = _levelled(flux)
    total = groups @ np.array(GROUP_WEIGHTS, np.float32)
    total = ndi.gaussian_filter1d(total, _SMOOTH_SECONDS * HOPS_PER_SECOND)
    spread = float(total.std())
    # Log flux of music has peaks over 0.05; what ripples below a tenth of that is no onset. One hop
    # in a hundred is what the slowest clicks have; the edges of a held tone are fewer.
    has_contrast = bool(np.percentile(flux.max(axis=1), 99) > 0.005) and spread > 0
    return Onsets(groups, (total / (spread + 1e-9)).astype(np.float32), has_contrast=has_contrast)


def _flux(bands: Bands) -> Float32Array:
    loud = bands.loud() + 1e-9
    flux = np.zeros((len(bands.levels), len(GROUP_EDGES_HZ) - 1), np.float32)
    for first in range(_LAG_HOPS, len(bands.levels), _HOPS_AT_ONCE):
        part = bands.levels[first - _LAG_HOPS : first + _HOPS_AT_ONCE]
        log_levels = np.log10(1 + 1000 * part / loud).astype(np.float32)
        # The maximum over neighbouring bands keeps vibrato from looking like a new note.
        before = ndi.maximum_filter1d(log_levels, 3, axis=1)
        rise = np.maximum(0, log_levels[_LAG_HOPS:] - before[:-_LAG_HOPS])
        for group, (low, high) in enumerate(itertools.pairwise(GROUP_EDGES_HZ)):
            inside = (bands.centres >= low) & (bands.centres < high)
            if inside.any():
                flux[first : first + len(rise), group] = rise[:, inside].mean(axis=1)
        release(bands.levels)
    return flux


def _levelled(flux: Float32Array) -> Float32Array:
    """Divide by the local level, so that a breakdown is heard like a drop."""
    above = flux - ndi.uniform_filter1d(flux, int(_MEAN_SECONDS * HOPS_PER_SECOND) | 1, axis=0)
    above = np.maximum(above, 0)
    squares = ndi.uniform_filter1d(above**2, int(_RMS_SECONDS * HOPS_PER_SECOND) | 1, axis=0)
    local = np.sqrt(np.maximum(squares, 0))
    whole = np.sqrt((above**2).mean(axis=0, keepdims=True))
    levelled = above / np.maximum(local, 0.25 * whole + 1e-9)
    return np.asarray(levelled, np.float32)
