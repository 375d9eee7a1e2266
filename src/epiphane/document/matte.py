"""Mattes: what of a shot's picture is its subject, so that titles may stand behind that."""

from enum import Enum
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct

from epiphane.document.ids import Seconds, Share


class MatteKind(Enum):
    """By what the subject is told from the rest."""

    TRACED = "traced"
    LUMA = "brightness"
    COLOUR = "colour"
    DIFFERENCE = "difference"


class MatteStroke(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A dab on a picture: on the subject, or on what is not; in shares of its width and height.

    The radius is a share of the picture's height.
    """

    x: Share
    y: Share
    radius: Annotated[float, Meta(gt=0, le=1)] = 0.02
    is_subject: bool = True


class MatteMark(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What was marked on one picture of the footage, `time` seconds after its first.

    The box is (left, top, right, bottom) in shares; a mark without one corrects what was carried there.
    """

    time: Seconds
    box: tuple[Share, Share, Share, Share] | None = None
    strokes: Annotated[tuple[MatteStroke, ...], Meta(max_length=2000)] = ()


MatteMarks: TypeAlias = Annotated[tuple[MatteMark, ...], Meta(max_length=500)]


class Matte(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What of a shot's picture is its subject.

    It is traced from marks, ascending in time, and carried by the movement of the picture; or it is what is
    brighter than `low`, fully from `high`; what is unlike a `colour`; or what is unlike the clean picture at
    `clean` seconds: `low` and `high` are shares of the greatest brightness or difference. `start` and `end`
    are the seconds of the footage for which it was asked. Its edge is feathered by a share of the picture's
    height, and moved outwards by `grow` (inwards below 0).
    """

    kind: MatteKind = MatteKind.TRACED
    start: Seconds = 0.0
    end: Seconds = 0.0
    marks: MatteMarks = ()
    low: Share = 0.45
    high: Share = 0.55
    colour: Annotated[str, Meta(pattern="^#[0-9a-f]{6}$")] = "#00ff00"
    clean: Seconds = 0.0
    feather: Annotated[float, Meta(ge=0, le=0.1)] = 0.002
    grow: Annotated[float, Meta(ge=-0.05, le=0.05)] = 0.0
    is_inverted: bool = False
