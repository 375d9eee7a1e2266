"""Which shot is on screen, and which instant of its footage it shows."""

import bisect
from collections.abc import Sequence
from fractions import Fraction

from epiphane.document.footage import Footage, FootageKind, Span
from epiphane.document.project import Project
from epiphane.document.timeline import Extend, Item, Pin, SpeedKey, cut_of
from epiphane.facts.speed import frames_run, monotone_parts
from epiphane.timing import frame_at, frame_start

# Timestamps of files are rounded to their own clock; meant is the picture, not the instant at its edge.
_INSIDE_SECONDS = 1e-4


def shot_at(project: Project, frame: int) -> Item | None:
    """Return the shot on screen on a frame, or None where there is none."""
    return item_at(project.shots, frame)


def item_at(items: Sequence[Item], frame: int) -> Item | None:
    """Return which of some items, ascending in time, is on screen on a frame, or None."""
    index = bisect.bisect_right(items, frame, key=lambda item: item.start) - 1
    return items[index] if index >= 0 and frame < items[index].end else None


def items_between(items: Sequence[Item], first: int, end: int) -> Sequence[Item]:
    """Return which of some items, ascending in time without overlaps, reach into or touch some frames."""
    lowest = bisect.bisect_left(items, first, key=lambda item: item.end)
    return items[lowest : bisect.bisect_right(items, end, key=lambda item: item.start)]


def gaps_between(project: Project, first: int, end: int) -> list[tuple[int, int]]:
    """Return where no shot is near some frames: first frames, and those after the last; none if no shots."""
    shots = project.shots
    low = bisect.bisect_left(shots, first, key=lambda shot: shot.end)
    high = bisect.bisect_right(shots, end, key=lambda shot: shot.start)
    near = shots[low:high]
    before = shots[low - 1].end if low else 0
    after = shots[high].start if high < len(shots) else project.n_frames
    starts, ends = (before, *(shot.end for shot in near)), (*(shot.start for shot in near), after)
    return [gap for gap in zip(starts, ends, strict=True) if shots and gap[0] < gap[1]]


def source_seconds(shot: Item, footage: Footage, frame: int, rate: Fraction) -> float:
    """Return the instant of its footage, in seconds, that a shot shows on a frame of the project.

    Always within the used part of the footage: what lies beyond it is played again, or there and back.

    Parameters
    ----------
    frame : int, frames of the project
    rate : Fraction, frames of the project a second
    """
    if footage.kind is FootageKind.STILL:
        return 0.0
    span, extend = shown_span(shot, footage), cut_of(shot).extend
    return _inside(running_seconds(shot, frame, rate), footage, span, extend)


def shown_span(shot: Item, footage: Footage) -> Span:
    """Return from where to where footage may be shown in a shot, in seconds: its bounds, in the used part."""
    whole = footage.used_from, max(footage.end, footage.used_from)
    bounds = cut_of(shot).bounds
    if bounds is None:
        return whole
    first, end = max(bounds[0], whole[0]), min(bounds[1], whole[1])
    return (first, end) if end > first else whole


def running_seconds(shot: Item, frame: int, rate: Fraction) -> float:
    """Return the instant that a shot would show if its footage went on for ever both ways."""
    cut = cut_of(shot)
    if not isinstance(cut.speed, tuple):
        return cut.source_start + cut.speed * frame_start(frame - shot.start, rate)
    anchor = anchor_frame(shot, rate)
    run = frames_run(cut.speed, frame - anchor) - frames_run(cut.speed, shot.start - anchor)
    return cut.source_start + run / float(rate)


def running_span(shot: Item, rate: Fraction) -> Span:
    """Return the least and the greatest instant that a shot would show if its footage went on for ever."""
    anchor = anchor_frame(shot, rate)
    frames = {shot.start, shot.end}
    for part in monotone_parts(cut_of(shot).speed, shot.start - anchor, shot.end - anchor + 1):
        frames |= {anchor + frame for frame in part}
    instants = [running_seconds(shot, frame, rate) for frame in frames]
    return min(instants), max(instants)


def anchor_frame(shot: Item, rate: Fraction) -> int:
    """Return the frame from which the keys of its speed curve are counted: its moment's, or its first."""
    return shot.start if shot.pin is None else frame_at(shot.pin.hit, rate)


def start_for(pin: Pin, *, start: int, speed: float | tuple[SpeedKey, ...], rate: Fraction) -> float:
    """Return the `source_start` with which a shot from frame `start` shows its moment on the hit's frame."""
    lead = frame_at(pin.hit, rate) - start
    if not isinstance(speed, tuple):
        return round(pin.moment - speed * frame_start(lead, rate), 9)
    return round(pin.moment + frames_run(speed, -lead) / float(rate), 9)


def frame_showing(shot: Item, seconds: float, rate: Fraction) -> int | None:
    """Return the first frame on which a shot shows an instant of its footage, or has just passed it.

    None where it never does. What lies beyond the ends of the footage is not looked at.
    """
    anchor, slack = anchor_frame(shot, rate), _INSIDE_SECONDS
    if abs(running_seconds(shot, shot.start, rate) - seconds) <= slack:
        return shot.start
    for first, last in monotone_parts(cut_of(shot).speed, shot.start - anchor, shot.end - anchor):
        from_, to = (running_seconds(shot, anchor + one, rate) for one in (first, last))
        if min(from_, to) - slack <= seconds <= max(from_, to) + slack:
            sign = 1 if to >= from_ else -1

            def along(one: int, sign: int = sign) -> float:
                return sign * running_seconds(shot, anchor + one, rate)

            frames = range(first, last + 1)
            return anchor + first + bisect.bisect_left(frames, sign * seconds - slack, key=along)
    return None


def _inside(seconds: float, footage: Footage, span: Span, extend: Extend) -> float:
    first, end = span
    picture = 1 / float(footage.rate)
    length = end - first
    if first - _INSIDE_SECONDS <= seconds < end - _INSIDE_SECONDS:
        return max(seconds, first)
    if length <= picture:  # a single picture
        return first
    if extend is Extend.REPEAT:
        return first + (seconds - first + _INSIDE_SECONDS) % length
    there = (seconds - first + _INSIDE_SECONDS) % (2 * length)
    # On the way back its pictures come in the opposite order, the last one once more first.
    return first + there if there < length else max(first, end - (there - length) - picture)
