"""Edits of the picture as a whole: its size and rate."""

from fractions import Fraction

from msgspec.structs import replace

from epiphane.document.project import Project
from epiphane.document.timeline import Item
from epiphane.edits.pins import repinned
from epiphane.errors import EditError
from epiphane.facts.grid import bar_frames, bars_of
from epiphane.timing import frame_at, frame_start

_LARGEST = 8192


def set_size(project: Project, *, width: int, height: int) -> Project:
    """Return `project` with another picture size, in pixels.

    Raises
    ------
    EditError
        If a side is odd (H.264 cannot hold it) or not within 2..8192.
    """
    for name, side in (("width", width), ("height", height)):
        if not 2 <= side <= _LARGEST or side % 2:
            raise EditError(f"the {name} must be an even number of pixels, 2..{_LARGEST}, got {side}")
    return replace(project, width=width, height=height)


def set_rate(project: Project, rate: Fraction) -> Project:
    """Return `project` at another frame rate: cuts on a bar stay on it, others keep their time."""
    if rate == project.rate:
        return project
    bars = bars_of(project)
    place = dict(zip(bar_frames(bars, project.rate), bar_frames(bars, rate), strict=True))

    def moved(frame: int) -> int:
        return place.get(frame, frame_at(frame_start(frame, project.rate), rate))

    shots = []
    for shot in project.shots:
        start, end = moved(shot.start), moved(shot.start + shot.n_frames)
        shots.append(_at(shot, start, max(end, start + 1)))
    return repinned(replace(project, rate=rate, shots=tuple(shots)))


def choose_shape(project: Project, *, width: int, height: int, rate: Fraction) -> Project:
    """Return `project` with the size and rate that the user wants, whatever clips come."""
    project = set_rate(set_size(project, width=width, height=height), rate)
    return replace(project, is_shape_chosen=True)


def even_size(width: int, height: int) -> tuple[int, int]:
    """Return the even size nearest below, at least 2x2 and at most 8192 a side, in proportion."""
    shrink = min(1.0, _LARGEST / max(width, height))
    return max(2, int(width * shrink) // 2 * 2), max(2, int(height * shrink) // 2 * 2)


def _at(shot: Item, start: int, end: int) -> Item:
    return replace(shot, start=start, n_frames=end - start)
