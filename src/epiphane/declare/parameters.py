"""Parameters: what can be set of a declared thing, and its values at a level between rest and peak.

From parameters alone the bench makes its rows, the project file its reader, the docs their table.
"""

import math
import re
from collections.abc import Iterable, Sequence
from typing import Any, TypeAlias, assert_never

from msgspec import Struct
from msgspec.structs import replace

from epiphane.declare.point_curves import CurveAcross, bent_in_part, curve_points
from epiphane.document.lane import Setting, Settings
from epiphane.document.named_file import named_file
from epiphane.wording import tr


class Parameter(Struct, frozen=True):
    """A number with a value at rest and one at the peak of the envelope; a count `is_whole` to the user."""

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


class FileParameter(Struct, frozen=True):
    """A file of the user's, written as `epiphane.document.named_file` does; empty for none."""

    name: str
    label: str
    suffixes: tuple[str, ...]
    help: str = ""
    default: str = ""

    def fault(self) -> str:
        """Return what is wrong with the declaration, or nothing."""
        return "" if self.suffixes else f"{self.name}: no file has none of all endings"


class CurveParameter(Struct, frozen=True):
    """A curve through points of the user's, as text; straight, or level for one over hues, where it is empty.

    At rest it is straight, and between that and the peak it bends in part.
    """

    name: str
    label: str
    across: CurveAcross = CurveAcross.LEVELS
    help: str = ""
    default: str = ""

    def fault(self) -> str:
        """Return what is wrong with the declaration, or nothing."""
        return ""


TextParameter: TypeAlias = ColourParameter | ChoiceParameter | FileParameter | CurveParameter
AnyParameter: TypeAlias = Parameter | TextParameter


def translated(parameters: Iterable[AnyParameter]) -> tuple[AnyParameter, ...]:
    """Return parameters with label and help in the user's language; units and options stay as they are."""
    return tuple(replace(one, label=tr(one.label), help=tr(one.help)) for one in parameters)


ParameterValue: TypeAlias = float | str
NamedValues: TypeAlias = tuple[tuple[str, ParameterValue], ...]


class Values:
    """The values of declared parameters on one frame, as attributes."""

    def __init__(self, values: dict[str, ParameterValue]) -> None:
        self.__dict__.update(values)

    def __getattr__(self, name: str) -> Any:
        raise AttributeError(f"{name!r} is asked for, and is not declared")


def setting_of(parameter: AnyParameter, settings: Settings) -> Setting:
    """Return what has been set of a parameter, or what is declared."""
    found = next((one for one in settings if one.name == parameter.name), None)
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


def text_value(parameter: TextParameter, setting: Setting | None) -> str:
    """Return the set colour, choice, file or curve if it is one, else the declared one."""
    text = setting.peak if setting is not None else parameter.default
    return text if isinstance(text, str) and _is_value(parameter, text) else parameter.default


def _is_value(parameter: TextParameter, text: str) -> bool:
    match parameter:
        case ColourParameter():
            return is_colour(text)
        case ChoiceParameter(options=options):
            return text in options
        case FileParameter():
            return text == "" or named_file(text) is not None
        case CurveParameter():
            return curve_points(text) is not None
        case _:
            assert_never(parameter)


def is_colour(text: str) -> bool:
    """Whether a text is ``#rrggbb``."""
    return re.fullmatch(r"#[0-9a-fA-F]{6}", text) is not None


def colour_to_bgr(text: str) -> tuple[float, float, float]:
    """Return blue, green and red, 0 to 1, of ``#rrggbb``."""
    red, green, blue = (int(text[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return blue, green, red


def values_at(parameters: Sequence[AnyParameter], settings: Settings, level: float) -> NamedValues:
    """Return every parameter's name and value at a level: rest is 0, the peak 1."""
    set_ones = {setting.name: setting for setting in settings}
    return tuple((one.name, _value_at(one, set_ones.get(one.name), level)) for one in parameters)


def faults_of(parameters: Sequence[AnyParameter]) -> list[str]:
    """Return what is wrong with a declaration of parameters."""
    faults = [fault for fault in (parameter.fault() for parameter in parameters) if fault]
    if len({parameter.name for parameter in parameters}) != len(parameters):
        faults.append("two parameters have one name")
    return faults


def _value_at(parameter: AnyParameter, setting: Setting | None, level: float) -> ParameterValue:
    if isinstance(parameter, Parameter):
        rest, peak = rest_and_peak(parameter, setting)
        return min(max(rest + (peak - rest) * level, parameter.low), parameter.high)
    text = text_value(parameter, setting)
    return bent_in_part(text, parameter.across, level) if isinstance(parameter, CurveParameter) else text
