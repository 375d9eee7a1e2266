"""The level of any band of the spectrum over time."""

from functools import lru_cache

import numpy as np
from msgspec import Struct

from epiphane.types import ByteArray, Float32Array, FloatArray

LEVELS_PER_SECOND = 100
RANGE_DECIBELS = 72.0
"""Under the loudest moment of any band by more than this is silence."""

LAST_BYTE = 255
_POWERS = 10 ** ((np.arange(LAST_BYTE + 1) / LAST_BYTE - 1) * RANGE_DECIBELS / 10).astype(np.float32)
_POWERS[0] = 0.0
_MOST_KEPT = 10_000_000  # 40 MB of powers: twenty minutes


class SongLevels(Struct, frozen=True, eq=False):
    """What hits are looked for in.

    Attributes
    ----------
    bands : uint8, shape (n_bands, n_hops), at `LEVELS_PER_SECOND`
        Level of each band: 255 is the loudest moment of any, 0 is `RANGE_DECIBELS` under it or less.
    centres : float64, shape (n_bands,), Hz
    rises : uint8, shape (n_milliseconds,)
        The attack curve in sixteenths of a natural log unit.
    """

    bands: ByteArray
    centres: FloatArray
    rises: ByteArray

    def level(self, low: float, high: float) -> Float32Array:
        """Return how loud the bands from `low` to `high` Hz are together.

        The nearest band is taken where none has its centre between.

        Returns
        -------
        float32, shape (n_hops,), 0 to 1
            The share of the way in decibels from silence to the loudest moment of this band.
        """
        n_hops = self.bands.shape[1]
        if self.bands.size == 0:
            return np.zeros(n_hops, np.float32)
        first, end = (int(index) for index in np.searchsorted(self.centres, (low, high)))
        if end <= first:
            first = int(np.abs(self.centres - (low + high) / 2).argmin())
            end = first + 1
        power = (
            _powers(self)[first:end].sum(axis=0)
            if self.bands.size < _MOST_KEPT
            else _sum(self.bands[first:end])
        )
        loudest = float(power.max())
        if loudest <= 0:
            return np.zeros(n_hops, np.float32)
        decibels = 10 * np.log10(power / loudest + 1e-12)
        return np.asarray(np.clip(1 + decibels / RANGE_DECIBELS, 0, 1), np.float32)


@lru_cache(maxsize=1)
def _powers(levels: SongLevels) -> Float32Array:
    """Return the power of every band; kept while a band is being dragged."""
    return np.asarray(_POWERS[levels.bands])


def _sum(bands: ByteArray) -> Float32Array:
    """Return the power of some bands together, one at a time: for songs too long to keep all powers."""
    power = np.zeros(bands.shape[1], np.float32)
    for band in bands:
        power += _POWERS[band]
    return power
