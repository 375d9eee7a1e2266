"""The level of a lane on every frame, by the way in which its cues change it."""

from collections.abc import Iterable, Iterator

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.lane import Envelope, Lane, Overlap, Way
from epiphane.keying.envelope import eased, frame_levels
from epiphane.types import FloatArray, IntArray

_MOST = 2.0


class Counting(Struct, frozen=True, eq=False):
    """Which of the cues that fire counts on every frame: int64, shape (n_frames,), -1 for none.

    `turns`, int64, shape (n_cues,), says how often values have gone on by each cue: once a cue, but where two
    make one thing (on, off), once for both.
    """

    cues: IntArray
    turns: IntArray


def levels_of(lane: Lane, frames: IntArray, strengths: FloatArray, n_frames: int) -> FloatArray:
    """Return the level of a lane on every frame.

    Parameters
    ----------
    frames : int64, shape (n_cues,), ascending
        Of the peaks of the cues that fire.
    strengths : float64, shape (n_cues,)

    Returns
    -------
    float64, shape (n_frames,), at most 2; below 0 where an envelope overshoots its rest
    """
    if len(frames) == 0:
        return np.zeros(n_frames)
    if lane.way is Way.STEP:
        return np.minimum(_stepped(lane, frames, strengths, n_frames), _MOST)
    if lane.way is Way.TOGGLE:
        levels = np.zeros(n_frames)
        for number, inside, part in _cut(_switched(lane.envelope, frames, n_frames), n_frames):
            levels[inside] = np.maximum(levels[inside], strengths[number] * part)
        return np.minimum(levels, _MOST)
    return np.minimum(_fired(lane, frames, strengths, n_frames), _MOST)


def counting_of(lane: Lane, frames: IntArray, strengths: FloatArray, n_frames: int) -> Counting:
    """Return which cue counts on every frame: the strongest there, of equals the newer one."""
    turns = np.arange(len(frames)) // (2 if lane.way is Way.TOGGLE else 1)
    if lane.way is Way.STEP:
        begins = np.maximum(frames - lane.envelope.rise, np.append(-1, frames[:-1]) + 1)[: len(frames)]
        return Counting(np.searchsorted(begins, np.arange(n_frames), side="right") - 1, turns)
    shape = frame_levels(lane.envelope)
    if lane.way is Way.TOGGLE:
        parts = _switched(lane.envelope, frames, n_frames)
    else:
        parts = [(n, frame - lane.envelope.rise, shape) for n, frame in enumerate(frames.tolist())]
    counting, highest = np.full(n_frames, -1), np.full(n_frames, -np.inf)
    for number, inside, part in _cut(parts, n_frames):
        values = strengths[number] * part
        is_higher = values >= highest[inside]
        highest[inside][is_higher] = values[is_higher]
        counting[inside][is_higher] = number
    return Counting(counting, turns)


def _fired(lane: Lane, frames: IntArray, strengths: FloatArray, n_frames: int) -> FloatArray:
    """Every cue has the envelope; where they overlap the stronger one counts, or they add."""
    levels, shape = np.zeros(n_frames), frame_levels(lane.envelope)
    at = (frames - lane.envelope.rise)[:, None] + np.arange(len(shape))
    values = strengths[:, None] * shape
    inside = (at >= 0) & (at < n_frames)
    if lane.overlap is Overlap.ADD:
        np.add.at(levels, at[inside], values[inside])
    else:  # where something reaches, what is below rest counts too
        levels[at[inside]] = -np.inf
        np.maximum.at(levels, at[inside], values[inside])
    return levels


def _stepped(lane: Lane, frames: IntArray, strengths: FloatArray, n_frames: int) -> FloatArray:
    """Every cue takes the level a notch on, and after the last one back to rest; it rises before its hit."""
    levels, level, last = np.zeros(n_frames), 0.0, -1
    notches = (np.arange(len(frames)) + 1) % (lane.n_steps + 1)
    wanteds, ends = (notches / lane.n_steps * strengths).tolist(), [*frames[1:].tolist(), n_frames]
    for frame, wanted, end in zip(frames.tolist(), wanteds, ends, strict=True):
        n_rise = min(lane.envelope.rise, max(frame - last - 1, 0))  # every cue has its level on its own frame
        start = max(frame - n_rise, 0)
        shares = eased(np.arange(1, n_rise + 1) / (n_rise + 1), lane.envelope.rise_ease)
        rising = level + (wanted - level) * shares[: max(n_frames - start, 0)]
        levels[start : start + len(rising)] = rising
        levels[max(frame, 0) : max(end, 0)] = level = wanted
        last = frame
    return levels


def _switched(envelope: Envelope, frames: IntArray, n_frames: int) -> list[tuple[int, int, FloatArray]]:
    """Return, for every cue that switches on: its number, the frame it begins on, its level until off."""
    parts = []
    places = frames.tolist()
    for number in range(0, len(places), 2):
        on = places[number]
        off = places[number + 1] if number + 1 < len(places) else n_frames + envelope.fall
        shape = frame_levels(replace(envelope, hold=max(off - on, 0)))
        parts.append((number, on - envelope.rise, shape))
    return parts


def _cut(
    parts: Iterable[tuple[int, int, FloatArray]], n_frames: int
) -> Iterator[tuple[int, slice, FloatArray]]:
    """Yield, of parts with their number and first frame, what lies inside the project, and where."""
    for number, start, part in parts:
        first, last = max(start, 0), min(start + len(part), n_frames)
        if first < last:
            yield number, slice(first, last), part[first - start : last - start]
