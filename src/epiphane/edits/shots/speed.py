"""Speed within shots: one speed or a curve, backwards, freeze frames, and ready curves about a hit.

A moment stays on its hit whatever is done; where a shot has none, what it begins with stays.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Protocol

from msgspec.structs import replace

from epiphane.document.footage import FootageKind
from epiphane.document.ids import ItemId
from epiphane.document.project import Project, find
from epiphane.document.timeline import MOST_KEY_FRAME, Item, Ramp, SpeedKey, cut_of, with_cut
from epiphane.edits.checked import checked
from epiphane.edits.shots.cutting import TrimMode, end_shot
from epiphane.edits.shots.pins import pinned
from epiphane.edits.shots.shots import with_shot
from epiphane.errors import EditError
from epiphane.facts.source_time import anchor_frame, running_seconds
from epiphane.facts.speed import frames_run, scaled, speed_at
from epiphane.wording import tr

SLOWEST, FASTEST = 0.05, 10.0
"""Speeds that are offered, both ways; beside them there is the freeze frame."""
_MOST_KEYS = 1000
_EASE_FRAMES = 5


def change_speed(project: Project, shot_id: ItemId, speed: float | tuple[SpeedKey, ...]) -> Project:
    """Return `project` with a shot at another speed, or with another curve.

    Raises
    ------
    EditError
        If there is no such shot, it is a still, or a speed or a key is out of range.
    """
    shot = _moving_shot(project, shot_id)
    try:
        made = checked(with_cut(shot, speed=speed), Item)
    except ValueError as error:  # what one key says of another
        raise EditError(tr("speed: {error}", error=error)) from None
    return with_shot(project, pinned(made, made.pin, project.rate))


def reverse_shot(project: Project, shot_id: ItemId) -> Project:
    """Return `project` with a shot running the other way, at the speeds that it had at each frame.

    Where no moment is on a hit, it begins with what it ended with.
    """
    shot = _moving_shot(project, shot_id)
    last = round(running_seconds(shot, shot.end - 1, project.rate), 9)
    project = with_shot(project, with_cut(shot, source_start=last))
    return change_speed(project, shot_id, scaled(cut_of(shot).speed, -1.0))


def freeze_at(project: Project, shot_id: ItemId, frame: int, n_frames: int) -> Project:
    """Return `project` with a shot holding its picture of a frame for some frames; then it goes on.

    Before a moment that is on its hit, the picture is held up to that frame, so that the moment stays there.

    Raises
    ------
    EditError
        If the frame is not within the shot, or the freeze is no frame long.
    """
    shot = _moving_shot(project, shot_id)
    if n_frames < 1:
        raise EditError(tr("a freeze frame lasts 1 frame or more, got {n_frames}", n_frames=n_frames))
    if not shot.start <= frame < shot.end:
        raise EditError(tr("put the playhead within the shot that is to freeze"))
    n_frames = min(n_frames, shot.n_frames)
    at = frame - anchor_frame(shot, project.rate)
    is_before_moment = shot.pin is not None and at < 0
    start = at - n_frames if is_before_moment else at
    before, after = _interrupted(cut_of(shot).speed, at)
    frozen = SpeedKey(start, 0.0, Ramp.HOLD)
    return _with_keys(
        project, shot_id, [*_later(before, start - at), frozen, *_later(after, start + n_frames - at)]
    )


def _interrupted(speed: float | tuple[SpeedKey, ...], at: int) -> tuple[list[SpeedKey], list[SpeedKey]]:
    """Return the keys of a curve before a frame and from there on, so that either can be moved alone.

    A ramp that goes across, and those that lead to it without a hold, become a key on each of their frames:
    so every one shows exactly what it did.
    """
    keys = speed if isinstance(speed, tuple) else ()

    def step(frame: int) -> SpeedKey:
        return SpeedKey(frame, frames_run(speed, frame + 1) - frames_run(speed, frame), Ramp.HOLD)

    before, after = [key for key in keys if key.frame < at], [key for key in keys if key.frame >= at]
    first = at
    while before and before[-1].ramp is not Ramp.HOLD:
        first = before.pop().frame
    if not before:  # as before the first key
        before = [SpeedKey(first - 1, speed_at(speed, first - 1), Ramp.HOLD)]
    before += [step(frame) for frame in range(first, at)]
    if not after or after[0].frame > at:
        is_ramp = bool(after) and keys[0].frame < at and speed_at(speed, at) != speed_at(speed, at + 1)
        end = after[0].frame if is_ramp else at + 1
        after = [*(step(frame) for frame in range(at, end)), *after]
    return before, after


def _later(keys: Iterable[SpeedKey], by: int) -> list[SpeedKey]:
    return [replace(key, frame=key.frame + by) for key in keys]


def stretch_to_fit(project: Project, shot_id: ItemId, frame: int, mode: TrimMode) -> Project:
    """Return `project` with a shot ending before another frame that shows all it did, slower or faster.

    Raises
    ------
    EditError
        If it would be slower or faster than a shot can be, or as `end_shot` says.
    """
    shot = _moving_shot(project, shot_id)
    ended = end_shot(project, shot_id, frame, mode)
    now = find(ended.shots, shot_id, "shot")
    factor = shot.n_frames / now.n_frames
    speed = scaled(cut_of(shot).speed, factor)
    if isinstance(speed, tuple):
        speed = tuple(replace(key, frame=round(key.frame / factor)) for key in speed)
    return change_speed(ended, shot_id, speed)


def move_key(project: Project, shot_id: ItemId, index: int, *, frame: int, speed: float) -> Project:
    """Return `project` with a key of a shot's curve elsewhere: between its neighbours, within the range.

    Raises
    ------
    EditError
        If there is no such key.
    """
    keys = _keys_with(project, shot_id, index)
    low = keys[index - 1].frame + 1 if index else -MOST_KEY_FRAME
    high = keys[index + 1].frame - 1 if index + 1 < len(keys) else MOST_KEY_FRAME
    frame, speed = min(max(frame, low), high), min(max(speed, -FASTEST), FASTEST)
    keys[index] = replace(keys[index], frame=frame, speed=round(speed, 4))
    return _with_keys(project, shot_id, keys)


def add_key(project: Project, shot_id: ItemId, frame: int) -> Project:
    """Return `project` with a key more on a shot's curve, on a frame from its anchor, where the curve is."""
    shot = _moving_shot(project, shot_id)
    speed = cut_of(shot).speed
    keys = [key for key in (speed if isinstance(speed, tuple) else ()) if key.frame != frame]
    ramp = next((key.ramp for key in reversed(keys) if key.frame < frame), Ramp.BOTH)
    keys.append(SpeedKey(frame, round(speed_at(speed, frame), 4), ramp))
    return _with_keys(project, shot_id, sorted(keys, key=lambda key: key.frame))


def remove_key(project: Project, shot_id: ItemId, index: int) -> Project:
    """Return `project` without a key of a shot's curve; without the last one, the shot keeps its speed.

    Raises
    ------
    EditError
        If there is no such key.
    """
    keys = _keys_with(project, shot_id, index)
    if len(keys) == 1:
        return change_speed(project, shot_id, keys[0].speed)
    del keys[index]
    return _with_keys(project, shot_id, keys)


def set_ramp(project: Project, shot_id: ItemId, index: int, ramp: Ramp) -> Project:
    """Return `project` with another way from a key of a shot's curve to the next one.

    Raises
    ------
    EditError
        If there is no such key.
    """
    keys = _keys_with(project, shot_id, index)
    keys[index] = replace(keys[index], ramp=ramp)
    return _with_keys(project, shot_id, keys)


def curve_of(shot: Item) -> tuple[SpeedKey, ...]:
    """Return the keys of a shot's curve; of one speed, none."""
    speed = cut_of(shot).speed
    return speed if isinstance(speed, tuple) else ()


def speed_text(speed: float | tuple[SpeedKey, ...]) -> str:
    """Return a speed as people write it: ``40 %``, ``freeze``, ``curve``."""
    if isinstance(speed, tuple):
        return "curve"
    return "freeze" if speed == 0 else f"{100 * speed:.{0 if abs(speed) >= 0.1 else 1}f} %"


# Ready curves


class _Keys(Protocol):
    def __call__(self, beat: int, n_frames: int, usual: float) -> Sequence[SpeedKey]:
        """Return keys about the hit, of which a beat is `beat` frames, and the speed before `usual`."""


@dataclass(frozen=True)
class SpeedShape:
    """A ready curve about a hit.

    Attributes
    ----------
    key, label, words : by which it is known, what it is called, and what it does
    keys : from the frames of a beat, a number of frames and the shot's speed to keys about the hit
    uses_frames : whether the number of frames is of use
    """

    key: str
    label: str
    words: str
    keys: _Keys
    uses_frames: bool = False


def _slow_after(beat: int, n_frames: int, usual: float) -> Sequence[SpeedKey]:
    return SpeedKey(0, usual), SpeedKey(max(2, beat // 3), 0.35 * usual)


def _fast_then_slow(beat: int, n_frames: int, usual: float) -> Sequence[SpeedKey]:
    ease = min(_EASE_FRAMES, max(1, beat // 2))
    return (
        SpeedKey(-ease, 2.5 * usual),
        SpeedKey(0, 0.3 * usual, Ramp.HOLD),
        SpeedKey(beat, 0.3 * usual),
        SpeedKey(beat + ease, usual),
    )


def _rush_to(beat: int, n_frames: int, usual: float) -> Sequence[SpeedKey]:
    return SpeedKey(-2 * beat, 0.5 * usual, Ramp.IN), SpeedKey(-1, 3 * usual, Ramp.HOLD), SpeedKey(0, usual)


def _there_and_back(beat: int, n_frames: int, usual: float) -> Sequence[SpeedKey]:
    turns = range(-8, 9)  # on for the beat before the hit, back for the one after it
    return [SpeedKey(turn * beat, usual if turn % 2 else -usual, Ramp.HOLD) for turn in turns]


def _freeze(beat: int, n_frames: int, usual: float) -> Sequence[SpeedKey]:
    hold = Ramp.HOLD
    return SpeedKey(-1, usual, hold), SpeedKey(0, 0.0, hold), SpeedKey(n_frames, usual, hold)


def _stutter(beat: int, n_frames: int, usual: float) -> Sequence[SpeedKey]:
    length = min(max(n_frames, 2), 10)  # back at no more than the greatest speed there is
    keys = [SpeedKey(-1, usual, Ramp.HOLD)]
    for number in range(3):
        start = number * length
        keys.append(SpeedKey(start, usual, Ramp.HOLD))
        keys.append(SpeedKey(start + length - 1, -usual * (length - 1), Ramp.HOLD))
    return (*keys, SpeedKey(3 * length, usual, Ramp.HOLD))


SHAPES = (
    SpeedShape(
        "slow", tr("Slow after the hit"), tr("As it is up to the hit, then a third as fast"), _slow_after
    ),
    SpeedShape(
        "plunge",
        tr("Fast, then slow on the hit"),
        tr("Fast up to the hit, slow for a beat, then as it is"),
        _fast_then_slow,
    ),
    SpeedShape("rush", tr("Faster into the hit"), tr("Slow, and ever faster up to the hit"), _rush_to),
    SpeedShape(
        "sway", tr("There and back on the beat"), tr("On for a beat, and back for a beat"), _there_and_back
    ),
    SpeedShape(
        "freeze", tr("Freeze on the hit"), tr("Holds the picture of the hit for some frames"), _freeze, True
    ),
    SpeedShape(
        "stutter", tr("Stutter on the hit"), tr("Shows the frames after the hit three times"), _stutter, True
    ),
)


def shape_speed(
    project: Project, shot_id: ItemId, key: str, frame: int, *, beat: int, n_frames: int
) -> Project:
    """Return `project` with a ready curve about a frame of the project in a shot.

    Parameters
    ----------
    key : of one of `SHAPES`
    frame : frame of the project; of a shot whose moment is on a hit, it is that of the hit
    beat : frames of a beat there
    n_frames : frames that a freeze or a stutter takes

    Raises
    ------
    EditError
        If there is no such shot or shape, or the frame is not within the shot.
    """
    shot = _moving_shot(project, shot_id)
    shape = next((one for one in SHAPES if one.key == key), None)
    if shape is None:
        raise EditError(tr("there is no speed shape {key!r}", key=key))
    if shot.pin is None and not shot.start <= frame < shot.end:
        raise EditError(tr("put the playhead within the shot, near the hit that is meant"))
    speed = cut_of(shot).speed
    usual = abs(speed) if not isinstance(speed, tuple) else 1.0
    keys = shape.keys(max(1, beat), max(1, n_frames), max(usual, SLOWEST))
    by = 0 if shot.pin is not None else frame - shot.start
    made = tuple(replace(one, frame=one.frame + by, speed=_in_range(one.speed)) for one in keys)
    return change_speed(project, shot_id, made)


def set_between(project: Project, ids: Iterable[ItemId], **changes: object) -> Project:
    """Return `project` with fields of the footage of some shots changed, e.g. ``between=Between.FLOW``."""
    chosen = set(ids)
    shots = [
        checked(with_cut(shot, **changes), Item) if shot.id in chosen and shot.footage is not None else shot
        for shot in project.shots
    ]
    return replace(project, shots=tuple(shots))


def _keys_with(project: Project, shot_id: ItemId, index: int) -> list[SpeedKey]:
    """Return the keys of a shot's curve, one of which has this number."""
    keys = list(curve_of(find(project.shots, shot_id, "shot")))
    if not 0 <= index < len(keys):
        raise EditError(tr("the curve has no point {index}", index=index + 1))
    return keys


def _with_keys(project: Project, shot_id: ItemId, keys: Sequence[SpeedKey]) -> Project:
    if len(keys) > _MOST_KEYS:
        raise EditError(tr("a curve of speeds has {most} points at most", most=_MOST_KEYS))
    return change_speed(project, shot_id, tuple(keys))


def _in_range(speed: float) -> float:
    return round(min(max(speed, -FASTEST), FASTEST), 4)


def _moving_shot(project: Project, shot_id: ItemId) -> Item:
    shot = find(project.shots, shot_id, "shot")
    footage = find(project.footage, cut_of(shot).footage, "footage")
    if footage.kind is FootageKind.STILL:
        raise EditError(tr("a still has no speed: every frame of it is the same"))
    return shot
