"""Listen to a song: beats, bars, tempo, drums, sections, and what is drawn of it."""

import numpy as np
from msgspec.structs import replace

from epiphane.audio.alternatives import other_readings, with_units
from epiphane.audio.band_levels import SongLevels
from epiphane.audio.bands import song_levels
from epiphane.audio.bar_starts import on_changes
from epiphane.audio.beat_tracking import SILENCE, Analysis, analyse, follow
from epiphane.audio.beats_and_bars import (
    HeardBeats,
    before_soft_attacks,
    belief_in,
    describe_song_beats,
    evidence_of,
    hear_beats,
    on_clock,
    on_drums,
    strengths_at,
)
from epiphane.audio.drums import drum_hits, hear_drums
from epiphane.audio.form import Form, find_form
from epiphane.audio.heard import Listening
from epiphane.audio.heard_strokes import Strokes, hear_strokes
from epiphane.audio.mapped_array import ArrayBuilder, in_blocks
from epiphane.audio.network import Weights, learned_weights, sigmoid
from epiphane.audio.rises import band_rises
from epiphane.audio.samples import Samples, resampled_blocks
from epiphane.audio.uneven_bars import beats_on_groups, find_groups
from epiphane.audio.waveform import waveform_columns
from epiphane.document.song import Beat, Drums
from epiphane.types import Float32Array, FloatArray, Progress, ignore_progress

_SHORTEST_SECONDS = 1.5
# Everything was measured and trained at these rates; others are resampled.
_USUAL_RATES, _RATE = (32_000, 48_000), 44_100
# Where less repeats than this, every beat is the more doubtful for it.
_SURE_CLARITY = 0.25
_UNITS_SHARE = 0.5  # of the belief, that the units of a fast uneven bar are what people tap
_MOST_OFFSET = 1e-3
_NO_DRUMS = Drums(confidence=(0.0, 0.0, 0.0))


def listen(
    samples: Samples,
    *,
    name: str = "the song",
    waveform: Float32Array | None = None,
    progress: Progress = ignore_progress,
) -> Listening:
    """Return what is heard in a song: beats, bars, drums, sections, drops, levels.

    Silence, noise and sounds without a beat are no error: they have no beats, and `remark` says so.

    Parameters
    ----------
    samples : Samples
    name : str
        What remarks call the song.
    waveform : float32, shape (n_columns, 3), from `waveform_columns`; worked out where it is not given
    progress : callable
        Told the share that is done, 0 to 1.
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
        drums = _hear_drums(analysis, strokes, levels, np.zeros(0), 4, weights)[1]
        found = _without_beat(samples, waveform, f"{name} has no beat that can be heard.", drums)
        return replace(found, levels=levels)
    heard = hear_beats(analysis, followed, strokes, readings=weights.readings, bars=weights.bars)
    heard = on_clock(analysis, heard)
    if heard.clock is not None:
        heard = replace(heard, bars=on_changes(heard.bars, heard.beats, analysis.drums))
    progress(0.85)
    likely, drums = _hear_drums(analysis, strokes, levels, heard.beats, heard.bars.beats_per_bar, weights)
    times = on_drums(heard.beats, drums, is_steady=heard.clock is not None)
    heard = replace(heard, beats=before_soft_attacks(times, drums, analysis.attacks))
    progress(0.9)
    form = _form(analysis, heard, strokes, likely)
    evidence = evidence_of(analysis, strokes)
    others = other_readings(analysis, followed, heard, evidence, weights.bars)
    beats, tempo = _beats(analysis, heard, weights), _tempo(heard)
    groups = find_groups(evidence, heard.beats, heard.bars)
    if groups is not None:
        beats, tempo = beats_on_groups(groups, beats, analysis.onsets), groups.tempo
        others = with_units(others, groups, analysis, _UNITS_SHARE * belief_in(heard))
    progress(1.0)
    return Listening(
        duration=samples.duration,
        tempo=tempo,
        is_steady=heard.clock is not None,
        beats=beats,
        waveform=waveform,
        remark=samples.remark,
        drums=drums,
        sections=form.sections,
        drops=form.drops,
        others=others,
        confidence=round(belief_in(heard), 3),
        metre_confidence=round(heard.bars.confidence, 3),
        levels=levels,
    )


def _hear_drums(
    analysis: Analysis,
    strokes: Strokes,
    levels: SongLevels,
    beats: FloatArray,
    beats_per_bar: int,
    weights: Weights,
) -> tuple[FloatArray, Drums]:
    """Return how likely each drum is at each stroke, and the hits of drums and bands."""
    duration = analysis.duration
    likely = hear_drums(strokes, beats, beats_per_bar, duration, weights)
    bar = beats_per_bar * float(np.median(np.diff(beats))) if len(beats) > 1 else 0.0
    drums = drum_hits(strokes, likely, bar, duration, analysis.attacks, weights)
    return likely.drums, replace(drums, **band_rises(levels, bandwidth=analysis.drums.bandwidth))


def _form(analysis: Analysis, heard: HeardBeats, strokes: Strokes, likely: FloatArray) -> Form:
    downbeats = heard.beats[heard.bars.places == 0]
    return find_form(
        heard.beats,
        downbeats,
        heard.bars.beats_per_bar,
        analysis.drums,
        analysis.harmony.levels,
        strokes,
        likely,
        analysis.duration,
    )


def usual_sound(samples: Samples) -> tuple[Float32Array, int]:
    """Return a song as one channel around zero, float32, shape (n_samples,), and its rate, samples / second.

    Rates that are far from usual ones are resampled, and a constant offset is taken away: the first sample
    would be an attack.
    """
    mono = samples.mono()
    total = sum(float(block.sum(dtype=np.float64)) for block in in_blocks(mono))
    offset = total / len(mono) if len(mono) else 0.0
    low, high = _USUAL_RATES
    rate = samples.rate if low <= samples.rate <= high or len(mono) == 0 else _RATE
    is_centred = abs(offset) <= _MOST_OFFSET  # else the first sample would be an attack
    if is_centred and rate == samples.rate:
        return mono, rate
    rows = ArrayBuilder()
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
    """Return the beats with place, strength and confidence."""
    times = heard.beats
    if len(times) < 2:
        return ()
    inputs = describe_song_beats(analysis, heard)
    sure = sigmoid(weights.confidence.logits(inputs)[:, 0])
    sure = sure * min(1.0, analysis.tempo.clarity() / _SURE_CLARITY)
    strengths = strengths_at(times, analysis.onsets)
    return tuple(
        Beat(round(float(time), 6), int(place) + 1, round(float(strength), 3), round(float(share), 3))
        for time, place, strength, share in zip(times, heard.bars.places, strengths, sure, strict=True)
    )


def _tempo(heard: HeardBeats) -> float:
    if heard.clock is not None:
        return round(heard.clock.tempo, 3)
    if len(heard.beats) < 2:
        return 0.0
    return round(60 / float(np.median(np.diff(heard.beats))), 2)
