"""How an effect says what it is: its key, family, parameters, and the function that does it.

From the declaration alone the shelf, the bench, the file format, the docs and the contract test
are derived. Registration fails, and with it the import, on a duplicate key, a default out of
range, or a function that asks for a value that is not declared.
"""

import math
import re
from collections.abc import Callable, Sequence
from enum import Enum
from typing import Any, TypeAlias

import numpy as np
from msgspec import Struct

from epiphane.document.lane import Lane, Setting
from epiphane.effects.operations import Operation, Warp


class Family(Enum):
    """What an effect works on; each family has a colour in the window."""

    LIGHT = "light"
    MOTION = "motion"
    BREAK = "break"
    FOCUS = "focus"
    COLOUR = "colour"
    FRAME = "frame"


class Parameter(Struct, frozen=True):
    """A number with a value at rest and one at the peak of the envelope; a count `is_whole` to the editor."""

    name: str
    label: str
    unit: str
    low: float
    high: float
    rest: float
    peak: float
    help: str = ""
    is_whole: bool = False

    def fault(self) -> str:
        """Return what is wrong with the declaration, or nothing."""
        if not (self.low <= self.rest <= self.high and self.low <= self.peak <= self.high):
            return f"{self.name}: rest and peak must be in {self.low}..{self.high}"
        return ""

    def clean(self, value: object, default: float) -> float:
        """Return a value from a file brought into range; what is no number becomes `default`."""
        if not isinstance(value, int | float) or not math.isfinite(value):
            return default
        return min(max(float(value), self.low), self.high)


class ColourParameter(Struct, frozen=True):
    """A colour, the same at rest and at the peak, written ``#rrggbb``."""

    name: str
    label: str
    default: str
    help: str = ""

    def fault(self) -> str:
        """Return what is wrong with the declaration, or nothing."""
        return "" if is_colour(self.default) else f"{self.name}: {self.default!r} is no #rrggbb"


class ChoiceParameter(Struct, frozen=True):
    """One of a few words."""

    name: str
    label: str
    options: tuple[str, ...]
    default: str
    help: str = ""

    def fault(self) -> str:
        """Return what is wrong with the declaration, or nothing."""
        return "" if self.default in self.options else f"{self.name}: default is no option"


AnyParameter: TypeAlias = Parameter | ColourParameter | ChoiceParameter
ParameterValue: TypeAlias = float | str


class Values:
    """The values of an effect's parameters on one frame, as attributes."""

    def __init__(self, values: dict[str, ParameterValue]) -> None:
        self.__dict__.update(values)

    def __getattr__(self, name: str) -> Any:
        raise AttributeError(f"the effect asks for {name!r}, which it does not declare")


class Around(Struct, frozen=True):
    """What an effect may need beside its parameters.

    `aspect` is width by height, `frame` and `rate` are those of the project, chance is drawn from `seed`;
    `since` is how many frames ago the cue that fires had its peak, below 0 before it.
    """

    aspect: float = 16 / 9
    frame: int = 0
    rate: float = 30.0
    seed: int = 1
    since: int = 0


class Need(Enum):
    """What of `Around` an effect is given as further values.

    ``aspect``; or ``seconds`` and ``seed``; or ``since``, the frames since the peak of the cue that fires.
    """

    ASPECT = "aspect"
    TIME = "time"
    CUE = "cue"


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
    keywords: str = ""

    def parameter(self, name: str) -> AnyParameter:
        """Return the parameter of a name; KeyError if there is none."""
        for parameter in self.parameters:
            if parameter.name == name:
                return parameter
        raise KeyError(name)

    def values_at(
        self, lane: Lane, level: float, around: Around | None = None
    ) -> tuple[tuple[str, ParameterValue], ...]:
        """Return every parameter's value at a level of the lane's envelope, and what else is needed."""
        settings = {setting.name: setting for setting in lane.settings}
        values = tuple((p.name, _value_at(p, settings.get(p.name), level)) for p in self.parameters)
        around = around or Around()
        if Need.ASPECT in self.needs:
            values += (("aspect", round(around.aspect, 6)),)
        if Need.TIME in self.needs:
            values += (("seconds", round(around.frame / around.rate, 6)), ("seed", float(around.seed)))
        if Need.CUE in self.needs:
            values += (("since", float(around.since)),)
        return values

    def shift_of(self, values: tuple[tuple[str, ParameterValue], ...]) -> int:
        """Return by how many frames the footage is shown earlier (below 0) or later."""
        return 0 if self.retime is None else self.retime(Values(dict(values)))

    def echoes_of(self, values: tuple[tuple[str, ParameterValue], ...]) -> tuple[int, ...]:
        """Return which other frames of the footage are wanted, counted from the one that is shown."""
        return () if self.echoes is None else self.echoes(Values(dict(values)))

    @property
    def has_shutter(self) -> bool:
        """Whether what it moves can be blurred."""
        return any(parameter.name == SHUTTER.name for parameter in self.parameters)

    def operations(
        self,
        values: tuple[tuple[str, ParameterValue], ...],
        after: tuple[tuple[str, ParameterValue], ...] = (),
    ) -> tuple[Operation, ...]:
        """Return what the effect does at these values; `after` are those a frame later, for its shutter."""
        named = dict(values)
        done = self.operate(Values(named))
        operations = tuple(done) if isinstance(done, Sequence) else (done,)
        shutter = float(named.get(SHUTTER.name, 0.0)) / 360
        if not after or shutter == 0:
            return operations
        later = [one.matrix for one in self.operations(after) if isinstance(one, Warp)]
        still = np.eye(3)
        return tuple(
            Warp(one.matrix, after=later.pop(0) if later else still, shutter=shutter)
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
    help="The angle for which the shutter is open: 180 is half a frame",
)
"""Of every effect that moves the picture."""

REGISTERED: dict[str, Effect] = {}


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
    keywords: str = "",
) -> Callable[[Callable[[Values], Any]], Callable[[Values], Any]]:
    """Declare the decorated function as an effect.

    Parameters
    ----------
    key : str
        Written into project files: never renamed.
    version : int
        Raised when the same values make another picture.
    label : str
        What the editor reads; the first line of the docstring says what it does.
    needs : tuple of Need
        Further values that the function asks for.
    retime, echoes
        For effects that need other frames of the footage: by how many frames it is shown earlier or later,
        and which others are given to the `Mix` that the function returns. Both are in frames of the
        project, and never leave the shot.
    keywords : str
        Further words by which people look for it.
    """

    def register(function: Callable[[Values], Any]) -> Callable[[Values], Any]:
        faults = [fault for fault in (parameter.fault() for parameter in parameters) if fault]
        if key in REGISTERED:
            faults.append("this key is taken")
        if len({parameter.name for parameter in parameters}) != len(parameters):
            faults.append("two parameters have one name")
        if faults:
            raise ValueError(f"effect {key!r}: " + "; ".join(faults))
        summary = (function.__doc__ or "").strip().split("\n")[0]
        made = Effect(
            key, version, family, label, summary, parameters, function, needs, retime, echoes, keywords
        )
        for level in (0.0, 1.0):  # asks for every value once
            made.operations(made.values_at(_DEFAULT_LANE, level))
        REGISTERED[key] = made
        return function

    return register


def setting_of(parameter: AnyParameter, lane: Lane) -> Setting:
    """Return what a lane has set of a parameter, or what is declared."""
    found = next((one for one in lane.settings if one.name == parameter.name), None)
    if found is not None:
        return found
    if isinstance(parameter, Parameter):
        return Setting(parameter.name, parameter.peak, parameter.rest)
    return Setting(parameter.name, parameter.default)


def rest_and_peak(parameter: Parameter, setting: Setting | None) -> tuple[float, float]:
    """Return the values at rest and at the peak: set ones, else the declared ones."""
    if setting is None:
        return parameter.rest, parameter.peak
    rest = parameter.rest if setting.rest is None else setting.rest
    return parameter.clean(rest, parameter.rest), parameter.clean(setting.peak, parameter.peak)


def text_value(parameter: ColourParameter | ChoiceParameter, setting: Setting | None) -> str:
    """Return the set colour or choice if it is one, else the declared one."""
    text = setting.peak if setting is not None else parameter.default
    if isinstance(parameter, ColourParameter):
        return text if isinstance(text, str) and is_colour(text) else parameter.default
    return text if isinstance(text, str) and text in parameter.options else parameter.default


def is_colour(text: str) -> bool:
    """Whether a text is ``#rrggbb``."""
    return re.fullmatch(r"#[0-9a-fA-F]{6}", text) is not None


def colour_to_bgr(text: str) -> tuple[float, float, float]:
    """Return blue, green and red, 0 to 1, of ``#rrggbb``."""
    red, green, blue = (int(text[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return blue, green, red


def _value_at(parameter: AnyParameter, setting: Setting | None, level: float) -> ParameterValue:
    if isinstance(parameter, Parameter):
        rest, peak = rest_and_peak(parameter, setting)
        return min(max(rest + (peak - rest) * level, parameter.low), parameter.high)
    return text_value(parameter, setting)


_DEFAULT_LANE = Lane(0, "", 0)  # type: ignore[arg-type]
