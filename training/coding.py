"""What files do to a song: low-passes, low rates, lossy codecs."""

from dataclasses import dataclass
from io import BytesIO

import av
import numpy as np
import scipy.signal
import soxr

from training.kit import RATE


@dataclass(frozen=True)
class Coding:
    """What a song goes through.

    Attributes
    ----------
    name : str
    cutoff : float, Hz
        Of a steep low-pass; 0 for none.
    rate : int
        Samples / second that it is brought down to; 0 for its own.
    codec, container : str
        As FFmpeg names them; empty for none.
    bit_rate : int, bits / second, of two channels
    """

    name: str
    cutoff: float = 0.0
    rate: int = 0
    codec: str = ""
    container: str = ""
    bit_rate: int = 0


CODINGS = (
    Coding("MP3 at 64 kb/s", codec="libmp3lame", container="mp3", bit_rate=64_000),
    Coding("AAC at 64 kb/s", codec="aac", container="adts", bit_rate=64_000),
    Coding("Opus at 48 kb/s", codec="libopus", container="ogg", bit_rate=48_000),
    Coding("low-passed at 11 kHz", cutoff=11_000),
    Coding("low-passed at 8 kHz", cutoff=8000),
    Coding("low-passed at 5.5 kHz", cutoff=5500),
    Coding("at 22,050 Hz", rate=22_050),
    Coding("at 16,000 Hz", rate=16_000),
)
"""What is checked; what is learned from is made up by `chance_coding`."""


def chance_coding(rng: np.random.Generator) -> Coding:
    """Return a coding made up by chance."""
    kind = rng.integers(4)
    if kind == 0:
        return Coding("low-passed", cutoff=float(np.exp(rng.uniform(np.log(3500), np.log(16_000)))))
    if kind == 1:
        return Coding("at a low rate", rate=int(rng.choice([11_025, 16_000, 22_050, 24_000, 32_000])))
    codec, container, rates = (
        ("libmp3lame", "mp3", (48, 64, 80, 96, 128)),
        ("aac", "adts", (32, 48, 64, 96)),
        ("libopus", "ogg", (24, 32, 48, 64)),
    )[int(rng.integers(3))]
    return Coding("coded", codec=codec, container=container, bit_rate=1000 * int(rng.choice(rates)))


def coded(sound: np.ndarray, coding: Coding) -> np.ndarray:
    """Return a sound (mono, float32, at `RATE`) as it is after a coding: as long, and nowhere later."""
    if coding.cutoff:
        taps = scipy.signal.firwin(255, coding.cutoff, fs=RATE)
        return np.asarray(scipy.signal.fftconvolve(sound, taps, "same"), np.float32)
    if coding.rate:
        low = soxr.resample(sound, RATE, coding.rate)
        return _as_long(soxr.resample(low, coding.rate, RATE), len(sound))
    back = _through(sound, coding)
    return _as_long(back[_delay(sound, back) :], len(sound)) if coding.codec else sound


def _through(sound: np.ndarray, coding: Coding) -> np.ndarray:
    """Return what comes back from a codec."""
    file = BytesIO()
    rate = 48_000 if coding.codec == "libopus" else RATE
    quiet = np.clip(soxr.resample(sound, RATE, rate), -1, 1).astype(np.float32)
    with av.open(file, "w", format=coding.container) as container:
        stream = container.add_stream(coding.codec, rate=rate, layout="stereo")
        assert isinstance(stream, av.AudioStream)
        stream.bit_rate = coding.bit_rate
        frame = av.AudioFrame.from_ndarray(np.tile(quiet, (2, 1)), format="fltp", layout="stereo")
        frame.sample_rate = rate
        resampler = av.AudioResampler(format=stream.format, layout="stereo", rate=rate)
        for part in (*resampler.resample(frame), *resampler.resample(None), None):
            container.mux(stream.encode(part))
    file.seek(0)
    with av.open(file, "r", format=None if coding.container != "adts" else "aac") as container:
        resampler = av.AudioResampler(format="fltp", layout="mono", rate=RATE)
        parts = [
            part.to_ndarray()[0] for frame in container.decode(audio=0) for part in resampler.resample(frame)
        ]
        parts += [part.to_ndarray()[0] for part in resampler.resample(None)]
    return np.concatenate(parts)


def _delay(sound: np.ndarray, later: np.ndarray) -> int:
    """Return how many samples later a sound has come back, by correlation: 0 or more."""
    n = min(len(sound), len(later), 20 * RATE)
    n_fft = 1 << (2 * n - 1).bit_length()
    cross = np.fft.irfft(np.fft.rfft(later[:n], n_fft) * np.conj(np.fft.rfft(sound[:n], n_fft)), n_fft)
    return int(np.argmax(cross[: RATE // 4]))


def _as_long(sound: np.ndarray, n_samples: int) -> np.ndarray:
    return np.pad(sound[:n_samples], (0, max(0, n_samples - len(sound)))).astype(np.float32)
