"""FFV1 in Matroska: nothing is lost."""

from epiphane.formats.declare import Coding, FilmOutput, Format, declare_format
from epiphane.media.codecs import SoundCodec, VideoCodec
from epiphane.media.pixel_layouts import BGR0, BGRA, GBRP_10
from epiphane.wording import tr


def _video(coding: Coding) -> VideoCodec:
    layout = GBRP_10 if coding.bits > 8 else BGRA if coding.has_alpha else BGR0
    return VideoCodec(
        "ffv1", layout, {"level": "3", "g": "1", "slices": "4", "slicecrc": "1"}, threads_by="SLICE"
    )


declare_format(
    Format(
        "ffv1",
        tr("FFV1 in Matroska"),
        (".mkv",),
        FilmOutput("matroska", _video, SoundCodec("flac", "s32")),
        note=tr("To keep: every level as it was drawn."),
        plays=tr("players that come with FFmpeg"),
        bits=(8, 10),
        has_alpha=True,
    )
)
