"""Edits of the picture as a whole: its size and rate."""

from fractions import Fraction
from itertools import zip_longest

from msgspec.structs import replace

from epiphane.document.project import Project, with_items
from epiphane.document.timeline import MOST_KEY_FRAME, FootageCut, Item, Shape, with_cut
from epiphane.edits.checked import with_changes
from epiphane.edits.shots.followed_cuts import with_cuts_followed
from epiphane.edits.shots.pins import repinned
from epiphane.errors import EditError
from epiphane.facts.grid import bar_frames, bars_of
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_LARGEST = 8192
_WHOLE_TURN = 360


def set_size(project: Project, *, width: int, height: int) -> Project:
    """Return `project` with another picture size, in pixels.

    Raises
    ------
    EditError
        If a side is odd (H.264 cannot hold it) or not within 2..8192.
    """
    for name, side in (("width", width), ("height", height)):
        if not 2 <= side <= _LARGEST or side % 2:
            raise EditError(
                tr(
                    "the {name} must be an even number of pixels, 2..{largest}, got {side}",
                    name=name,
                    largest=_LARGEST,
                    side=side,
                )
            )
    made = Shape(width, height)
    if made != project.shape and made in project.shapes:
        raise EditError(
            tr("the edit has the shape {width} x {height} already: show that one", width=width, height=height)
        )
    shapes = tuple(made if shape == project.shape else shape for shape in project.shapes)
    return replace(project, width=width, height=height, shapes=shapes)


def set_rate(project: Project, rate: Fraction) -> Project:
    """Return `project` at another frame rate: cuts on a bar stay on it, others keep their time.

    A shot of a frame or two may have none left at a lower rate, and goes.
    """
    if rate == project.rate:
        return project
    bars = bars_of(project)
    place = dict(zip(bar_frames(bars, project.rate), bar_frames(bars, rate), strict=True))

    def moved(frame: int) -> int:
        return place.get(frame, frame_at(frame_start(frame, project.rate), rate))

    def at_rate(items: tuple[Item, ...]) -> tuple[Item, ...]:
        made: list[Item] = []
        limits = [moved(item.start) for item in items[1:]]
        for item, limit in zip_longest(items, limits):
            start = max(moved(item.start), made[-1].end if made else 0)
            end = max(moved(item.end), start + 1)
            end = end if limit is None else min(end, limit)
            if end > start:
                made.append(_at(item, start, end, rate / project.rate))
        return tuple(made)

    return with_cuts_followed(project, repinned(replace(with_items(project, at_rate), rate=rate)))


def change_fades(project: Project, **changes: float) -> Project:
    """Return `project` with fades of the picture changed, e.g. ``fade_in=0.5``, in seconds.

    Raises
    ------
    EditError
        If a value is outside its range, or both fades are longer than the edit together.
    """
    made = with_changes(project.fades, **changes)
    if made.fade_in + made.fade_out > float(project.n_frames / project.rate):
        raise EditError(tr("the fades of the picture are longer than the edit"))
    return replace(project, fades=made)


def mix_light(project: Project, *, in_light: bool) -> Project:
    """Return `project` with what mixes and spreads pictures doing so in linear light, or in levels."""
    return replace(project, in_light=in_light)


def set_shutter_angle(project: Project, angle: float) -> Project:
    """Return `project` with another shutter for all that effects move, in degrees.

    Raises
    ------
    EditError
        If it is not within 0..360.
    """
    if not 0 <= angle <= _WHOLE_TURN:
        raise EditError(
            tr("the angle of the shutter is {angle:g} degrees: choose one within 0..360", angle=angle)
        )
    return replace(project, shutter_angle=float(angle))


def choose_shape(project: Project, *, width: int, height: int, rate: Fraction) -> Project:
    """Return `project` with the size and rate that the user wants, whatever clips come."""
    project = set_rate(set_size(project, width=width, height=height), rate)
    return replace(project, is_shape_chosen=True)


def even_size(width: int, height: int) -> tuple[int, int]:
    """Return the even size nearest below, at least 2x2 and at most 8192 a side, in proportion."""
    shrink = min(1.0, _LARGEST / max(width, height))
    return max(2, int(width * shrink) // 2 * 2), max(2, int(height * shrink) // 2 * 2)


def _at(shot: Item, start: int, end: int, factor: Fraction) -> Item:
    """Return a shot between other frames, with the keys of its speed at the same instants at another rate."""
    made = replace(shot, start=start, n_frames=end - start)
    if shot.keys or shot.fade_in or shot.fade_out:
        places = {round(key.frame * factor): key for key in shot.keys}
        made = replace(
            made,
            keys=tuple(replace(key, frame=frame) for frame, key in places.items()),
            fade_in=round(shot.fade_in * factor),
            fade_out=round(shot.fade_out * factor),
        )
    speed = shot.content.speed if isinstance(shot.content, FootageCut) else 1.0
    if not isinstance(speed, tuple):
        return made
    # Of two that fall on one frame the later one stays.
    keys = {min(max(round(key.frame * factor), -MOST_KEY_FRAME), MOST_KEY_FRAME): key for key in speed}
    return with_cut(made, speed=tuple(replace(key, frame=frame) for frame, key in keys.items()))
