"""Grade: exposure, contrast, white balance, shadows, midtones, highlights and saturation in one."""

import colorsys
from collections.abc import Iterable

import numpy as np

from epiphane.declare.parameters import CurveParameter, Parameter, Values
from epiphane.declare.point_curves import CurveAcross, curve_points
from epiphane.effects.declare import EFFECTS, Family, effect
from epiphane.effects.operations import (
    NOTHING,
    ChannelCurves,
    Channels,
    ColourCurves,
    Gain,
    Grade,
    GradeStep,
    LumaCurve,
    Operation,
    Power,
    Saturation,
)
from epiphane.effects.pixels import GAMMA, LUMA, white_balance
from epiphane.errors import ParameterError
from epiphane.types import FloatArray
from epiphane.wording import tr

_LIFT, _GAIN, _STOPS = 0.25, 0.5, 1.0  # what the most of a range does
_NEUTRAL, _ROUNDING = 1e-9, 1e-6
_HUES = "0 is red, 120 green, 240 blue"
_PIVOT = "The level that contrast leaves as it is"
_KEYWORDS = (
    "grading correction primaries colour exposure contrast pivot white balance temperature tint shadows"
    " midtones highlights lift gamma gain saturation vibrance"
)


_CURVES = {
    "luma": "Of brightness, colours kept",
    "red": "Of the red channel",
    "green": "Of the green channel",
    "blue": "Of the blue channel",
}
_CURVE_NAMES = (
    *(f"{name}_curve" for name in _CURVES),
    "hue_curve",
    "saturation_curve",
    "luma_saturation_curve",
)
_RANGES = tuple(
    f"{name}{part}" for name in ("shadows", "midtones", "highlights") for part in ("", "_hue", "_colour")
)


def _range(name: str, label: str, text: str, *, hue: float = 0, amount: float = 0) -> tuple[Parameter, ...]:
    """Return the parameters of a range of levels: its level, and the colour that is added to it."""
    return (
        Parameter(name, label, "%", low=-100, high=100, rest=0, peak=0, help=text),
        Parameter(f"{name}_hue", f"{label}: hue", "°", low=0, high=360, rest=hue, peak=hue, help=_HUES),
        Parameter(f"{name}_colour", f"{label}: colour", "%", low=0, high=100, rest=0, peak=amount),
    )


def _of_range(values: Values, name: str) -> FloatArray:
    """Return what is added to blue, green and red of a range: its colour has no luma of its own."""
    level, hue, amount = (getattr(values, f"{name}{part}") for part in ("", "_hue", "_colour"))
    colour = np.array(colorsys.hsv_to_rgb(hue % 360 / 360, 1, 1))[::-1]
    return np.asarray((level + amount * (colour - LUMA @ colour)) / 100)


def controls_of_decision(
    slope: FloatArray, offset: FloatArray, power: FloatArray, saturation: float
) -> dict[str, float | str]:
    """Return the values of all controls of a grade that does ``(level * slope + offset) ^ power``, by name.

    Parameters
    ----------
    slope, offset, power : float64, shape (3,), of blue, green and red
    saturation : float
        1 leaves it; done last.

    Raises
    ------
    ParameterError
        If the controls do not reach so far.
    """
    effect = EFFECTS.named("grade")
    found = dict(effect.values_at((), 0.0))
    gains = slope + offset
    if not _reaches((gains - 1) / _GAIN):
        # Exposure multiplies first, and takes what the channels have in common.
        common = float(LUMA @ slope) / max(1 - float(LUMA @ offset), _NEUTRAL)
        found["exposure"] = GAMMA * float(np.log2(max(common, _NEUTRAL)))
        gains = slope / common + offset
    ranges = {
        "shadows": offset / _LIFT,
        "midtones": -np.log2(np.maximum(power, _NEUTRAL)) / _STOPS,
        "highlights": (gains - 1) / _GAIN,
    }
    for name, added in ranges.items():
        found |= _controls_of_range(name, added)
    found["saturation"] = 100 * saturation
    for parameter in effect.parameters:
        value = found[parameter.name]
        if isinstance(parameter, Parameter) and not (
            parameter.low - _ROUNDING <= float(value) <= parameter.high + _ROUNDING
        ):
            raise ParameterError(
                tr(
                    "the controls of a grade do not reach so far ({label}: {value:.0f}): put it on as a look",
                    label=tr(parameter.label),
                    value=float(value),
                )
            )
    return found


def _reaches(added: FloatArray) -> bool:
    level = float(LUMA @ added)
    return abs(level) <= 1 and float(np.ptp(added)) <= 1


def _controls_of_range(name: str, added: FloatArray) -> dict[str, float]:
    """Return the controls of a range by which so much is added to blue, green and red: `_of_range` undone."""
    hue, _, amount = colorsys.rgb_to_hsv(*(float(part) for part in (added - added.min())[::-1]))
    return {name: 100 * float(LUMA @ added), f"{name}_hue": 360 * hue, f"{name}_colour": 100 * amount}


def _channels(values: FloatArray) -> Channels:
    blue, green, red = (float(value) for value in values)
    return blue, green, red


def _is_neutral(step: GradeStep) -> bool:
    match step:
        case Gain(factors=factors, offsets=offsets):
            return _are_near(factors, 1) and _are_near(offsets, 0)
        case Power(exponents=exponents):
            return _are_near(exponents, 1)
        case Saturation(amount=amount):
            return _are_near((amount,), 1)
        case ColourCurves(vibrance=vibrance):
            return step == ColourCurves(vibrance=vibrance) and _are_near((vibrance,), 0)
    return step in (LumaCurve(()), ChannelCurves((), (), ()))


def _are_near(values: Iterable[float], neutral: float) -> bool:
    return all(abs(value - neutral) < _NEUTRAL for value in values)


@effect(
    key="grade",
    version=1,
    family=Family.COLOUR,
    label="Grade",
    group="Grade",
    keywords=_KEYWORDS,
    parameters=(
        Parameter("exposure", "Exposure", "stops", low=-4, high=4, rest=0, peak=0),
        Parameter("contrast", "Contrast", "%", low=0, high=300, rest=100, peak=115),
        Parameter("pivot", "Pivot", "%", low=0, high=100, rest=45, peak=45, help=_PIVOT),
        Parameter("warmth", "Warmth", "%", low=-100, high=100, rest=0, peak=0),
        Parameter("green", "Green", "%", low=-100, high=100, rest=0, peak=0),
        *_range("shadows", "Shadows", "White stays white", hue=220, amount=12),
        *_range("midtones", "Midtones", "Black and white stay as they are"),
        *_range("highlights", "Highlights", "Black stays black", hue=40, amount=10),
        Parameter("saturation", "Saturation", "%", low=0, high=300, rest=100, peak=100),
        Parameter("vibrance", "Vibrance", "%", low=-100, high=100, rest=0, peak=0, help="Of dull colours"),
        *(
            CurveParameter(f"{name}_curve", f"{name.capitalize()} curve", help=_CURVES[name])
            for name in ("luma", "red", "green", "blue")
        ),
        CurveParameter("hue_curve", "Hue by hue", CurveAcross.HUES, "Turns hues, up to 90° either way"),
        CurveParameter("saturation_curve", "Saturation by hue", CurveAcross.HUES, "None to twice as much"),
        CurveParameter(
            "luma_saturation_curve", "Saturation by luma", CurveAcross.LUMA, "None to twice as much"
        ),
    ),
    sections=(
        ("Light", ("exposure", "contrast", "pivot")),
        ("White balance", ("warmth", "green")),
        ("Shadows, midtones, highlights", _RANGES),
        ("Saturation", ("saturation", "vibrance")),
        ("Curves", _CURVE_NAMES),
    ),
    lasts=True,
)
def grade(values: Values) -> Operation | tuple[Operation, ...]:
    """Sets the light and colour of the picture as a whole, and of its shadows, midtones and highlights."""
    shadows = _LIFT * _of_range(values, "shadows")
    gains = 1 + _GAIN * _of_range(values, "highlights")
    contrast, pivot = values.contrast / 100, values.pivot / 100
    exposed = 2 ** (values.exposure / GAMMA) * white_balance(values.warmth / 100, values.green / 100)
    curves = {name: curve_points(getattr(values, name)) or () for name in _CURVE_NAMES}
    steps: tuple[GradeStep, ...] = (
        Gain(_channels(exposed)),
        Gain((contrast,) * 3, (pivot * (1 - contrast),) * 3),
        Gain(_channels(gains - shadows), _channels(shadows)),
        Power(_channels(2 ** (-_STOPS * _of_range(values, "midtones")))),
        LumaCurve(curves["luma_curve"]),
        ChannelCurves(curves["blue_curve"], curves["green_curve"], curves["red_curve"]),
        Saturation(values.saturation / 100),
        ColourCurves(
            curves["hue_curve"],
            curves["saturation_curve"],
            curves["luma_saturation_curve"],
            values.vibrance / 100,
        ),
    )
    steps = tuple(step for step in steps if not _is_neutral(step))
    return Grade(steps) if steps else NOTHING
