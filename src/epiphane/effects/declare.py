"""Declaring an effect: key, family, parameters, and the function that returns its operations.

From the declaration alone the shelf, the bench, the file format, the docs and the contract test
are derived. Registration fails, and with it the import, on a duplicate key, a default out of
range, or a function that asks for a value that is not declared.
"""

from collections.abc import Callable, Sequence
from enum import Enum
from typing import Any, TypeAlias

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from epiphane.declare.parameters import (
    AnyParameter,
    NamedValues,
    Parameter,
    Values,
    faults_of,
    translated,
    values_at,
)
from epiphane.declare.registry import Registry
from epiphane.document.envelope import Envelope
from epiphane.document.lane import Settings
from epiphane.effects.operations import Operation, Warp
from epiphane.wording import tr


class Family(Enum):
    """What an effect works on; each family has a colour in the window."""

    LIGHT = "light"
    MOTION = "motion"
    GLITCH = "glitch"
    FOCUS = "focus"
    COLOUR = "colour"
    FRAME = "frame"


class FrameContext(Struct, frozen=True):
    """What an effect may need beside its parameters.

    `aspect` is width by height, `frame` and `rate` are those of the project, chance is drawn from `seed`;
    `since` is how many frames ago the cue that fires had its peak, below 0 before it. Of the film are whether
    it mixes light, `in_light`, and the `shutter_angle`, degrees, that everything which moves has at least.
    """

    aspect: float = 16 / 9
    frame: int = 0
    rate: float = 30.0
    seed: int = 1
    since: int = 0
    in_light: bool = False
    shutter_angle: float = 0.0


class Need(Enum):
    """What of `FrameContext` an effect is given as further values.

    ``aspect``; or ``seconds`` and ``seed``; or ``since``, the frames since the peak of the cue that fires, or
    ``since_seconds``; or ``in_light``, whether the film mixes light: 1, else 0.
    """

    ASPECT = "aspect"
    TIME = "time"
    CUE = "cue"
    SINCE = "since"
    LIGHT = "light"


Sections: TypeAlias = tuple[tuple[str, tuple[str, ...]], ...]
_RESERVED = frozenset({"aspect", "seconds", "seed", "since", "since_seconds", "in_light"})


class Effect(Struct, frozen=True, eq=False):
    """A declared effect."""

    key: str
    version: int
    family: Family
    label: str
    summary: str
    parameters: tuple[AnyParameter, ...]
    operate: Callable[[Values], Operation | Sequence[Operation]]
    needs: tuple[Need, ...] = ()
    retime: Callable[[Values], int] | None = None
    echoes: Callable[[Values], tuple[int, ...]] | None = None
    held: Callable[[Values], int | None] | None = None
    keywords: str = ""
    group: str = ""
    lasts: bool = False
    sections: Sections = ()
    has_shutter: bool = False
    """Whether what it moves can be blurred."""

    @property
    def envelope(self) -> Envelope:
        """The envelope of a new lane."""
        return Envelope()

    def parameter(self, name: str) -> AnyParameter:
        """Return the parameter of a name; KeyError if there is none."""
        for parameter in self.parameters:
            if parameter.name == name:
                return parameter
        raise KeyError(name)

    def values_at(self, settings: Settings, level: float, context: FrameContext | None = None) -> NamedValues:
        """Return every parameter's value at a level of an envelope, and what else the effect needs."""
        values = values_at(self.parameters, settings, level)
        context = context or FrameContext()
        if self.has_shutter:
            least = context.shutter_angle
            values = tuple(
                (name, max(float(value), least)) if name == SHUTTER.name else (name, value)
                for name, value in values
            )
        if Need.ASPECT in self.needs:
            values += (("aspect", round(context.aspect, 6)),)
        if Need.TIME in self.needs:
            values += (("seconds", round(context.frame / context.rate, 6)), ("seed", float(context.seed)))
        if Need.CUE in self.needs:
            values += (("since", float(context.since)),)
        if Need.SINCE in self.needs:
            values += (("since_seconds", round(context.since / context.rate, 6)),)
        if Need.LIGHT in self.needs or (self.has_shutter and dict(values)[SHUTTER.name]):
            values += (("in_light", float(context.in_light)),)
        return values

    def shift_of(self, values: NamedValues) -> int:
        """Return by how many frames the footage is shown earlier (below 0) or later."""
        return 0 if self.retime is None else self.retime(Values(dict(values)))

    def echoes_of(self, values: NamedValues) -> tuple[int, ...]:
        """Return which other frames of the footage are wanted, counted from the one that is shown."""
        return () if self.echoes is None else self.echoes(Values(dict(values)))

    def held_of(self, values: NamedValues) -> int | None:
        """Return which frame is held, counted from the one that is shown, or None."""
        return None if self.held is None else self.held(Values(dict(values)))

    def operations(self, values: NamedValues, after: NamedValues = ()) -> tuple[Operation, ...]:
        """Return what the effect does at these values; `after` are those a frame later, for its shutter."""
        named = dict(values)
        done = self.operate(Values(named))
        operations = tuple(done) if isinstance(done, Sequence) else (done,)
        shutter = float(named.get(SHUTTER.name, 0.0)) / 360
        if not after or shutter == 0:
            return operations
        in_light = bool(named.get("in_light", 0.0))
        later = [one.matrix for one in self.operations(after) if isinstance(one, Warp)]
        still = np.eye(3)
        return tuple(
            Warp(one.matrix, later.pop(0) if later else still, shutter, in_light=in_light)
            if isinstance(one, Warp)
            else one
            for one in operations
        )


SHUTTER = Parameter(
    "shutter",
    "Motion blur",
    "°",
    low=0,
    high=360,
    rest=0,
    peak=0,
    help="The angle for which the shutter is open: 180 is half a frame; at least that of the film",
)
"""Of every effect that moves the picture."""
OPEN_SHUTTER = replace(SHUTTER, rest=180, peak=180)
"""Of those that would be seen to jump without it."""

EFFECTS: Registry[Effect] = Registry(
    "effect", "epiphane.effects", order=lambda effect: (list(Family).index(effect.family), effect.label)
)
"""All effects there are, by family and then by label."""


def effect(
    *,
    key: str,
    version: int,
    family: Family,
    label: str,
    parameters: tuple[AnyParameter, ...],
    needs: tuple[Need, ...] = (),
    retime: Callable[[Values], int] | None = None,
    echoes: Callable[[Values], tuple[int, ...]] | None = None,
    held: Callable[[Values], int | None] | None = None,
    keywords: str = "",
    group: str = "",
    lasts: bool = False,
    sections: Sections = (),
) -> Callable[[Callable[[Values], Any]], Callable[[Values], Any]]:
    """Declare the decorated function as an effect.

    Parameters
    ----------
    key : str
        Written into project files: never renamed.
    version : int
        Raised when the same values make another picture.
    label : str
        What the user reads; the first line of the docstring says what it does.
    needs : tuple of Need
        Further values that the function asks for.
    retime, echoes
        For effects that need other frames of the footage: by how many frames it is shown earlier or later,
        and which others are given to the `Mix` that the function returns. Both are in frames of the
        project, and never leave the shot.
    held
        Which frame is given to the `Mix` before these, if any: unlike them one of the shot before, where a
        cut lies between.
    keywords : str
        Further words by which people look for it.
    group : str
        With which others of what they do it stands on the shelf.
    lasts : bool
        Whether it is on over the film, or a part of it, unless it is put on hits; else it strikes.
    sections : tuple of (title, names of parameters)
        Under which titles the bench has its rows; those that are in none come first.
    """

    def register(function: Callable[[Values], Any]) -> Callable[[Values], Any]:
        faults = faults_of(parameters)
        listed = [name for _, names in sections for name in names]
        if unknown := sorted(set(listed) - {parameter.name for parameter in parameters}):
            faults.append(f"{unknown[0]} is in a section, and not declared")
        if taken := sorted(_RESERVED & {parameter.name for parameter in parameters}):
            faults.append(f"{taken[0]} is what an effect is given beside its parameters")
        if faults:
            raise ValueError(f"effect {key!r}: " + "; ".join(faults))
        summary = (function.__doc__ or "").strip().split("\n")[0]
        made = Effect(
            key,
            version,
            family,
            tr(label),
            tr(summary),
            translated(parameters),
            function,
            needs,
            retime,
            echoes,
            held,
            keywords,
            tr(group),
            lasts,
            tuple((tr(title), names) for title, names in sections),
            has_shutter=any(parameter.name == SHUTTER.name for parameter in parameters),
        )
        for level in (0.0, 1.0):  # asks for every value once
            made.operations(made.values_at((), level))
        EFFECTS.register(made)
        return function

    return register
