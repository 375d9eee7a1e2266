"""Declaring a transition: key, family, parameters, and the function that says how two pictures become one.

From the declaration alone the shelf, the bench, the file format, the docs and the contract test are derived,
as with effects. A lane has an effect or a transition, so their keys share one space.
"""

from collections.abc import Callable, Sequence
from enum import Enum
from typing import TypeAlias

from msgspec import Struct
from msgspec.structs import replace

from epiphane.declare.parameters import (
    AnyParameter,
    ChoiceParameter,
    NamedValues,
    Values,
    faults_of,
    translated,
    values_at,
)
from epiphane.declare.registry import Registry
from epiphane.document.envelope import Ease, Envelope
from epiphane.document.lane import Settings
from epiphane.effects.declare import EFFECTS, Family
from epiphane.effects.operations import Operation
from epiphane.types import Picture, Plane, Size
from epiphane.wording import tr


class Progress(Struct, frozen=True):
    """How far a transition is.

    `share` goes from 0, the outgoing picture, to 1, the incoming one, and is .5 on the cut; `step` is by how
    much it changes in a frame there. `aspect` is width by height; chance is drawn from `seed`, which is
    another one at each cut. A film that is `in_light` mixes and smears linear light.
    """

    share: float
    step: float = 0.0
    aspect: float = 16 / 9
    seed: int = 1
    in_light: bool = False

    @property
    def nearness(self) -> float:
        """How near the middle is: 0 at both ends, 1 in the middle."""
        return 1 - abs(2 * self.share - 1)

    @property
    def adding(self) -> "Blend":
        """How the film adds two pictures."""
        return Blend.ADD_LIGHT if self.in_light else Blend.ADD


class Blend(Enum):
    """What becomes of two weighted pictures: their sum, or the lighter or darker of them at each point.

    The weights are those of their levels, or of their light.
    """

    ADD = "add"
    ADD_LIGHT = "add light"
    LIGHTEN = "lighten"
    LIGHTEN_LIGHT = "lighten light"
    DARKEN = "darken"
    DARKEN_LIGHT = "darken light"


class Weighted(Struct, frozen=True):
    """Both pictures, each times its weight; for the darker one their negatives are weighted.

    A picture of weight 0 is not drawn.
    """

    outgoing: float
    incoming: float
    how: Blend = Blend.ADD


class Masked(Struct, frozen=True, eq=False):
    """The incoming picture where a mask is white, in levels between where it is grey.

    `mask` is given a size and returns uint8, shape (height, width).
    """

    mask: Callable[[Size], Plane]


class Composed(Struct, frozen=True, eq=False):
    """What a function makes of the outgoing and the incoming picture, BGR of one size.

    It must not write into what it is given.
    """

    apply: Callable[[Picture, Picture], Picture]


class ByMatte(Struct, frozen=True, eq=False):
    """The incoming picture where the matte of the transition, another picture, is bright or dark enough.

    `ramp`, uint8, shape (1, 256), says for each brightness how much of it shows. Without a matte the
    `instead` does.
    """

    ramp: Plane
    instead: Masked


Mixture: TypeAlias = Weighted | Masked | Composed | ByMatte

FIRST, SECOND = Weighted(1, 0), Weighted(0, 1)
"""The outgoing picture alone, and the incoming one."""


class Join(Struct, frozen=True, eq=False):
    """What is done to both pictures, how they are mixed, and what is done to the mixture.

    `blur` is how long things are smeared by all of it, as a share of the width.
    """

    mixture: Mixture
    outgoing: tuple[Operation, ...] = ()
    incoming: tuple[Operation, ...] = ()
    after: tuple[Operation, ...] = ()
    blur: float = 0.0


class Transition(Struct, frozen=True, eq=False):
    """A declared transition."""

    key: str
    version: int
    family: Family
    label: str
    summary: str
    parameters: tuple[AnyParameter, ...]
    envelope: Envelope
    make: Callable[[Values, Progress], Join]
    keywords: str = ""
    group: str = ""
    takes_clips: bool = False
    """Whether one picture comes over the other by a matte, which footage of its lane can be."""

    def parameter(self, name: str) -> AnyParameter:
        """Return the parameter of a name; KeyError if there is none."""
        for parameter in self.parameters:
            if parameter.name == name:
                return parameter
        raise KeyError(name)

    def values_at(self, settings: Settings, level: float = 1.0) -> NamedValues:
        """Return every parameter's value at a strength."""
        return values_at(self.parameters, settings, level)

    def join(self, values: NamedValues, progress: Progress) -> Join:
        """Return what is done at these values; at both ends it is one of the pictures alone."""
        if progress.share <= 0:
            return Join(FIRST)
        if progress.share >= 1:
            return Join(SECOND)
        return self.make(Values(dict(values)), progress)


TRANSITIONS: Registry[Transition] = Registry(
    "transition",
    "epiphane.transitions",
    order=lambda one: (list(Family).index(one.family), one.label),
)
"""All transitions there are, by family and then by label."""

DIRECTION = "direction"
"""The name of the parameter that may be another one at each cut."""
DIRECTIONS = ("left", "right", "up", "down")
IN_TURN, BY_CHANCE, WITH_MOVEMENT = "in turn", "by chance", "with the movement"


def direction_parameter(default: str = "left") -> ChoiceParameter:
    """Return the parameter of a direction: one of four, or another at each cut."""
    options = (*DIRECTIONS, IN_TURN, BY_CHANCE, WITH_MOVEMENT)
    return ChoiceParameter(DIRECTION, "Direction", options, default, "Where what is seen moves to")


def transition(
    *,
    key: str,
    version: int,
    family: Family,
    label: str,
    parameters: tuple[AnyParameter, ...] = (),
    frames: tuple[int, int] = (8, 8),
    eases: tuple[Ease, Ease] = (Ease.IN, Ease.OUT),
    keywords: str = "",
    group: str = "",
) -> Callable[[Callable[[Values, Progress], Join]], Callable[[Values, Progress], Join]]:
    """Declare the decorated function as a transition.

    Parameters
    ----------
    key : str
        Written into project files: never renamed, and no effect's.
    version : int
        Raised when the same values make another picture.
    label : str
        What the user reads; the first line of the docstring says what it does.
    frames, eases
        Before and after the cut, of a new lane.
    keywords : str
        Further words by which people look for it.
    group : str
        With which others of what they do it stands on the shelf.
    """

    def register(function: Callable[[Values, Progress], Join]) -> Callable[[Values, Progress], Join]:
        faults: Sequence[str] = faults_of(parameters)
        if EFFECTS.find(key) is not None:
            faults = (*faults, "there is an effect of this key")
        if faults:
            raise ValueError(f"transition {key!r}: " + "; ".join(faults))
        summary = (function.__doc__ or "").strip().split("\n")[0]
        envelope = Envelope(*(float(frames[0]), 0.0, float(frames[1])), *eases)
        made = Transition(
            key,
            version,
            family,
            tr(label),
            tr(summary),
            translated(parameters),
            envelope,
            function,
            keywords,
            tr(group),
        )
        # Both ask for every value once.
        mixtures = [made.join(made.values_at(()), Progress(share)).mixture for share in (0.25, 0.75)]
        has_matte = any(isinstance(one, ByMatte) for one in mixtures)
        TRANSITIONS.register(replace(made, takes_clips=has_matte))
        return function

    return register
