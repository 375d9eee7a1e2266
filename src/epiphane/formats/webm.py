"""AV1 and VP9 in WebM."""

from epiphane.formats.declare import Coding, FilmOutput, Format, Quality, declare_format
from epiphane.media.codecs import SoundCodec, VideoCodec
from epiphane.media.pixel_layouts import YUV420, YUV420_10, YUVA420
from epiphane.wording import tr

_OPUS = SoundCodec("libopus", "flt", 192_000)


def _av1(coding: Coding) -> VideoCodec:
    # Quicker presets, of 10 and up, were seen to show another picture than the one that is due.
    layout = YUV420_10 if coding.bits > 8 else YUV420
    return VideoCodec("libsvtav1", layout, {"preset": "8", "crf": f"{coding.quality:g}"})


def _vp9(coding: Coding) -> VideoCodec:
    options = {"deadline": "realtime", "cpu-used": "6", "row-mt": "1", "b": "0", "crf": f"{coding.quality:g}"}
    if coding.has_alpha:
        options |= {"auto-alt-ref": "0", "deadline": "good", "cpu-used": "5"}
    return VideoCodec("libvpx-vp9", YUVA420 if coding.has_alpha else YUV420, options)


declare_format(
    Format(
        "av1-webm",
        tr("AV1 in WebM"),
        (".webm",),
        FilmOutput("webm", _av1, _OPUS),
        note=tr("The smallest film that browsers show."),
        plays=tr("browsers and players of the last five years"),
        quality=Quality("CRF", 0, 63, small=34, good=29, fine=24),
        bits=(8, 10),
    )
)
declare_format(
    Format(
        "vp9-webm",
        tr("VP9 in WebM"),
        (".webm",),
        FilmOutput("webm", _vp9, _OPUS),
        note=tr("For the web, and for titles over a page: it keeps transparency."),
        plays=tr("every browser; its transparency, browsers alone"),
        quality=Quality("CRF", 0, 63, small=36, good=30, fine=24),
        has_alpha=True,
    )
)
