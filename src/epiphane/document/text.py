"""Text over the picture: what it says, how it is set and coloured, how it arrives and leaves."""

from enum import Enum
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct

from epiphane.document.ids import Share

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

    A `stagger` of 0 moves all parts at once, one of 1 one after the other. What it goes through is as far
    away as it is declared, times the `amount`.
    """

    key: Annotated[str, Meta(min_length=1, max_length=40)]
    frames: Annotated[int, Meta(ge=1, le=1000)] = 12
    unit: TextUnit = TextUnit.LETTER
    stagger: Share = 0.6
    order: TextOrder = TextOrder.FORWARD
    amount: Annotated[float, Meta(ge=0, le=4)] = 1.0
    seed: Annotated[int, Meta(ge=0, le=999_999)] = 1


class Shadow(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A soft copy of the letters below them; lengths are shares of their size. As a glow it is not moved."""

    colour: TextColour = "#000000"
    opacity: Share = 0.6
    blur: Em = 0.06
    x: Offset = 0.0
    y: Offset = 0.05


class TextFill(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="text"):
    """Lines of text.

    The face is a shipped one, by its name, or that of a `file`. The `size` is a share of the frame's height;
    tracking, the outline and the edge of the plate are shares of the size, and leading is in sizes. The
    colour goes to another one downwards where there is a `to`.
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
    outline: Annotated[float, Meta(ge=0, le=0.3)] = 0.0
    outline_colour: TextColour = "#16131a"
    shadow: Shadow | None = None
    glow: Shadow | None = None
    plate: TextColour | None = None
    plate_edge: Em = 0.25
    arrive: TextMotion | None = None
    leave: TextMotion | None = None
