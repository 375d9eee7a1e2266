"""The Project: immutable, plain, and exactly what the file says.

Edits replace parts (`msgspec.structs.replace`); nothing here is ever changed in place.
"""

from collections.abc import Callable, Iterable
from fractions import Fraction
from typing import Annotated, Any, Protocol, TypeVar

from msgspec import Meta, Struct, field
from msgspec.structs import replace

from epiphane.document.dressing import Dressing
from epiphane.document.filling import Filling
from epiphane.document.footage import Footage
from epiphane.document.ids import FootageId, LaneId, PixelCount
from epiphane.document.lane import Lane
from epiphane.document.pulse import Pulse
from epiphane.document.song import Song
from epiphane.document.timeline import Fades, Items, Shape, Track
from epiphane.errors import EditError
from epiphane.timing import frames_covering
from epiphane.wording import tr

FORMAT_VERSION = 12


class Project(Struct, frozen=True, forbid_unknown_fields=True):
    """Everything the user has decided. Paths are absolute in memory, relative in the file.

    `name` is what the work is called until it has a file of its own; `is_shape_chosen` tells that size and
    rate are the user's choice, and not to be taken from the footage. Where the edit goes out in several
    `shapes`, the one that is shown is among them, and each item lies in every one in a way of its own. The
    shots are the main track: an item ends where the next one begins, or later nothing is shown for a while.
    The `fades` are those of the picture at both ends of the edit. Where the film is `in_light`, what mixes
    or spreads pictures does so in linear light; what effects move is blurred by the `shutter_angle`, degrees,
    at least. The stack has what acts on the shots, in order: each row on what stands before it.
    """

    version: int = FORMAT_VERSION
    name: str = "Untitled"
    width: PixelCount = 1280
    height: PixelCount = 720
    rate: Fraction = field(default_factory=lambda: Fraction(30))
    is_shape_chosen: bool = False
    shapes: Annotated[tuple[Shape, ...], Meta(max_length=16)] = ()
    song: Song | None = None
    footage: Annotated[tuple[Footage, ...], Meta(max_length=20_000)] = ()
    groups: Annotated[tuple[str, ...], Meta(max_length=1000)] = ()
    filling: Filling = Filling()
    dressing: Dressing = Dressing()
    fades: Fades = Fades()
    in_light: bool = False
    shutter_angle: Annotated[float, Meta(ge=0, le=360)] = 0.0
    shots: Items = ()
    pulses: Annotated[tuple[Pulse, ...], Meta(max_length=1000)] = ()
    stack: Annotated[tuple[Lane | Track, ...], Meta(max_length=1000)] = ()
    next_id: Annotated[int, Meta(ge=1, le=2_000_000_000)] = 1

    @property
    def lanes(self) -> tuple[Lane, ...]:
        """The rows of the stack that are lanes, in their order."""
        return tuple(row for row in self.stack if isinstance(row, Lane))

    @property
    def tracks(self) -> tuple[Track, ...]:
        """The rows of the stack that are tracks, the lowest first."""
        return tuple(row for row in self.stack if isinstance(row, Track))

    @property
    def shape(self) -> Shape:
        """The shape that is shown."""
        return Shape(self.width, self.height)

    @property
    def n_frames(self) -> int:
        """Length in frames: the song's, or to the end of the last shot where there is no song."""
        if self.song is not None:
            return frames_covering(self.song.duration, self.rate)
        return max((shot.end for shot in self.shots), default=0)


def new_project(name: str = Project().name) -> Project:
    """Return an empty project as it is begun now; `Project` has what a file that does not say means."""
    return Project(name=name, in_light=True)


def pulse_of(project: Project, lane: Lane) -> Pulse | None:
    """Return the pulse that fires a lane, or None where it is not there any more."""
    return next((pulse for pulse in project.pulses if pulse.id == lane.pulse), None)


def with_lanes(project: Project, lanes: Iterable[Lane], **changes: Any) -> Project:
    """Return `project` with other lanes, and other fields changed.

    A track stays over the lane that it stood over, or over the nearest one below that is still there.
    """
    lanes = tuple(lanes)
    there = {lane.id for lane in lanes}
    over: dict[LaneId | None, list[Track]] = {}
    lane_below: LaneId | None = None
    for row in project.stack:
        if isinstance(row, Track):
            over.setdefault(lane_below, []).append(row)
        elif row.id in there:
            lane_below = row.id
    stack: list[Lane | Track] = [*over.get(None, ())]
    for lane in lanes:
        stack += [lane, *over.get(lane.id, ())]
    return replace(project, stack=tuple(stack), **changes)


def with_items(project: Project, change: Callable[[Items], Items]) -> Project:
    """Return `project` with the items of the main track and of every other one changed, row by row."""
    stack = tuple(
        replace(row, items=change(row.items)) if isinstance(row, Track) else row for row in project.stack
    )
    return replace(project, shots=change(project.shots), stack=stack)


class HasId(Protocol):
    """What is told apart from others of its kind by a number."""

    @property
    def id(self) -> int:
        """Return the number."""


T = TypeVar("T", bound=HasId)


def footage_of(project: Project, number: FootageId | None) -> Footage | None:
    """Return the footage of a project that has a number, or None where there is none."""
    return next((one for one in project.footage if one.id == number), None)


def find(things: Iterable[T], wanted: int, kind: str) -> T:
    """Return the thing with an id.

    Raises
    ------
    EditError
        If there is none; `kind` names it in the message.
    """
    for thing in things:
        if thing.id == wanted:
            return thing
    raise EditError(tr("there is no {kind} {wanted} in this project", kind=kind, wanted=wanted))
