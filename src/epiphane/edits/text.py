"""Edits of text over the picture: what it says, how it looks and moves, on which hit it lands."""

from msgspec.structs import replace

from epiphane.document.ids import ItemId, TrackId
from epiphane.document.project import Project
from epiphane.document.text import Shadow, TextFill, TextMotion, TextUnit
from epiphane.document.timeline import Item, Pin
from epiphane.edits.checked import with_changes
from epiphane.edits.tracks import find_item, item_room, put_fill_on_track, replace_item
from epiphane.errors import EditError
from epiphane.facts.text import landing_frame
from epiphane.timing import frame_at, frame_start

_SECONDS = 2.5
FRESH_TEXT = TextFill("TITLE", shadow=Shadow(), arrive=TextMotion("slam", 9, TextUnit.BLOCK, 0.5))
"""What a new text is."""


def put_text(
    project: Project, fill: TextFill, frame: int, track: TrackId | None = None, *, hit: float | None = None
) -> tuple[Project, ItemId]:
    """Return `project` with a text on a track, or on a new one, and its number.

    It begins on a frame, or so that it lands on a hit, in seconds, where one is given.

    Raises
    ------
    EditError
        If there is no such track, or no room on it there.
    """
    flight = 0 if fill.arrive is None else fill.arrive.frames
    if hit is not None:
        frame = max(0, frame_at(hit, project.rate) - flight)
    seconds = _SECONDS + flight / float(project.rate)
    project, item = put_fill_on_track(project, fill, frame, track, seconds=seconds)
    return (project if hit is None else land_text(project, item, hit)), item


def change_text(project: Project, item_id: ItemId, **changes: object) -> Project:
    """Return `project` with fields of a text changed, e.g. ``size=0.2``; what lands on a hit stays there.

    Raises
    ------
    EditError
        If the item is none, or a value is out of range.
    """

    def edit(item: Item) -> Item:
        return replace(item, content=with_changes(_fill_of(item), **changes))

    return _with_flight(replace_item(project, item_id, edit), item_id)


def set_arrival(project: Project, item_id: ItemId, motion: TextMotion | None) -> Project:
    """Return `project` with another way for a text to arrive; it is at rest on the frame it was before."""
    _, item = find_item(project, item_id)
    landing = landing_frame(item, project.rate)
    project = change_text(project, item_id, arrive=motion)
    if item.pin is not None:
        return project
    flight = 0 if motion is None else motion.frames

    def edit(made: Item) -> Item:
        low, _ = item_room(project, made)
        start = min(max(low, landing - flight), made.end - 1)
        return replace(made, start=start, n_frames=made.end - start)

    return replace_item(project, item_id, edit)


def land_text(project: Project, item_id: ItemId, hit: float) -> Project:
    """Return `project` with a text moved so that it has arrived on the frame of a hit, and stays on it."""
    _, item = find_item(project, item_id)
    by = frame_at(hit, project.rate) - landing_frame(item, project.rate)

    def edit(found: Item) -> Item:
        low, high = item_room(project, found)
        start = min(max(low, found.start + by), max(low, high - found.n_frames))
        made = replace(found, start=start, n_frames=min(found.n_frames, high - start))
        if not made.start <= frame_at(hit, project.rate) < made.end:
            raise EditError("there is no room for the text at this hit: put it on another track")
        return replace(made, pin=Pin(float(frame_start(0, project.rate)), hit))

    return _with_flight(replace_item(project, item_id, edit), item_id)


def _with_flight(project: Project, item_id: ItemId) -> Project:
    """Return `project` with a text that begins as early as it takes to land on its hit, if there is room."""

    def edit(item: Item) -> Item:
        fill = _fill_of(item)
        if item.pin is None or fill.arrive is None:
            return item
        low, _ = item_room(project, item)
        wanted = landing_frame(item, project.rate) - fill.arrive.frames
        start = min(item.start, max(low, wanted))
        return replace(item, start=start, n_frames=item.end - start)

    return replace_item(project, item_id, edit)


def _fill_of(item: Item) -> TextFill:
    if not isinstance(item.content, TextFill):
        raise EditError("this item is no text")
    return item.content
