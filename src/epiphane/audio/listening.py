"""Listen to a song: beats, bars, tempo, and what is drawn of it."""

import numpy as np
import scipy.ndimage as ndi

from epiphane.audio.attack import attack_curve, nearest_attacks
from epiphane.audio.bars import find_bars, gather_evidence
from epiphane.audio.beats import follow_beats
from epiphane.audio.heard import Listening
from epiphane.audio.onset import Onsets, onset_strength
from epiphane.audio.samples import Samples
from epiphane.audio.spectrum import HOPS_PER_SECOND, harmony_bands, rhythm_bands
from epiphane.audio.steady import SteadyGrid, fit_steady_grid
from epiphane.audio.tempo import measure_tempo
from epiphane.audio.waveform import waveform_columns
from epiphane.document.model import Beat
from epiphane.types import Float32Array, FloatArray, IntArray, Progress, ignore_progress

_SHORTEST_SECONDS = 1.5
# The first sound may be soft for this long before it is 60 dB under the peak.
_EARLY_SECONDS = 0.06
_SILENCE = 10 ** (-60 / 20)
# Below this mean likeness at the beat, what repeats is chance (white noise stays under half of it).
_LEAST_FIT = 0.12


def listen(samples: Samples, *, name: str = "the song", progress: Progress = ignore_progress) -> Listening:
    """Listen to a song.

    Silence, noise and sounds without a beat are no error: they have no beats, and `remark` says so.
    `name` is what remarks call the song.
    """
    mono = samples.mono()
    waveform = waveform_columns(mono, samples.rate)
    progress(0.1)
    reason = _why_no_beat(mono, samples)
    if reason:
        return _without_beat(samples, waveform, f"{name} {reason}")
    rhythm = rhythm_bands(mono, samples.rate)
    progress(0.4)
    onsets = onset_strength(rhythm)
    tempo = measure_tempo(onsets)
    if not onsets.has_contrast or tempo.fit.mean(axis=0).max() < _LEAST_FIT:
        return _without_beat(samples, waveform, f"{name} has no beat that can be heard.")
    rough = follow_beats(onsets, tempo)
    progress(0.6)
    attacks = attack_curve(mono, samples.rate)
    grid = fit_steady_grid(
        mono,
        samples.rate,
        strength=onsets.strength,
        attacks=attacks,
        beats=rough,
        tempo=tempo.tempo,
    )
    progress(0.75)
    start, end = _sounding(mono, samples.rate)
    half_beats = _free_half_beats(rough, attacks) if grid is None else grid.half_beats_until(samples.duration)
    half_beats = half_beats[(half_beats > start - _EARLY_SECONDS) & (half_beats < end + 0.01)]
    if len(half_beats) < 4:
        return _without_beat(samples, waveform, f"{name} has too few beats to follow.")
    harmony = harmony_bands(mono, samples.rate)
    # A constant grid does not slip, so a change of phase needs much more evidence.
    evidence = gather_evidence(half_beats, rhythm, harmony)
    places = find_bars(evidence, jump_cost=12.0 if grid is None else 30.0)
    beats = _beats(half_beats, places, onsets)
    progress(1.0)
    if not beats:
        return _without_beat(samples, waveform, f"{name} has too few beats to follow.")
    return Listening(
        duration=samples.duration,
        tempo=_tempo(grid, beats),
        is_steady=grid is not None,
        beats=beats,
        waveform=waveform,
        remark=samples.remark,
    )


def _why_no_beat(mono: Float32Array, samples: Samples) -> str:
    if samples.duration < _SHORTEST_SECONDS:
        return f"is {samples.duration:.1f} s long: too short to have a beat."
    if not len(mono) or float(np.abs(mono).max()) < _SILENCE:
        return "is silent: there is no beat in it. Choose another song, or check the recording."
    return ""


def _without_beat(samples: Samples, waveform: Float32Array, remark: str) -> Listening:
    remark = f"{samples.remark} {remark}".strip()
    return Listening(samples.duration, 0.0, False, (), waveform, remark)


def _free_half_beats(rough: FloatArray, attacks: Float32Array) -> FloatArray:
    """Put beats on their attacks, and half-beats between them."""
    near = nearest_attacks(attacks, rough, reach=0.025, tendency=0.012)
    beats = np.where(np.isfinite(near), near, rough)
    beats = np.maximum(beats, 0.0)
    beats = beats[np.concatenate([[True], np.diff(beats) > 0.15])]
    half_beats = np.empty(max(0, 2 * len(beats) - 1))
    half_beats[::2] = beats
    half_beats[1::2] = (beats[:-1] + beats[1:]) / 2
    return half_beats


def _beats(half_beats: FloatArray, places: IntArray, onsets: Onsets) -> tuple[Beat, ...]:
    """Return the half-beats that are beats, with their strength."""
    strengths = _strengths(half_beats, onsets)
    beats: list[Beat] = []
    shortest = 1.2 * float(np.median(np.diff(half_beats)))
    for time, place, strength in zip(half_beats, places, strengths, strict=True):
        if place % 2:
            continue
        if beats and time - beats[-1].time < shortest:  # two beats beside a jump of the bar
            continue
        beats.append(Beat(round(float(time), 6), int(place) // 2 + 1, round(float(strength), 3)))
    return tuple(beats)


def _strengths(times: FloatArray, onsets: Onsets) -> FloatArray:
    hops = np.clip(np.round(times * HOPS_PER_SECOND).astype(np.int64), 0, len(onsets.strength) - 1)
    near = ndi.maximum_filter1d(onsets.strength, 7)[hops]
    return np.clip(near / max(float(np.percentile(near, 95)), 1e-6), 0, 1)


def _sounding(mono: Float32Array, rate: int) -> tuple[float, float]:
    """Return the first and last instant at which the song is within 60 dB of its peak."""
    loud = np.flatnonzero(np.abs(mono) > _SILENCE * float(np.abs(mono).max()))
    return float(loud[0] / rate), float(loud[-1] / rate)


def _tempo(grid: SteadyGrid | None, beats: tuple[Beat, ...]) -> float:
    if grid is not None:
        return round(grid.tempo, 3)
    if len(beats) < 2:
        return 0.0
    return round(60 / float(np.median(np.diff([beat.time for beat in beats]))), 2)
