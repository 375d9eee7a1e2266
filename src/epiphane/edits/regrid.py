"""Correcting the beat grid: everything keyed or cut to the old hits goes to the new ones."""

from collections.abc import Callable, Sequence

import numpy as np
from msgspec.structs import replace

from epiphane.document.hits import Ground, ground_of, hits_of
from epiphane.document.model import (
    Beat,
    Lane,
    Override,
    Project,
    PulseUnit,
    Section,
    Shot,
    Song,
)
from epiphane.errors import EditError
from epiphane.timing import frame_at

Move = Callable[[float], float]
_ON_BEAT_SECONDS = 0.05
_SAME_HIT_SECONDS = 0.006
GRID_UNITS = frozenset(
    (PulseUnit.BEAT, PulseUnit.BAR, PulseUnit.OFF_BEAT, PulseUnit.HALF, PulseUnit.THIRD, PulseUnit.QUARTER)
)


def song_of(project: Project) -> Song:
    """Return the song of a project, to be corrected.

    Raises
    ------
    EditError
        If there is none, or it is locked.
    """
    if project.song is None:
        raise EditError("there is no song yet.")
    if project.song.is_locked:
        raise EditError("the song is locked; unlock it on its bench to change its beats.")
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
    return replace(changed, lanes=lanes, shots=_moved_shots(project, song, move, n_frames))


def tempo_of(beats: Sequence[Beat]) -> float:
    """Return the usual tempo of beats in BPM; 0 where there are fewer than two."""
    if len(beats) < 2:
        return 0.0
    return round(60 / float(np.median(np.diff([beat.time for beat in beats]))), 3)


def move_cuts(shots: tuple[Shot, ...], place: Callable[[int], int], n_frames: int) -> tuple[Shot, ...]:
    """Return shots whose ends have moved; what lies past the end goes."""
    moved: list[Shot] = []
    for shot in shots:
        start, end = place(shot.start), min(place(shot.start + shot.n_frames), n_frames)
        if moved and start < moved[-1].start + moved[-1].n_frames:
            start = moved[-1].start + moved[-1].n_frames
        if end > start:
            moved.append(replace(shot, start=start, n_frames=end - start))
    return tuple(moved)


def _mover(matched: Sequence[tuple[float, float]]) -> Move:
    """Return where a time goes: between two matched beats by its share, beyond them along with the last."""
    if not matched:
        return lambda time: time
    old, new = (np.array(times) for times in zip(*matched, strict=True))

    def move(time: float) -> float:
        if time <= old[0]:
            return max(0.0, float(time + new[0] - old[0]))
        if time >= old[-1]:
            return float(time + new[-1] - old[-1])
        return float(np.interp(time, old, new))

    return move


def _moved_section(section: Section, beats: np.ndarray, move: Move, duration: float) -> Section:
    start, end = (_moved_mark(time, beats, move, duration) for time in (section.start, section.end))
    return Section(start, max(start, end), section.label, section.energy)


def _moved_mark(time: float, beats: np.ndarray, move: Move, duration: float) -> float:
    is_on_beat = len(beats) and float(np.abs(beats - time).min()) < _ON_BEAT_SECONDS
    return round(min(move(time), duration), 6) if is_on_beat else time


def _moved_overrides(old: Project, new: Project, move: Move) -> tuple[Lane, ...]:
    grounds = ground_of(old), ground_of(new)
    pulses = {pulse.id: pulse for pulse in old.pulses}
    lanes = []
    for lane in old.lanes:
        if not lane.overrides or lane.pulse not in pulses:
            lanes.append(lane)
            continue
        before, after = (
            np.array([hit.time for hit in hits_of(pulses[lane.pulse], ground)]) for ground in grounds
        )
        overrides: dict[float, Override] = {}
        for override in lane.overrides:
            hit = _moved_hit(override.hit, before, after, move)
            overrides.setdefault(hit, replace(override, hit=hit))
        lanes.append(replace(lane, overrides=tuple(overrides[hit] for hit in sorted(overrides))))
    return tuple(lanes)


def _moved_hit(hit: float, before: np.ndarray, after: np.ndarray, move: Move) -> float:
    """Return where the hit of an override is now: exactly on the pulse's hit where it still has one.

    A hit that did not move with the grid, of a drum or a tap, keeps its override.
    """
    if len(before) == 0 or np.abs(before - hit).min() > _SAME_HIT_SECONDS:
        return hit  # waiting for a hit that is not there
    if len(after) and np.abs(after - hit).min() < 1e-6 and not _has_moved(before, after):
        return hit
    wanted = move(hit)
    if len(after):
        nearest = float(after[np.abs(after - wanted).argmin()])
        if abs(nearest - wanted) < _SAME_HIT_SECONDS:
            return nearest
    return round(wanted, 6)


def _has_moved(before: np.ndarray, after: np.ndarray) -> bool:
    return len(before) != len(after) or bool(np.abs(before - after).max() > 1e-6)


def _moved_shots(project: Project, song: Song, move: Move, n_frames: int) -> tuple[Shot, ...]:
    """Return shots whose cuts on a hit of the grid are on it still."""
    times: dict[int, float] = {}
    ground = Ground(song, project.pulses, song.duration)
    # Beats last: where a frame has a beat and something between beats, it is the beat that was meant.
    for pulse in project.pulses:
        if pulse.unit in GRID_UNITS:
            times |= {frame_at(hit.time, project.rate): hit.time for hit in hits_of(pulse, ground)}
    times |= {frame_at(beat.time, project.rate): beat.time for beat in song.beats}

    def place(frame: int) -> int:
        return frame_at(move(times[frame]), project.rate) if frame in times else frame

    return move_cuts(project.shots, place, n_frames)
