"""Text over the picture: what it says, how it is set and coloured, how it arrives and leaves."""

from enum import Enum
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct

from epiphane.document.ids import FootageId, PulseId, Share

TextColour: TypeAlias = Annotated[str, Meta(pattern="^#[0-9a-f]{6}$")]
Em: TypeAlias = Annotated[float, Meta(ge=0, le=2)]
"""A length as a share of the size of the letters."""
Offset: TypeAlias = Annotated[float, Meta(ge=-2, le=2)]


class Alignment(Enum):
    """On which side the lines of a block are flush."""

    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"


class LetterCase(Enum):
    """Whether letters are as they were typed, or all of one case."""

    TYPED = "as typed"
    UPPER = "capitals"
    LOWER = "small letters"


class TextUnit(Enum):
    """What moves as one."""

    BLOCK = "block"
    LINE = "line"
    WORD = "word"
    LETTER = "letter"


class TextOrder(Enum):
    """Which part moves first."""

    FORWARD = "forward"
    BACKWARD = "backward"
    MIDDLE = "from the middle"
    CHANCE = "by chance"


class TextMotion(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How text arrives or leaves: all of it takes some frames.

    A `stagger` of 0 moves all parts at once, one of 1 one after the other. Where there is a `pulse`, what
    arrives does so part by part on its hits instead, the first one on the landing, each in all of the frames.
    What it goes through is as far away as it is declared, times the `amount`.
    """

    key: Annotated[str, Meta(min_length=1, max_length=40)]
    frames: Annotated[int, Meta(ge=1, le=1000)] = 12
    unit: TextUnit = TextUnit.LETTER
    stagger: Share = 0.6
    order: TextOrder = TextOrder.FORWARD
    amount: Annotated[float, Meta(ge=0, le=4)] = 1.0
    seed: Annotated[int, Meta(ge=0, le=999_999)] = 1
    pulse: PulseId | None = None


class Shadow(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A soft copy of the letters below them; lengths are shares of their size. As a glow it is not moved."""

    colour: TextColour = "#000000"
    opacity: Share = 0.6
    blur: Em = 0.06
    x: Offset = 0.0
    y: Offset = 0.05


class Standing(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a title moves while it stands, from its landing on; lengths are shares of the size of its letters.

    It drifts by `x` and `y` and grows by a share of itself each second. It trembles about its place as far
    as `tremble`, `rate` times a second or so. It breathes: grows by a share and shrinks again, once in a
    `breath` of so many seconds.
    """

    x: Annotated[float, Meta(ge=-2, le=2)] = 0.0
    y: Annotated[float, Meta(ge=-2, le=2)] = 0.0
    grow: Annotated[float, Meta(ge=-0.5, le=0.5)] = 0.0
    tremble: Annotated[float, Meta(ge=0, le=1)] = 0.0
    rate: Annotated[float, Meta(ge=0.05, le=20)] = 2.0
    breathe: Annotated[float, Meta(ge=0, le=0.5)] = 0.0
    breath: Annotated[float, Meta(ge=0.1, le=60)] = 4.0
    seed: Annotated[int, Meta(ge=0, le=999_999)] = 1


class Impact(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The weight with which a title lands; lengths are shares of the size of its letters.

    For some frames it is squashed by a share and shakes, then it is still. Particles and lines are thrown
    from its outline, dust rises along its foot; all of them in a `colour`, or that of the letters. What is
    `filmed` tapers, glows and cools, as embers do unless there is a colour, and its dust lies in clouds; else
    it is drawn in strokes and puffs. Of
    its `light` the letters shine from behind, and a `shock` bends the picture below as a ring.
    """

    frames: Annotated[int, Meta(ge=1, le=120)] = 10
    squash: Annotated[float, Meta(ge=0, le=0.6)] = 0.15
    shake: Annotated[float, Meta(ge=0, le=1)] = 0.08
    particles: Annotated[int, Meta(ge=0, le=400)] = 140
    lines: Annotated[int, Meta(ge=0, le=60)] = 0
    dust: Share = 0.5
    filmed: bool = True
    light: Share = 0.5
    shock: Share = 0.4
    colour: TextColour | None = None
    seed: Annotated[int, Meta(ge=0, le=999_999)] = 1


class TitleLook(
    Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True, cache_hash=True
):
    """How a title looks, be it text or a logo, and how it arrives, lands, stands and leaves.

    Outlines, the edge of the plate and what moves are shares of the size of its letters, or of the logo's
    height. The colour goes to another one downwards where there is a `to`.
    """

    outline: Annotated[float, Meta(ge=0, le=0.3)] = 0.0
    outline_colour: TextColour = "#16131a"
    inline: Annotated[float, Meta(ge=0, le=0.1)] = 0.0
    inline_colour: TextColour = "#16131a"
    shadow: Shadow | None = None
    glow: Shadow | None = None
    plate: TextColour | None = None
    plate_edge: Em = 0.25
    arrive: TextMotion | None = None
    impact: Impact | None = None
    stand: Standing | None = None
    leave: TextMotion | None = None


class FaceAxis(Struct, frozen=True, forbid_unknown_fields=True):
    """A value of an axis of a variable face, e.g. 700 of ``wght``."""

    tag: Annotated[str, Meta(pattern="^[A-Za-z0-9]{4}$")]
    value: Annotated[float, Meta(ge=-10_000, le=10_000)]


class TextFill(TitleLook, frozen=True, tag="text"):
    """Lines of text.

    The face is a shipped one, by its name, or that of a `file`. The `size` is a share of the frame's height;
    tracking is a share of the size, and leading is in sizes. `axes` set a variable face: the four letters of
    an axis, as ``wght``, and its value. By its `fingerprint` a face is known whose file is gone. `footage` is
    seen through the letters in place of their colour. Where it `fits`, it is set smaller in a frame whose
    safe area would be too narrow or too low for it.
    """

    text: Annotated[str, Meta(max_length=10_000)]
    face: Annotated[str, Meta(max_length=200)] = "Anton"
    file: Annotated[str, Meta(max_length=4096)] | None = None
    size: Annotated[float, Meta(ge=0.005, le=2)] = 0.18
    tracking: Annotated[float, Meta(ge=-0.3, le=2)] = 0.0
    leading: Annotated[float, Meta(ge=0.4, le=4)] = 1.15
    align: Alignment = Alignment.CENTRE
    case: LetterCase = LetterCase.TYPED
    colour: TextColour = "#ece4d4"
    to: TextColour | None = None
    axes: Annotated[tuple[FaceAxis, ...], Meta(max_length=16)] = ()
    fingerprint: Annotated[str, Meta(pattern="^[0-9a-f]{32}$")] | None = None
    footage: FootageId | None = None
    fits: bool = False


class LogoFill(TitleLook, frozen=True, tag="logo"):
    """A drawing or picture with alpha, set as a title: a `height` of so much of the frame's.

    Without a colour it has its own ones.
    """

    footage: FootageId
    height: Annotated[float, Meta(ge=0.005, le=4)] = 0.4
    colour: TextColour | None = None
    to: TextColour | None = None


TitleFill: TypeAlias = TextFill | LogoFill
