"""Edits of mattes: what of a shot is its subject, and which tracks stand behind it."""

from collections.abc import Callable

from msgspec.structs import replace

from epiphane.document.footage import FootageKind
from epiphane.document.ids import ItemId
from epiphane.document.matte import Matte, MatteKind, MatteMark, MatteStroke
from epiphane.document.project import Project, find, footage_of
from epiphane.document.timeline import FootageCut, Item
from epiphane.edits.checked import checked, with_changes
from epiphane.edits.shots.shots import with_shot
from epiphane.errors import EditError
from epiphane.facts.source_time import shown_span, source_seconds
from epiphane.wording import tr

_SAME_SECONDS = 0.5
"""Of a picture: marks so near to each other are on one."""


def begin_matte(project: Project, shot_id: ItemId, kind: MatteKind) -> Project:
    """Return `project` with a matte for the part of its footage that a shot shows.

    Raises
    ------
    EditError
        If the shot shows no clip.
    """
    shot = find(project.shots, shot_id, "shot")
    footage = footage_of(project, shot.footage)
    if footage is None or footage.kind is not FootageKind.VIDEO or not isinstance(shot.content, FootageCut):
        raise EditError(tr("only a shot of a clip can have a matte"))
    old = Matte() if shot.matte is None else shot.matte
    start, end = _shown_seconds(project, shot)
    first, last = shown_span(shot, footage)
    start, end = max(first, start - _BEYOND), min(last, end + _BEYOND)
    return _with_matte(project, shot, replace(old, kind=kind, start=round(start, 6), end=round(end, 6)))


def shows_more(project: Project, shot: Item) -> bool:
    """Whether a shot shows pictures of its clip beyond those for which its matte was asked."""
    if shot.matte is None or shot.footage is None:
        return False
    start, end = _shown_seconds(project, shot)
    return start < shot.matte.start - _CLOSE or end > shot.matte.end + _CLOSE


_CLOSE = 1e-3
_BEYOND = 0.35
"""Seconds of footage on either side of what a shot shows: transitions at its cuts show them."""


def _shown_seconds(project: Project, shot: Item) -> tuple[float, float]:
    """Return from where to where in its footage a shot shows pictures, with a picture more on either side."""
    footage = find(project.footage, shot.all_footage[0], "footage")
    seconds = [source_seconds(shot, footage, frame, project.rate) for frame in range(shot.start, shot.end)]
    first, last = shown_span(shot, footage)
    one = 1 / float(footage.rate)
    return round(max(first, min(seconds) - one), 6), round(min(last, max(seconds) + 2 * one), 6)


def change_matte(project: Project, shot_id: ItemId, **changes: object) -> Project:
    """Return `project` with fields of the matte of a shot changed, e.g. ``feather=0.01``.

    Raises
    ------
    EditError
        If the shot has none, or a value is out of range.
    """
    shot = find(project.shots, shot_id, "shot")
    return _with_matte(project, shot, with_changes(_matte_of(shot), **changes))


def remove_matte(project: Project, shot_id: ItemId) -> Project:
    """Return `project` with a shot that has no matte."""
    return with_shot(project, replace(find(project.shots, shot_id, "shot"), matte=None))


def box_subject(
    project: Project, shot_id: ItemId, time: float, box: tuple[float, float, float, float]
) -> Project:
    """Return `project` with a box around the subject of a shot on the picture at a time of its footage.

    The box is (left, top, right, bottom) in shares of the picture.
    """
    left, right = sorted((min(max(box[0], 0.0), 1.0), min(max(box[2], 0.0), 1.0)))
    top, bottom = sorted((min(max(box[1], 0.0), 1.0), min(max(box[3], 0.0), 1.0)))
    if right - left < _LEAST_BOX or bottom - top < _LEAST_BOX:
        raise EditError(tr("the box is too small: draw it around the whole subject"))
    sides = tuple(round(one, 5) for one in (left, top, right, bottom))
    return _with_mark(project, shot_id, time, lambda mark: replace(mark, box=sides))


_LEAST_BOX = 0.01


def dab(project: Project, shot_id: ItemId, time: float, strokes: tuple[MatteStroke, ...]) -> Project:
    """Return `project` with strokes on the subject of a shot, or beside it, at a time of its footage."""
    return _with_mark(project, shot_id, time, lambda mark: replace(mark, strokes=(*mark.strokes, *strokes)))


def clear_marks(project: Project, shot_id: ItemId) -> Project:
    """Return `project` with nothing marked on a shot."""
    return change_matte(project, shot_id, marks=())


def _with_mark(
    project: Project, shot_id: ItemId, time: float, change: Callable[[MatteMark], MatteMark]
) -> Project:
    shot = find(project.shots, shot_id, "shot")
    matte = _matte_of(shot)
    footage = find(project.footage, shot.all_footage[0], "footage")
    near = _SAME_SECONDS / float(footage.rate)
    old = next((one for one in matte.marks if abs(one.time - time) <= near), MatteMark(round(time, 6)))
    others = [one for one in matte.marks if one is not old]
    marks = tuple(sorted([*others, checked(change(old), MatteMark)], key=lambda one: one.time))
    return _with_matte(project, shot, replace(matte, marks=marks))


def _matte_of(shot: Item) -> Matte:
    if shot.matte is None:
        raise EditError(tr("this shot has no matte"))
    return shot.matte


def _with_matte(project: Project, shot: Item, matte: Matte) -> Project:
    return with_shot(project, replace(shot, matte=checked(matte, Matte)))
