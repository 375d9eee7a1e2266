"""The level of a lane on every frame, from its cues and its trigger."""

from collections.abc import Iterable, Iterator

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.lane import Lane, Overlap, Trigger
from epiphane.keying.envelope import eased, frame_levels
from epiphane.types import FloatArray, IntArray

_MOST = 2.0
_VALUES_AT_ONCE = 1_000_000


class Firing(Struct, frozen=True, eq=False):
    """The cues of a lane that fire, by their peaks.

    Attributes
    ----------
    frames : int64, shape (n_cues,), ascending
    strengths : float64, shape (n_cues,)
    shapes : tuple of Envelope, in frames
        Those there are.
    shape_of : int64, shape (n_cues,)
        Which of them each cue has.
    """

    frames: IntArray
    strengths: FloatArray
    shapes: tuple[Envelope, ...]
    shape_of: IntArray

    def rises(self) -> IntArray:
        """Return how many frames each cue rises: int64, shape (n_cues,)."""
        rises: IntArray = np.array([shape.rise for shape in self.shapes], np.int64)
        return np.asarray(rises[self.shape_of])


class ActiveCues(Struct, frozen=True, eq=False):
    """Which of the cues that fire counts on every frame: int64, shape (n_frames,), -1 for none.

    `turns`, int64, shape (n_cues,), says how often values have gone on by each cue: once a cue, but where two
    make one thing (on, off), once for both.
    """

    cues: IntArray
    turns: IntArray


def levels_of(lane: Lane, firing: Firing, n_frames: int) -> FloatArray:
    """Return the level of a lane on every frame.

    Returns
    -------
    float64, shape (n_frames,), at most 2; below 0 where an envelope overshoots its rest
    """
    if len(firing.frames) == 0:
        return np.zeros(n_frames)
    if lane.trigger is Trigger.STEP:
        return np.minimum(_stepped(lane.n_steps, firing, n_frames), _MOST)
    if lane.trigger is Trigger.TOGGLE:
        return np.minimum(_toggled(firing, n_frames), _MOST)
    return np.minimum(_fired(lane.overlap, firing, n_frames), _MOST)


def active_cues_of(lane: Lane, firing: Firing, n_frames: int) -> ActiveCues:
    """Return which cue counts on every frame: the strongest there, of equals the newer one."""
    frames = firing.frames
    turns = np.arange(len(frames)) // (2 if lane.trigger is Trigger.TOGGLE else 1)
    if lane.trigger is Trigger.STEP:
        begins = np.maximum(frames - firing.rises(), np.append(-1, frames[:-1]) + 1)[: len(frames)]
        return ActiveCues(np.searchsorted(begins, np.arange(n_frames), side="right") - 1, turns)
    parts = _switched(firing, n_frames) if lane.trigger is Trigger.TOGGLE else _shaped(firing)
    active, highest = np.full(n_frames, -1), np.full(n_frames, -np.inf)
    for number, inside, part in _cut(parts, n_frames):
        values = firing.strengths[number] * part
        is_higher = values >= highest[inside]
        highest[inside][is_higher] = values[is_higher]
        active[inside][is_higher] = number
    return ActiveCues(active, turns)


def _shaped(firing: Firing) -> Iterator[tuple[int, int, FloatArray]]:
    """Yield, for every cue: its number, the frame it begins on, its level until it has fallen."""
    starts = (firing.frames - firing.rises()).tolist()
    for number, (start, shape) in enumerate(zip(starts, firing.shape_of.tolist(), strict=True)):
        yield number, start, frame_levels(firing.shapes[shape])


def _fired(overlap: Overlap, firing: Firing, n_frames: int) -> FloatArray:
    """Every cue has its envelope; where they overlap the stronger one counts, or they add."""
    levels, starts = np.zeros(n_frames), firing.frames - firing.rises()
    if overlap is Overlap.STRONGER:  # where something reaches, what is below rest counts too
        lengths = np.array([len(frame_levels(shape)) for shape in firing.shapes])[firing.shape_of]
        ends = np.clip([starts, starts + lengths], 0, n_frames)
        change = np.bincount(ends[0], minlength=n_frames + 1) - np.bincount(ends[1], minlength=n_frames + 1)
        levels[np.cumsum(change)[:-1] > 0] = -np.inf
    join = np.add if overlap is Overlap.ADD else np.maximum
    for number, envelope in enumerate(firing.shapes):
        shape, those = frame_levels(envelope), np.flatnonzero(firing.shape_of == number)
        n_at_once = max(1, _VALUES_AT_ONCE // len(shape))
        for first in range(0, len(those), n_at_once):
            some = those[first : first + n_at_once]
            at = starts[some][:, None] + np.arange(len(shape))
            inside = (at >= 0) & (at < n_frames)
            join.at(levels, at[inside], (firing.strengths[some][:, None] * shape)[inside])
    return levels


def _stepped(n_steps: int, firing: Firing, n_frames: int) -> FloatArray:
    """Every cue takes the level a step on, and after the last one back to rest; it rises before its hit."""
    frames = firing.frames
    numbers = (np.arange(len(frames)) + 1) % (n_steps + 1)
    wanted = numbers / n_steps * firing.strengths
    newest = np.searchsorted(frames, np.arange(n_frames), side="right")
    levels = np.append(0.0, wanted)[newest]
    before, room = np.append(0.0, wanted[:-1]), frames - np.append(-1, frames[:-1]) - 1
    # Every cue has its level on its own frame, so there is less room to rise where they are close.
    n_rises = np.clip(firing.rises(), 0, np.maximum(room, 0))
    for number, shape in enumerate(firing.shapes):
        cues, steps = _each(np.where(firing.shape_of == number, n_rises, 0))
        shares = eased((steps + 1) / (n_rises[cues] + 1), shape.rise_ease, shape.rise_curve)
        at = frames[cues] - n_rises[cues] + steps
        inside = at < n_frames
        levels[at[inside]] = (before[cues] + (wanted - before)[cues] * shares)[inside]
    return levels


def _toggled(firing: Firing, n_frames: int) -> FloatArray:
    """Every other cue switches on, with its rise before, and the next one off, with its fall behind."""
    levels, ons = np.zeros(n_frames), firing.frames[::2]
    strengths, shape_of = firing.strengths[::2], firing.shape_of[::2]
    offs = np.append(firing.frames[1::2], n_frames)[: len(ons)]
    cues, steps = _each(np.maximum(offs - ons, 0) + 1)
    places, values = [ons[cues] + steps], [strengths[cues]]
    for number, shape in enumerate(firing.shapes):
        whole, is_such = frame_levels(shape), shape_of == number
        n_rise, n_still = int(shape.rise), int(shape.rise + shape.hold) + 1
        for begins, part in ((ons - n_rise, whole[:n_rise]), (offs + 1, whole[n_still:])):
            places.append((begins[is_such][:, None] + np.arange(len(part))).ravel())
            values.append((strengths[is_such][:, None] * part).ravel())
    at, heights = np.concatenate(places), np.concatenate(values)
    inside = (at >= 0) & (at < n_frames)
    np.maximum.at(levels, at[inside], heights[inside])
    return levels


def _each(lengths: IntArray) -> tuple[IntArray, IntArray]:
    """Return, for stretches of some lengths: of every step in them the stretch, and its number there."""
    which = np.repeat(np.arange(len(lengths)), lengths)
    firsts = np.cumsum(lengths) - lengths
    return which, np.arange(len(which)) - firsts[which]


def _switched(firing: Firing, n_frames: int) -> list[tuple[int, int, FloatArray]]:
    """Return, for every cue that switches on: its number, the frame it begins on, its level until off."""
    parts = []
    places = firing.frames.tolist()
    for number in range(0, len(places), 2):
        envelope, on = firing.shapes[int(firing.shape_of[number])], places[number]
        off = places[number + 1] if number + 1 < len(places) else n_frames + int(envelope.fall)
        shape = frame_levels(replace(envelope, hold=float(max(off - on, 0))))
        parts.append((number, on - int(envelope.rise), shape))
    return parts


def _cut(
    parts: Iterable[tuple[int, int, FloatArray]], n_frames: int
) -> Iterator[tuple[int, slice, FloatArray]]:
    """Yield, of parts with their number and first frame, what lies inside the project, and where."""
    for number, start, part in parts:
        first, last = max(start, 0), min(start + len(part), n_frames)
        if first < last:
            yield number, slice(first, last), part[first - start : last - start]
