"""The timeline: items on tracks, what they show, and how it lies in the frame."""

from enum import Enum
from itertools import pairwise
from typing import Annotated, TypeAlias, assert_never

from msgspec import Meta, Struct
from msgspec.structs import replace

from epiphane.document.ids import (
    Colour,
    FootageId,
    Frames,
    ItemId,
    PixelCount,
    PulseId,
    Seconds,
    Share,
    TrackId,
)
from epiphane.document.matte import Matte
from epiphane.document.titles import LogoFill, TextFill
from epiphane.errors import EditError
from epiphane.wording import tr

MOST_KEY_FRAME = 1_000_000
"""By how many frames a key of speeds or of an item may lie from its anchor."""


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
    """How the picture moves in the frame while an item lasts: not, nearer, sideways, or to an end framing."""

    NONE = "none"
    PUSH = "push"
    DRIFT = "drift"
    TO_END = "to end"


class Backdrop(Enum):
    """What is behind a picture that does not fill the frame: what is below it, a blurred copy, a colour."""

    NONE = "none"
    BLURRED = "blurred"
    COLOUR = "colour"


class Ramp(Enum):
    """How one value becomes the next: not until there, evenly, or eased at its start, its end, or both."""

    HOLD = "hold"
    LINEAR = "linear"
    IN = "in"
    OUT = "out"
    BOTH = "both"


BoxSide: TypeAlias = Annotated[float, Meta(ge=0.01, le=1)]
Scale: TypeAlias = Annotated[float, Meta(ge=0.05, le=20)]
Shift: TypeAlias = Annotated[float, Meta(ge=-5, le=5)]
Degrees: TypeAlias = Annotated[float, Meta(ge=-3600, le=3600)]


class Framing(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Where a picture lies in the frame: scaled and turned about its middle, then moved.

    `x` and `y` are shares of the frame's width and height, to the right and down; `rotation` is clockwise.
    """

    scale: Scale = 1.0
    x: Shift = 0.0
    y: Shift = 0.0
    rotation: Degrees = 0.0


class Transform(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a picture lies in the frame: fitted, then scaled and turned about its middle, then moved.

    `x` and `y` are shares of the frame's width and height, to the right and down; `rotation` is clockwise.
    Over the length of the item a push comes nearer by `amount`, a drift goes sideways by it, and a move to
    the end goes to the framing `end` as `ease` says. The `backdrop` is behind what it leaves free.
    """

    fit: Fit = Fit.COVER
    scale: Scale = 1.0
    x: Shift = 0.0
    y: Shift = 0.0
    move: Move = Move.NONE
    amount: Annotated[float, Meta(ge=-0.5, le=1)] = 0.08
    rotation: Degrees = 0.0
    end: Framing = Framing()
    ease: Ramp = Ramp.BOTH
    backdrop: Backdrop = Backdrop.NONE
    colour: Colour = "#000000"

    @property
    def start(self) -> Framing:
        """Its framing, from which a move to the end begins."""
        return Framing(self.scale, self.x, self.y, self.rotation)


COVERING = Transform()


class Shape(Struct, frozen=True, order=True, forbid_unknown_fields=True):
    """Width and height of the frame, in pixels."""

    width: PixelCount
    height: PixelCount


class ShapeTransform(Struct, frozen=True, forbid_unknown_fields=True):
    """How an item lies in a frame of another shape than the one that is shown."""

    shape: Shape
    transform: Transform


class BlendMode(Enum):
    """How a picture is laid over what is below it: the formulas of W3C Compositing and Blending Level 1.

    `ADD_LIGHT` is none of them: linear light is added, and rolled off towards white.
    """

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
    ADD_LIGHT = "add light"


class Pin(Struct, frozen=True, forbid_unknown_fields=True):
    """The moment of an item, in seconds of its footage, and the hit of the song that it falls on."""

    moment: Seconds
    hit: Seconds


Speed: TypeAlias = Annotated[float, Meta(ge=-20, le=20)]
"""Seconds of footage a second: 1 as it was filmed, 0 a freeze frame, below 0 backwards."""


class SpeedKey(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True):
    """The speed on one frame, counted from the curve's anchor, and how it changes to that of the next key."""

    frame: Annotated[int, Meta(ge=-MOST_KEY_FRAME, le=MOST_KEY_FRAME)]
    speed: Speed
    ramp: Ramp = Ramp.BOTH


SpeedCurve: TypeAlias = Annotated[tuple[SpeedKey, ...], Meta(min_length=1, max_length=1000)]
"""Keys ascending in time; before the first and after the last one the speed stays."""


class Between(Enum):
    """What is shown between two pictures of footage: the one before, a mix of both, or their movement.

    Flow moves each part of a picture as far as it has come by then.
    """

    NEAREST = "nearest"
    BLEND = "blend"
    FLOW = "flow"


class FootageCut(
    Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True, tag="footage"
):
    """A stretch of footage; a logo or a drawing is a still of it.

    `source_start` is the instant of the footage, in seconds from its first picture, that the item's first
    frame shows; it lies before the footage where a moment comes too early for the hit it falls on. `speed` is
    one speed, or a curve of speeds; the curve is anchored at the frame on which the item's moment falls, or
    where it has none at its first. Before and after the used part of the footage it is repeated, or shown
    there and back, by `extend`; where it has `bounds`, two instants of the footage, before and after those.
    """

    footage: FootageId
    source_start: Annotated[float, Meta(ge=-86_400, le=864_000)] = 0.0
    speed: Speed | SpeedCurve = 1.0
    extend: Extend = Extend.MIRROR
    bounds: tuple[Seconds, Seconds] | None = None
    between: Between = Between.NEAREST

    def __post_init__(self) -> None:
        if isinstance(self.speed, tuple) and any(b.frame <= a.frame for a, b in pairwise(self.speed)):
            raise ValueError("the keys of a speed curve must ascend, no two on one frame")


class SolidFill(Struct, frozen=True, gc=False, forbid_unknown_fields=True, tag="solid"):
    """One colour."""

    colour: Colour = "#000000"


class ShapeKind(Enum):
    """A rectangle, an ellipse, or a gradient from one edge of its width to the other."""

    RECTANGLE = "rectangle"
    ELLIPSE = "ellipse"
    GRADIENT = "gradient"


class ShapeFill(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True, tag="shape"):
    """A shape of one colour, or a gradient of two.

    `width` and `height` are shares of the frame's, `feather` is a share of its height by which the edge is
    soft, inwards. A gradient goes to the colour `to`, or to nothing, and has no ends across its way.
    """

    kind: ShapeKind = ShapeKind.RECTANGLE
    colour: Colour = "#ece4d4"
    to: Colour | None = None
    width: Annotated[float, Meta(ge=0.001, le=4)] = 0.5
    height: Annotated[float, Meta(ge=0.001, le=4)] = 0.5
    feather: Share = 0.0


class PanelLayout(Enum):
    """How panels share the frame; free ones have boxes of their own."""

    COLUMNS = "columns"
    ROWS = "rows"
    GRID = "grid"
    LEAD = "one large"
    DIAGONAL = "diagonals"
    FREE = "free"


class Panel(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True):
    """A part of a split screen: what it shows, how that lies in it, and by how many frames it comes later.

    Where it has a `pin`, its moment falls on that hit, and its delay after it. A free one has a `box`: left,
    top, width and height, in shares of the frame.
    """

    cut: FootageCut
    framing: Framing = Framing()
    pin: Pin | None = None
    delay: Annotated[int, Meta(ge=-10_000, le=10_000)] = 0
    box: tuple[Share, Share, BoxSide, BoxSide] | None = None


class Panels(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True, tag="panels"):
    """Several clips beside each other.

    `gap` lies between panels and `border` is the line round each of them, in shares of the frame's height;
    both, and what is not covered, have the `colour` and the `border_colour`. Where there is a `pulse`, the
    panels come in one after the other, each on a hit of it.
    """

    panels: Annotated[tuple[Panel, ...], Meta(min_length=1, max_length=36)]
    layout: PanelLayout = PanelLayout.COLUMNS
    gap: Annotated[float, Meta(ge=0, le=0.2)] = 0.012
    border: Annotated[float, Meta(ge=0, le=0.05)] = 0.0
    colour: Colour = "#000000"
    border_colour: Colour = "#ece4d4"
    pulse: PulseId | None = None


Content: TypeAlias = FootageCut | SolidFill | ShapeFill | Panels | TextFill | LogoFill


class ItemSound(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True):
    """How the sound of an item's footage is heard under the song.

    `gain` is in decibels, fades are in frames. Where there is an `accent`, only that many frames from the hit
    on are heard on which the item's moment falls, and two before it.
    """

    gain: Annotated[float, Meta(ge=-48, le=24)] = 0.0
    fade_in: Annotated[int, Meta(ge=0, le=10_000)] = 0
    fade_out: Annotated[int, Meta(ge=0, le=10_000)] = 0
    accent: Annotated[int, Meta(ge=1, le=10_000)] | None = None


class Fades(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Fades of the picture from black and to it, in seconds.

    `bend` shapes them: 0 is a straight line, 1 comes quickly and goes late, -1 the other way.
    """

    fade_in: Annotated[float, Meta(ge=0, le=60)] = 0.0
    fade_out: Annotated[float, Meta(ge=0, le=60)] = 0.0
    bend: Annotated[float, Meta(ge=-1, le=1)] = 0.0


class ItemKey(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True):
    """Where an item lies on one of its frames, how much is seen of it, and how that becomes the next key's.

    `frame` is counted from the item's first; `opacity` is a share of the item's own.
    """

    frame: Annotated[int, Meta(ge=-MOST_KEY_FRAME, le=MOST_KEY_FRAME)]
    framing: Framing = Framing()
    opacity: Share = 1.0
    ramp: Ramp = Ramp.BOTH


class Item(Struct, frozen=True, gc=False, forbid_unknown_fields=True, omit_defaults=True):
    """What a track shows from frame `start` of the project for `n_frames`.

    It fades in and out over some frames at its ends. Where it has `keys`, ascending, these say where it lies
    in place of its transform, which still says how it is fitted; before the first and after the last one it
    stays. Its `matte` tells its subject from the rest.
    """

    id: ItemId
    start: Frames
    n_frames: Annotated[int, Meta(ge=1, le=1_000_000_000)]
    content: Content
    pin: Pin | None = None
    transform: Transform = COVERING
    blend: BlendMode = BlendMode.NORMAL
    opacity: Share = 1.0
    is_locked: bool = False
    sound: ItemSound | None = None
    other_shapes: Annotated[tuple[ShapeTransform, ...], Meta(max_length=16)] = ()
    keys: Annotated[tuple[ItemKey, ...], Meta(max_length=1000)] = ()
    fade_in: Annotated[int, Meta(ge=0, le=100_000)] = 0
    fade_out: Annotated[int, Meta(ge=0, le=100_000)] = 0
    matte: Matte | None = None

    def __post_init__(self) -> None:
        if any(b.frame <= a.frame for a, b in pairwise(self.keys)):
            raise ValueError("the keys of an item must ascend, no two on one frame")

    @property
    def end(self) -> int:
        """The frame after its last."""
        return self.start + self.n_frames

    @property
    def footage(self) -> FootageId | None:
        """The footage that it shows, or None where it shows something else."""
        return self.content.footage if isinstance(self.content, FootageCut) else None

    @property
    def all_footage(self) -> tuple[FootageId, ...]:
        """All footage that it shows, of every panel of a split screen, as a logo or through letters."""
        match self.content:
            case Panels(panels=panels):
                return tuple(panel.cut.footage for panel in panels)
            case FootageCut(footage=shown) | LogoFill(footage=shown):
                return (shown,)
            case TextFill(footage=shown):
                return () if shown is None else (shown,)
            case SolidFill() | ShapeFill():
                return ()
            case _:
                assert_never(self.content)


Items: TypeAlias = Annotated[tuple[Item, ...], Meta(max_length=200_000)]


class Track(Struct, frozen=True, forbid_unknown_fields=True, tag="track"):
    """Items over the picture, ascending, with gaps between them.

    Where a row of the stack is solo, those that are not do nothing; one that is locked is not changed, one
    that is folded is drawn low. One that `is_behind` is hidden by the subject of the shot below it.
    """

    id: TrackId
    name: Annotated[str, Meta(max_length=100)] = ""
    items: Items = ()
    is_muted: bool = False
    is_locked: bool = False
    is_solo: bool = False
    is_folded: bool = False
    is_behind: bool = False


def footage_item(
    item_id: ItemId,
    footage: FootageId,
    start: int,
    n_frames: int,
    *,
    source_start: float = 0.0,
    speed: float | tuple[SpeedKey, ...] = 1.0,
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
        raise EditError(tr("there is no footage in this item: choose one that shows a clip or a still"))
    return item.content


def with_cut(item: Item, **changes: object) -> Item:
    """Return an item with fields of its stretch of footage changed."""
    return replace(item, content=replace(cut_of(item), **changes))
