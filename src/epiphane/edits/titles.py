"""Edits of titles over the picture, text and logos: how they look and move, on which hit they land."""

from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import ItemId, TrackId
from epiphane.document.lane import Lane
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.timeline import FootageCut, Item, Pin
from epiphane.document.titles import LogoFill, Shadow, TextFill, TextMotion, TextUnit, TitleFill
from epiphane.edits.checked import with_changes
from epiphane.edits.lanes import add_lane
from epiphane.edits.pulses import ensure_pulse
from epiphane.edits.tracks import find_item, item_room, put_fill_on_track, replace_item
from epiphane.errors import EditError
from epiphane.facts.titles import landing_frame
from epiphane.timing import frame_at, frame_start

_SECONDS = 2.5
FRESH_TEXT = TextFill("TITLE", shadow=Shadow(), arrive=TextMotion("slam", 9, TextUnit.BLOCK, 0.5))
"""What a new text is."""


def put_title(
    project: Project, fill: TitleFill, frame: int, track: TrackId | None = None, *, hit: float | None = None
) -> tuple[Project, ItemId]:
    """Return `project` with a title on a track, or on a new one, and its number.

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
    return (project if hit is None else land_title(project, item, hit)), item


def change_title(project: Project, item_id: ItemId, **changes: object) -> Project:
    """Return `project` with fields of a title changed, e.g. ``size=0.2``; what lands on a hit stays there.

    Raises
    ------
    EditError
        If the item is none, or a value is out of range.
    """

    def edit(item: Item) -> Item:
        return replace(item, content=with_changes(_fill_of(item), **changes))

    return _with_flight(replace_item(project, item_id, edit), item_id)


def set_as_logo(project: Project, item_id: ItemId) -> Project:
    """Return `project` with a picture on a track as a logo, or with a logo as a picture.

    Raises
    ------
    EditError
        If it is neither.
    """
    _, item = find_item(project, item_id)
    if isinstance(item.content, LogoFill):
        cut = FootageCut(item.content.footage)
        return replace_item(project, item_id, lambda found: replace(found, content=cut, pin=None))
    footage = next((one for one in project.footage if one.id == item.footage), None)
    if footage is None or footage.kind is not FootageKind.STILL:
        raise EditError("only a still or a drawing can be a logo")
    fill = fresh_logo(project, footage)
    return replace_item(project, item_id, lambda found: replace(found, content=fill, pin=None))


def fresh_logo(project: Project, footage: Footage) -> LogoFill:
    """Return a new logo of some footage, that leaves a margin within the frame of a project."""
    widest = _LOGO_WIDTH * project.width / project.height * footage.height / footage.width
    return LogoFill(footage.id, round(min(max(widest, 0.01), _LOGO_HEIGHT), 4), shadow=Shadow())


_LOGO_WIDTH, _LOGO_HEIGHT = 0.6, 0.5


def strike_below(project: Project, item_id: ItemId) -> Project:
    """Return `project` with lanes that shake and flash, on landings, what lies below the track of a title."""
    track, _ = find_item(project, item_id)
    project, pulse = ensure_pulse(project, PulseUnit.LANDING)
    made: list[Lane] = []
    for effect, envelope, depth in _STRUCK:
        project = add_lane(project, effect, pulse, envelope=envelope)
        made.append(replace(project.lanes[-1], depth=depth))
    numbers = {lane.id for lane in made}
    others = [row for row in project.stack if row.id not in numbers]
    place = next(n for n, row in enumerate(others) if row.id == track.id)
    return replace(project, stack=(*others[:place], *made, *others[place:]))


_STRUCK = (("shake", Envelope(0, 1, 9), 1.0), ("flash", Envelope(0, 1, 7), 0.6))
"""An effect, its envelope and how deep it goes."""


def set_arrival(project: Project, item_id: ItemId, motion: TextMotion | None) -> Project:
    """Return `project` with another way for a title to arrive; it is at rest on the frame it was before."""
    _, item = find_item(project, item_id)
    landing = landing_frame(item, project.rate)
    project = change_title(project, item_id, arrive=motion)
    if item.pin is not None:
        return project
    flight = 0 if motion is None else motion.frames

    def edit(made: Item) -> Item:
        low, _ = item_room(project, made)
        start = min(max(low, landing - flight), made.end - 1)
        return replace(made, start=start, n_frames=made.end - start)

    return replace_item(project, item_id, edit)


def land_title(project: Project, item_id: ItemId, hit: float) -> Project:
    """Return `project` with a title moved so that it has arrived on the frame of a hit, and stays on it."""
    _, item = find_item(project, item_id)
    by = frame_at(hit, project.rate) - landing_frame(item, project.rate)

    def edit(found: Item) -> Item:
        low, high = item_room(project, found)
        start = min(max(low, found.start + by), max(low, high - found.n_frames))
        made = replace(found, start=start, n_frames=min(found.n_frames, high - start))
        if not made.start <= frame_at(hit, project.rate) < made.end:
            raise EditError("there is no room for the title at this hit: put it on another track")
        return replace(made, pin=Pin(float(frame_start(0, project.rate)), hit))

    return _with_flight(replace_item(project, item_id, edit), item_id)


def _with_flight(project: Project, item_id: ItemId) -> Project:
    """Return `project` with a title that begins as early as it takes to land on its hit, if there is room."""

    def edit(item: Item) -> Item:
        fill = _fill_of(item)
        if item.pin is None or fill.arrive is None:
            return item
        low, _ = item_room(project, item)
        wanted = landing_frame(item, project.rate) - fill.arrive.frames
        start = min(item.start, max(low, wanted))
        return replace(item, start=start, n_frames=item.end - start)

    return replace_item(project, item_id, edit)


def _fill_of(item: Item) -> TitleFill:
    if not isinstance(item.content, TextFill | LogoFill):
        raise EditError("this item is no title")
    return item.content
