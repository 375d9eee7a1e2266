"""Builders of songs, clips and projects, and readers of what was exported."""

from collections.abc import Iterable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId
from epiphane.document.lane import Lane
from epiphane.document.project import Project
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit
from epiphane.document.song import Beat, Drums, Hit, Section, Song
from epiphane.document.timeline import footage_item
from epiphane.effects.operations import ChannelMix, Gain, GradeStep, Power, Saturation
from epiphane.effects.pixels import LUMA

SOUND_RATE = 48_000
CODECS = {".wav": "pcm_s16le", ".flac": "flac", ".mp3": "libmp3lame", ".m4a": "aac", ".ogg": "libopus"}


# Sound


def click_track(times: Iterable[float], *, duration: float, rate: int = SOUND_RATE) -> np.ndarray:
    """Return clicks of 30 ms at the given seconds, every fourth louder, float32, (n_samples,)."""
    sound = np.zeros(round(duration * rate), np.float32)
    t = np.arange(round(0.03 * rate)) / rate
    click = np.cos(2 * np.pi * 1000 * t) * np.exp(-t / 0.008)
    for number, time in enumerate(times):
        start = round(time * rate)
        part = click[: max(0, len(sound) - start)] * (0.8 if number % 4 == 0 else 0.5)
        sound[start : start + len(part)] += part.astype(np.float32)
    return sound


def write_sound(path: Path, sound: np.ndarray, rate: int = SOUND_RATE, *, codec: str = "") -> Path:
    """Write sound of shape (n,) or (n, n_channels); the suffix chooses the format."""
    sound = np.atleast_2d(sound.T)
    layout = {1: "mono", 2: "stereo", 6: "5.1"}[len(sound)]
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec or CODECS[path.suffix], rate=rate)
        stream.codec_context.layout = layout
        form = stream.codec_context.codec.audio_formats[0].name
        stream.codec_context.format = form
        frame = av.AudioFrame.from_ndarray(
            np.ascontiguousarray(sound, np.float32), format="fltp", layout=layout
        )
        frame.sample_rate, frame.pts, frame.time_base = rate, 0, Fraction(1, rate)
        resampler = av.AudioResampler(form, layout, rate, frame_size=stream.codec_context.frame_size or 1024)
        for block in [*resampler.resample(frame), *resampler.resample(None)]:
            container.mux(stream.encode(block))
        container.mux(stream.encode(None))
    return path


# Pictures

_CODE_BITS = 12


def numbered_picture(number: int, size: tuple[int, int] = (160, 90)) -> np.ndarray:
    """Return a picture, uint8 (height, width, 3), whose upper half tells its number in bars."""
    width, height = size
    picture = np.full((height, width, 3), 90, np.uint8)
    edges = np.linspace(0, width, _CODE_BITS + 1).round().astype(int)
    for bit in range(_CODE_BITS):
        picture[: height // 2, edges[bit] : edges[bit + 1]] = 220 if number >> bit & 1 else 30
    return picture


def number_of(luma: np.ndarray) -> int:
    """Return the number that a picture tells, from any plane or picture of it."""
    grey = luma if luma.ndim == 2 else luma.mean(axis=2)
    height, width = grey.shape
    edges = np.linspace(0, width, _CODE_BITS + 1)
    rows = grey[height // 6 : height // 3]
    value = 0
    for bit in range(_CODE_BITS):
        left, right = edges[bit], edges[bit + 1]
        middle = rows[:, round(left + 0.3 * (right - left)) : round(left + 0.7 * (right - left))]
        value |= int(middle.mean() > 125) << bit
    return value


def write_clip(
    path: Path,
    pictures: Sequence[np.ndarray],
    *,
    rate: Fraction = Fraction(30),
    codec: str = "libx264",
    pixels: str = "yuv420p",
    times: Sequence[Fraction] | None = None,
    options: dict[str, str] | None = None,
    sound: np.ndarray | None = None,
) -> Path:
    """Write a clip; `times` are the seconds of its pictures, else they come at `rate`."""
    height, width = pictures[0].shape[:2]
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate, options=options or {})
        stream.width, stream.height, stream.pix_fmt = width, height, pixels
        base = Fraction(1, 90_000) if times is not None else 1 / rate
        stream.codec_context.time_base = base
        voice = None
        if sound is not None:
            voice = container.add_stream("aac", rate=SOUND_RATE)
            voice.codec_context.layout = "mono"
        for number, picture in enumerate(pictures):
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="bgr24")
            frame.pts = number if times is None else round(times[number] / base)
            frame.time_base = base
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        if voice is not None and sound is not None:
            frame = av.AudioFrame.from_ndarray(sound[None].astype(np.float32), "fltp", "mono")
            frame.sample_rate, frame.pts = SOUND_RATE, 0
            for block in av.AudioResampler("fltp", "mono", SOUND_RATE, 1024).resample(frame):
                container.mux(voice.encode(block))
            container.mux(voice.encode(None))
    return path


def grey_clip(
    path: Path,
    *,
    n_pictures: int = 60,
    rate: Fraction = Fraction(30),
    size: tuple[int, int] = (160, 90),
    level: int = 100,
) -> Path:
    """Write a clip of one grey, a mid one unless another level is given."""
    return write_clip(path, [np.full((size[1], size[0], 3), level, np.uint8)] * n_pictures, rate=rate)


def read_lumas(path: Path) -> tuple[list[np.ndarray], np.ndarray]:
    """Return the luma planes of a film and the seconds at which they are shown."""
    lumas, times = [], []
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            lumas.append(frame.to_ndarray(format="gray"))
            times.append(frame.time)
    return lumas, np.array(times)


# Documents


def a_song(*, tempo: float = 120, n_beats: int = 32, start: float = 0.0, path: str = "/song.wav") -> Song:
    """Return a song in 4/4 with beats at a constant tempo: kick, snare, kick, snare, and a drop half-way."""
    beats = tuple(Beat(round(start + n * 60 / tempo, 6), n % 4 + 1, 1.0, 0.9) for n in range(n_beats))
    hits = tuple(Hit(beat.time, 0.8) for beat in beats)
    duration, middle = start + n_beats * 60 / tempo, start + n_beats // 2 * 60 / tempo
    return Song(
        path=path,
        fingerprint="f" * 32,
        duration=duration,
        tempo=tempo,
        is_steady=True,
        beats=beats,
        drums=Drums(kick=hits[::2], snare=hits[1::2], hat=hits),
        sections=(Section(start, middle, "A", "calm", 0.3), Section(middle, duration, "B", "full", 0.9)),
        drops=(middle,),
    )


def some_footage(number: int, *, path: str = "", duration: float = 8.0) -> Footage:
    """Return footage of 1280x720 at 30 frames a second."""
    return Footage(
        FootageId(number), path or f"/clip{number}.mp4", f"{number:032d}", duration, 1280, 720, Fraction(30)
    )


def some_still(number: int, *, path: str = "") -> Footage:
    """Return a photograph of 4000x3000 pixels."""
    return Footage(
        FootageId(number),
        path or f"/still{number}.jpg",
        f"{number:032d}",
        0.0,
        4000,
        3000,
        Fraction(1),
        kind=FootageKind.STILL,
        is_searched=True,
    )


def a_project(*, n_lanes: int = 2, n_shots: int = 3) -> Project:
    """Return a project with a song of 8 bars, two clips, shots of a bar, and lanes on every beat."""
    shots = tuple(footage_item(ItemId(10 + n), FootageId(1 + n % 2), 60 * n, 60) for n in range(n_shots))
    lanes = tuple(Lane(LaneId(20 + n), ("flash", "zoom")[n % 2], PulseId(5)) for n in range(n_lanes))
    pulses = (
        Pulse(PulseId(5), "beats", HeardSource(PulseUnit.BEAT)),
        Pulse(PulseId(6), "bars", HeardSource(PulseUnit.BAR)),
    )
    return Project(
        song=a_song(),
        footage=(some_footage(1), some_footage(2)),
        shots=shots,
        pulses=pulses,
        stack=lanes,
        next_id=100,
    )


# The window


class HandClock:
    """A sound device whose clock is turned by hand."""

    def __init__(self):
        self.heard = None
        self.reel = None

    def start(self, reel):
        self.reel = reel
        self.heard = 0.0

    def stop(self):
        self.heard = None

    def close(self):
        self.heard = None

    def heard_seconds(self):
        return self.heard


def graded_in_float(steps: Iterable[GradeStep], level: np.ndarray) -> np.ndarray:
    """Return levels of 0 to 1, BGR, after steps of a grade, in floats: what lies beyond is not clipped."""
    for step in steps:
        luma = (level @ LUMA)[..., None]
        match step:
            case Gain():
                level = level * step.factors + step.offsets
            case Power():
                level = np.maximum(level, 0) ** step.exponents
            case ChannelMix():
                level = level @ np.array([step.blue, step.green, step.red]).T
            case Saturation():
                level = luma + step.amount * (level - luma)
    return level
