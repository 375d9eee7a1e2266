"""Listen to a song: beats, bars, tempo, drums, sections, and what is drawn of it."""

import numpy as np
import scipy.ndimage as ndi
from msgspec import Struct
from msgspec.structs import replace

from epiphane.audio.bands import song_levels
from epiphane.audio.comb import Comb
from epiphane.audio.drums import Strokes, drum_hits, hear_drums, hear_strokes
from epiphane.audio.following import EARLY_SECONDS, SILENCE, Analysis, Followed, analyse, follow, on_attacks
from epiphane.audio.heard import AlternativeTempo, Listening
from epiphane.audio.metre import Bars, accented_bars, find_metre
from epiphane.audio.network import Ranker, Weights, learned_weights, sigmoid
from epiphane.audio.onset import Onsets
from epiphane.audio.readings import AS_FOLLOWED, Choice, beats_of, choose_reading, is_bare
from epiphane.audio.rows import Rows, in_blocks
from epiphane.audio.samples import Samples, resampled_blocks
from epiphane.audio.sections import find_form
from epiphane.audio.spectrum import HOPS_PER_SECOND
from epiphane.audio.steady import settle_on_clock
from epiphane.audio.strokes import STROKE_HOPS_PER_SECOND
from epiphane.audio.subdivision import PARTS, Evidence, subdivide
from epiphane.audio.sureness import describe_beats
from epiphane.audio.waveform import waveform_columns
from epiphane.document.model import Beat, Drums
from epiphane.types import Float32Array, FloatArray, Progress, ignore_progress

_SHORTEST_SECONDS = 1.5
# Everything was measured and trained at these rates; others are resampled.
_USUAL_RATES, _RATE = (32_000, 48_000), 44_100
_FEWEST_BEATS = 12
# Where less repeats than this, every beat is the more doubtful for it.
_SURE_CLARITY = 0.25
_MOST_OFFSET = 1e-3
_LAST_SECONDS = 0.02  # a beat in the last moment of a file is the beginning of what has been cut off
_NEAR_DRUM_SECONDS, _AGREEING_SECONDS, _FEWEST_DRUMS = 0.035, 0.004, 8
_NO_DRUMS = Drums()


class HeardBeats(Struct, frozen=True, eq=False):
    """Beats and bars as heard.

    Attributes
    ----------
    beats : float64, shape (n_beats,), seconds, ascending
    bars : Bars of those beats
    choice : Choice or None
        The readings, or None where the song is too short to choose.
    clock : Comb or None
        The machine's clock that the beats are on, if the song was made to one.
    """

    beats: FloatArray
    bars: Bars
    choice: Choice | None
    clock: Comb | None = None


def listen(
    samples: Samples,
    *,
    name: str = "the song",
    waveform: Float32Array | None = None,
    progress: Progress = ignore_progress,
) -> Listening:
    """Listen to a song.

    Silence, noise and sounds without a beat are no error: they have no beats, and `remark` says so.
    `name` is what remarks call the song; `waveform` may be given where it has been drawn already.
    """
    mono, rate = usual_sound(samples)
    if waveform is None:
        waveform = waveform_columns(mono, rate)
    progress(0.1)
    reason = _why_no_beat(mono, samples)
    if reason:
        return _without_beat(samples, waveform, f"{name} {reason}")
    weights = learned_weights()
    analysis = analyse(mono, rate, progress=lambda share: progress(0.1 + 0.6 * share))
    strokes = hear_strokes(analysis.drums, weights.drums)
    levels = song_levels(analysis.rhythm, analysis.attacks)
    followed = follow(analysis) if analysis.has_beat else None
    progress(0.8)
    if followed is None:
        drums = _hear_drums(analysis, strokes, np.zeros(0), 4, weights)[1]
        found = _without_beat(samples, waveform, f"{name} has no beat that can be heard.", drums)
        return replace(found, levels=levels)
    heard = hear_beats(analysis, followed, strokes, readings=weights.readings, bars=weights.bars)
    if heard.clock is None:
        heard = on_clock(analysis, heard)
    progress(0.85)
    likely, drums = _hear_drums(analysis, strokes, heard.beats, heard.bars.beats_per_bar, weights)
    heard = replace(heard, beats=on_drums(heard.beats, drums, is_steady=heard.clock is not None))
    progress(0.9)
    form = find_form(
        heard.beats,
        heard.beats[heard.bars.places == 0],
        analysis.drums,
        analysis.harmony.levels,
        strokes,
        likely,
        analysis.duration,
    )
    beats = _beats(analysis, heard, weights)
    progress(1.0)
    return Listening(
        duration=samples.duration,
        tempo=_tempo(heard),
        is_steady=heard.clock is not None,
        beats=beats,
        waveform=waveform,
        remark=samples.remark,
        drums=drums,
        sections=form.sections,
        drops=form.drops,
        alternatives=_alternatives(heard),
        metre_sureness=round(heard.bars.sureness, 3),
        levels=levels,
    )


def hear_beats(
    analysis: Analysis, followed: Followed, strokes: Strokes, *, readings: Ranker, bars: Ranker
) -> HeardBeats:
    """Return beats and bars: which reading of the followed beats people would tap, and its bars."""
    evidence = Evidence(
        analysis.onsets, strokes.hops, strokes.likelihoods, analysis.harmony.levels, analysis.duration
    )
    beats, choice = followed.beats, None
    if len(beats) >= 3:
        grid = subdivide(beats, evidence)
        if len(beats) >= _FEWEST_BEATS:
            choice = choose_reading(grid, readings)
            if choice.reading != AS_FOLLOWED:
                beats = beats_of(grid, choice.reading)
                if followed.grid is None and not choice.reading.is_on_followed:
                    beats = on_attacks(beats, analysis.attacks)
    grid = subdivide(beats, evidence)
    found = find_metre(grid, bars, jump_cost=4.0 if followed.grid is None else 12.0)
    if choice is not None and choice.reading == AS_FOLLOWED and is_bare(grid):
        found = accented_bars(_loudness(analysis, grid.times[::PARTS])) or found
    # The grid runs on to both ends of the song; beats are kept where something sounds.
    times = grid.times[::PARTS]
    end = min(followed.end + 0.01, analysis.duration - _LAST_SECONDS)
    inside = (times > followed.start - EARLY_SECONDS) & (times < end)
    kept = Bars(found.beats_per_bar, found.places[inside], found.sureness)
    unit = choice.reading.unit if choice is not None else PARTS
    clock = followed.grid and Comb(followed.grid.step * 2 * unit / PARTS, float(times[0]), 1)
    return HeardBeats(np.maximum(times[inside], 0.0), kept, choice, clock)


def on_clock(analysis: Analysis, heard: HeardBeats) -> HeardBeats:
    """Return the beats on the machine's clock that they turn out to be on, or as they are."""
    comb = settle_on_clock(
        analysis.mono,
        analysis.rate,
        strength=analysis.onsets.strength,
        attacks=analysis.attacks,
        beats=heard.beats,
    )
    if comb is None:
        return heard
    first, last = comb.numbers_of(heard.beats[[0, -1]])
    beats = comb.phase + np.arange(first, last + 1) * comb.step
    after = np.clip(np.searchsorted(heard.beats, beats), 1, len(heard.beats) - 1)
    is_before = beats - heard.beats[after - 1] <= heard.beats[after] - beats
    nearest = np.where(is_before, after - 1, after)
    bars = replace(heard.bars, places=heard.bars.places[nearest])
    return replace(heard, beats=np.maximum(beats, 0.0), bars=bars, clock=comb)


def on_drums(beats: FloatArray, drums: Drums, *, is_steady: bool) -> FloatArray:
    """Return beats on the kicks and snares beside them.

    Where chords are louder than drums, beats are found on the attacks of chords, which are slower. A
    constant grid moves as a whole, and only if all drums agree about it.
    """
    hits = np.sort([hit.time for hit in (*drums.kick, *drums.snare)])
    if len(hits) == 0 or len(beats) < 2:
        return beats
    after = (
        np.clip(np.searchsorted(hits, beats), 1, len(hits) - 1)
        if len(hits) > 1
        else np.zeros(len(beats), int)
    )
    before = np.maximum(after - 1, 0)
    nearest = np.where(np.abs(hits[before] - beats) < np.abs(hits[after] - beats), before, after)
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


def _hear_drums(
    analysis: Analysis, strokes: Strokes, beats: FloatArray, beats_per_bar: int, weights: Weights
) -> tuple[FloatArray, Drums]:
    likely = hear_drums(strokes, beats, beats_per_bar, analysis.duration, weights)
    return likely, drum_hits(strokes, likely, weights.thresholds, analysis.attacks)


def usual_sound(samples: Samples) -> tuple[Float32Array, int]:
    """Return the sound as one channel at a usual rate, around zero."""
    mono = samples.mono()
    total = sum(float(block.sum(dtype=np.float64)) for block in in_blocks(mono))
    offset = total / len(mono) if len(mono) else 0.0
    low, high = _USUAL_RATES
    rate = samples.rate if low <= samples.rate <= high or len(mono) == 0 else _RATE
    is_centred = abs(offset) <= _MOST_OFFSET  # else the first sample would be an attack
    if is_centred and rate == samples.rate:
        return mono, rate
    rows = Rows()
    for block in resampled_blocks(mono[:, None], samples.rate, rate):
        rows.add(block[:, 0] if is_centred else block[:, 0] - np.float32(offset))
    return rows.array(), rate


def _why_no_beat(mono: Float32Array, samples: Samples) -> str:
    if samples.duration < _SHORTEST_SECONDS:
        return f"is {samples.duration:.1f} s long: too short to have a beat."
    loudest = max((max(float(part.max()), -float(part.min())) for part in in_blocks(mono)), default=0.0)
    if loudest < SILENCE:
        return "is silent: there is no beat in it. Choose another song, or check the recording."
    return ""


def _without_beat(
    samples: Samples, waveform: Float32Array, remark: str, drums: Drums = _NO_DRUMS
) -> Listening:
    remark = f"{samples.remark} {remark}".strip()
    return Listening(samples.duration, 0.0, False, (), waveform, remark, drums=drums)


def _beats(analysis: Analysis, heard: HeardBeats, weights: Weights) -> tuple[Beat, ...]:
    """Return the beats with place, strength and sureness."""
    times = heard.beats
    if len(times) < 2:
        return ()
    inputs = describe_song_beats(analysis, heard)
    sure = sigmoid(weights.sureness.logits(inputs)[:, 0])
    sure = sure * min(1.0, analysis.tempo.clarity() / _SURE_CLARITY)
    strengths = strengths_at(times, analysis.onsets)
    return tuple(
        Beat(round(float(time), 6), int(place) + 1, round(float(strength), 3), round(float(share), 3))
        for time, place, strength, share in zip(times, heard.bars.places, strengths, sure, strict=True)
    )


def describe_song_beats(analysis: Analysis, heard: HeardBeats) -> FloatArray:
    """Return the inputs from which the sureness of each beat is told."""
    belief = 0.5
    if heard.choice is not None:
        belief = dict(heard.choice.shares)[heard.choice.reading]
    return describe_beats(
        heard.beats,
        analysis.onsets,
        analysis.tempo,
        analysis.attacks,
        is_steady=heard.clock is not None,
        belief=belief,
        loudness=_loudness(analysis, heard.beats),
    )


def _loudness(analysis: Analysis, times: FloatArray) -> FloatArray:
    """Return the log10 power around each time against the song's loud moments."""
    hops = np.round(times * STROKE_HOPS_PER_SECOND).astype(np.int64)
    power = ndi.maximum_filter1d(analysis.drums.levels.max(axis=1), 21)
    return np.asarray(power[np.clip(hops, 0, len(power) - 1)], np.float64)


def strengths_at(times: FloatArray, onsets: Onsets) -> FloatArray:
    """Return how strong the onset at each time is against the strongest of them, 0 to 1."""
    hops = np.clip(np.round(times * HOPS_PER_SECOND).astype(np.int64), 0, len(onsets.strength) - 1)
    near = ndi.maximum_filter1d(onsets.strength, 7)[hops]
    loud = float(np.percentile(near, 95)) if len(near) else 1.0
    return np.clip(near / max(loud, 1e-6), 0, 1)


def _tempo(heard: HeardBeats) -> float:
    if heard.clock is not None:
        return round(heard.clock.tempo, 3)
    if len(heard.beats) < 2:
        return 0.0
    return round(60 / float(np.median(np.diff(heard.beats))), 2)


def _alternatives(heard: HeardBeats) -> tuple[AlternativeTempo, ...]:
    """Return the other tempi that the song could have, the likeliest first."""
    if heard.choice is None or len(heard.beats) < 2:
        return ()
    tempo = 60 / float(np.median(np.diff(heard.beats)))
    chosen = heard.choice.reading.unit
    shares: dict[int, float] = {}
    for reading, share in heard.choice.shares:
        shares[reading.unit] = shares.get(reading.unit, 0.0) + share
    order = sorted(shares, key=lambda unit: -shares[unit])
    return tuple(
        AlternativeTempo(round(tempo * chosen / unit, 2), round(shares[unit], 3))
        for unit in order
        if shares[unit] > 0.02
    )
