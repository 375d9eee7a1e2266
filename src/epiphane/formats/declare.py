"""Declaring a format: what it writes, by which ending, with which quality, and what plays it.

From the declaration alone the export page, the command line, the docs and the contract test are derived.
"""

from collections.abc import Callable, Mapping
from enum import Enum
from fractions import Fraction
from pathlib import Path
from types import MappingProxyType
from typing import TypeAlias

from msgspec import Struct

from epiphane.declare.registry import Registry
from epiphane.errors import ParameterError
from epiphane.media.codecs import Animation, SoundCodec, VideoCodec
from epiphane.types import Pixels, Size
from epiphane.wording import tr


class QualityWord(Enum):
    """How much of a picture or a sound is kept, in one word."""

    SMALL = "small"
    GOOD = "good"
    FINE = "fine"


class Quality(Struct, frozen=True):
    """The number of an encoder that says how much is kept: its name, its limits, and the words for some."""

    name: str
    low: float
    high: float
    small: float
    good: float
    fine: float

    def number(self, wanted: "QualityWord | float") -> float:
        """Return the number of a word, or the number itself.

        Raises
        ------
        ParameterError
            If the number is beyond its limits.
        """
        if isinstance(wanted, QualityWord):
            return float(getattr(self, wanted.value))
        if not self.low <= wanted <= self.high:
            raise ParameterError(
                tr(
                    "{name} must be {low:g}..{high:g}, got {wanted:g}",
                    name=self.name,
                    low=self.low,
                    high=self.high,
                    wanted=wanted,
                )
            )
        return float(wanted)


class Coding(Struct, frozen=True):
    """How to code something: the number of the format's quality, bits a value, and whether with alpha."""

    quality: float = 0.0
    bits: int = 8
    has_alpha: bool = False


class FilmOutput(Struct, frozen=True):
    """A film: FFmpeg's name of the container, and the encoders of its pictures and its sound."""

    container: str
    video: Callable[[Coding], VideoCodec]
    sound: SoundCodec
    options: Mapping[str, str] = MappingProxyType({})
    has_poster: bool = False


class Depth(Enum):
    """What a file of one picture is made of: whole levels of 8 or 16 bits, or linear light in floats."""

    LEVELS_8 = 8
    LEVELS_16 = 16
    LIGHT = 32


class PictureOutput(Struct, frozen=True):
    """Files of one picture each: from BGR, or straight BGRA, of a depth to the bytes of a file.

    A sequence is a folder of as many as there are frames.
    """

    encoded: Callable[[Pixels, Coding], bytes]
    is_sequence: bool = True

    def depth(self, coding: Coding) -> Depth:
        """Return what the pictures are made of."""
        return Depth(coding.bits)


class AnimationOutput(Struct, frozen=True):
    """One file of moving pictures without sound, written at once from all of them."""

    write: Callable[[Path, Animation, Coding], None]


class SoundOutput(Struct, frozen=True):
    """Sound alone, `encoded` by an encoder in a container."""

    container: str
    sound: Callable[[Coding], SoundCodec]


Output: TypeAlias = FilmOutput | PictureOutput | AnimationOutput | SoundOutput


class Format(Struct, frozen=True):
    """A format that is exported to.

    `key` is what the command line and presets call it. The first of its `endings` is the usual one; a folder
    has none. `note` says when to take it, `plays` what shows it. `bits` are the depths that it has, the usual
    one first; pictures are of its `least_size` or more. Where a film has other than `rates`, the nearest
    lower one is written.
    """

    key: str
    label: str
    endings: tuple[str, ...]
    output: Output
    note: str
    plays: str
    quality: Quality | None = None
    bits: tuple[int, ...] = (8,)
    has_alpha: bool = False
    least_size: Size = (2, 2)
    rates: tuple[Fraction, ...] = ()

    @property
    def has_sound(self) -> bool:
        """Whether there is sound in it."""
        return isinstance(self.output, FilmOutput | SoundOutput)

    @property
    def shares_colours(self) -> bool:
        """Whether several pixels have one value of colour, so that sides have to be even."""
        if not isinstance(self.output, FilmOutput):
            return False
        layout = self.output.video(self.coding()).layout
        return layout.across > 1 or layout.down > 1

    def coding(
        self,
        quality: QualityWord | float = QualityWord.FINE,
        bits: int | None = None,
        *,
        has_alpha: bool = False,
    ) -> Coding:
        """Return how to code, checked against what the format can.

        Raises
        ------
        ParameterError
            If it has no such quality, depth or alpha.
        """
        if bits is not None and bits not in self.bits:
            depths = ", ".join(str(one) for one in self.bits)
            raise ParameterError(
                tr("{label} has {depths} bits, got {bits}", label=self.label, depths=depths, bits=bits)
            )
        if has_alpha and not self.has_alpha:
            able = ", ".join(one.key for one in FORMATS.all() if one.has_alpha)
            raise ParameterError(
                tr("{label} keeps no transparency; these do: {able}", label=self.label, able=able)
            )
        if self.quality is None and not isinstance(quality, QualityWord):
            raise ParameterError(tr("{label} has no quality to choose", label=self.label))
        number = 0.0 if self.quality is None else self.quality.number(quality)
        return Coding(number, bits or self.bits[0], has_alpha)


_FIRST = ("h264-mp4", "h264-mov", "h265-mp4", "h265-mov", "av1-webm", "vp9-webm", "webp", "png")
_RANK: dict[str, int] = {key: place for place, key in enumerate(_FIRST)}
_ORDER = (FilmOutput, AnimationOutput, PictureOutput, SoundOutput)

FORMATS: Registry[Format] = Registry(
    "format",
    "epiphane.formats",
    order=lambda one: (_ORDER.index(type(one.output)), _RANK.get(one.key, len(_RANK)), one.label.casefold()),
)
"""Every format there is."""

_RANK = {
    key: place for place, key in enumerate(("h264-mp4", "h265-mp4", "av1-webm", "vp9-webm", "png-sequence"))
}
USUAL = "h264-mp4"


def declare_format(made: Format) -> Format:
    """Add a format to those there are."""
    FORMATS.register(made)
    return made


def format_for(path: Path, key: str = "", *, has_alpha: bool = False) -> Format:
    """Return the format of a key, or else the first that has the ending of a file, and alpha if need be.

    Raises
    ------
    ParameterError
        If there is none.
    """
    if key:
        return FORMATS.named(key)
    ending = path.suffix.lower()
    able = sorted(
        (one for one in FORMATS.all() if ending in one.endings), key=lambda one: has_alpha > one.has_alpha
    )
    if not able:
        known = ", ".join(dict.fromkeys(end for one in FORMATS.all() for end in one.endings))
        raise ParameterError(
            tr("no format has the ending {ending!r}; these are known: {known}", ending=ending, known=known)
        )
    return able[0]
