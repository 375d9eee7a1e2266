"""What an encoder of films, moving pictures or sound is given, as plain data."""

from collections.abc import Iterable, Mapping
from fractions import Fraction
from types import MappingProxyType

from msgspec import Struct

from epiphane.media.pixel_layouts import YUV420, PixelLayout
from epiphane.types import Pixels

_NOTHING: Mapping[str, str] = MappingProxyType({})


class VideoCodec(Struct, frozen=True):
    """An encoder by FFmpeg's name, what it is given, and how its packets are ordered.

    `delay` is by how many pictures packets are decoded before they are shown. The number of threads is fixed,
    for with some encoders it changes the bytes. `tag` is the four letters that a container calls it by.
    """

    encoder: str
    layout: PixelLayout = YUV420
    options: Mapping[str, str] = _NOTHING
    delay: int = 0
    tag: str = ""
    n_threads: int = 2
    threads_by: str = "FRAME"


class SoundCodec(Struct, frozen=True):
    """An encoder of sound by FFmpeg's name; `form` is that of its samples, `bit_rate` in bits a second."""

    encoder: str
    form: str = "fltp"
    bit_rate: int = 0
    options: Mapping[str, str] = _NOTHING


class Animation(Struct, frozen=True):
    """Pictures that go round for ever: so many, frames a second.

    Each is uint8, shape (height, width, 3) or (height, width, 4), BGR or straight BGRA.
    """

    pictures: Iterable[Pixels]
    count: int
    rate: Fraction


# "superfast" alone looks at no later picture and needs three times the bytes. With ten of them it makes files
# like those of "veryfast", on the demo and with film grain, in some two thirds of its time.
# The SIMD code of mbtree differs from run to run in its last bits; independent of the processor, it does not.
_LOOKING_AHEAD = "mbtree=1:rc-lookahead=10:cpu-independent=1"


def h264(crf: float = 18, *, layout: PixelLayout = YUV420, preset: str = "superfast") -> VideoCodec:
    """Return x264: `preset` is how hard it tries, `crf` for what quality, lower is better."""
    options = {"preset": preset, "crf": f"{crf:g}", "x264-params": _LOOKING_AHEAD}
    return VideoCodec("libx264", layout, options, delay=2)


AAC = SoundCodec("aac", "fltp", 256_000)
