"""The form of a song as an editor marks it: few parts, told by how much goes on, and its drops.

All is measured bar by bar in absolute units (decibels, strokes a second), so that a song in which nothing
changes is one part: features scaled to the song would make an even one look as varied as any.
"""

from collections.abc import Callable, Sequence
from typing import TypeAlias

import numpy as np
from msgspec import Struct

from epiphane.audio.heard_strokes import Strokes
from epiphane.audio.spectrum import HARMONY_HOPS_PER_SECOND
from epiphane.audio.strokes import STROKE_HOPS_PER_SECOND, DrumSpectrum
from epiphane.document.song import PartKind, Section
from epiphane.types import Float32Array, FloatArray

_FEWEST_BEATS = 12
_SHORTEST_BAR, _LONGEST_BAR = 1.3, 3.6  # seconds: shorter bars count in twos, longer ones as halves
_LOW, _HIGH = slice(0, 3), slice(11, 16)  # of the bands of a `DrumSpectrum`
_SILENCE = 1e-9

# Segmentation: what a part costs, in squared distances of which 1 is another part to the ear.
_PRICE, _LEAST_PRICE, _MOST_PRICE = 1.6, 0.45, 64.0
_DEARER = {8: 0.0, 4: 0.12, 2: 0.3, 1: 0.45}  # where a length is no multiple of 8, 4, 2 bars
_DEARER_AT_ENDS = 0.1
_SHORT_SECONDS, _SHORT_COST, _SHORT_COST_A_BAR = 6.5, 1.0, 0.5
_LONGEST_BARS = 384
_FEWEST_SECONDS_A_PART, _MOST_SECONDS_A_PART, _SPARE_PARTS = 20.0, 45.0, 4
_ALIKE, _SAME_LETTER = 0.55, 0.8  # distances

# Kinds, as shares of the energy that the song's full bars have.
_FULL, _NEARLY_FULL, _RISES = 0.82, 0.55, 0.1
_NEAR_LOW_DB, _NEAR_BASS_DB, _USUAL_KICKS, _SOME_KICKS = 9.0, 8.0, 0.3, 0.45

# Drops: what comes up within some seconds, after some seconds of less.
_LESS_SECONDS, _BEFORE_SECONDS, _AFTER_SECONDS, _DROPS_APART = 3.9, 9.0, 4.0, 14.0
_LOW_RISE_DB, _LOUD_RISE_DB = 12.0, 8.0
_RISE_WEIGHTS = (1.0, 1.0, 0.7, 0.7)  # of low end, loudness, kicks, strokes
_LEAST_SCORE, _LEAST_OF_BEST, _LEAST_GAIN = 0.9, 0.5, 0.1
_LEAST_KICKS, _LEAST_STROKES = 0.3, 0.7  # a second: a song with less has no more than this as its usual

_Part: TypeAlias = tuple[int, int]
"""The first bar of a part, and the bar after its last."""


class Form(Struct, frozen=True):
    """Parts of a song from its first bar to its end, and the instants of its drops, seconds."""

    sections: tuple[Section, ...]
    drops: tuple[float, ...]


class _Bars(Struct, frozen=True, eq=False):
    """What is heard in each bar.

    Attributes
    ----------
    loudness, low, bass, high : float64, shape (n_bars,), dB
        `low` is the low end with its kicks, `bass` what of it sounds on between them.
    bands : float64, shape (n_bars, 16), dB
    harmony : float64, shape (n_bars, n_harmony_bands)
    strokes : float64, shape (n_bars,), a second
    drums : float64, shape (n_bars, 3), a second
    """

    loudness: FloatArray
    low: FloatArray
    bass: FloatArray
    high: FloatArray
    bands: FloatArray
    harmony: FloatArray
    strokes: FloatArray
    drums: FloatArray


def find_form(
    beats: FloatArray,
    downbeats: FloatArray,
    beats_per_bar: int,
    spectrum: DrumSpectrum,
    harmony: Float32Array,
    strokes: Strokes,
    likely: FloatArray,
    duration: float,
) -> Form:
    """Return the parts of a song and its drops.

    The best segmentation of the bars (Bellman 1961) by what varies within parts and a price for each part;
    the price goes up or down until there are no more, and no fewer, parts than a song of that length has.

    Parameters
    ----------
    beats, downbeats : float64, seconds, ascending
    harmony : float32, shape (n_hops, n_bands), at `HARMONY_HOPS_PER_SECOND`
    likely : float64, shape (n_strokes, 3)
        Of the three drums.
    """
    if len(beats) < _FEWEST_BEATS:
        return Form((), ())
    lines, bar = _bar_lines(beats, downbeats, beats_per_bar, duration)
    bars = _by_bar(lines, spectrum, harmony, strokes, likely)
    energy, features = _energies(bars), _features(bars)
    parts = _segmented(features, bar, duration)
    kinds = _kinds(parts, energy, bars)
    parts, kinds = _like_neighbours_joined(parts, kinds, features)
    drops = _drops(parts, kinds, bars, energy, bar)
    letters = _letters(parts, features)
    starts = [float(lines[first]) for first, _ in parts]
    sections = tuple(
        Section(
            round(start, 6), round(end, 6), letter, kind, round(float(np.median(energy[slice(*part)])), 3)
        )
        for start, end, letter, kind, part in zip(
            starts, [*starts[1:], duration], letters, kinds, parts, strict=True
        )
    )
    return Form(sections, tuple(round(float(lines[drop]), 6) for drop in drops))


def _bar_lines(
    beats: FloatArray, downbeats: FloatArray, beats_per_bar: int, duration: float
) -> tuple[FloatArray, float]:
    """Return the lines between bars from the first sound to the end, and how long a bar usually is, s."""
    lines = downbeats if len(downbeats) > 2 else beats[::4]
    if float(np.median(np.diff(lines))) > _LONGEST_BAR and beats_per_bar % 2 == 0:
        lines = np.sort(np.concatenate([lines, (lines[1:] + lines[:-1]) / 2]))
    while len(lines) > 5 and float(np.median(np.diff(lines))) < _SHORTEST_BAR:
        lines = lines[::2]
    bar = float(np.median(np.diff(lines)))
    before = [0.0] if lines[0] > 0.4 * bar else []
    return np.concatenate([before, lines[lines < duration - 0.5 * bar], [duration]]), bar


def _by_bar(
    lines: FloatArray, spectrum: DrumSpectrum, harmony: Float32Array, strokes: Strokes, likely: FloatArray
) -> _Bars:
    at_strokes = lines * STROKE_HOPS_PER_SECOND
    power = _means(spectrum.levels, at_strokes, lambda levels: 10.0**levels) + _SILENCE
    loud = np.percentile(harmony.max(axis=1, initial=0), 95) + _SILENCE
    seconds = np.maximum(np.diff(lines), 0.2)
    n_bars = len(seconds)
    at = np.clip(np.searchsorted(lines, strokes.times, side="right") - 1, 0, n_bars - 1)
    drums = [np.bincount(at, weights=column, minlength=n_bars) / seconds for column in likely.T]
    return _Bars(
        loudness=_decibels(power.mean(axis=1)),
        low=_decibels(power[:, _LOW].mean(axis=1)),
        bass=_means(spectrum.levels[:, _LOW], at_strokes, lambda levels: 10 * levels).mean(axis=1),
        high=_decibels(power[:, _HIGH].mean(axis=1)),
        bands=_decibels(power),
        harmony=_means(
            harmony, lines * HARMONY_HOPS_PER_SECOND, lambda levels: np.log10(1 + 100 * levels / loud)
        ),
        strokes=np.bincount(at, minlength=n_bars) / seconds,
        drums=np.stack(drums, axis=1),
    )


def _decibels(power: FloatArray) -> FloatArray:
    return np.asarray(10 * np.log10(power))


def _means(
    values: Float32Array, edges: FloatArray, measured: Callable[[FloatArray], FloatArray]
) -> FloatArray:
    """Return the mean of what is measured of values between edges, counted in their rows."""
    hops = np.clip(np.round(edges).astype(np.int64), 0, len(values))
    means = np.empty((len(hops) - 1, values.shape[1]))
    for column, row in enumerate(values.T):  # one by one: of three hours all running sums are 300 MB
        sums = np.concatenate([[0.0], np.cumsum(measured(row.astype(np.float64)))])
        means[:, column] = (sums[hops[1:]] - sums[hops[:-1]]) / np.maximum(np.diff(hops), 1)
    return means


def _top(values: FloatArray) -> FloatArray:
    """Return what the song's loud bars have: the ninetieth percentile of each column."""
    return np.asarray(np.percentile(values, 90, axis=0))


def _energies(bars: _Bars) -> FloatArray:
    """Return 0 to 1 for each bar: loudness, low end and what is struck, against the loud bars of the song."""
    struck = bars.drums.sum(axis=1)
    loudness = np.clip(1 + (bars.loudness - _top(bars.loudness)) / 20, 0, 1)
    low = np.clip(1 + (bars.low - _top(bars.low)) / 26, 0, 1)
    return np.asarray(
        0.45 * loudness + 0.3 * low + 0.25 * np.clip(struck / np.maximum(_top(struck), 0.7), 0, 1)
    )


def _features(bars: _Bars) -> FloatArray:
    """Return rows of which the squared distance tells how unlike bars are: 1 is another part to an editor."""
    harmony = bars.harmony - bars.harmony.mean(axis=0)
    harmony /= np.sqrt((harmony**2).sum(axis=1).mean()) + _SILENCE
    varies = np.sqrt(bars.harmony.var(axis=0).sum() / ((bars.harmony**2).sum(axis=1).mean() + _SILENCE))
    columns = [
        _below_top(bars.loudness, 24)[:, None] / 7,
        _below_top(bars.low, 26)[:, None] / 9,
        _below_top(bars.bass, 26)[:, None] / 9,
        _below_top(bars.high, 24)[:, None] / 12,
        0.9 * bars.drums / np.maximum(_top(bars.drums.sum(axis=1)), 1.0),
        0.5 * bars.strokes[:, None] / np.maximum(_top(bars.strokes), 2.0),
        _below_top(bars.bands, 24) / 9 / np.sqrt(bars.bands.shape[1]),
        0.35 * min(1.0, 2 * float(varies)) * harmony,
    ]
    return np.concatenate(columns, axis=1)


def _below_top(decibels: FloatArray, most: float) -> FloatArray:
    return np.asarray(np.clip(decibels - _top(decibels), -most, 3))


def _segmented(features: FloatArray, bar: float, duration: float) -> list[_Part]:
    """Return the parts of the best segmentation that has a number of them as songs of that length have."""
    scatter, dearer = _costs(features, bar)
    most = max(3, round(_SPARE_PARTS + duration / _FEWEST_SECONDS_A_PART))
    fewest = round(duration / _MOST_SECONDS_A_PART)
    price = _PRICE
    parts = _cheapest(scatter, dearer, price)
    while len(parts) > most and price < _MOST_PRICE:
        price *= 1.25
        parts = _cheapest(scatter, dearer, price)
    while len(parts) < fewest and price > _LEAST_PRICE:  # in an even song smaller differences count
        price *= 0.8
        finer = _cheapest(scatter, dearer, price)
        if len(finer) > most:
            break
        parts = finer
    return parts


def _costs(features: FloatArray, bar: float) -> tuple[FloatArray, FloatArray]:
    """Return what each part would cost, by its end (rows, from bar 1 on) and its length (columns, from 1).

    First what varies within it, infinite where it would begin before the song; then by how much dearer it
    is for its length than others.
    """
    n_bars = len(features)
    lengths = np.arange(1, min(n_bars, _LONGEST_BARS) + 1)
    sums = np.concatenate([np.zeros((1, features.shape[1])), np.cumsum(features, axis=0)])
    squares = np.concatenate([[0.0], np.cumsum((features**2).sum(axis=1))])
    ends = np.arange(1, n_bars + 1)
    starts = ends[:, None] - lengths
    is_there = starts >= 0
    scatter = np.full(starts.shape, np.inf)
    for end in ends:  # row by row: of a long song all differences at once are too many
        first = starts[end - 1][is_there[end - 1]]
        within = ((sums[end] - sums[first]) ** 2).sum(axis=1) / (end - first)
        scatter[end - 1][is_there[end - 1]] = squares[end] - squares[first] - within
    shortest = max(2, round(_SHORT_SECONDS / bar))
    odd = np.select([lengths % n == 0 for n in _DEARER], list(_DEARER.values()))
    short = np.where(lengths < shortest, _SHORT_COST + _SHORT_COST_A_BAR * (shortest - lengths), 0.0)
    is_at_end = (starts <= 0) | (ends[:, None] == n_bars)
    return scatter, np.where(is_at_end, _DEARER_AT_ENDS, odd + short)


def _cheapest(scatter: FloatArray, dearer: FloatArray, price: float) -> list[_Part]:
    """Return the parts that cost least in all, at a price for each."""
    n_bars, n_lengths = scatter.shape
    totals = scatter + price * (1 + dearer)
    best, length_of = np.zeros(n_bars + 1), np.zeros(n_bars + 1, np.int64)
    for end in range(1, n_bars + 1):
        n = min(end, n_lengths)
        costs = best[end - n : end][::-1] + totals[end - 1, :n]
        length_of[end] = int(costs.argmin()) + 1
        best[end] = costs[length_of[end] - 1]
    parts: list[_Part] = []
    end = n_bars
    while end > 0:
        start = end - int(length_of[end])
        parts.append((start, end))
        end = start
    return parts[::-1]


def _kinds(parts: Sequence[_Part], energy: FloatArray, bars: _Bars) -> list[PartKind]:
    """Return what each part is like.

    Full has nearly the energy of the song's full bars, and their low end or kicks: a riser is loud without
    either. A build leads into it and rises, or nearly is it; a break lies between two full parts.
    """
    top = float(np.percentile(energy, 90))
    means = [float(np.median(energy[slice(*part)])) for part in parts]
    full = [mean >= _FULL * top and _has_bottom(part, bars) for part, mean in zip(parts, means, strict=True)]
    kinds: list[PartKind] = []
    for number, (part, mean) in enumerate(zip(parts, means, strict=True)):
        values = energy[slice(*part)]
        third = max(1, len(values) // 3)
        rises = values[-third:].mean() - values[:third].mean() > _RISES * top
        is_before_full = number + 1 < len(full) and full[number + 1]
        is_between = any(full[:number]) and any(full[number + 1 :])
        if full[number]:
            kinds.append("full")
        elif is_before_full and (rises or (not is_between and mean > _NEARLY_FULL * top)):
            kinds.append("build")
        else:
            kinds.append("break" if is_between else "calm")
    return kinds


def _has_bottom(part: _Part, bars: _Bars) -> bool:
    """Whether a part has the bass, and the low end or the kicks, of the song's full parts."""
    kicks, inside = bars.drums[:, 0], slice(*part)
    usual = float(np.percentile(kicks, 75))
    has_kicks = usual > _USUAL_KICKS and np.median(kicks[inside]) > _SOME_KICKS * usual
    has_low, has_bass = (
        np.median(values[inside]) > np.percentile(values, 80) - near
        for values, near in ((bars.low, _NEAR_LOW_DB), (bars.bass, _NEAR_BASS_DB))
    )
    return bool(has_bass and (has_low or has_kicks))


def _like_neighbours_joined(
    parts: Sequence[_Part], kinds: Sequence[PartKind], features: FloatArray
) -> tuple[list[_Part], list[PartKind]]:
    """Return parts and kinds of which no neighbours are alike; less than two bars at an end are none."""
    made, kept = [parts[0]], [kinds[0]]
    for part, kind in zip(parts[1:], kinds[1:], strict=True):
        last = made[-1]
        is_stub = part is parts[-1] and part[1] - part[0] < 2  # what rings on at the end
        is_upbeat = len(made) == 1 and last[1] - last[0] < 2  # what is before the first whole bar
        is_alike = kind == kept[-1] and _distance(last, part, features) < _ALIKE
        if is_stub or is_upbeat or is_alike:
            made[-1] = last[0], part[1]
            kept[-1] = kind if is_upbeat and not is_stub else kept[-1]
        else:
            made.append(part)
            kept.append(kind)
    return made, kept


def _distance(one: _Part, other: _Part, features: FloatArray) -> float:
    difference = features[slice(*one)].mean(axis=0) - features[slice(*other)].mean(axis=0)
    return float(np.sqrt((difference**2).sum()))


def _letters(parts: Sequence[_Part], features: FloatArray) -> list[str]:
    """Return a letter for each part; one that is like an earlier one has the letter of that."""
    letters: list[int] = []
    for number, part in enumerate(parts):
        distances = [_distance(part, other, features) for other in parts[:number]]
        is_like = bool(distances) and min(distances) < _SAME_LETTER
        nearest = letters[int(np.argmin(distances))] if is_like else max(letters, default=-1) + 1
        letters.append(nearest)
    return [chr(ord("A") + letter % 26) for letter in letters]


def _drops(
    parts: Sequence[_Part], kinds: Sequence[PartKind], bars: _Bars, energy: FloatArray, bar: float
) -> list[int]:
    """Return the bars at which low end, loudness, kicks and strokes come in together, after less."""
    scores: dict[int, float] = {}
    for number in range(1, len(parts)):
        if kinds[number] != "full" or kinds[number - 1] == "full":
            continue
        first = max((n + 1 for n in range(number) if kinds[n] == "full"), default=0)
        begins, at = parts[first][0], parts[number][0]
        if (at - begins) * bar >= _LESS_SECONDS:
            before = slice(max(begins, at - max(2, round(_BEFORE_SECONDS / bar))), at)
            after = slice(at, at + max(2, round(_AFTER_SECONDS / bar)))
            gain = energy[after].mean() - energy[before].mean()
            score = _rise(bars, before, after)
            if score > _LEAST_SCORE and gain > _LEAST_GAIN * np.percentile(energy, 90):
                scores[at] = score
    kept: list[int] = []
    for at in sorted(scores, key=lambda one: -scores[one]):
        is_apart = all(abs(at - other) * bar > _DROPS_APART for other in kept)
        if is_apart and scores[at] > _LEAST_OF_BEST * max(scores.values()):
            kept.append(at)
    return sorted(kept)


def _rise(bars: _Bars, before: slice, after: slice) -> float:
    """Return by how much low end, loudness, kicks and strokes come up together, about 0 to 3."""
    kicks, struck = bars.drums[:, 0], bars.drums.sum(axis=1)
    usual_kicks = max(float(np.percentile(kicks, 75)), _LEAST_KICKS)
    usual_struck = max(float(np.percentile(struck, 75)), _LEAST_STROKES)
    rises = [
        (values[after].mean() - values[before].mean()) / usual
        for values, usual in (
            (bars.low, _LOW_RISE_DB),
            (bars.loudness, _LOUD_RISE_DB),
            (kicks, usual_kicks),
            (struck, usual_struck),
        )
    ]
    return float(np.clip(rises, -0.5, 1) @ np.array(_RISE_WEIGHTS))
