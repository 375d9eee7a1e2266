"""Which shot is on screen, and which instant of its footage it shows."""

import bisect
from collections.abc import Sequence
from fractions import Fraction

from epiphane.document.footage import Footage, FootageKind, Span
from epiphane.document.project import Project
from epiphane.document.timeline import Extend, Item, Pin, cut_of
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
    return cut.source_start + cut.speed * frame_start(frame - shot.start, rate)


def start_for(pin: Pin, *, start: int, speed: float, rate: Fraction) -> float:
    """Return the `source_start` with which a shot from frame `start` shows its moment on the hit's frame."""
    lead = frame_start(frame_at(pin.hit, rate) - start, rate)
    return round(pin.moment - speed * lead, 9)


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
