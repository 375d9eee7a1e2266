"""Trim of the song, its fades and gain."""

from collections.abc import Sequence
from fractions import Fraction

import numpy as np
from msgspec.structs import replace

from epiphane.document.lane import Lane, Span
from epiphane.document.project import Project, with_items, with_lanes
from epiphane.document.song import CutOff, Hit, Section, Song
from epiphane.document.timeline import Item
from epiphane.edits.checked import checked
from epiphane.edits.keying.sources import source_moved
from epiphane.edits.shots.followed_cuts import with_cuts_followed
from epiphane.edits.shots.pins import repinned
from epiphane.edits.shots.shots import cutting_hits, started_at
from epiphane.edits.song.regrid import song_of
from epiphane.errors import EditError
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.timing import frame_at, frames_covering
from epiphane.wording import tr

_LEAST_SECONDS = 1.0
_ROUNDING_SECONDS = 5e-6
_SAME_BEAT_SECONDS = 0.001


def file_duration(song: Song, heard: float | None = None) -> float:
    """Return how long the song's file is, as far as it is known: `heard` is its length in seconds."""
    return max(song.start + song.duration, heard or 0.0)


def trim_song(project: Project, start: float, end: float) -> Project:
    """Return `project` with its song from `start` to `end`, in seconds of the song's file.

    Cuts, overrides and taps stay on the sound they were on; what lies outside goes, but beats, drums and
    sections are kept for when the song is made longer again. An end within a millisecond of a beat is taken
    to be meant for it.

    Raises
    ------
    EditError
        If less than a second or less than a beat would be left, or the song is locked.
    """
    song = song_of(project)
    least = max(_LEAST_SECONDS, 60 / song.tempo if song.tempo else 0.0)
    whole = _whole(song)
    start, end = (_on_beat(max(0.0, round(time, 6)), whole) for time in (start, end))
    if end - start < least:
        raise EditError(tr("at least {least:.1f} s of the song must be left, a beat or more.", least=least))
    later = round(song.start - start, 6)
    cut = replace(
        _within(whole, start, end),
        start=start,
        duration=round(end - start, 6),
        before=_cut_off(whole, 0.0, start),
        after=_cut_off(whole, end, np.inf),
    )
    changed = with_lanes(
        project,
        song=cut,
        lanes=tuple(_moved_lane(lane, later) for lane in project.lanes),
        pulses=tuple(
            replace(one, source=source_moved(one.source, later, cut.duration)) for one in project.pulses
        ),
    )
    changed = with_lanes(changed, lanes=_on_hits(changed))
    hits = [beat.time for beat in song.beats] + [hit.time for hit in cutting_hits(project)]
    n_frames = frames_covering(cut.duration, project.rate)
    changed = with_items(changed, lambda items: _moved_shots(items, later, hits, project.rate, n_frames))
    changed = repinned(changed, move=lambda hit: hit + later)
    return with_cuts_followed(project, changed, later=later)


def shape_song(project: Project, **changes: float) -> Project:
    """Return `project` with fades or gain of its song changed, e.g. ``fade_in=2.0``.

    Raises
    ------
    EditError
        If a value is outside its range, or the fades are longer than the song together.
    """
    song = song_of(project)
    made = checked(replace(song, **changes), Song)
    if made.fade_in + made.fade_out > made.duration:
        raise EditError(tr("the fades are longer than the song."))
    return replace(project, song=made)


def whole_song(song: Song) -> Song:
    """Return a song with all of its file in use, as far as it was heard."""
    heard = [part.end for part in song.after.sections] + [beat.time for beat in song.after.beats]
    end = round(max(file_duration(song), *heard, 0.0), 6)
    return replace(_whole(song), start=0.0, duration=end, before=CutOff(), after=CutOff())


def _whole(song: Song) -> Song:
    """Return the song with everything that was heard in its file, in seconds of the file."""
    parts = (song.before, _in_file(song), song.after)
    drums = song.drums.mapped(lambda name: tuple(hit for part in parts for hit in part.drums.heard(name)))
    return replace(
        song,
        beats=tuple(beat for part in parts for beat in part.beats),
        drums=drums,
        sections=_cut_sections_merged([section for part in parts for section in part.sections]),
        drops=tuple(drop for part in parts for drop in part.drops),
    )


def _on_beat(time: float, whole: Song) -> float:
    near = [beat.time for beat in whole.beats if abs(beat.time - time) < _SAME_BEAT_SECONDS]
    return near[0] if near else time


def _in_file(song: Song) -> CutOff:
    return _shifted(CutOff(song.beats, song.drums, song.sections, song.drops), song.start)


def _within(whole: Song, start: float, end: float) -> Song:
    part = _shifted(_cut_off(whole, start, end), -start)
    return replace(whole, beats=part.beats, drums=part.drums, sections=part.sections, drops=part.drops)


def _cut_off(whole: Song, start: float, end: float) -> CutOff:
    """Return what was heard from `start` to `end`; sections that reach across are cut in two."""

    def inside(name: str) -> tuple[Hit, ...]:
        return tuple(hit for hit in whole.drums.heard(name) if start <= hit.time < end)

    return CutOff(
        beats=tuple(beat for beat in whole.beats if start <= beat.time < end),
        drums=whole.drums.mapped(inside),
        sections=tuple(
            replace(section, start=max(section.start, start), end=min(section.end, end))
            for section in whole.sections
            if min(section.end, end) - max(section.start, start) > 1e-6
        ),
        drops=tuple(drop for drop in whole.drops if start <= drop < end),
    )


def _shifted(part: CutOff, by: float) -> CutOff:
    def moved(time: float) -> float:
        return max(0.0, round(time + by, 6))

    def hits(name: str) -> tuple[Hit, ...]:
        return tuple(Hit(moved(hit.time), hit.strength) for hit in part.drums.heard(name))

    return CutOff(
        beats=tuple(replace(beat, time=moved(beat.time)) for beat in part.beats),
        drums=part.drums.mapped(hits),
        sections=tuple(
            replace(section, start=moved(section.start), end=moved(section.end)) for section in part.sections
        ),
        drops=tuple(moved(drop) for drop in part.drops),
    )


def _cut_sections_merged(sections: list[Section]) -> tuple[Section, ...]:
    """Return sections of which those that a trim has cut in two are one again."""
    made: list[Section] = []
    for section in sections:
        is_same = bool(made) and replace(made[-1], start=section.start, end=section.end) == section
        if is_same and abs(made[-1].end - section.start) < 1e-4:
            made[-1] = replace(made[-1], end=section.end)
        else:
            made.append(section)
    return tuple(made)


def _on_hits(project: Project) -> tuple[Lane, ...]:
    """Return lanes whose overrides are exactly on their hits again: both were rounded on their way."""
    context = hit_context_of(project)
    pulses = {pulse.id: pulse for pulse in project.pulses}
    lanes = []
    for lane in project.lanes:
        hits = hits_of(pulses[lane.pulse], context) if lane.overrides and lane.pulse in pulses else ()
        times = np.array([hit.time for hit in hits])
        overrides = []
        for override in lane.overrides:
            nearest = float(times[np.abs(times - override.hit).argmin()]) if len(times) else override.hit
            is_same = abs(nearest - override.hit) < _ROUNDING_SECONDS
            overrides.append(replace(override, hit=nearest) if is_same else override)
        lanes.append(replace(lane, overrides=tuple(overrides)))
    return tuple(lanes)


def _moved_lane(lane: Lane, later: float) -> Lane:
    overrides = tuple(
        replace(override, hit=round(override.hit + later, 6))
        for override in lane.overrides
        if override.hit + later > -1e-6
    )
    start, end = (
        None if edge is None else max(0.0, round(edge + later, 6))
        for edge in (lane.pick.start, lane.pick.end)
    )
    moved = [(max(0.0, round(one.start + later, 6)), round(one.end + later, 6)) for one in lane.spans]
    spans = tuple(Span(*span) for span in moved if span[1] > span[0])
    return replace(lane, overrides=overrides, pick=replace(lane.pick, start=start, end=end), spans=spans)


def _moved_shots(
    shots: tuple[Item, ...], later: float, hits: Sequence[float], rate: Fraction, n_frames: int
) -> tuple[Item, ...]:
    """Return shots on the sound they were on; one that begins before the song shows its later part.

    A cut on a hit, in seconds of the song as it was, is on the frame of that hit again.
    """
    step = frame_at(abs(later), rate) * (1 if later >= 0 else -1)
    on_hit = {frame_at(hit, rate): frame_at(hit + later, rate) for hit in hits}

    def place(frame: int) -> int:
        return on_hit.get(frame, frame + step)

    moved: list[Item] = []
    for shot in shots:
        start, end = place(shot.start), min(place(shot.start + shot.n_frames), n_frames)
        missing = max(0, -start)
        if end > max(start, 0):
            made = started_at(shot, shot.start + missing, rate) if missing else shot
            moved.append(replace(made, start=max(start, 0), n_frames=end - max(start, 0)))
    return tuple(moved)
