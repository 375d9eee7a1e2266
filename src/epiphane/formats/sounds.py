"""Sound alone: WAV, FLAC, AAC and Opus."""

from epiphane.formats.declare import Coding, Format, Quality, SoundOutput, declare_format
from epiphane.media.codecs import SoundCodec
from epiphane.wording import tr


def _wav(coding: Coding) -> SoundCodec:
    return {16: SoundCodec("pcm_s16le", "s16"), 24: SoundCodec("pcm_s24le", "s32")}.get(
        coding.bits, SoundCodec("pcm_f32le", "flt")
    )


def _flac(coding: Coding) -> SoundCodec:
    return SoundCodec("flac", "s16" if coding.bits == 16 else "s32")


def _aac(coding: Coding) -> SoundCodec:
    return SoundCodec("aac", "fltp", round(1000 * coding.quality))


def _opus(coding: Coding) -> SoundCodec:
    return SoundCodec("libopus", "flt", round(1000 * coding.quality))


_EVERYTHING = tr("everything")
declare_format(
    Format(
        "wav",
        tr("WAV"),
        (".wav",),
        SoundOutput("wav", _wav),
        note=tr("The mix as it is, for another program."),
        plays=_EVERYTHING,
        bits=(24, 16, 32),
    )
)
declare_format(
    Format(
        "flac",
        tr("FLAC"),
        (".flac",),
        SoundOutput("flac", _flac),
        note=tr("The mix as it is, in half of the bytes."),
        plays=tr("most players"),
        bits=(24, 16),
    )
)
declare_format(
    Format(
        "aac",
        tr("AAC"),
        (".m4a",),
        SoundOutput("ipod", _aac),
        note=tr("The mix, small."),
        plays=_EVERYTHING,
        quality=Quality(tr("kbit a second"), 64, 512, small=128, good=192, fine=256),
    )
)
declare_format(
    Format(
        "opus",
        tr("Opus"),
        (".opus", ".ogg"),
        SoundOutput("ogg", _opus),
        note=tr("The mix, smaller than AAC at the same quality."),
        plays=tr("browsers and most players"),
        quality=Quality(tr("kbit a second"), 32, 510, small=96, good=128, fine=192),
    )
)
