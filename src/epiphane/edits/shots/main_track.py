"""The main track while it is rearranged: making room on it, closing it, and putting items there."""

from collections.abc import Callable, Iterable
from functools import cached_property
from typing import assert_never

from msgspec.structs import replace

from epiphane.arrays import nearest_of
from epiphane.document.ids import ItemId
from epiphane.document.project import Project, find, footage_of
from epiphane.document.timeline import FootageCut, Item, Panels, ShapeFill, SolidFill, Track
from epiphane.document.titles import LogoFill, TextFill
from epiphane.edits.shots.followed_cuts import with_cuts_followed
from epiphane.edits.shots.pins import pinned
from epiphane.edits.shots.shots import cutting_hits, footage_name, started_at
from epiphane.errors import EditError
from epiphane.facts.framing import parted
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_PIN_REACH = 2
"""Frames by which the footage of a moved shot may slip so that its moment is on a hit again."""


class MainTrack:
    """The shots of a project, to be rearranged in several steps and put back by `into_project`.

    Attributes
    ----------
    items : list of Item
        Ascending, without overlaps between steps.
    """

    def __init__(self, project: Project) -> None:
        self._project = project
        self._rate = project.rate
        self._next_id = project.next_id
        self.items = list(project.shots)

    @property
    def end(self) -> int:
        """The frame after the last item."""
        return self.items[-1].end if self.items else 0

    def index(self, item_id: ItemId) -> int:
        """Return where an item stands.

        Raises
        ------
        EditError
            If it is not there.
        """
        return self.items.index(find(self.items, item_id, "shot"))

    def new_id(self) -> ItemId:
        """Return a number that no item has."""
        self._next_id += 1
        return ItemId(self._next_id - 1)

    def put(self, *items: Item) -> None:
        """Put items where nothing is."""
        self.items = sorted([*self.items, *items], key=lambda item: item.start)

    def part(self, item: Item, first: int, end: int) -> Item:
        """Return an item from a frame until before another, which shows there what it did, or would."""
        made = started_at(item, first, self._rate) if first != item.start else item
        made = replace(made, n_frames=end - first)
        return pinned(made, made.pin, self._rate)

    def split(self, frame: int) -> bool:
        """Cut the item in two that lies across a frame; False where none does."""
        index = next((n for n, item in enumerate(self.items) if item.start < frame < item.end), None)
        if index is None:
            return False
        item = self.items[index]
        before, after = parted(item, frame)
        later = replace(self.part(item, frame, item.end), id=self.new_id(), transform=after)
        first = replace(self.part(item, item.start, frame), transform=before)
        self.items[index : index + 1] = [first, later]
        return True

    def clear(self, first: int, end: int) -> None:
        """Leave nothing between two frames: what reaches in is cut off there."""
        if first < end:
            self.split(first)
            self.split(end)
            self.items = [item for item in self.items if item.end <= first or item.start >= end]

    def shift(self, frame: int, by: int) -> None:
        """Move every item that begins on a frame or later by some frames."""
        self.items = [self.moved(item, by) if item.start >= frame else item for item in self.items]

    def open(self, frame: int, n_frames: int) -> None:
        """Make room on a frame: what lies there is cut in two, and what follows moves along."""
        self.split(frame)
        self.shift(frame, n_frames)

    def make_room(self, first: int, end: int, *, covers: bool) -> None:
        """Leave nothing between two frames: it is covered, or else what lies there moves along."""
        if covers:
            self.clear(first, end)
        else:
            self.open(first, end - first)

    def close(self, first: int, end: int) -> None:
        """Let what follows close the room between two frames, where nothing must be."""
        self.shift(end, first - end)

    def moved(self, item: Item, by: int) -> Item:
        """Return an item some frames later; its moment goes to the hit that is there, or is free.

        Where a hit is not more than two frames away, the footage slips by that.
        """
        if by == 0:
            return item
        pin = item.pin
        free = pinned(item, None, self._rate)
        made = replace(free, start=item.start + by)
        if pin is None:
            return made
        frame = frame_at(pin.hit, self._rate) + by
        hit = self._hit_near(frame_start(frame, self._rate))
        if abs(frame_at(hit, self._rate) - frame) > _PIN_REACH:
            return made
        # First on the very frame, so that a curve of speeds then goes along with the hit.
        exact = replace(pin, hit=frame_start(frame, self._rate))
        return pinned(pinned(made, exact, self._rate), replace(pin, hit=hit), self._rate)

    def into_project(self) -> Project:
        """Return the project with its shots as they are now; what lies after the song's end is cut off.

        Raises
        ------
        EditError
            If a locked shot would be elsewhere, shorter or longer, or gone.
        """
        items = [item for item in self.items if item.n_frames > 0]
        if self._project.song is not None:
            last = self._project.n_frames
            items = [
                item if item.end <= last else self.part(item, item.start, last)
                for item in items
                if item.start < last
            ]
        _refuse_locked(self._project, items)
        made = replace(self._project, shots=tuple(items), next_id=self._next_id)
        return with_cuts_followed(self._project, made)

    @cached_property
    def _hits(self) -> list[float]:
        return sorted(hit.time for hit in cutting_hits(self._project))

    def _hit_near(self, time: float) -> float:
        near = nearest_of(self._hits, time)
        return -1.0 if near is None else near


def _refuse_locked(project: Project, items: Iterable[Item]) -> None:
    places = {item.id: (item.start, item.n_frames) for item in items}
    for item in project.shots:
        if item.is_locked and places.get(item.id) != (item.start, item.n_frames):
            raise EditError(
                tr(
                    "{shot} at frame {start} is locked and would be moved or cut: unlock it first (H)",
                    shot=shot_name(project, item),
                    start=item.start,
                )
            )


def track_name(project: Project, track: Track) -> str:
    """Return what a track is called: by its name, or else by the first that is on it."""
    return track.name or (shot_name(project, track.items[0]) if track.items else "track")


def shot_name(project: Project, item: Item) -> str:
    """Return what a shot is called: as its footage, or by what it shows."""
    content = item.content
    match content:
        case FootageCut(footage=shown) | LogoFill(footage=shown):
            footage = footage_of(project, shown)
            return tr("the shot") if footage is None else footage_name(footage)
        case ShapeFill(kind=kind):
            return tr(kind.value)
        case TextFill(text=text):
            return " ".join(text.split())[:60] or tr("text")
        case Panels():
            return tr("split screen")
        case SolidFill():
            return tr("solid")
        case _:
            assert_never(content)


def on_main_track(project: Project, edit: Callable[[MainTrack], None]) -> Project:
    """Return `project` after something was done on its main track.

    Raises
    ------
    EditError
        As of the edit, or if a locked shot would not stay where it is.
    """
    track = MainTrack(project)
    edit(track)
    return track.into_project()
