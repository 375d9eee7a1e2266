"""The timeline: items on tracks, what they show, and how it lies in the frame."""

from enum import Enum
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct
from msgspec.structs import replace

from epiphane.document.ids import Colour, FootageId, Frames, ItemId, Seconds, Share, TrackId
from epiphane.errors import EditError


class Extend(Enum):
    """What is shown of footage that is shorter than its place: slowed first, repeated, or there and back.

    What cannot be slowed any more goes there and back.
    """

    SLOW = "slow"
    REPEAT = "repeat"
    MIRROR = "mirror"


class Fit(Enum):
    """How a picture of another shape comes into the frame: whole, covering it, or stretched to its shape."""

    WHOLE = "whole"
    COVER = "cover"
    STRETCH = "stretch"


class Move(Enum):
    """How the picture moves in the frame while an item lasts."""

    NONE = "none"
    PUSH = "push"
    DRIFT = "drift"


class Transform(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a picture lies in the frame: fitted, then scaled about its middle, then moved.

    `x` and `y` are shares of the frame's width and height, to the right and down. Over the length of the
    item a push comes nearer by `amount`, a drift goes sideways by it.
    """

    fit: Fit = Fit.COVER
    scale: Annotated[float, Meta(ge=0.05, le=20)] = 1.0
    x: Annotated[float, Meta(ge=-5, le=5)] = 0.0
    y: Annotated[float, Meta(ge=-5, le=5)] = 0.0
    move: Move = Move.NONE
    amount: Annotated[float, Meta(ge=-0.5, le=1)] = 0.08


COVERING = Transform()


class BlendMode(Enum):
    """How a picture is laid over what is below it: the formulas of W3C Compositing and Blending Level 1."""

    NORMAL = "normal"
    ADD = "add"
    SCREEN = "screen"
    MULTIPLY = "multiply"
    OVERLAY = "overlay"
    SOFT_LIGHT = "soft light"
    HARD_LIGHT = "hard light"
    LIGHTEN = "lighten"
    DARKEN = "darken"
    DIFFERENCE = "difference"
    DODGE = "dodge"
    BURN = "burn"


class Pin(Struct, frozen=True, forbid_unknown_fields=True):
    """The moment of an item, in seconds of its footage, and the hit of the song that it falls on."""

    moment: Seconds
    hit: Seconds


class FootageCut(
    Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True, tag="footage"
):
    """A stretch of footage; a logo or a drawing is a still of it.

    `source_start` is the instant of the footage, in seconds from its first picture, that the item's first
    frame shows; it lies before the footage where a moment comes too early for the hit it falls on. `speed` is
    seconds of footage a second; before and after the used part of the footage it is repeated, or shown there
    and back, by `extend`; where it has `bounds`, two instants of the footage, before and after those.
    """

    footage: FootageId
    source_start: Annotated[float, Meta(ge=-86_400, le=864_000)] = 0.0
    speed: Annotated[float, Meta(ge=0.05, le=20)] = 1.0
    extend: Extend = Extend.MIRROR
    bounds: tuple[Seconds, Seconds] | None = None


class SolidFill(Struct, frozen=True, gc=False, forbid_unknown_fields=True, tag="solid"):
    """One colour."""

    colour: Colour = "#000000"


Content: TypeAlias = FootageCut | SolidFill


class Item(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True):
    """What a track shows from frame `start` of the project for `n_frames`."""

    id: ItemId
    start: Frames
    n_frames: Annotated[int, Meta(ge=1, le=1_000_000_000)]
    content: Content
    pin: Pin | None = None
    transform: Transform = COVERING
    blend: BlendMode = BlendMode.NORMAL
    opacity: Share = 1.0
    is_locked: bool = False

    @property
    def end(self) -> int:
        """The frame after its last."""
        return self.start + self.n_frames

    @property
    def footage(self) -> FootageId | None:
        """The footage that it shows, or None where it shows something else."""
        return self.content.footage if isinstance(self.content, FootageCut) else None


Items: TypeAlias = Annotated[tuple[Item, ...], Meta(max_length=200_000)]


class Track(Struct, frozen=True, forbid_unknown_fields=True, tag="track"):
    """Items over the picture, ascending, with gaps between them."""

    id: TrackId
    name: Annotated[str, Meta(max_length=100)] = ""
    items: Items = ()
    is_muted: bool = False
    is_locked: bool = False


def footage_item(
    item_id: ItemId,
    footage: FootageId,
    start: int,
    n_frames: int,
    *,
    source_start: float = 0.0,
    speed: float = 1.0,
    extend: Extend = Extend.MIRROR,
    bounds: tuple[float, float] | None = None,
    transform: Transform = COVERING,
) -> Item:
    """Return an item that shows footage."""
    cut = FootageCut(footage, source_start, speed, extend, bounds)
    return Item(item_id, start, n_frames, cut, transform=transform)


def cut_of(item: Item) -> FootageCut:
    """Return the stretch of footage that an item shows.

    Raises
    ------
    EditError
        If it shows something else.
    """
    if not isinstance(item.content, FootageCut):
        raise EditError("there is no footage in this item: choose one that shows a clip or a still")
    return item.content


def with_cut(item: Item, **changes: object) -> Item:
    """Return an item with fields of its stretch of footage changed."""
    return replace(item, content=replace(cut_of(item), **changes))
