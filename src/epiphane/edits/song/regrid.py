"""Correcting the beat grid: cuts, overrides and sections move along with the hits they were on."""

from collections.abc import Callable, Sequence

import numpy as np
from msgspec.structs import replace

from epiphane.arrays import distance_to_nearest, nearest_index
from epiphane.document.lane import Lane, Override, Span
from epiphane.document.project import Project, with_items, with_lanes
from epiphane.document.pulse import (
    Pulse,
    PulseUnit,
)
from epiphane.document.song import Beat, Section, Song
from epiphane.document.timeline import Item
from epiphane.edits.shots.followed_cuts import with_cuts_followed
from epiphane.edits.shots.pins import repinned
from epiphane.errors import EditError
from epiphane.facts.hits import FORM_UNITS, HitContext, hit_context_of, hits_of
from epiphane.timing import frame_start, frames_at
from epiphane.types import FloatArray
from epiphane.wording import tr

Move = Callable[[FloatArray], FloatArray]
_ON_BEAT_SECONDS = 0.05
_SAME_HIT_SECONDS = 0.006
GRID_UNITS = frozenset(
    (
        PulseUnit.BEAT,
        PulseUnit.BAR,
        PulseUnit.OFF_BEAT,
        PulseUnit.HALF,
        PulseUnit.THIRD,
        PulseUnit.QUARTER,
        *FORM_UNITS,
    )
)


def follows_grid(pulse: Pulse) -> bool:
    """Whether the hits of a pulse are those of the beat grid, and move along when it is corrected."""
    return pulse.unit in GRID_UNITS


def song_of(project: Project) -> Song:
    """Return the song of a project, to be corrected.

    Raises
    ------
    EditError
        If there is none, or it is locked.
    """
    if project.song is None:
        raise EditError(tr("there is no song yet."))
    if project.song.is_locked:
        raise EditError(tr("the song is locked; unlock it on its bench to change its beats."))
    return project.song


def regrid(
    project: Project,
    beats: Sequence[Beat],
    *,
    matched: Sequence[tuple[float, float]],
    is_steady: bool = False,
) -> Project:
    """Return `project` on other beats; cuts, overrides, sections and drops go where their beats went.

    What sat between two beats keeps its share of the way; what sat on no hit stays where it was.

    Parameters
    ----------
    matched : pairs of seconds, ascending
        Old beats and where each of them is now. Beats that have no pair are new, or gone.
    """
    song = song_of(project)
    move = _mover(matched)
    old_beats = np.array([beat.time for beat in song.beats])
    changed_song = replace(
        song,
        beats=tuple(beats),
        tempo=tempo_of(beats),
        is_steady=is_steady,
        sections=tuple(_moved_section(section, old_beats, move, song.duration) for section in song.sections),
        drops=tuple(_moved_mark(drop, old_beats, move, song.duration) for drop in song.drops),
    )
    changed = replace(project, song=changed_song)
    lanes = _moved_overrides(project, changed, move)
    n_frames = changed.n_frames
    changed = with_lanes(changed, lanes=lanes)
    changed = with_items(changed, lambda items: _moved_items(project, items, song, move, n_frames))
    changed = repinned(changed, move=lambda hit: _moved_pin(hit, project, move))
    return with_cuts_followed(project, changed)


def moved_by(project: Project, changed: Project, matched: Sequence[tuple[float, float]]) -> Project:
    """Return `changed`, which is `project` with another song, with its edit where times are now.

    Parameters
    ----------
    matched : pairs of seconds, ascending
        Times of the old song and where each of them is in the new one.
    """
    move, song, n_frames = _mover(matched), song_of(project), changed.n_frames
    moved = with_lanes(changed, lanes=_moved_overrides(project, changed, move))
    moved = with_items(moved, lambda items: _moved_items(project, items, song, move, n_frames, all_move=True))
    moved = repinned(moved, move=lambda hit: float(move(np.array([hit]))[0]))
    return with_cuts_followed(project, moved)


def tempo_of(beats: Sequence[Beat]) -> float:
    """Return the usual tempo of beats in BPM; 0 where there are fewer than two."""
    if len(beats) < 2:
        return 0.0
    return round(60 / float(np.median(np.diff([beat.time for beat in beats]))), 3)


def move_cuts(shots: tuple[Item, ...], place: Callable[[int], int], n_frames: int) -> tuple[Item, ...]:
    """Return shots whose ends have moved; what lies past the end goes."""
    moved: list[Item] = []
    for shot in shots:
        start, end = place(shot.start), min(place(shot.start + shot.n_frames), n_frames)
        if moved and start < moved[-1].start + moved[-1].n_frames:
            start = moved[-1].start + moved[-1].n_frames
        if end > start:
            moved.append(replace(shot, start=start, n_frames=end - start))
    return tuple(moved)


def _moved_pin(hit: float, project: Project, move: Move) -> float:
    """Return where the hit of a moment goes: with the grid if it was on it, else it stays."""
    context = hit_context_of(project)
    on_grid = [hits_of(pulse, context) for pulse in project.pulses if follows_grid(pulse)]
    beats = project.song.beats if project.song is not None else ()
    times = [hit.time for hits in on_grid for hit in hits] + [beat.time for beat in beats]
    is_on_grid = any(abs(time - hit) < _SAME_HIT_SECONDS for time in times)
    return float(move(np.array([hit]))[0]) if is_on_grid else hit


def _mover(matched: Sequence[tuple[float, float]]) -> Move:
    """Return where times go: between two matched beats by their share, beyond them along with the last."""
    if not matched:
        return lambda times: times
    old, new = (np.array(times) for times in zip(*matched, strict=True))

    def move(times: FloatArray) -> FloatArray:
        beyond = np.where(times < old[0], times - old[0], np.where(times > old[-1], times - old[-1], 0.0))
        return np.asarray(np.maximum(np.interp(times, old, new) + beyond, 0.0))

    return move


def _moved_section(section: Section, beats: np.ndarray, move: Move, duration: float) -> Section:
    start, end = (_moved_mark(time, beats, move, duration) for time in (section.start, section.end))
    return replace(section, start=start, end=max(start, end))


def _moved_mark(time: float, beats: np.ndarray, move: Move, duration: float) -> float:
    after = int(np.searchsorted(beats, time))
    is_on_beat = any(
        abs(beats[n] - time) < _ON_BEAT_SECONDS for n in (after - 1, after) if 0 <= n < len(beats)
    )
    return round(min(float(move(np.array([time]))[0]), duration), 6) if is_on_beat else time


def _moved_overrides(old: Project, new: Project, move: Move) -> tuple[Lane, ...]:
    contexts = hit_context_of(old), hit_context_of(new)
    pulses = {pulse.id: pulse for pulse in old.pulses}
    lanes = []
    for lane in (_with_moved_spans(one, move, new) for one in old.lanes):
        if not lane.overrides or lane.pulse not in pulses:
            lanes.append(lane)
            continue
        before, after = (
            np.array([hit.time for hit in hits_of(pulses[lane.pulse], context)]) for context in contexts
        )
        wanted = _moved_hits(np.array([override.hit for override in lane.overrides]), before, after, move)
        overrides: dict[float, Override] = {}
        for override, hit in zip(lane.overrides, wanted.tolist(), strict=True):
            overrides.setdefault(hit, override if override.hit == hit else replace(override, hit=hit))
        lanes.append(replace(lane, overrides=tuple(overrides[hit] for hit in sorted(overrides))))
    return tuple(lanes)


def _with_moved_spans(lane: Lane, move: Move, new: Project) -> Lane:
    """Return a lane whose spans lie where their bars are now."""
    if not lane.spans:
        return lane
    length = float(new.n_frames / new.rate)
    ends = np.minimum(np.round(move(np.array([(one.start, one.end) for one in lane.spans])), 6), length)
    return replace(lane, spans=tuple(Span(a, b) for a, b in ends.tolist() if b > a))


def _moved_hits(hits: FloatArray, before: FloatArray, after: FloatArray, move: Move) -> FloatArray:
    """Return where the hits of overrides are now: exactly on the pulse's hit where it still has one.

    Overrides that wait for a hit that is not there stay as they are, and so do those whose hit did not move
    with the grid: of a drum or of taps, alone or combined with beats.
    """
    if len(before) == 0 or not _has_moved(before, after):
        return hits
    wanted = np.round(move(hits), 6)
    if len(after):
        nearest = after[nearest_index(after, wanted)]
        has_stayed = distance_to_nearest(after, hits) < 1e-6
        is_there = np.abs(nearest - wanted) < _SAME_HIT_SECONDS
        wanted = np.where(is_there, nearest, np.where(has_stayed, hits, wanted))
    is_waiting = distance_to_nearest(before, hits) > _SAME_HIT_SECONDS
    return np.where(is_waiting, hits, wanted)


def _has_moved(before: np.ndarray, after: np.ndarray) -> bool:
    return len(before) != len(after) or bool(np.abs(before - after).max() > 1e-6)


def _moved_items(
    project: Project,
    items: tuple[Item, ...],
    song: Song,
    move: Move,
    n_frames: int,
    *,
    all_move: bool = False,
) -> tuple[Item, ...]:
    """Return items of a row whose cuts on a hit of the grid are on it still; other cuts stay, or move too."""
    if not items:
        return ()
    ends = {end for item in items for end in (item.start, item.end)}
    context = HitContext(song, project.pulses, song.duration)
    at: dict[int, int] = {}
    # Beats last: where a frame has a beat and something between beats, it is the beat that was meant.
    grids = [hits_of(pulse, context) for pulse in project.pulses if follows_grid(pulse)]
    moments = [[hit.time for hit in hits] for hits in grids]
    for times in map(np.array, (*moments, [beat.time for beat in song.beats])):
        old, new = (frames_at(instants, project.rate).tolist() for instants in (times, move(times)))
        at |= {frame: to for frame, to in zip(old, new, strict=True) if frame in ends}
    others = sorted(ends - at.keys()) if all_move else []
    times = move(np.array([frame_start(frame, project.rate) for frame in others], np.float64))
    at |= dict(zip(others, frames_at(times, project.rate).tolist(), strict=True))
    return move_cuts(items, lambda frame: at.get(frame, frame), n_frames)
