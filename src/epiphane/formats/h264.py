"""H.264 in MP4 and in MOV."""

from epiphane.formats.declare import Coding, FilmOutput, Format, Quality, declare_format
from epiphane.media.codecs import AAC, VideoCodec, h264
from epiphane.media.pixel_layouts import YUV420, YUV420_10
from epiphane.media.writer import FAST_START
from epiphane.wording import tr

_QUALITY = Quality("CRF", 0, 40, small=27, good=22, fine=18)
_PLAYS = tr("everything; 10 bits by newer players alone")


def _video(coding: Coding) -> VideoCodec:
    return h264(coding.quality, layout=YUV420_10 if coding.bits > 8 else YUV420)


declare_format(
    Format(
        "h264-mp4",
        tr("H.264 in MP4"),
        (".mp4", ".m4v"),
        FilmOutput("mp4", _video, AAC, FAST_START, has_poster=True),
        note=tr("To show anywhere: the usual choice."),
        plays=_PLAYS,
        quality=_QUALITY,
        bits=(8, 10),
    )
)
declare_format(
    Format(
        "h264-mov",
        tr("H.264 in MOV"),
        (".mov",),
        FilmOutput("mov", _video, AAC, FAST_START, has_poster=True),
        note=tr("For programs that ask for .mov and want it small."),
        plays=_PLAYS,
        quality=_QUALITY,
        bits=(8, 10),
    )
)
