"""Edits of titles over the picture, text and logos: how they look and move, on which hit they land."""

from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import ItemId, TrackId
from epiphane.document.lane import Lane
from epiphane.document.project import Project, footage_of
from epiphane.document.pulse import PulseUnit
from epiphane.document.timeline import FootageCut, Item, Pin
from epiphane.document.titles import LogoFill, Shadow, TextFill, TextMotion, TextUnit, TitleFill
from epiphane.edits.checked import with_changes
from epiphane.edits.items.tracks import find_item, item_room, put_fill_on_track, replace_item
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.errors import EditError
from epiphane.facts.titles import landing_frame
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_SECONDS = 2.5
FRESH_TEXT = TextFill("TITLE", shadow=Shadow(), arrive=TextMotion("slam", 9, TextUnit.BLOCK, 0.5), fits=True)
"""What a new text is."""


def put_title(
    project: Project, fill: TitleFill, frame: int, track: TrackId | None = None, *, hit: float | None = None
) -> tuple[Project, ItemId]:
    """Return `project` with a title on a track, or on a new one, and its number.

    It begins on a frame, or so that it lands on a hit, in seconds, where one is given. Where another title
    stands in the middle meanwhile, it lies below or above that.

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
    project = project if hit is None else land_title(project, item, hit)
    return _told_apart(project, item), item


def _told_apart(project: Project, item_id: ItemId) -> Project:
    """Return `project` with a title where no other one is at its time, if there is such a place."""
    _, mine = find_item(project, item_id)
    others = [
        (item.transform.y, title_height(_fill_of(item)) * item.transform.scale)
        for track in project.tracks
        for item in track.items
        if item.id != item_id and isinstance(item.content, TextFill | LogoFill)
        if item.start < mine.end and item.end > mine.start and abs(item.transform.x) < _BESIDE
    ]
    half = title_height(_fill_of(mine)) / 2
    free = [y for y in _HEIGHTS if all(abs(y - other) >= half + high / 2 for other, high in others)]
    if not free or free[0] == 0:
        return project
    return replace_item(
        project, item_id, lambda found: replace(found, transform=replace(found.transform, y=free[0]))
    )


_BESIDE = 0.25
_HEIGHTS = (0.0, 0.22, -0.22, 0.34, -0.34)
"""Where a title may lie, in shares of the height from the middle, in the order in which they are tried."""


def title_height(fill: TitleFill) -> float:
    """Return how high a title is, about, in shares of the height of the frame."""
    if isinstance(fill, LogoFill):
        return fill.height
    return fill.size * (1 + fill.text.count("\n") * fill.leading)


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


def set_as_logo(project: Project, item_id: ItemId, *, hit: float | None = None) -> Project:
    """Return `project` with a picture on a track as a logo, landing on a hit, or with a logo as a picture.

    Raises
    ------
    EditError
        If it is neither.
    """
    _, item = find_item(project, item_id)
    if isinstance(item.content, LogoFill):
        cut = FootageCut(item.content.footage)
        return replace_item(project, item_id, lambda found: replace(found, content=cut, pin=None))
    footage = footage_of(project, item.footage)
    if footage is None or footage.kind is not FootageKind.STILL:
        raise EditError(tr("only a still or a drawing can be a logo"))
    fill = replace(fresh_logo(project, footage), arrive=FRESH_TEXT.arrive)
    project = replace_item(project, item_id, lambda found: replace(found, content=fill, pin=None))
    return project if hit is None else land_title(project, item_id, hit)


def fresh_logo(project: Project, footage: Footage) -> LogoFill:
    """Return a new logo of some footage, that leaves a margin within the frame of a project."""
    widest = _LOGO_WIDTH * project.width / project.height * footage.height / footage.width
    return LogoFill(footage.id, round(min(max(widest, 0.01), _LOGO_HEIGHT), 4), shadow=Shadow())


_LOGO_WIDTH, _LOGO_HEIGHT = 0.6, 0.5


def strike_below(project: Project, item_id: ItemId) -> Project:
    """Return `project` with lanes that shake and flash what lies below the track of a title when it lands."""
    track, _ = find_item(project, item_id)
    project, pulse = ensure_pulse(project, PulseUnit.LANDING)
    made: list[Lane] = []
    for effect, envelope, depth in _STRUCK:
        project = add_lane(project, effect, pulse, envelope=envelope)
        made.append(replace(project.lanes[-1], depth=depth, shots=(item_id,)))
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
            raise EditError(tr("there is no room for the title at this hit: put it on another track"))
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
        raise EditError(tr("this item is no title"))
    return item.content
