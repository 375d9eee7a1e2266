"""Which hits of its pulse a lane takes, and how strongly its pattern lets them fire."""

import zlib
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from epiphane.document.lane import Lane
from epiphane.document.pick import Landmark, Pattern, Pick
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import Hit, Song
from epiphane.facts.form import parts_of
from epiphane.facts.grid import Bar, bars_of
from epiphane.facts.hits import HitContext, hits_of, is_near
from epiphane.facts.titles import landing_frame
from epiphane.timing import frames_at
from epiphane.types import BoolArray, FloatArray, IntArray

_EVERYTHING = Pick()
_SAME_SECONDS = 0.05
"""Hits of two pulses that are no farther apart are one: a drum is played beside its beat."""


class PickedHits(Struct, frozen=True):
    """The hits that fire, ascending, and the strength that the pattern gives each."""

    hits: tuple[Hit, ...] = ()
    strengths: tuple[float, ...] = ()


NOTHING = PickedHits()


def picked_hits(project: Project, lane: Lane, hits: tuple[Hit, ...], context: HitContext) -> PickedHits:
    """Return those of the hits of its pulse that a lane takes: by its pick, in its shots, and by hand.

    Parameters
    ----------
    hits : tuple of Hit, ascending
        All hits of the lane's pulse.
    context : HitContext
        Of `project`.
    """
    if not hits or (lane.pick == _EVERYTHING and not lane.shots and not lane.spans):
        return PickedHits(hits, (1.0,) * len(hits))
    times, strengths, kept = _by_own_rules(project, lane, hits)
    kept = kept[~is_near(times[kept], _times_of_other(project, lane, context), _SAME_SECONDS)]
    by_hand = [override.hit for override in lane.overrides if override.taken]
    added = np.flatnonzero(np.isin(np.round(times, 6), np.round(by_hand, 6)))
    added = added[~np.isin(added, kept)]
    strengths[added] = 1.0
    kept = np.union1d(kept, added)
    frames = frames_at(times[kept], project.rate)
    is_there = _are_within(frames_of_shots(project, lane), frames)
    landings = _own_landings(project, lane)
    kept = kept[is_there if landings is None else is_there & np.isin(frames, landings)]
    return PickedHits(tuple(hits[number] for number in kept.tolist()), tuple(strengths[kept].tolist()))


def frames_of_shots(project: Project, lane: Lane) -> tuple[tuple[int, int], ...] | None:
    """Return the frames (first, end) of the shots or items that a lane is for; None where it is for all."""
    if not lane.shots:
        return None
    on_tracks = (item for track in project.tracks for item in track.items)
    chosen = [item for item in (*project.shots, *on_tracks) if item.id in lane.shots]
    return tuple((shot.start, shot.start + shot.n_frames) for shot in chosen)


def _own_landings(project: Project, lane: Lane) -> list[int] | None:
    """Return the frames on which those titles land that a lane of landings is for; None of other lanes."""
    pulse = next((one for one in project.pulses if one.id == lane.pulse), None)
    if not lane.shots or pulse is None or pulse.unit is not PulseUnit.LANDING:
        return None
    items = (item for track in project.tracks for item in track.items if item.id in lane.shots)
    return [landing_frame(item, project.rate) for item in items]


def _are_within(spans: Sequence[tuple[int, int]] | None, frames: IntArray) -> BoolArray:
    if spans is None:
        return np.ones(len(frames), bool)
    within = [(frames >= first) & (frames < end) for first, end in spans]
    return np.any(within, axis=0) if within else np.zeros(len(frames), bool)


def _by_own_rules(
    project: Project, lane: Lane, hits: tuple[Hit, ...]
) -> tuple[FloatArray, FloatArray, IntArray]:
    """Return the times and strengths by the pattern of all hits, and which are taken; `without` apart."""
    pick, bars = lane.pick, bars_of(project)
    times, loudness = np.array([hit.time for hit in hits]), np.array([hit.strength for hit in hits])
    strengths = np.ones(len(hits))
    inside = are_inside(project.song, pick, times)
    if lane.spans:
        among = [(times >= span.start - 1e-3) & (times < span.end - 1e-3) for span in lane.spans]
        inside &= np.any(among, axis=0)
    kept = np.flatnonzero(inside)[pick.first :: pick.every]
    if pick.pattern is not None:
        strengths = _pattern_strengths(pick.pattern, bars, times)
        kept = kept[strengths[kept] > 0]
    kept = kept[loudness[kept] >= pick.above]
    if pick.strongest is not None:
        kept = _strongest(kept, loudness * strengths, _bar_of(bars, times), pick.strongest)
    if pick.chance < 1:
        kept = kept[chances(lane.seed, times[kept], "pick") < pick.chance]
    return times, strengths, kept


def _times_of_other(project: Project, lane: Lane, context: HitContext) -> FloatArray:
    """Return when the lane that this one keeps off fires, ascending."""
    other = next((one for one in project.lanes if one.id == lane.pick.without and one.id != lane.id), None)
    pulse = next((one for one in project.pulses if other is not None and one.id == other.pulse), None)
    hits = () if pulse is None else hits_of(pulse, context)
    if other is None or not hits:
        return np.empty(0)
    times, _, kept = _by_own_rules(project, other, hits)
    off = [override.hit for override in other.overrides if override.off]
    return times[kept][~np.isin(np.round(times[kept], 6), np.round(off, 6))]


def chances(seed: int, times: FloatArray, purpose: str = "") -> FloatArray:
    """Return numbers in [0, 1) that depend on a seed, a time and what they are for alone.

    Parameters
    ----------
    times : float64, shape (n,), seconds
        Told apart by microseconds.

    Returns
    -------
    float64, shape (n,), evenly spread: the finaliser of SplitMix64 (Steele et al., OOPSLA 2014)
    """
    start = np.uint64((seed * 0x9E3779B97F4A7C15 + zlib.crc32(purpose.encode())) & 0xFFFFFFFFFFFFFFFF)
    state = start + np.rint(times * 1e6).astype(np.uint64) * np.uint64(0xD1342543DE82EF95)
    for shift, factor in ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB)):
        state = (state ^ (state >> np.uint64(shift))) * np.uint64(factor)
    return np.asarray(((state ^ (state >> np.uint64(31))) >> np.uint64(11)) / 2.0**53, np.float64)


def are_inside(song: Song | None, pick: Pick, times: FloatArray) -> BoolArray:
    """Return which times lie in the range and in the sections of a pick.

    Parameters
    ----------
    song : Song or None
        Without one, no time lies in a section.
    pick : Pick
    times : float64, shape (n,), seconds

    Returns
    -------
    bool, shape (n,)
    """
    inside = np.ones(len(times), bool)
    if pick.start is not None:
        inside &= times >= pick.start - 1e-6
    if pick.end is not None:
        inside &= times < pick.end - 1e-6
    if pick.sections:
        parts = [one for one in parts_of(song) if one.label in pick.sections]
        among = [(times >= part.start - 1e-3) & (times < part.end - 1e-3) for part in parts]
        inside &= np.any(among, axis=0) if among else False
    if pick.only is not Landmark.ANY:
        inside &= is_near(times, _landmarks(song, pick.only), _SAME_SECONDS)
    return inside


def _landmarks(song: Song | None, kind: Landmark) -> FloatArray:
    """Return the times of the downbeats, or of the starts of sections, of a song, ascending."""
    if song is None:
        return np.empty(0)
    if kind is Landmark.SECTIONS:
        return np.array(sorted(part.start for part in parts_of(song)))
    return np.array([beat.time for beat in song.beats if beat.place == 1])


def _pattern_strengths(pattern: Pattern, bars: Sequence[Bar], times: FloatArray) -> FloatArray:
    """Return the strength of the cell whose beginning is nearest to each time."""
    places = bar_places(bars, times) / pattern.n_bars
    cells = np.floor(places * len(pattern.cells) + 0.5).astype(int) % len(pattern.cells)
    strengths: FloatArray = np.array(pattern.cells)
    return np.asarray(strengths[cells])


def bar_places(bars: Sequence[Bar], times: FloatArray) -> FloatArray:
    """Return where times lie, in bars from the beginning of bar 1, float64, the shape of `times`.

    Between bar lines it grows evenly; a bar that an end of the song cuts short is taken to be as long as its
    neighbour.

    Parameters
    ----------
    times : float64, any shape, in seconds of the song
    """
    starts, ends = (np.array([getattr(bar, side) for bar in bars]) for side in ("start", "end"))
    if len(bars) > 1:
        starts[0] = min(starts[0], ends[0] - (ends[1] - starts[1]))
        ends[-1] = max(ends[-1], starts[-1] + (ends[-2] - starts[-2]))
    index = _bar_of(bars, times)
    share = (times - starts[index]) / (ends[index] - starts[index])
    return np.asarray(np.array([bar.number for bar in bars])[index] - 1 + share)


def _bar_of(bars: Sequence[Bar], times: FloatArray) -> IntArray:
    """Return the index of the bar of each time; a hit a little before a bar line belongs to what follows."""
    lines = np.array([bar.start for bar in bars])
    return np.clip(np.searchsorted(lines, times + _SAME_SECONDS, side="right") - 1, 0, len(bars) - 1)


def _strongest(kept: IntArray, strengths: FloatArray, bars: IntArray, n: int) -> IntArray:
    """Return the so many strongest of every bar, in their order; of equals the earlier ones."""
    order = kept[np.lexsort((kept, -strengths[kept], bars[kept]))]
    starts = np.searchsorted(bars[order], bars[order], side="left")
    return np.sort(order[np.arange(len(order)) - starts < n])
