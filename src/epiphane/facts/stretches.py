"""Best stretches: where a film of so many seconds may begin and end in a song."""

import numpy as np
from msgspec import Struct

from epiphane.document.song import Song
from epiphane.facts.form import parts_of
from epiphane.types import FloatArray

N_STRETCHES = 3
_SAME_SECONDS = 1e-3
_DROP_GAIN, _NEAR_PART_GAIN, _LIFT_GAIN, _LOUD_GAIN = 3.0, 1.0, 2.0, 1.0
_DROP_PLACE, _DROP_SPREAD = (
    0.4,
    0.25,
)  # of the stretch: where a drop is best, and how far from there it may be
_LESS_BEFORE, _LESS_BEFORE_GAIN = 0.15, 1.0
_MOST_SHARED = (0.75, 0.9, 0.999)  # the more, if there are not enough others
_STEP_SECONDS = 0.25


class Stretch(Struct, frozen=True):
    """A part of a song to make a film of, in seconds of the song; `drop` is one inside it, or None."""

    start: float
    end: float
    drop: float | None = None

    @property
    def seconds(self) -> float:
        """How long it is."""
        return self.end - self.start


def best_stretches(song: Song, seconds: float, *, n_most: int = N_STRETCHES) -> tuple[Stretch, ...]:
    """Return stretches of a song for a film of about so many seconds, the best first.

    All are inside the song, begin and end on bars, and are of that length within a bar. The best have less
    before a drop and the drop inside, begin and end with parts, and are loud; they share little with one
    another. A song that is hardly longer is one stretch, and one without bars is cut anywhere.
    """
    lines, bar = _lines(song)
    whole = Stretch(0.0, song.duration, _drop_in(song, 0.0, song.duration))
    if song.duration <= seconds + bar / 2:
        return (whole,)
    energy = _energy_by(song)
    scored: list[tuple[float, Stretch]] = []
    for start in lines[lines + seconds <= song.duration + bar / 2].tolist():
        end = float(lines[np.abs(lines - start - seconds).argmin()])
        if end - start > _SAME_SECONDS:
            found = Stretch(start, end, _drop_in(song, start, end))
            scored.append((_score(song, found, energy, bar), found))
    scored.sort(key=lambda one: -one[0])
    kept: list[Stretch] = []
    for most_shared in _MOST_SHARED:
        for _, found in scored:
            if len(kept) < n_most and all(_shared(found, other) <= most_shared for other in kept):
                kept.append(found)
    return tuple(kept) or (whole,)


def _lines(song: Song) -> tuple[FloatArray, float]:
    """Return where bars begin, with the end of the song, and how long a bar usually is, seconds."""
    downbeats = [beat.time for beat in song.beats if beat.place == 1]
    if len(downbeats) < 3:
        return np.arange(0.0, song.duration, 1.0), 1.0
    bar = float(np.median(np.diff(downbeats)))
    before = [0.0] if downbeats[0] < bar / 2 else []  # an upbeat is begun with
    return np.array([*before, *downbeats[bool(before) :], song.duration]), bar


def _drop_in(song: Song, start: float, end: float) -> float | None:
    """Return the drop of a stretch that is nearest to where one is best."""
    inside = [drop for drop in song.drops if start + _SAME_SECONDS < drop < end - _SAME_SECONDS]
    return min(inside, key=lambda drop: abs(_place(drop, start, end) - _DROP_PLACE), default=None)


def _place(time: float, start: float, end: float) -> float:
    return (time - start) / (end - start)


def _energy_by(song: Song) -> FloatArray:
    """Return the energy of the parts of a song every quarter of a second."""
    times = np.arange(0.0, song.duration, _STEP_SECONDS)
    parts = parts_of(song)
    values = [part.energy for part in parts] or [1.0]
    starts = [part.start for part in parts] or [0.0]
    return np.array(values)[np.clip(np.searchsorted(starts, times, side="right") - 1, 0, None)]


def _score(song: Song, found: Stretch, energy: FloatArray, bar: float) -> float:
    """Return how good a stretch is: a drop after less, ends with parts, and loud where it is full."""
    starts = np.array([part.start for part in parts_of(song)])
    first, last = (round(time / _STEP_SECONDS) for time in (found.start, found.end))
    inside = energy[first:last]
    gain = _LOUD_GAIN * float(inside.mean()) if len(inside) else 0.0
    if found.drop is not None:
        away = abs(_place(found.drop, found.start, found.end) - _DROP_PLACE)
        gain += _DROP_GAIN * max(0.0, 1 - away / _DROP_SPREAD) + _DROP_GAIN / 3
        before = energy[first : round(found.drop / _STEP_SECONDS)]
        after = energy[round(found.drop / _STEP_SECONDS) : last]
        if len(before) and len(after):
            gain += _LESS_BEFORE_GAIN * float(after.mean() - before.mean() > _LESS_BEFORE)
    elif len(inside) > 1:  # without one it had better grow
        half = len(inside) // 2
        gain += _LIFT_GAIN * float(inside[half:].mean() - inside[:half].mean())
    return gain + _NEAR_PART_GAIN * (
        _near(found.start, starts, bar) + _near_end(song, found.end, starts, bar)
    )


def _near(time: float, starts: FloatArray, bar: float) -> float:
    """Return 1 where a part begins, less where it does whole groups of four bars away."""
    bars = np.abs(starts - time) / bar
    if (bars < 0.5).any():
        return 1.0
    return 0.5 if (np.abs(bars - 4 * np.round(bars / 4)) < 0.25).any() else 0.0


def _near_end(song: Song, time: float, starts: FloatArray, bar: float) -> float:
    return 1.0 if abs(time - song.duration) < bar / 2 else _near(time, starts, bar)


def _shared(one: Stretch, other: Stretch) -> float:
    """Return the share of the shorter of two stretches that the other has too."""
    both = min(one.end, other.end) - max(one.start, other.start)
    return max(0.0, both) / max(min(one.seconds, other.seconds), _SAME_SECONDS)
