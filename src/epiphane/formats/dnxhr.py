"""DNxHR in MOV."""

from epiphane.formats.declare import Coding, FilmOutput, Format, declare_format
from epiphane.media.codecs import SoundCodec, VideoCodec
from epiphane.media.pixel_layouts import YUV422, YUV422_10
from epiphane.wording import tr


def _video(coding: Coding) -> VideoCodec:
    if coding.bits > 8:
        return VideoCodec("dnxhd", YUV422_10, {"profile": "dnxhr_hqx"}, threads_by="SLICE")
    return VideoCodec("dnxhd", YUV422, {"profile": "dnxhr_hq"}, threads_by="SLICE")


declare_format(
    Format(
        "dnxhr",
        tr("DNxHR HQ"),
        (".mov",),
        FilmOutput("mov", _video, SoundCodec("pcm_s24le", "s32")),
        note=tr("To go on working with, quick to make and to read."),
        plays=tr("programs for editing"),
        bits=(8, 10),
        least_size=(256, 120),
    )
)
