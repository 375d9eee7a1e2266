"""Final beats and bars: from tracked beats to those that people would tap, by the learned rankers."""

import numpy as np
import scipy.ndimage as ndi
from msgspec import Struct
from msgspec.structs import replace

from epiphane.arrays import nearest_index
from epiphane.audio.attack import BINS_PER_SECOND
from epiphane.audio.beat_tracking import EARLY_SECONDS, Analysis, Followed, on_attacks
from epiphane.audio.comb import Comb
from epiphane.audio.confidence import describe_beats
from epiphane.audio.heard_strokes import Strokes
from epiphane.audio.jumping_clock import find_jumping_clock
from epiphane.audio.metre import Bars, accented_bars, find_metre
from epiphane.audio.network import Ranker, ReadingRankers
from epiphane.audio.onset import Onsets
from epiphane.audio.reading_features import AS_FOLLOWED, Reading, beats_of
from epiphane.audio.readings import Choice, choose_reading, metronome_reading
from epiphane.audio.spectrum import HOPS_PER_SECOND
from epiphane.audio.steady import settle_on_clock
from epiphane.audio.strokes import STROKE_HOPS_PER_SECOND
from epiphane.audio.subdivision import PARTS, Evidence, Grid, subdivide
from epiphane.document.song import Drums
from epiphane.types import Float32Array, FloatArray, IntArray

_FEWEST_BEATS = 12
# Of a change of where bars begin, in evidence.
_FREE_JUMP, _CLOCK_JUMP = 4.0, 12.0
_LAST_SECONDS = 0.02  # a beat in the last moment of a file is the beginning of what has been cut off
_NEAR_DRUM_SECONDS, _AGREEING_SECONDS, _FEWEST_DRUMS = 0.035, 0.004, 8
_SOFT_SECONDS, _SOFT_RISE, _SHARP_RISE, _SOFT_REACH_BINS = 0.010, 3.5, 7.0, 51


class HeardBeats(Struct, frozen=True, eq=False):
    """Beats and bars as heard.

    Attributes
    ----------
    beats : float64, shape (n_beats,), seconds, ascending
    bars : Bars of those beats
    choice : Choice or None
        The readings, or None where the song is too short to choose.
    clock : Comb or None
        The machine's clock that the beats are on, if the song was made to one; where it jumps, until then.
    """

    beats: FloatArray
    bars: Bars
    choice: Choice | None
    clock: Comb | None = None


def hear_beats(
    analysis: Analysis, followed: Followed, strokes: Strokes, *, readings: ReadingRankers, bars: Ranker
) -> HeardBeats:
    """Return beats and bars: which reading of the followed beats people would tap, and its bars.

    Parameters
    ----------
    analysis : Analysis
    followed : Followed, of the same song
    strokes : Strokes, of the same song
    readings, bars : Ranker
        Score the readings of the beats, and the candidates for metre and first downbeat.
    """
    evidence = evidence_of(analysis, strokes)
    beats, choice = followed.beats, None
    if len(beats) >= _FEWEST_BEATS:
        grid = subdivide(beats, evidence)
        choice = choose_reading(grid, readings)
        beats = read_beats(analysis, followed, grid, choice.reading)
    grid = subdivide(beats, evidence)
    found = find_metre(grid, bars, jump_cost=_FREE_JUMP if followed.grid is None else _CLOCK_JUMP)
    if choice is not None and metronome_reading(grid) == AS_FOLLOWED:
        found = accented_bars(loudness_at(analysis, grid.times[::PARTS])) or found
    times, places = where_sounding(analysis, followed, grid, found)
    unit = choice.reading.unit if choice is not None else PARTS
    clock = followed.grid and Comb(followed.grid.step * 2 * unit / PARTS, float(grid.times[0]), 1)
    return HeardBeats(times, replace(found, places=places), choice, clock)


def evidence_of(analysis: Analysis, strokes: Strokes) -> Evidence:
    """Return what a grid over a song is filled from."""
    return Evidence(
        analysis.onsets, strokes.hops, strokes.likelihoods, analysis.harmony.levels, analysis.duration
    )


def read_beats(analysis: Analysis, followed: Followed, grid: Grid, reading: Reading) -> FloatArray:
    """Return the beats of a reading of the followed ones; on attacks where a song keeps its own time.

    Returns
    -------
    float64, shape (n_beats,), seconds, ascending
    """
    if reading == AS_FOLLOWED:
        return followed.beats
    beats = beats_of(grid, reading)
    is_moved = followed.grid is None and not reading.is_on_followed
    return on_attacks(beats, analysis.attacks) if is_moved else beats


def where_sounding(
    analysis: Analysis, followed: Followed, grid: Grid, found: Bars
) -> tuple[FloatArray, IntArray]:
    """Return beats and their places in the bar where something sounds: a grid runs on to both ends.

    Returns
    -------
    float64, shape (n_beats,), seconds, ascending
    int64, shape (n_beats,), from 0, the downbeat
    """
    times = grid.times[::PARTS]
    end = min(followed.end + 0.01, analysis.duration - _LAST_SECONDS)
    inside = (times > followed.start - EARLY_SECONDS) & (times < end)
    return np.maximum(times[inside], 0.0), found.places[inside]


def on_clock(analysis: Analysis, heard: HeardBeats) -> HeardBeats:
    """Return the beats on the machine's clock that they turn out to be on, jumps and all, or as they are."""
    settled = heard if heard.clock is not None else _settled(analysis, heard)
    is_steady = settled.clock is not None
    clock = find_jumping_clock(
        analysis.mono, analysis.rate, attacks=analysis.attacks, beats=settled.beats, is_steady=is_steady
    )
    if clock is None:
        return settled
    return _on_beats(settled, clock.beats(), Comb(clock.step, float(clock.phases[0]), 1))


def _settled(analysis: Analysis, heard: HeardBeats) -> HeardBeats:
    comb = settle_on_clock(
        analysis.mono,
        analysis.rate,
        strength=analysis.onsets.strength,
        attacks=analysis.attacks,
        beats=heard.beats,
    )
    if comb is None:
        return heard
    return _on_beats(heard, comb.between(heard.beats[[0, -1]]), comb)


def _on_beats(heard: HeardBeats, beats: FloatArray, clock: Comb) -> HeardBeats:
    """Return what was heard on these beats instead: each is where in the bar the nearest one was."""
    bars = replace(heard.bars, places=heard.bars.places[nearest_index(heard.beats, beats)])
    return replace(heard, beats=np.maximum(beats, 0.0), bars=bars, clock=clock)


def on_drums(beats: FloatArray, drums: Drums, *, is_steady: bool) -> FloatArray:
    """Return beats on the kicks and snares beside them.

    Where chords are louder than drums, beats are found on the attacks of chords, which are slower. A
    constant grid moves as a whole, and only if all drums agree about it.

    Parameters
    ----------
    beats : float64, shape (n_beats,), seconds, ascending
    drums : Drums
    is_steady : bool
        Whether the beats lie on a machine's clock.

    Returns
    -------
    float64, shape (n_beats,), seconds, ascending
        No beat of a song that keeps its own time moves by 35 ms or more.
    """
    hits = np.sort([hit.time for hit in (*drums.kick, *drums.snare)])
    if len(hits) == 0 or len(beats) < 2:
        return beats
    nearest = nearest_index(hits, beats)
    off = hits[nearest] - beats
    near = np.abs(off) < _NEAR_DRUM_SECONDS
    if not is_steady:
        moved = np.where(near, hits[nearest], beats)
        return np.asarray(moved if (np.diff(moved) > 0.1).all() else beats)
    if near.sum() < _FEWEST_DRUMS:
        return beats
    shift = float(np.median(off[near]))
    spread = float(np.median(np.abs(off[near] - shift)))
    is_clear = spread < _AGREEING_SECONDS < abs(shift)
    return np.maximum(beats + shift, 0.0) if is_clear else beats


def before_soft_attacks(beats: FloatArray, drums: Drums, attacks: Float32Array) -> FloatArray:
    """Return beats as early as notes begin whose attacks are soft and are heard some milliseconds late.

    Only where hardly a drum tells when a beat is. In songs without drums beats were 8 to 10 ms late where the
    attack curve rises by 3.5 or less on them, 5 ms by 5, and not at all from 7 on.

    Parameters
    ----------
    beats : float64, shape (n_beats,), seconds, ascending
    drums : Drums
    attacks : float32, shape (n_milliseconds,), from `attack_curve`, natural log units of rise

    Returns
    -------
    float64, shape (n_beats,), seconds
        At most 10 ms earlier, all by the same time.
    """
    if len(drums.kick) + len(drums.snare) > _FEWEST_DRUMS or len(beats) == 0 or len(attacks) == 0:
        return beats
    rises = ndi.maximum_filter1d(attacks, _SOFT_REACH_BINS)
    bins = np.clip(np.round(beats * BINS_PER_SECOND).astype(np.int64), 0, len(rises) - 1)
    softness = np.clip((_SHARP_RISE - float(np.median(rises[bins]))) / (_SHARP_RISE - _SOFT_RISE), 0, 1)
    return np.asarray(np.maximum(beats - _SOFT_SECONDS * softness, 0.0))


def belief_in(heard: HeardBeats) -> float:
    """Return the share of the chosen reading among all, 0 to 1; a half where there was nothing to choose."""
    return 0.5 if heard.choice is None else dict(heard.choice.shares)[heard.choice.reading]


def describe_song_beats(analysis: Analysis, heard: HeardBeats) -> FloatArray:
    """Return the inputs from which the confidence of each beat is told.

    Returns
    -------
    float64, shape (n_beats, n_inputs), as `describe_beats` says
    """
    return describe_beats(
        heard.beats,
        analysis.onsets,
        analysis.tempo,
        analysis.attacks,
        is_steady=heard.clock is not None,
        belief=belief_in(heard),
        loudness=loudness_at(analysis, heard.beats),
    )


def loudness_at(analysis: Analysis, times: FloatArray) -> FloatArray:
    """Return the log10 power around each time against the song's loud moments.

    Parameters
    ----------
    analysis : Analysis
    times : float64, shape (n,), seconds

    Returns
    -------
    float64, shape (n,)
        0 at the loud moments, -1 for a tenth of their power; the greatest of any band within 50 ms.
    """
    hops = np.round(times * STROKE_HOPS_PER_SECOND).astype(np.int64)
    power = ndi.maximum_filter1d(analysis.drums.levels.max(axis=1), 21)
    return np.asarray(power[np.clip(hops, 0, len(power) - 1)], np.float64)


def strengths_at(times: FloatArray, onsets: Onsets) -> FloatArray:
    """Return how strong the onset at each time is against the strongest of them, 0 to 1.

    Parameters
    ----------
    times : float64, shape (n,), seconds
    onsets : Onsets

    Returns
    -------
    float64, shape (n,)
        1 at the 95th percentile of these times and above.
    """
    hops = np.clip(np.round(times * HOPS_PER_SECOND).astype(np.int64), 0, len(onsets.strength) - 1)
    near = ndi.maximum_filter1d(onsets.strength, 7)[hops]
    loud = float(np.percentile(near, 95)) if len(near) else 1.0
    return np.clip(near / max(loud, 1e-6), 0, 1)
