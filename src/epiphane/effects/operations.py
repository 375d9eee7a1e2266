"""Image operations that effects are made of; few kinds, so that the renderer can fuse neighbours.

Positions are in shares of the picture: (0, 0) is its top left corner, (1, 1) the bottom right.
Levels are 8-bit values, 0 to 255, in BGR.
"""

from collections.abc import Callable, Sequence
from enum import Enum
from functools import partial
from typing import TypeAlias

import numpy as np
from msgspec import Struct

from epiphane.declare.point_curves import CurvePoints
from epiphane.document.named_file import NamedFile
from epiphane.effects.pixels import softened, spread_light
from epiphane.types import Float32Array, FloatArray, Picture, Pixels


class Warp(Struct, frozen=True, eq=False):
    """Move every point of the picture.

    `matrix` is float64, shape (3, 3): a point p goes to ``matrix @ (x, y, 1)``, divided by its last
    component. Beyond its edge the picture is mirrored, so no border shows. `after` is where points go a
    frame later, and `shutter` the share of a frame for which the shutter is open: what moves meanwhile
    is blurred along its way, its levels or, `in_light`, its linear light.
    """

    matrix: FloatArray
    after: FloatArray | None = None
    shutter: float = 0.0
    in_light: bool = False


class Tone(Struct, frozen=True, eq=False):
    """Change every colour by one affine matrix, float64, shape (3, 4), in BGR levels."""

    matrix: FloatArray


class ToneCurve(Struct, frozen=True, eq=False):
    """Change every component by a curve of its own.

    `table` is float64, shape (256, 3): what each level of blue, green and red becomes; may leave
    0..255, and is rounded once at the end.
    """

    table: FloatArray


class Field(Struct, frozen=True, eq=False):
    """Show at every point what lies at another one.

    `source` is given the points of the picture as two float32 arrays of one shape, x and y, whose
    middle is (0, 0) and whose left and right edges are -1 and 1 (the unit is half the width both ways),
    and half the height in that unit; it returns where each takes its value from, in the same unit. It
    must be smooth: it may be asked for fewer points than there are pixels. Beyond its edge the picture is
    mirrored.
    """

    source: Callable[[Float32Array, Float32Array, float], tuple[Float32Array, Float32Array]]


class Blur(Struct, frozen=True, eq=False):
    """Blur the picture by a Gaussian whose standard deviation `sigma` is a share of the width.

    What stands beside it may be drawn at a smaller size, as detail finer than the blur is lost anyhow.
    """

    sigma: float


class ChannelShift(Struct, frozen=True, eq=False):
    """Move blue, green and red each on its own.

    `shifts` is float64, shape (3, 2): how far each goes across and down, in shares of the picture's width.
    """

    shifts: FloatArray


class Filter(Struct, frozen=True, eq=False):
    """Anything that needs more of the picture than one point of it.

    `apply` is given a picture, uint8, shape (height, width, 3), BGR, and returns another of that shape; it
    must not write into what it is given. Lengths it works with are shares of the width, so that a
    preview looks like the export. Where it `moves` what it is given, alpha goes the same way.
    """

    apply: Callable[[Picture], Picture]
    moves: bool = False


class AddedLight(Struct, frozen=True, eq=False):
    """Add light to the picture, rolled off towards white; of neighbours all see the same picture.

    `light` is given a picture, uint8, shape (height, width, 3), BGR, and returns light in whites, float32, of
    the same proportions and smaller, as `effects.shining.lit` takes it.
    """

    light: Callable[[Picture], Float32Array]


class AlphaRule(Enum):
    """What becomes of alpha: the same as of colours; it stays; or it is a fourth channel of what is given."""

    AS_COLOURS = "as colours"
    STAYS = "stays"
    GIVEN = "given"


class Mix(Struct, frozen=True, eq=False):
    """Mix the picture with others of its footage, as they are without effects.

    `apply` is given the picture and those that the effect named, its `held` one and its `echoes`, all of one
    size, BGR, or BGRA with premultiplied colours where alpha is `GIVEN`; it returns another of that shape and
    must not write into what it is given.
    """

    apply: Callable[[Picture, Sequence[Picture]], Picture]
    alpha: AlphaRule = AlphaRule.AS_COLOURS


Channels: TypeAlias = tuple[float, float, float]
"""Values of blue, green and red."""


class Gain(Struct, frozen=True):
    """Multiply blue, green and red, and add to them; levels are 0 to 1, and may leave that range."""

    factors: Channels
    offsets: Channels = (0.0, 0.0, 0.0)


class Power(Struct, frozen=True):
    """Raise blue, green and red to powers; what is below 0 becomes 0."""

    exponents: Channels


class ChannelMix(Struct, frozen=True):
    """Make blue, green and red each of all three: a row of weights for each."""

    blue: Channels
    green: Channels
    red: Channels


class Saturation(Struct, frozen=True):
    """Bring colours nearer to the grey of their luma (ITU-R BT.709) or take them from it; 1 leaves them."""

    amount: float


class ChannelCurves(Struct, frozen=True):
    """Change blue, green and red each by a curve of its own; no points leave one straight."""

    blue: CurvePoints
    green: CurvePoints
    red: CurvePoints


class LumaCurve(Struct, frozen=True):
    """Change luma (ITU-R BT.709) by a curve; what the channels differ from it stays."""

    points: CurvePoints


class ColourCurves(Struct, frozen=True):
    """Turn hues and change saturation by what a colour is.

    Over hues, `hue` turns them by -90 to 90 degrees and `saturation` multiplies it by 0 to 2, so does
    `luma_saturation` over luma; `vibrance` does by ``1 + vibrance * (1 - (greatest - least))``. Luma stays.
    """

    hue: CurvePoints = ()
    saturation: CurvePoints = ()
    luma_saturation: CurvePoints = ()
    vibrance: float = 0.0


class Encoding(Enum):
    """What the numbers of a colour mean: the picture's, light, or ACEScct (Academy S-2016-001)."""

    PICTURE = "the picture's"
    LINEAR = "linear light"
    ACESCCT = "ACEScct"


class FileLook(Struct, frozen=True):
    """Do what a file says, in part; it `expects` colours in some encoding, and `gives` them in one."""

    file: NamedFile
    share: float = 1.0
    expects: Encoding = Encoding.PICTURE
    gives: Encoding = Encoding.PICTURE


GradeStep: TypeAlias = (
    Gain | Power | ChannelMix | Saturation | ChannelCurves | LumaCurve | ColourCurves | FileLook
)


class Grade(Struct, frozen=True):
    """Change every colour by steps that are computed in floats, and rounded once at the end."""

    steps: tuple[GradeStep, ...]


Operation: TypeAlias = (
    Warp | Tone | ToneCurve | Field | Blur | ChannelShift | Filter | AddedLight | Mix | Grade
)
NOTHING: tuple[Operation, ...] = ()
"""What an effect at rest does."""


def scale_about(scale: float, *, x: float, y: float) -> Warp:
    """Return the warp that enlarges the picture about a point, given in shares of the picture.

    Parameters
    ----------
    scale : float, > 0
    x, y : float
        0, 0 is the upper left corner, 1, 1 the lower right one.
    """
    return Warp(np.array([[scale, 0, x - scale * x], [0, scale, y - scale * y], [0, 0, 1.0]]))


def gaussian_blur(sigma: float, *, in_light: bool) -> Blur | Filter:
    """Return the blur whose standard deviation is a share of the width, of levels or of linear light."""
    return spreading(partial(softened, sigma=sigma), in_light=True) if in_light else Blur(sigma)


def spreading(change: Callable[[Pixels], Pixels], *, in_light: bool) -> Filter:
    """Return the filter that spreads the levels of a picture, uint8, or its linear light, uint16."""

    def apply(picture: Picture) -> Picture:
        return spread_light(picture, change) if in_light else np.asarray(change(picture), np.uint8)

    return Filter(apply, moves=True)


def diagonal_tone(gains: FloatArray, offsets: FloatArray) -> Tone:
    """Return the tone that multiplies and then adds to blue, green and red apart.

    Parameters
    ----------
    gains : float64, shape (3,), BGR
    offsets : float64, shape (3,), BGR, in levels of 0 to 255
    """
    return Tone(np.column_stack([np.diag(gains), offsets]))
