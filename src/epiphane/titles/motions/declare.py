"""Declaring how text arrives and leaves."""

from collections.abc import Callable

from msgspec import Struct

from epiphane.declare.registry import Registry
from epiphane.document.titles import TextUnit
from epiphane.wording import tr


class Motion(Struct, frozen=True):
    """Where a part of a title is: a matrix (a b, c d) about its middle, and a shift, in sizes of the letters.

    In depth, what lies right of its middle is divided by 1 + `right` for each size, and what lies below it
    by 1 + `down`. `blur` is the sigma of a Gaussian, in sizes too. Of its width, from the left, a share is
    `shown`, or what of its strokes is `written`; it is `torn` into bands that are moved sideways by so much
    at most, or `broken` into pieces that lie apart by so much, by chances of a seed. `other` says which
    letter of the text is seen in its place, a share of all; 0 is itself.
    """

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    x: float = 0.0
    y: float = 0.0
    opacity: float = 1.0
    blur: float = 0.0
    right: float = 0.0
    down: float = 0.0
    shown: float = 1.0
    torn: float = 0.0
    torn_seed: int = 0
    written: float = 1.0
    broken: float = 0.0
    other: float = 0.0


REST = Motion()


class Part(Struct, frozen=True):
    """What moves as one: its number among all, its middle from that of the block, its sides, its chances.

    Lengths are in sizes of the letters. The chances are three numbers of its own from 0 to 1, the same for
    a seed.
    """

    number: int
    n_parts: int
    x: float
    y: float
    chances: tuple[float, float, float]
    width: float = 1.0
    height: float = 1.0


MotionFunction = Callable[[float, Part, float], Motion]
"""From how much of the way is over, 0 to 1, the part and the amount; at 1 it must be at rest."""


class DeclaredMotion(Struct, frozen=True, eq=False):
    """A declared motion, with the frames, the unit and the stagger that a new one has."""

    key: str
    label: str
    summary: str
    move: MotionFunction
    frames: int
    unit: TextUnit
    stagger: float
    is_smeared: bool


MOTIONS: Registry[DeclaredMotion] = Registry(
    "motion of text", "epiphane.titles.motions", order=lambda one: (one.label,)
)
"""All motions there are, by label."""


def motion(
    *,
    key: str,
    label: str,
    frames: int = 12,
    unit: TextUnit = TextUnit.LETTER,
    stagger: float = 0.6,
    is_smeared: bool = False,
) -> Callable[[MotionFunction], MotionFunction]:
    """Declare the decorated function as a motion of text.

    Parameters
    ----------
    key : str
        Written into project files: never renamed.
    is_smeared : bool
        Whether what moves is blurred along its way, as by an open shutter.
    """

    def register(function: MotionFunction) -> MotionFunction:
        summary = (function.__doc__ or "").strip().split("\n")[0]
        made = DeclaredMotion(key, tr(label), tr(summary), function, frames, unit, stagger, is_smeared)
        if function(1.0, Part(0, 1, 0.0, 0.0, (0.1, 0.5, 0.9)), 1.0) != REST:
            raise ValueError(f"motion {key!r} is not at rest at its end")
        MOTIONS.register(made)
        return function

    return register


def slowing(share: float) -> float:
    """Return a share of a way that begins quickly and comes to rest: 1 - (1 - s)^3."""
    return 1.0 - (1.0 - share) ** 3


def overshooting(share: float) -> float:
    """Return a share of a way that goes a tenth too far and comes back."""
    away = share - 1.0
    return 1.0 + 2.70158 * away**3 + 1.70158 * away**2 if share < 1 else 1.0
