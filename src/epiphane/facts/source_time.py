"""Which shot is on screen, and which instant of its footage it shows."""

import bisect
from fractions import Fraction

from epiphane.document.footage import Footage, FootageKind, Span
from epiphane.document.project import Project
from epiphane.document.timeline import Beyond, Pin, Shot
from epiphane.timing import frame_at, frame_start

# Timestamps of files are rounded to their own clock; meant is the picture, not the instant at its edge.
_INSIDE_SECONDS = 1e-4


def shot_at(project: Project, frame: int) -> Shot | None:
    """Return the shot on screen on a frame, or None where there is none."""
    index = bisect.bisect_right(project.shots, frame, key=lambda shot: shot.start) - 1
    if index < 0:
        return None
    shot = project.shots[index]
    return shot if frame < shot.start + shot.n_frames else None


def source_seconds(shot: Shot, footage: Footage, frame: int, rate: Fraction) -> float:
    """Return the instant of its footage, in seconds, that a shot shows on a frame of the project.

    Always within the used part of the footage: what lies beyond it is played again, or there and back.

    Parameters
    ----------
    frame : int, frames of the project
    rate : Fraction, frames of the project a second
    """
    if footage.kind is FootageKind.STILL:
        return 0.0
    return _inside(running_seconds(shot, frame, rate), footage, shown_span(shot, footage), shot.beyond)


def shown_span(shot: Shot, footage: Footage) -> Span:
    """Return from where to where footage may be shown in a shot, in seconds: its bounds, in the used part."""
    whole = footage.used_from, max(footage.end, footage.used_from)
    if shot.bounds is None:
        return whole
    first, end = max(shot.bounds[0], whole[0]), min(shot.bounds[1], whole[1])
    return (first, end) if end > first else whole


def running_seconds(shot: Shot, frame: int, rate: Fraction) -> float:
    """Return the instant that a shot would show if its footage went on for ever both ways."""
    return shot.source_start + shot.speed * frame_start(frame - shot.start, rate)


def frame_of(shot: Shot, seconds: float, rate: Fraction) -> int:
    """Return the frame of the project on which a shot first shows an instant of its footage."""
    # [s of footage] / [s of footage / s] = [s]
    return shot.start + frame_at((seconds - shot.source_start) / shot.speed, rate)


def start_for(pin: Pin, *, start: int, speed: float, rate: Fraction) -> float:
    """Return the `source_start` with which a shot from frame `start` shows its moment on the hit's frame."""
    lead = frame_start(frame_at(pin.hit, rate) - start, rate)
    return round(pin.moment - speed * lead, 9)


def _inside(seconds: float, footage: Footage, span: Span, beyond: Beyond) -> float:
    first, end = span
    picture = 1 / float(footage.rate)
    length = end - first
    if first - _INSIDE_SECONDS <= seconds < end - _INSIDE_SECONDS:
        return max(seconds, first)
    if length <= picture:  # a single picture
        return first
    if beyond is Beyond.REPEAT:
        return first + (seconds - first + _INSIDE_SECONDS) % length
    there = (seconds - first + _INSIDE_SECONDS) % (2 * length)
    # On the way back its pictures come in the opposite order, the last one once more first.
    return first + there if there < length else max(first, end - (there - length) - picture)
