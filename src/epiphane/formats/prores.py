"""ProRes in MOV: 422 HQ, and 4444 with alpha."""

from epiphane.formats.declare import Coding, FilmOutput, Format, declare_format
from epiphane.media.codecs import SoundCodec, VideoCodec
from epiphane.media.pixel_layouts import YUV422_10, YUVA444_10
from epiphane.wording import tr

_PCM = SoundCodec("pcm_s24le", "s32")
_PLAYS = tr("programs for editing, and most players")


def _hq(coding: Coding) -> VideoCodec:
    # Of the two encoders in FFmpeg this is the quick one; it knows its profiles by number.
    return VideoCodec("prores_aw", YUV422_10, {"profile": "3", "vendor": "apl0"})


def _with_alpha(coding: Coding) -> VideoCodec:
    options = {"profile": "4444", "alpha_bits": "16", "vendor": "apl0"}
    return VideoCodec("prores_ks", YUVA444_10, options, threads_by="SLICE")


declare_format(
    Format(
        "prores-422",
        tr("ProRes 422 HQ"),
        (".mov",),
        FilmOutput("mov", _hq, _PCM),
        note=tr("To go on working with: no loss that is seen, and large."),
        plays=_PLAYS,
        bits=(10,),
    )
)
declare_format(
    Format(
        "prores-4444",
        tr("ProRes 4444"),
        (".mov",),
        FilmOutput("mov", _with_alpha, _PCM),
        note=tr("Titles and overlays for another program: it keeps transparency."),
        plays=_PLAYS,
        bits=(10,),
        has_alpha=True,
    )
)
