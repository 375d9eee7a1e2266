"""Look: the colours of a whole film, in a dozen ways or as a file says, at any strength."""

from collections.abc import Mapping

from epiphane.declare.parameters import ChoiceParameter, FileParameter, Parameter, Values
from epiphane.document.named_file import named_file
from epiphane.effects.declare import Family, effect
from epiphane.effects.operations import (
    NOTHING,
    ChannelMix,
    Channels,
    Encoding,
    FileLook,
    Gain,
    Grade,
    GradeStep,
    Operation,
    Power,
    Saturation,
)
from epiphane.media.look_files import LOOK_SUFFIXES

_KEYWORDS = (
    "grade grading colour mood film stock sepia faded vintage table cube lut 3dl clf cdl decision list"
)
_ENCODINGS = tuple(one.value for one in Encoding)
_FILE = f"In place of the looks: {' '.join(f'*{one}' for one in LOOK_SUFFIXES)}"
_EXPECTS = "What the file was made for: most were made for the picture as it is"
_GIVES = "What comes out of the file"
_BLUE, _GREEN, _RED = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)


def _gain(red: float, green: float, blue: float, *, lift: Channels = (0.0, 0.0, 0.0)) -> Gain:
    """Return factors by red, green and blue, and what lifts black, by red, green and blue: white stays."""
    lift_red, lift_green, lift_blue = lift
    return Gain((blue - lift_blue, green - lift_green, red - lift_red), (lift_blue, lift_green, lift_red))


def _contrast(amount: float, pivot: float = 0.45) -> Gain:
    return Gain((amount,) * 3, (pivot * (1 - amount),) * 3)


LOOKS: Mapping[str, tuple[GradeStep, ...]] = {
    "night": (Saturation(0.65), _gain(0.55, 0.68, 0.9), Power((1.0, 1.1, 1.2))),
    "dust": (Saturation(0.7), _gain(1.05, 0.97, 0.82, lift=(0.07, 0.05, 0.02)), Power((0.95, 0.92, 0.9))),
    "cold steel": (_contrast(1.2), Saturation(0.5), _gain(0.93, 1.0, 1.08)),
    "faded print": (Saturation(0.75), _gain(0.98, 0.95, 0.86, lift=(0.12, 0.09, 0.1))),
    "two strips": (ChannelMix((0.5, 0.5, 0.0), (0.5, 0.45, 0.05), (0.0, 0.1, 0.9)), Saturation(1.25)),
    "bleach": (Saturation(0.35), _contrast(1.4, 0.5)),
    "dawn": (_gain(1.07, 0.97, 0.95, lift=(0.05, 0.01, 0.07)), Saturation(1.05)),
    "neon": (_contrast(1.25), Saturation(1.5), _gain(1.04, 0.95, 1.08)),
    "archive": (Saturation(0.12), _gain(1.05, 0.95, 0.78, lift=(0.06, 0.045, 0.03))),
    "winter": (Saturation(0.6), _gain(1.0, 1.06, 1.14), Power((0.88, 0.92, 0.95))),
    "ember": (_gain(1.15, 0.92, 0.7), Power((1.15, 1.08, 0.95)), Saturation(1.1)),
    "mono": (Saturation(0.0), _contrast(1.15)),
}
"""Steps of each look at full strength."""


def _at_strength(step: GradeStep, share: float) -> GradeStep:
    """Return a step done in part: every number lies between what changes nothing and its own."""

    def between(neutral: Channels, own: Channels) -> Channels:
        pairs = zip(neutral, own, strict=True)
        blue, green, red = ((1 - share) * rest + share * peak for rest, peak in pairs)
        return blue, green, red

    match step:
        case Gain(factors=factors, offsets=offsets):
            return Gain(between((1.0, 1.0, 1.0), factors), between((0.0, 0.0, 0.0), offsets))
        case Power(exponents=exponents):
            return Power(between((1.0, 1.0, 1.0), exponents))
        case ChannelMix(blue=blue, green=green, red=red):
            return ChannelMix(between(_BLUE, blue), between(_GREEN, green), between(_RED, red))
        case Saturation(amount=amount):
            return Saturation(1 - share + share * amount)
        case _:
            raise ValueError(f"a look is not made of {step}")


@effect(
    key="look",
    version=1,
    family=Family.COLOUR,
    label="Look",
    group="Grade",
    keywords=_KEYWORDS,
    parameters=(
        ChoiceParameter("look", "Look", tuple(LOOKS), "ember"),
        Parameter("strength", "Strength", "%", low=0, high=100, rest=0, peak=75),
        FileParameter("file", "From a file", LOOK_SUFFIXES, help=_FILE),
        ChoiceParameter("expects", "It expects", _ENCODINGS, _ENCODINGS[0], help=_EXPECTS),
        ChoiceParameter("gives", "It gives", _ENCODINGS, _ENCODINGS[0], help=_GIVES),
    ),
    sections=(("From a file", ("file", "expects", "gives")),),
    lasts=True,
)
def look(values: Values) -> Operation | tuple[Operation, ...]:
    """Gives the picture the colours of a night, of dust, of an old print, or those that a file holds."""
    if values.strength == 0:
        return NOTHING
    share = values.strength / 100
    file = named_file(values.file)
    if file is not None:
        return Grade((FileLook(file, share, Encoding(values.expects), Encoding(values.gives)),))
    return Grade(tuple(_at_strength(step, share) for step in LOOKS[values.look]))
