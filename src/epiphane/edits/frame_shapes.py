"""One edit in several shapes of the frame: every item lies in each of them in its own way."""

import math
from collections.abc import Callable, Mapping

from msgspec.structs import replace

from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import ItemId
from epiphane.document.project import Project, with_items
from epiphane.document.timeline import Fit, Item, Shape, ShapeTransform
from epiphane.edits.picture import set_size
from epiphane.errors import EditError
from epiphane.wording import tr

_MOST = 16


def add_shape(project: Project, shape: Shape) -> Project:
    """Return `project` going out in one more shape, which is shown; items lie in it as in the one before.

    Raises
    ------
    EditError
        If it has that shape already, has too many, or a side cannot be that long.
    """
    shapes = project.shapes or (project.shape,)
    if shape in shapes:
        raise EditError(
            tr("the edit has the shape {width} x {height} already", width=shape.width, height=shape.height)
        )
    if len(shapes) == _MOST:
        raise EditError(tr("an edit has {most} shapes at most", most=_MOST))
    set_size(replace(project, shapes=()), width=shape.width, height=shape.height)  # for its checks
    return show_shape(replace(project, shapes=(*shapes, shape)), shape)


def show_shape(project: Project, shape: Shape) -> Project:
    """Return `project` with another of its shapes shown.

    Raises
    ------
    EditError
        If it is none of them.
    """
    if shape not in project.shapes:
        raise EditError(
            tr("the edit has no shape {width} x {height}", width=shape.width, height=shape.height)
        )
    if shape == project.shape:
        return project
    before = project.shape

    def turned(item: Item) -> Item:
        kept = {one.shape: one.transform for one in item.other_shapes} | {before: item.transform}
        now = kept.pop(shape, item.transform)
        others = tuple(ShapeTransform(one, kept[one]) for one in project.shapes if one in kept)
        return replace(item, transform=now, other_shapes=others)

    made = _with_each(project, turned)
    return replace(made, width=shape.width, height=shape.height)


def remove_shape(project: Project, shape: Shape) -> Project:
    """Return `project` without one of its shapes; without the one that is shown, another is.

    Raises
    ------
    EditError
        If it is none of them.
    """
    if shape not in project.shapes:
        raise EditError(
            tr("the edit has no shape {width} x {height}", width=shape.width, height=shape.height)
        )
    left = tuple(one for one in project.shapes if one != shape)
    if shape == project.shape and left:
        project = show_shape(project, left[0])

    def without(item: Item) -> Item:
        others = tuple(one for one in item.other_shapes if one.shape != shape)
        return replace(item, other_shapes=others)

    return replace(_with_each(project, without), shapes=left if len(left) > 1 else ())


def in_shape(project: Project, shape: Shape) -> Project:
    """Return `project` as it goes out at a size: shown in that one of its shapes that has its proportions."""
    alike = (one for one in project.shapes if one.width * shape.height == one.height * shape.width)
    found = shape if shape in project.shapes else next(alike, None)
    return project if found is None else show_shape(project, found)


def place_shots(project: Project, shape: Shape, places: Mapping[ItemId, tuple[float, float]]) -> Project:
    """Return `project` with shots framed anew in a shape, each about a place of its footage.

    Parameters
    ----------
    places : from the number of a shot to shares of the picture's width and height
        What is to be in the middle of the frame, as far as the picture covers it.
    """
    footage = {one.id: one for one in project.footage}

    def placed(item: Item) -> Item:
        source = footage.get(item.footage) if item.footage is not None else None
        if item.id not in places or source is None or item.transform.fit is not Fit.COVER:
            return item
        x, y = _shift(source, shape, places[item.id])
        if shape == project.shape:
            return replace(item, transform=replace(item.transform, x=x, y=y))
        others = tuple(
            replace(one, transform=replace(one.transform, x=x, y=y)) if one.shape == shape else one
            for one in item.other_shapes
        )
        return replace(item, other_shapes=others)

    return _with_each(project, placed)


def free_share(footage: Footage, shape: Shape) -> tuple[float, float]:
    """Return which shares of a picture's width and height are seen in a shape that it covers."""
    wider = footage.width / footage.height / (shape.width / shape.height)
    return (1 / wider, 1.0) if wider > 1 else (1.0, wider)


def _shift(footage: Footage, shape: Shape, place: tuple[float, float]) -> tuple[float, float]:
    """Return how far a picture is moved, in shares of the frame, with a place of it in the middle."""
    moved = []
    for seen, middle in zip(free_share(footage, shape), place, strict=True):
        most = math.floor((1 / seen - 1) / 2 * 10_000) / 10_000  # rounded, it covers still
        moved.append(round(min(max((0.5 - middle) / seen, -most), most), 4) if seen < 1 else 0.0)
    return moved[0], moved[1]


def _with_each(project: Project, change: Callable[[Item], Item]) -> Project:
    """Return `project` with every item changed, on the main track and on all others."""
    return with_items(project, lambda items: tuple(map(change, items)))


def shots_to_place(project: Project, shape: Shape) -> list[Item]:
    """Return the shots of which a shape shows only a part, so that it matters which."""
    footage = {one.id: one for one in project.footage}
    made = []
    for shot in project.shots:
        source = footage.get(shot.footage) if shot.footage is not None else None
        is_cropped = source is not None and min(free_share(source, shape)) < 0.95
        if is_cropped and source is not None and source.kind is not FootageKind.SOUND:
            made.append(shot)
    return made
