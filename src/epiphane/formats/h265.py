"""H.265 in MP4 and in MOV."""

from epiphane.formats.declare import Coding, FilmOutput, Format, Quality, declare_format
from epiphane.media.codecs import AAC, VideoCodec
from epiphane.media.pixel_layouts import YUV420, YUV420_10
from epiphane.media.writer import FAST_START
from epiphane.wording import tr

_QUALITY = Quality("CRF", 0, 40, small=28, good=24, fine=20)
# With pools of threads it stalls where other work wants the cores.
_STEADY = "pools=none:frame-threads=1:wpp=0:log-level=error"


def _video(coding: Coding) -> VideoCodec:
    layout = YUV420_10 if coding.bits > 8 else YUV420
    options = {"preset": "superfast", "crf": f"{coding.quality:g}", "x265-params": _STEADY}
    return VideoCodec("libx265", layout, options, delay=2, tag="hvc1", n_threads=1)


for _key, _label, _ending in (
    ("h265-mp4", tr("H.265 in MP4"), ".mp4"),
    ("h265-mov", tr("H.265 in MOV"), ".mov"),
):
    declare_format(
        Format(
            _key,
            _label,
            (_ending,),
            FilmOutput(_ending[1:], _video, AAC, FAST_START, has_poster=True),
            note=tr("Half of the bytes of H.264, and slow to make."),
            plays=tr("devices and computers of the last ten years, not every browser"),
            quality=_QUALITY,
            bits=(8, 10),
        )
    )
