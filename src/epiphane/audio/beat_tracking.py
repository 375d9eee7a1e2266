"""Beat tracking without learned parts: spectra, onsets, tempo and followed beats of a song."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from msgspec import Struct

from epiphane.audio.attack import attack_curve, nearest_attacks
from epiphane.audio.bars import find_bars, gather_evidence
from epiphane.audio.beats import follow_beats
from epiphane.audio.comb import Comb
from epiphane.audio.mapped_array import in_blocks
from epiphane.audio.onset import Onsets, onset_strength
from epiphane.audio.spectrum import Bands, harmony_bands, rhythm_bands
from epiphane.audio.steady import clock_of_attacks, fit_steady_grid
from epiphane.audio.strokes import DrumSpectrum, drum_spectrum
from epiphane.audio.tempo import TempoCurve, measure_tempo
from epiphane.types import Float32Array, FloatArray, Progress, ignore_progress

# The first sound may be soft for this long before it is 60 dB under the peak.
EARLY_SECONDS = 0.06
SILENCE = 10 ** (-60 / 20)
# Below this, what repeats is chance: times the root of the duration, noise and random strokes stay under it.
_LEAST_CLARITY, _ALWAYS_CLEAR, _NEVER_CLEAR = 0.48, 0.14, 0.08
_FEWEST_HALF_BEATS, _FEWEST_BEATS = 4, 8
# Of a jump of the bar, and what it costs more if other half-beats are beats after it.
_FREE_COSTS, _CLOCK_COSTS = (12.0, 0.0), (30.0, 1000.0)


class Analysis(Struct, frozen=True, eq=False):
    """What is computed of every song, whether it has a beat or not."""

    duration: float
    rate: int
    mono: Float32Array
    rhythm: Bands
    harmony: Bands
    drums: DrumSpectrum
    onsets: Onsets
    tempo: TempoCurve
    attacks: Float32Array

    @property
    def has_beat(self) -> bool:
        """Whether anything repeats that stands out."""
        least = np.clip(_LEAST_CLARITY / np.sqrt(self.duration), _NEVER_CLEAR, _ALWAYS_CLEAR)
        return self.onsets.has_contrast and self.tempo.clarity() >= float(least)


class Followed(Struct, frozen=True, eq=False):
    """Beats as the chain follows them.

    Attributes
    ----------
    beats : float64, shape (n_beats,), seconds, ascending
    grid : Comb or None
        A comb of half-beats: the machine's clock, if the song was made to one.
    start, end : float, seconds
        Between them something sounds.
    """

    beats: FloatArray
    grid: Comb | None
    start: float
    end: float


def analyse(mono: Float32Array, rate: int, *, progress: Progress = ignore_progress) -> Analysis:
    """Return spectra, onsets, tempo and attacks of a song; drums are seen to by a second thread.

    Parameters
    ----------
    mono : float32, shape (n_samples,), around zero
    rate : int, samples / second
    progress : callable
        Told the share that is done, 0 to 1.
    """
    with ThreadPoolExecutor(1) as second:
        drums = second.submit(drum_spectrum, mono, rate)
        rhythm = rhythm_bands(mono, rate)
        progress(0.3)
        harmony = harmony_bands(mono, rate)
        progress(0.5)
        onsets = onset_strength(rhythm)
        tempo = measure_tempo(onsets)
        attacks = attack_curve(mono, rate)
        progress(0.8)
        return Analysis(
            duration=len(mono) / rate,
            rate=rate,
            mono=mono,
            rhythm=rhythm,
            harmony=harmony,
            drums=drums.result(),
            onsets=onsets,
            tempo=tempo,
            attacks=attacks,
        )


def follow(analysis: Analysis) -> Followed | None:
    """Return the followed beats, or None where too few can be followed."""
    attacks = analysis.attacks
    rough = follow_beats(analysis.onsets, analysis.tempo)
    grid = fit_steady_grid(
        analysis.mono,
        analysis.rate,
        strength=analysis.onsets.strength,
        attacks=attacks,
        beats=rough,
        tempo=analysis.tempo.tempo,
    )
    start, end = _sounding(analysis.mono, analysis.rate)
    found = _beats_among_halves(analysis, rough, grid, start, end)
    if found is None or grid is not None or len(found) < _FEWEST_BEATS:
        return None if found is None else Followed(found, grid, start, end)
    # Beats that slipped hide the clock: the attacks as a whole may still show it.
    grid = clock_of_attacks(
        analysis.mono, analysis.rate, strength=analysis.onsets.strength, attacks=attacks, beats=found
    )
    on_clock = _beats_among_halves(analysis, rough, grid, start, end) if grid is not None else None
    return Followed(found, None, start, end) if on_clock is None else Followed(on_clock, grid, start, end)


def _beats_among_halves(
    analysis: Analysis, rough: FloatArray, grid: Comb | None, start: float, end: float
) -> FloatArray | None:
    """Return those half-beats, of a grid or of followed beats, that are beats; None where there are few."""
    half_beats = _free_half_beats(rough, analysis.attacks) if grid is None else grid.until(analysis.duration)
    half_beats = half_beats[(half_beats > start - EARLY_SECONDS) & (half_beats < end + 0.01)]
    if len(half_beats) < _FEWEST_HALF_BEATS:
        return None
    evidence = gather_evidence(
        half_beats, analysis.rhythm, analysis.harmony, bandwidth=analysis.drums.bandwidth
    )
    # A machine's grid does not slip: bars may begin anew, but the same half-beats are beats throughout.
    costs = _FREE_COSTS if grid is None else _CLOCK_COSTS
    places = find_bars(evidence, jump_cost=costs[0], shift_cost=costs[1])
    beats = half_beats[places % 2 == 0]
    # Two beats beside a jump of the bar are one.
    shortest = 1.2 * float(np.median(np.diff(half_beats)))
    kept: list[float] = []
    for beat in beats:
        if not kept or beat - kept[-1] >= shortest:
            kept.append(float(beat))
    return np.array(kept) if len(kept) > 1 else None


def on_attacks(beats: FloatArray, attacks: Float32Array) -> FloatArray:
    """Return beats moved to the attacks beside them, where there are any.

    Parameters
    ----------
    beats : float64, shape (n_beats,), seconds, ascending
    attacks : float32, shape (n_milliseconds,), from `attack_curve`

    Returns
    -------
    float64, shape (at most n_beats,), seconds
        Ascending, 150 ms apart or more: of two beats on one attack the first stays. None moves by over 25 ms.
    """
    near = nearest_attacks(attacks, beats, reach=0.025, tendency=0.012)
    moved = np.maximum(np.where(np.isfinite(near), near, beats), 0.0)
    return np.asarray(moved[np.concatenate([[True], np.diff(moved) > 0.15])])


def _free_half_beats(rough: FloatArray, attacks: Float32Array) -> FloatArray:
    """Put beats on their attacks, and half-beats between them."""
    beats = on_attacks(rough, attacks)
    half_beats = np.empty(max(0, 2 * len(beats) - 1))
    half_beats[::2] = beats
    half_beats[1::2] = (beats[:-1] + beats[1:]) / 2
    return half_beats


def _sounding(mono: Float32Array, rate: int) -> tuple[float, float]:
    """Return the first and last instant at which the song is within 60 dB of its peak."""
    least = SILENCE * max(max(float(block.max()), -float(block.min())) for block in in_blocks(mono))
    first = last = at = 0
    is_found = False
    for block in in_blocks(mono):
        loud = np.flatnonzero((block > least) | (block < -least))
        if len(loud):
            first, is_found = first if is_found else at + int(loud[0]), True
            last = at + int(loud[-1])
        at += len(block)
    return first / rate, last / rate
