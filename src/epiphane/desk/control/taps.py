"""Tapping along: the keyboard's delay, and where taps go."""

from collections.abc import Sequence

import numpy as np

from epiphane.audio.band_levels import SongLevels
from epiphane.document.ids import PulseId
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit
from epiphane.document.song import Hit, Song
from epiphane.facts.hits import HitContext, hits_of
from epiphane.types import FloatArray

CLICK_TEMPO = 100.0
N_CLICKS = 16
_FEWEST_TAPS = 6
_MOST_SPREAD_SECONDS = 0.05
_MOST_DELAY_SECONDS = 0.35
_ATTACK_REACH, _BEAT_REACH = 0.12, 0.15
_TAP_STRENGTH = 0.8


def measured_delay(clicks: FloatArray, taps: FloatArray) -> float | None:
    """Return by how many seconds taps are late against the clicks they were meant for.

    The median over taps of the distance to the nearest click, the first four clicks left out; None where
    taps are too few, too scattered, or nowhere near the clicks.
    """
    if len(taps) == 0 or len(clicks) < 2:
        return None
    taps = taps[taps > clicks[min(4, len(clicks) - 1)] - 0.25]
    if len(taps) < _FEWEST_TAPS:
        return None
    off = taps[:, None] - clicks
    off = off[np.arange(len(taps)), np.abs(off - 0.05).argmin(axis=1)]
    delay = float(np.median(off))
    spread = float(np.median(np.abs(off - delay)))
    return round(delay, 4) if spread < _MOST_SPREAD_SECONDS and abs(delay) < _MOST_DELAY_SECONDS else None


def taken_taps(taps: Sequence[float], delay: float) -> tuple[Hit, ...]:
    """Return taps as hits, with the delay of ear, hand and keyboard taken off."""
    return tuple(Hit(round(max(0.0, tap - delay), 6), _TAP_STRENGTH) for tap in taps if tap - delay > -0.05)


def snapped_to_attacks(hits: Sequence[Hit], levels: SongLevels) -> tuple[Hit, ...]:
    """Return hits on the attacks nearest to them; those that have none beside them stay."""
    from epiphane.audio.bands import attacks_near  # late: it loads much of SciPy

    times = np.array([hit.time for hit in hits])
    near = attacks_near(levels, times, reach=_ATTACK_REACH)
    return _at(hits, np.where(np.isfinite(near), near, times))


def snapped_to_beats(hits: Sequence[Hit], song: Song) -> tuple[Hit, ...]:
    """Return hits on the quarters of a beat nearest to them; those far from any beat stay."""
    quarters = hits_of(Pulse(PulseId(0), "", HeardSource(PulseUnit.QUARTER)), HitContext(song))
    places = np.array([hit.time for hit in quarters])
    if len(places) == 0:
        return tuple(hits)
    times = np.array([hit.time for hit in hits])
    nearest = places[np.abs(times[:, None] - places).argmin(axis=1)] if len(times) else times
    return _at(hits, np.where(np.abs(nearest - times) < _BEAT_REACH, nearest, times))


def _at(hits: Sequence[Hit], times: FloatArray) -> tuple[Hit, ...]:
    """Return hits at other times, ascending, each time once."""
    found = {round(float(time), 6): hit.strength for hit, time in zip(hits, times, strict=True)}
    return tuple(Hit(time, found[time]) for time in sorted(found))
