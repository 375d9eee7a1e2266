"""The Project: immutable, plain, and exactly what the file says.

Edits replace parts (`msgspec.structs.replace`); nothing here is ever changed in place.
"""

from collections.abc import Iterable
from fractions import Fraction
from typing import Annotated, Protocol, TypeVar

from msgspec import Meta, Struct, field

from epiphane.document.filling import Filling
from epiphane.document.footage import Footage
from epiphane.document.ids import Pixels
from epiphane.document.lane import Lane
from epiphane.document.pulse import Pulse
from epiphane.document.song import Song
from epiphane.document.timeline import Shot
from epiphane.errors import EditError
from epiphane.timing import frames_covering

FORMAT_VERSION = 4


class Project(Struct, frozen=True, forbid_unknown_fields=True):
    """Everything the editor has decided. Paths are absolute in memory, relative in the file.

    `name` is what the work is called until it has a file of its own; `is_shape_chosen` tells that size and
    rate are the editor's choice, and not to be taken from the first clip.
    """

    version: int = FORMAT_VERSION
    name: str = "Untitled"
    width: Pixels = 1280
    height: Pixels = 720
    rate: Fraction = field(default_factory=lambda: Fraction(30))
    is_shape_chosen: bool = False
    song: Song | None = None
    footage: Annotated[tuple[Footage, ...], Meta(max_length=20_000)] = ()
    groups: Annotated[tuple[str, ...], Meta(max_length=1000)] = ()
    filling: Filling = Filling()
    shots: Annotated[tuple[Shot, ...], Meta(max_length=200_000)] = ()
    pulses: Annotated[tuple[Pulse, ...], Meta(max_length=1000)] = ()
    lanes: Annotated[tuple[Lane, ...], Meta(max_length=1000)] = ()
    next_id: Annotated[int, Meta(ge=1, le=2_000_000_000)] = 1

    @property
    def n_frames(self) -> int:
        """Length in frames: the song's, or to the end of the last shot where there is no song."""
        if self.song is not None:
            return frames_covering(self.song.duration, self.rate)
        return max((shot.start + shot.n_frames for shot in self.shots), default=0)


def pulse_of(project: Project, lane: Lane) -> Pulse | None:
    """Return the pulse that fires a lane, or None where it is not there any more."""
    return next((pulse for pulse in project.pulses if pulse.id == lane.pulse), None)


class HasId(Protocol):
    """What is told apart from others of its kind by a number."""

    @property
    def id(self) -> int:
        """Return the number."""


T = TypeVar("T", bound=HasId)


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
    raise EditError(f"there is no {kind} {wanted} in this project")
