"""Edits of items on the tracks over the shots: pictures laid over, and sounds under the song."""

from collections.abc import Callable, Iterable
from typing import assert_never

from msgspec.structs import replace

from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, ItemId, TrackId
from epiphane.document.project import Project, find
from epiphane.document.timeline import (
    FootageCut,
    Item,
    ItemSound,
    Pin,
    ShapeFill,
    SolidFill,
    Track,
    footage_item,
)
from epiphane.document.titles import LogoFill, TextFill, TitleFill
from epiphane.edits.checked import checked
from epiphane.edits.shots.pins import pinned
from epiphane.edits.shots.shots import footage_name, started_at
from epiphane.errors import EditError
from epiphane.timing import frame_at
from epiphane.wording import tr


def put_on_track(
    project: Project, footage_id: FootageId, frame: int, track: TrackId | None = None
) -> tuple[Project, ItemId]:
    """Return `project` with footage on a track, or on a new one, from a frame on, and its number there.

    It lasts as long as it is, or as there is room; a sound is heard.

    Raises
    ------
    EditError
        If there is no such footage or track, or no room on it there.
    """
    footage = find(project.footage, footage_id, "footage")
    project, item_id, track = _begun(project, track, footage_name(footage))
    is_still = footage.kind is FootageKind.STILL
    seconds = 2.0 if is_still else max(footage.end - footage.used_from, 0.04)
    n_frames = _room_from(project, track, frame, round(seconds * project.rate))
    item = footage_item(item_id, footage_id, frame, n_frames, source_start=footage.used_from)
    if footage.kind is FootageKind.SOUND:
        item = replace(item, sound=ItemSound())
    return _with_items(project, track, (*_track(project, track).items, item)), item_id


def land_item(project: Project, item_id: ItemId, pin: Pin) -> Project:
    """Return `project` with an item moved so that its moment falls on a hit, and begins with its footage."""
    track, item = find_item(project, item_id)
    cut = item.content
    if not isinstance(cut, FootageCut):
        raise EditError(tr("only footage has a moment"))
    lead = round((pin.moment - cut.source_start) * project.rate)
    start = max(0, frame_at(pin.hit, project.rate) - lead)
    moved = _moved(project, track, item, start)
    return _replaced(project, track, pinned(moved, pin, project.rate))


def move_item(project: Project, item_id: ItemId, start: int) -> Project:
    """Return `project` with an item of a track elsewhere, as near to a frame as its neighbours allow."""
    track, item = find_item(project, item_id)
    free = pinned(item, None, project.rate)
    return _replaced(project, track, _moved(project, track, free, start))


def trim_item(
    project: Project, item_id: ItemId, *, start: int | None = None, end: int | None = None
) -> Project:
    """Return `project` with an item of a track beginning or ending elsewhere; what it shows stays."""
    track, item = find_item(project, item_id)
    low, high = _room(project, track, item)
    made = item
    if start is not None:
        made = started_at(item, min(max(start, low), item.end - 1), project.rate)
    if end is not None:
        made = replace(made, n_frames=max(min(end, high), made.start + 1) - made.start)
    return _replaced(project, track, pinned(made, made.pin, project.rate))


def change_item(project: Project, item_id: ItemId, **changes: object) -> Project:
    """Return `project` with plain fields of an item of a track changed, e.g. ``opacity=0.5``.

    Raises
    ------
    EditError
        If there is no such item, or a value is out of range.
    """
    track, item = find_item(project, item_id)
    return _replaced(project, track, checked(replace(item, **changes), Item))


def replace_item(project: Project, item_id: ItemId, change: Callable[[Item], Item]) -> Project:
    """Return `project` with an item of a track as `change` makes it.

    Raises
    ------
    EditError
        If there is no such item.
    """
    track, item = find_item(project, item_id)
    return _replaced(project, track, change(item))


def put_fill_on_track(
    project: Project,
    fill: SolidFill | ShapeFill | TitleFill,
    frame: int,
    track: TrackId | None = None,
    *,
    seconds: float = 2.0,
) -> tuple[Project, ItemId]:
    """Return `project` with a solid, a shape or a title on a track or a new one from a frame on; its number.

    It lasts some seconds, or as long as there is room.

    Raises
    ------
    EditError
        If there is no such track, or no room on it there.
    """
    match fill:
        case TextFill():
            name = ""  # it is called by its words
        case LogoFill():
            name = tr("logo")
        case SolidFill():
            name = tr("solid")
        case ShapeFill(kind=kind):
            name = tr(kind.value)
        case _:
            assert_never(fill)
    project, item_id, track = _begun(project, track, name)
    n_frames = _room_from(project, track, frame, round(seconds * project.rate))
    item = Item(item_id, frame, n_frames, fill)
    return _with_items(project, track, (*_track(project, track).items, item)), item_id


def _begun(project: Project, track: TrackId | None, name: str) -> tuple[Project, ItemId, TrackId]:
    """Return `project` with a track, new if none is given, and the number of an item that is to be on it."""
    item_id = ItemId(project.next_id)
    project = replace(project, next_id=project.next_id + 1)
    if track is None:
        made = Track(TrackId(project.next_id), name[:100])
        project = replace(project, stack=(*project.stack, made), next_id=project.next_id + 1)
        track = made.id
    return project, item_id, track


def _room_from(project: Project, track: TrackId, frame: int, wanted: int) -> int:
    """Return how many frames there are on a track from a frame on, at most as many as wanted."""
    items = _track(project, track).items
    if frame < 0:
        raise EditError(tr("nothing begins before the film: put it on its first frame or later"))
    room = next((item.start for item in items if item.end > frame), max(project.n_frames, frame + 1))
    if room <= frame:
        raise EditError(tr("something is on this track here already: put it beside it, or on another track"))
    return min(max(1, wanted), room - frame)


def delete_items(project: Project, ids: Iterable[ItemId]) -> Project:
    """Return `project` without some items of tracks; a track that has none any more goes too."""
    gone = set(ids)
    stack = [
        replace(row, items=tuple(item for item in row.items if item.id not in gone))
        if isinstance(row, Track)
        else row
        for row in project.stack
    ]
    left = [row for row in stack if not isinstance(row, Track) or row.items]
    return replace(project, stack=tuple(left))


def change_track(project: Project, track_id: TrackId, **changes: object) -> Project:
    """Return `project` with plain fields of a track changed, e.g. ``is_muted=True``."""
    made = checked(replace(_track(project, track_id), **changes), Track)
    return _with_track(project, made)


def find_item(project: Project, item_id: ItemId) -> tuple[Track, Item]:
    """Return an item of a track, and that track.

    Raises
    ------
    EditError
        If there is none.
    """
    for track in project.tracks:
        for item in track.items:
            if item.id == item_id:
                return track, item
    raise EditError(tr("there is no item {item_id} on a track of this project", item_id=item_id))


def item_room(project: Project, item: Item) -> tuple[int, int]:
    """Return between which frames an item of a track may lie."""
    return _room(project, find_item(project, item.id)[0], item)


def _room(project: Project, track: Track, item: Item) -> tuple[int, int]:
    """Return between which frames an item may lie."""
    before = [one.end for one in track.items if one.start < item.start]
    after = [one.start for one in track.items if one.start > item.start]
    return max(before, default=0), min(after, default=max(project.n_frames, item.end))


def _moved(project: Project, track: Track, item: Item, start: int) -> Item:
    low, high = _room(project, track, item)
    return replace(item, start=max(low, min(start, high - item.n_frames)))


def _replaced(project: Project, track: Track, item: Item) -> Project:
    return _with_items(project, track.id, (item if one.id == item.id else one for one in track.items))


def _with_items(project: Project, track_id: TrackId, items: Iterable[Item]) -> Project:
    ordered = tuple(sorted(items, key=lambda item: item.start))
    return _with_track(project, replace(_track(project, track_id), items=ordered))


def _with_track(project: Project, track: Track) -> Project:
    stack = (track if isinstance(row, Track) and row.id == track.id else row for row in project.stack)
    return replace(project, stack=tuple(stack))


def _track(project: Project, track_id: TrackId) -> Track:
    return find(project.tracks, track_id, "track")
