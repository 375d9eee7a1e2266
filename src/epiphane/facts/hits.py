"""The hits of a pulse."""

import bisect
from collections.abc import Sequence
from functools import lru_cache
from typing import assert_never

import numpy as np
from msgspec import Struct

from epiphane.arrays import distance_to_nearest
from epiphane.document.ids import PulseId
from epiphane.document.project import Project
from epiphane.document.pulse import (
    BandSource,
    Combination,
    CombinedSource,
    HeardSource,
    Pulse,
    PulseUnit,
    Source,
    TappedSource,
    TempoSource,
)
from epiphane.document.song import BANDS, DRUMS, Beat, Hit, Song
from epiphane.facts.cuts import cut_hits
from epiphane.facts.form import parts_of
from epiphane.facts.stops import stops_of
from epiphane.facts.titles import landing_hits
from epiphane.types import FloatArray

FORM_UNITS = (PulseUnit.PART, PulseUnit.DROP, PulseUnit.BUILD_BAR, PulseUnit.STOP)
"""Those that come of the form of the song."""
N_BUILD_BARS = 4
"""How many bars before a drop lead to it."""
_SAME_BAR_SECONDS = 0.05
_DIVISIONS = {PulseUnit.HALF: 2, PulseUnit.THIRD: 3, PulseUnit.QUARTER: 4}
# How much a place in the bar weighs: its first beat, its middle, other beats, and what lies between.
_DOWNBEAT, _MIDDLE, _BEAT, _BETWEEN = 1.0, 0.8, 0.6, {2: 0.4, 3: 0.25, 4: 0.2}
_DRAWN_ANYWAY = {
    PulseUnit.BEAT,
    PulseUnit.BAR,
    PulseUnit.KICK,
    PulseUnit.SNARE,
    PulseUnit.HAT,
    PulseUnit.CUT,
}
_PLACE_TOLERANCE = 0.06
_AROUND_SECONDS = 8.0


class HitContext(Struct, frozen=True, cache_hash=True):
    """What the hits of pulses depend on beside themselves: the song, the other pulses, the length, the edit.

    `cuts` and `landings` are there where a pulse counts them.
    """

    song: Song | None
    pulses: tuple[Pulse, ...] = ()
    duration: float = 0.0
    cuts: tuple[Hit, ...] = ()
    landings: tuple[Hit, ...] = ()


def hit_context_of(project: Project) -> HitContext:
    """Return what the hits of a project's pulses depend on."""
    counted = {pulse.unit for pulse in project.pulses}
    cuts = cut_hits(project) if PulseUnit.CUT in counted else ()
    landings = landing_hits(project) if PulseUnit.LANDING in counted else ()
    return HitContext(project.song, project.pulses, float(project.n_frames / project.rate), cuts, landings)


def counts_cuts(pulse: Pulse, pulses: Sequence[Pulse]) -> bool:
    """Whether any hits of a pulse are those of cuts: its own, or of pulses that it is made of."""
    waiting, seen = [pulse], set()
    while waiting:
        one = waiting.pop()
        if one.unit is PulseUnit.CUT:
            return True
        seen.add(one.id)
        if isinstance(one.source, CombinedSource):
            parts = {one.source.one, one.source.other} - seen
            waiting += [other for other in pulses if other.id in parts]
    return False


def has_own_line(pulse: Pulse) -> bool:
    """Whether a pulse's hits are not those of the ruler, a drum or the shots, which are drawn anyway."""
    is_plain = (pulse.every, pulse.keep) == (1, 1.0)
    return not (is_plain and pulse.unit is not None and pulse.unit in _DRAWN_ANYWAY)


def stand_in_remark(project: Project) -> str:
    """Return what is to be known of drums that lanes fire on and that are not heard surely, or nothing."""
    song = project.song
    fired = {lane.pulse for lane in project.lanes}
    units = [pulse.unit.value for pulse in project.pulses if pulse.unit is not None and pulse.id in fired]
    found = [drum for drum in DRUMS if song is not None and drum in units and song.drums.stand_in(drum)]
    if song is None or not found:
        return ""
    texts = [f"the {song.drums.stand_in(drum)} hits stand in for the {drum}" for drum in found]
    return f"Not every drum is heard surely in this song: {', '.join(texts)}."


@lru_cache(maxsize=256)
def hits_of(pulse: Pulse, context: HitContext) -> tuple[Hit, ...]:
    """Return the hits of a pulse, ascending; none where what it comes from is not there.

    Every Nth hit of the grid is counted from the first downbeat, both ways, so that it falls on it; of
    other sources from their first hit.
    """
    return _HitFinder(context).hits(pulse)


class _HitFinder:
    """Works out the hits of a pulse; each one that it is made of once, however many are made of that."""

    def __init__(self, context: HitContext) -> None:
        self._context = context
        self._pulses = {pulse.id: pulse for pulse in context.pulses}
        self._done: dict[PulseId, tuple[Hit, ...]] = {}

    def hits(self, pulse: Pulse) -> tuple[Hit, ...]:
        """Return the hits of a pulse."""
        self._done[pulse.id] = ()  # what a pulse would find that is made of itself
        found, origin = self._source_hits(pulse.source)
        if pulse.every > 1:
            found = tuple(
                hit for index, hit in enumerate(found) if (index - origin - pulse.first) % pulse.every == 0
            )
        if pulse.keep < 1:
            order = importance_order(found, self._context.song)
            kept = sorted(order[: round(pulse.keep * len(found))])
            found = tuple(found[index] for index in kept)
        self._done[pulse.id] = found
        return found

    def _source_hits(self, source: Source) -> tuple[tuple[Hit, ...], int]:
        """Return the hits of a source, and the index of the one that counting begins with."""
        match source:
            case HeardSource(unit=PulseUnit.CUT):
                return self._context.cuts, 0
            case HeardSource(unit=PulseUnit.LANDING):
                return self._context.landings, 0
            case HeardSource(unit=unit):
                return ((), 0) if self._context.song is None else _heard_hits(unit, self._context.song)
            case BandSource(hits=hits) | TappedSource(hits=hits):
                return hits, 0
            case TempoSource(tempo=tempo, start=start):
                n_hits = max(0, int(np.ceil((self._context.duration - start) * tempo / 60)))
                return tuple(Hit(round(start + n * 60 / tempo, 6)) for n in range(n_hits)), 0
            case CombinedSource() as source:
                one, other = (self._hits_of_part(number) for number in (source.one, source.other))
                return combined(one, other, source.how, source.tolerance), 0
            case _:
                assert_never(source)

    def _hits_of_part(self, number: PulseId) -> tuple[Hit, ...]:
        if number in self._done or number not in self._pulses:
            return self._done.get(number, ())
        return self.hits(self._pulses[number])


def _heard_hits(unit: PulseUnit, song: Song) -> tuple[tuple[Hit, ...], int]:
    if unit.value in (*DRUMS, *BANDS):
        return song.drums.hits(unit.value), 0
    if unit in FORM_UNITS:
        return _form_hits(unit, song), 0
    beats = song.beats
    if unit is PulseUnit.BAR:
        beats = tuple(beat for beat in beats if beat.place == 1)
    origin = next((index for index, beat in enumerate(beats) if beat.place == 1), 0)
    if unit in (PulseUnit.BEAT, PulseUnit.BAR):
        return tuple(Hit(beat.time, beat.strength) for beat in beats), origin
    if unit is PulseUnit.OFF_BEAT:
        return _divided(beats, 2)[1:-1:2], origin
    n_parts = _DIVISIONS[unit]
    return _divided(beats, n_parts), origin * n_parts


def _form_hits(unit: PulseUnit, song: Song) -> tuple[Hit, ...]:
    """Return the starts of parts, the drops, the bars that lead to drops, ever stronger, or the stops."""
    if unit is PulseUnit.PART:
        return tuple(Hit(part.start, part.energy) for part in parts_of(song))
    if unit is PulseUnit.DROP:
        return tuple(Hit(drop) for drop in song.drops)
    if unit is PulseUnit.STOP:
        return stops_of(song)
    bars = [beat.time for beat in song.beats if beat.place == 1]
    found: dict[float, Hit] = {}
    for drop in song.drops:
        before = bars[: bisect.bisect_left(bars, drop - _SAME_BAR_SECONDS)][-N_BUILD_BARS:]
        for number, bar in enumerate(reversed(before)):
            found.setdefault(bar, Hit(bar, round(1 - number / (N_BUILD_BARS + 1), 3)))
    return tuple(found[bar] for bar in sorted(found))


def _divided(beats: Sequence[Beat], n_parts: int) -> tuple[Hit, ...]:
    """Return beats and what lies at even parts of the way between them: weaker, as it is played so."""
    if not beats:
        return ()
    numbers = np.arange((len(beats) - 1) * n_parts + 1)
    phase = numbers / n_parts
    times = np.interp(phase, np.arange(len(beats)), [beat.time for beat in beats])
    strengths = np.interp(phase, np.arange(len(beats)), [beat.strength for beat in beats])
    weights = np.array([1.0, *(_weight_between(part, n_parts) for part in range(1, n_parts))])
    strengths = np.round(strengths * weights[numbers % n_parts], 3)
    found = [
        Hit(time, strength)
        for time, strength in zip(np.round(times, 6).tolist(), strengths.tolist(), strict=True)
    ]
    found[::n_parts] = [Hit(beat.time, beat.strength) for beat in beats]
    return tuple(found)


def _weight_between(part: int, n_parts: int) -> float:
    return _BETWEEN[2 if 2 * part == n_parts else n_parts] / _BEAT


def combined(one: Sequence[Hit], other: Sequence[Hit], how: Combination, tolerance: float) -> tuple[Hit, ...]:
    """Return the hits of two pulses as one: hits within `tolerance` seconds are the same hit.

    Where both pulses have a hit, it is that of the first.
    """
    times, others = (np.array([hit.time for hit in hits]) for hits in (one, other))
    if how is Combination.EITHER:
        alone = is_near(others, times, tolerance)
        added = [hit for hit, near in zip(other, alone, strict=True) if not near]
        return tuple(sorted([*one, *added], key=lambda hit: hit.time))
    near = is_near(times, others, tolerance)
    return tuple(hit for hit, is_both in zip(one, near, strict=True) if is_both == (how is Combination.BOTH))


def is_near(times: FloatArray, others: FloatArray, tolerance: float) -> np.ndarray:
    """Return which times have one of the others within a tolerance.

    Parameters
    ----------
    times : float64, shape (n,), seconds
    others : float64, shape (m,), seconds, ascending
    tolerance : float, seconds

    Returns
    -------
    bool, shape (n,)
    """
    return np.asarray(distance_to_nearest(others, times) <= tolerance + 1e-9)


def importance_order(hits: Sequence[Hit], song: Song | None) -> list[int]:
    """Return the numbers of hits from the most to the least important: what a musician would keep.

    Half by strength, against the strongest within eight seconds so that quiet parts keep theirs; half by
    place in the bar. Of equals the earlier comes first.

    Parameters
    ----------
    hits : sequence of Hit, ascending in time
    song : Song or None
        Its bars say which place in the bar a hit has; without them strength alone counts.
    """
    if not hits:
        return []
    times = np.array([hit.time for hit in hits])
    strengths = np.array([hit.strength for hit in hits])
    first, end = (np.searchsorted(times, times + off) for off in (-_AROUND_SECONDS, _AROUND_SECONDS + 1e-9))
    loudest = np.array([strengths[a:b].max() for a, b in zip(first, end, strict=True)])
    weight = strengths / np.maximum(loudest, 1e-9) + _place_weights(times, song)
    return [int(index) for index in np.lexsort((times, -np.round(weight, 6)))]


def _place_weights(times: FloatArray, song: Song | None) -> FloatArray:
    """Return how much each time weighs by its place in the bar, 0 to 1."""
    weights = np.zeros(len(times))
    if song is None or len(song.beats) < 2:
        return weights
    beats = np.array([beat.time for beat in song.beats])
    on_beat = np.array(_beat_weights(song.beats))
    phase = np.interp(times, beats, np.arange(len(beats)))
    nearest = np.round(phase).astype(np.int64)
    for n_parts, weight in reversed(_BETWEEN.items()):
        off = np.abs(phase * n_parts - np.round(phase * n_parts)) / n_parts
        weights = np.where(off < _PLACE_TOLERANCE, weight, weights)
    is_on = np.abs(phase - nearest) < _PLACE_TOLERANCE
    inside = (times > beats[0] - 0.1) & (times < beats[-1] + 0.1)
    return np.where(inside, np.where(is_on, on_beat[nearest], weights), 0.0)


def _beat_weights(beats: Sequence[Beat]) -> list[float]:
    most = max(beat.place for beat in beats)
    middle = most // 2 + 1 if most in (4, 6) else 0
    return [_DOWNBEAT if beat.place == 1 else _MIDDLE if beat.place == middle else _BEAT for beat in beats]
