"""Song structure: sections and drops, by self-similarity of beats and loudness."""

from collections.abc import Callable

import numpy as np
import scipy.ndimage as ndi
from msgspec import Struct

from epiphane.audio.drums import Strokes
from epiphane.audio.spectrum import HARMONY_HOPS_PER_SECOND
from epiphane.audio.strokes import N_BANDS, STROKE_HOPS_PER_SECOND, DrumSpectrum
from epiphane.document.song import PartKind, Section
from epiphane.types import Float32Array, FloatArray, IntArray

_FEWEST_BEATS = 24
_KERNELS = ((16, 1.0), (8, 0.5))  # beats on each side, weight
_OFF_DOWNBEAT = 0.5
_EDGE_COST, _LEAST_NOVELTY = 0.45, 0.05
_USUAL_LENGTHS, _ODD_LENGTH = {4: 0.2, 8: 0.4, 12: 0.1, 16: 0.3, 2: -0.3, 6: -0.3}, -0.5
_APART_BEATS, _SHORTEST_END_BEATS, _LONGEST_BEATS = 8, 4, 512
_N_AROUND = 8  # beats before and after an edge by which a drop is told
_LEAST_LOW_RISE_DB, _LEAST_DENSITY = 6.0, 0.15
_OUT, _IN = 0.35, 0.55  # of what is usual
_CLEAR_LOW_RISE_DB, _CLEAR_RISE_DB, _BUSIER = 10.0, 5.0, 1.3
_ALIKE = 0.55
_CALM, _FULL, _BUILD = 0.4, 0.75, 0.15


class Form(Struct, frozen=True):
    """Sections of a song from its first beat to its end, and the instants of its drops, seconds."""

    sections: tuple[Section, ...]
    drops: tuple[float, ...]


class _Beats(Struct, frozen=True, eq=False):
    """What is heard in each beat: all of shape (n_beats, ...)."""

    levels: FloatArray
    harmony: FloatArray
    drums: FloatArray

    @property
    def low_db(self) -> FloatArray:
        return np.asarray(10 * np.log10((10 ** self.levels[:, :3]).mean(axis=1) + 1e-6))

    @property
    def total_db(self) -> FloatArray:
        return np.asarray(10 * np.log10((10**self.levels).mean(axis=1) + 1e-6))


def find_form(
    beats: FloatArray,
    downbeats: FloatArray,
    spectrum: DrumSpectrum,
    harmony: Float32Array,
    strokes: Strokes,
    likely: FloatArray,
    duration: float,
) -> Form:
    """Return the sections of a song and its drops.

    Novelty along the diagonal of the self-similarity of beats (Foote, ICME 2000), with checkerboard
    kernels of 16 and 8 beats; edges prefer downbeats. A drop is an edge where the low end, the whole
    and the low drum come up.

    Parameters
    ----------
    beats, downbeats : float64, seconds, ascending
    harmony : float32, shape (n_hops, n_bands), at `HARMONY_HOPS_PER_SECOND`
    likely : float64, shape (n_strokes, 3)
        Of the three drums.
    """
    if len(beats) < _FEWEST_BEATS + 1:
        return Form((), ())
    heard = _by_beat(beats, spectrum, harmony, strokes, likely)
    similarity = _similarity(heard)
    edges = _edges(similarity, beats, downbeats)
    drops = _drops(edges, heard)
    starts = [0, *edges]
    ends = [*edges, len(beats) - 1]
    letters = _letters(starts, ends, heard)
    energies = _energies(starts, ends, heard)
    kinds = _kinds(energies)
    times = [float(beats[start]) for start in starts]
    sections = tuple(
        Section(round(start, 6), round(end, 6), letter, kind, round(energy, 3))
        for start, end, letter, kind, energy in zip(
            times, [*times[1:], duration], letters, kinds, energies, strict=True
        )
    )
    return Form(sections, tuple(round(float(beats[drop]), 6) for drop in drops))


def _by_beat(
    beats: FloatArray, spectrum: DrumSpectrum, harmony: Float32Array, strokes: Strokes, likely: FloatArray
) -> _Beats:
    loud = np.percentile(harmony.max(axis=1, initial=0), 95) + 1e-9
    drums = np.zeros((len(beats) - 1, likely.shape[1]))
    inside = np.clip(np.searchsorted(beats, strokes.times) - 1, 0, len(beats) - 2)
    np.add.at(drums, inside, likely)
    return _Beats(
        levels=_means(spectrum.levels, beats * STROKE_HOPS_PER_SECOND),
        harmony=_means(np.log10(1 + 100 * harmony / loud), beats * HARMONY_HOPS_PER_SECOND),
        drums=drums,
    )


def _means(values: Float32Array, edges: FloatArray) -> FloatArray:
    hops = np.clip(np.round(edges).astype(np.int64), 0, len(values))
    means = np.empty((len(hops) - 1, values.shape[1]))
    for column, row in enumerate(values.T):  # one by one: of an hour all running sums are 200 MB
        sums = np.concatenate([[0.0], np.cumsum(row, dtype=np.float64)])
        means[:, column] = (sums[hops[1:]] - sums[hops[:-1]]) / np.maximum(np.diff(hops), 1)
    return means


def _similarity(heard: _Beats) -> Callable[[int, int, int], FloatArray]:
    """Return a function for pieces of the self-similarity matrix: the whole grows with length squared."""
    features = _features(heard)

    def piece(start: int, end: int, reach: int) -> FloatArray:
        rows = np.clip(np.arange(start - reach, end + reach), 0, len(features) - 1)
        return np.asarray(features[rows] @ features[rows].T)

    return piece


def _features(heard: _Beats) -> FloatArray:
    harmony_weight = 0.5 * np.sqrt(N_BANDS / heard.harmony.shape[1])
    parts = [_scaled(heard.levels), harmony_weight * _scaled(heard.harmony), _scaled(heard.drums)]
    # Over four beats, so that beats of one bar count as alike.
    features = ndi.uniform_filter1d(np.concatenate(parts, axis=1), 4, axis=0, mode="nearest")
    return np.asarray(features / (np.linalg.norm(features, axis=1, keepdims=True) + 1e-9))


def _scaled(values: FloatArray) -> FloatArray:
    return np.asarray((values - values.mean(axis=0)) / (values.std(axis=0) + 0.15 * values.std() + 1e-6))


def _edges(
    similarity: Callable[[int, int, int], FloatArray], beats: FloatArray, downbeats: FloatArray
) -> list[int]:
    """Return the numbers of the beats on which sections but the first begin.

    The best segmentation (Bellman): edges gain by novelty and by being on downbeats, sections by being
    as many bars long as sections usually are.
    """
    n_beats = len(beats) - 1
    novelty = np.zeros(n_beats + 1)
    for reach, weight in _KERNELS:
        kernel = _checkerboard(reach)
        novelty += weight * np.array(
            [(similarity(place, place, reach) * kernel).sum() for place in range(n_beats + 1)]
        )
    novelty = np.maximum(novelty, 0) / (np.percentile(novelty, 97) + _LEAST_NOVELTY)
    bar = np.searchsorted(downbeats, beats + 0.02) - 1  # in which bar each beat is
    on_downbeat = np.diff(bar, prepend=bar[0] - 1) > 0
    gain = np.where(on_downbeat, novelty, _OFF_DOWNBEAT * novelty) - _EDGE_COST
    return _best_segmentation(gain, bar, n_beats)


def _best_segmentation(gain: FloatArray, bar: IntArray, n_beats: int) -> list[int]:
    best = np.full(n_beats + 1, -np.inf)
    best[0] = 0.0
    came_from = np.zeros(n_beats + 1, np.int64)
    for edge in range(_APART_BEATS, n_beats + 1):
        is_end = edge == n_beats
        shortest = _SHORTEST_END_BEATS if is_end else _APART_BEATS
        starts = np.arange(max(0, edge - _LONGEST_BEATS), edge - shortest + 1)
        # The last section may be cut off, and the first may begin anywhere.
        lengths = np.where(starts == 0, 0.0, 0.0 if is_end else 1.0) * _length_gain(bar[edge] - bar[starts])
        options = best[starts] + lengths + (0.0 if is_end else gain[edge])
        came_from[edge] = starts[int(options.argmax())]
        best[edge] = options.max()
    edges: list[int] = []
    edge = int(came_from[n_beats])
    while edge > 0:
        edges.append(edge)
        edge = int(came_from[edge])
    return edges[::-1]


def _length_gain(n_bars: IntArray) -> FloatArray:
    gains = np.full(int(max(n_bars.max(initial=0), 16)) + 1, _ODD_LENGTH)
    for length, usual in _USUAL_LENGTHS.items():
        gains[length] = usual
    return np.asarray(gains[np.maximum(n_bars, 0)])


def _checkerboard(reach: int) -> FloatArray:
    offsets = np.arange(-reach, reach) + 0.5
    bell = np.exp(-0.5 * (offsets / (0.5 * reach)) ** 2)
    signs = np.sign(offsets)
    kernel = np.outer(signs * bell, signs * bell)
    return np.asarray(kernel / np.abs(kernel).sum())


def _drops(edges: list[int], heard: _Beats) -> list[int]:
    """Return the edges at which the whole band comes in: after a part without drums, or without low end."""
    low, kicks, struck = heard.low_db, heard.drums[:, 0], heard.drums.sum(axis=1)
    usual_kicks, usual_struck = _usual_density(kicks), _usual_density(struck)
    found: list[int] = []
    for edge in edges:
        before, after = slice(max(0, edge - _N_AROUND), edge), slice(edge, edge + _N_AROUND)
        low_rise = low[after].mean() - low[before].mean()
        drums_enter = _enters(struck, usual_struck, before, after) and low_rise > -_LEAST_LOW_RISE_DB
        low_enters = _enters(kicks, usual_kicks, before, after) and low_rise > _LEAST_LOW_RISE_DB
        loud_rise = heard.total_db[after].mean() - heard.total_db[before].mean()
        is_busier = struck[after].mean() > _BUSIER * struck[before].mean()
        all_rise = low_rise > _CLEAR_LOW_RISE_DB and loud_rise > _CLEAR_RISE_DB and is_busier
        if drums_enter or low_enters or all_rise:
            found.append(edge)
    return found


def _usual_density(per_beat: FloatArray) -> float:
    """Return how much is struck per beat where it is played: the upper quartile over eight beats."""
    return float(np.percentile(ndi.uniform_filter1d(per_beat, _N_AROUND, mode="nearest"), 75))


def _enters(per_beat: FloatArray, usual: float, before: slice, after: slice) -> bool:
    is_out = per_beat[before].mean() < _OUT * usual
    return bool(usual > _LEAST_DENSITY and is_out and per_beat[after].mean() > _IN * usual)


def _letters(starts: list[int], ends: list[int], heard: _Beats) -> list[str]:
    """Return a letter for each section; a section that resembles an earlier one gets its letter."""
    features = _features(heard)
    means = np.array([features[a:b].mean(axis=0) for a, b in zip(starts, ends, strict=True)])
    means /= np.linalg.norm(means, axis=1, keepdims=True) + 1e-9
    letters: list[int] = []
    for number, mean in enumerate(means):
        likeness = means[:number] @ mean
        if number and likeness.max() > _ALIKE:
            letters.append(letters[int(likeness.argmax())])
        else:
            letters.append(max(letters, default=-1) + 1)
    return [chr(ord("A") + letter % 26) for letter in letters]


def _energies(starts: list[int], ends: list[int], heard: _Beats) -> list[float]:
    """Return 0 to 1: loudness over 20 dB, and how much is struck."""
    total = heard.total_db
    loud = np.percentile(total, 95)
    struck = heard.drums.sum(axis=1)
    busy = max(float(np.percentile(struck, 90)), 0.5)
    found = []
    for start, end in zip(starts, ends, strict=True):
        level = np.clip(1 + (total[start:end].mean() - loud) / 20, 0, 1)
        found.append(float(0.6 * level + 0.4 * np.clip(struck[start:end].mean() / busy, 0, 1)))
    return found


def _kinds(energies: list[float]) -> list[PartKind]:
    """Return what each section is: calm or full by its energy, a build where a fuller one follows."""
    top = max(energies)
    kinds: list[PartKind] = []
    for number, energy in enumerate(energies):
        share = energy / (top + 1e-9)
        following = energies[number + 1] if number + 1 < len(energies) else 0.0
        if following > energy + _BUILD * top and share > _CALM:
            kinds.append("build")
        else:
            kinds.append("full" if share >= _FULL else "calm")
    return kinds
