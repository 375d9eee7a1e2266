"""Edits of the keys of items: where an item lies, and how much is seen of it, on single frames."""

from msgspec.structs import replace

from epiphane.document.ids import ItemId
from epiphane.document.project import Project
from epiphane.document.timeline import Framing, Item, Ramp
from epiphane.edits.checked import checked, with_changes
from epiphane.edits.items.tracks import find_item, replace_item
from epiphane.errors import EditError
from epiphane.facts.framing import item_framing, item_key_at
from epiphane.wording import tr


def put_key(project: Project, item_id: ItemId, frame: int, **changes: float) -> Project:
    """Return `project` with a key of an item on a frame of the project, or that key changed, e.g. ``x=0.2``.

    A new one has what the item has there; `opacity` beside the fields of a framing may be given.

    Raises
    ------
    EditError
        If there is no such item, or a value is out of range.
    """

    def edit(item: Item) -> Item:
        old = item_key_at(item, frame)
        opacity = changes.pop("opacity", old.opacity)
        made = replace(old, framing=with_changes(old.framing, **changes), opacity=opacity)
        others = [key for key in item.keys if key.frame != made.frame]
        return replace(item, keys=tuple(sorted([*others, made], key=lambda key: key.frame)))

    return replace_item(project, item_id, edit)


def remove_key(project: Project, item_id: ItemId, frame: int) -> Project:
    """Return `project` without the key of an item on a frame; without any it lies as at the last one.

    Raises
    ------
    EditError
        If there is none.
    """

    def edit(item: Item) -> Item:
        left = tuple(key for key in item.keys if key.frame != frame - item.start)
        if len(left) == len(item.keys):
            raise EditError(tr("there is no key on this frame"))
        return replace(item, keys=left) if left else _settled(item, item_framing(item, frame))

    return replace_item(project, item_id, edit)


def set_key_ramp(project: Project, item_id: ItemId, frame: int, ramp: Ramp) -> Project:
    """Return `project` with another way from the key of an item before or on a frame to the next."""

    def edit(item: Item) -> Item:
        before = [key for key in item.keys if key.frame <= frame - item.start]
        if not before:
            raise EditError(tr("there is no key before this frame"))
        keys = tuple(replace(key, ramp=ramp) if key is before[-1] else key for key in item.keys)
        return replace(item, keys=keys)

    return replace_item(project, item_id, edit)


def frame_item(project: Project, item_id: ItemId, frame: int, **changes: float) -> Project:
    """Return `project` with an item lying otherwise: on this frame, if it has keys, else all the time."""
    if find_item(project, item_id)[1].keys:
        return put_key(project, item_id, frame, **changes)

    def edit(item: Item) -> Item:
        return checked(replace(item, transform=replace(item.transform, **changes)), Item)

    return replace_item(project, item_id, edit)


def _settled(item: Item, framing: Framing) -> Item:
    place = {"scale": framing.scale, "x": framing.x, "y": framing.y, "rotation": framing.rotation}
    return replace(item, keys=(), transform=replace(item.transform, **place))
