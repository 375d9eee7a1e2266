"""Edits of the song."""

from collections.abc import Callable

from msgspec.structs import replace

from epiphane.document.ids import PulseId
from epiphane.document.project import Project, with_items
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit
from epiphane.document.song import Song
from epiphane.edits.shots.followed_cuts import with_cuts_followed
from epiphane.edits.shots.pins import repinned
from epiphane.edits.song.form import with_own_parts
from epiphane.edits.song.regrid import move_cuts, moved_by
from epiphane.edits.song.same_form import times_by_form
from epiphane.errors import EditError
from epiphane.facts.grid import Bar, bar_at, bar_frames, bars_of
from epiphane.wording import tr

_SAME_BEAT_SECONDS = 0.006
STANDARD_PULSES = (("beats", PulseUnit.BEAT), ("bars", PulseUnit.BAR))


def set_song(project: Project, song: Song) -> Project:
    """Return `project` with another song.

    If it has the same form, shots, spans and changed cues stay on the beat of the same bar of the same part;
    what its form has no place for goes. Else cuts that were on a bar stay on the bar of that count.

    Raises
    ------
    EditError
        If the song is locked.
    """
    if project.song is not None and project.song.is_locked:
        raise EditError(tr("the song is locked; unlock it on its bench to open another."))
    project = _with_standard_pulses(project)
    changed = replace(project, song=song)
    old, new = bars_of(project), bars_of(changed)
    if project.song is not None:
        song = _with_form_of(song, project.song, lambda time: _placed(time, old, new))
        changed = replace(project, song=song)
    if project.song is not None and project.song.fingerprint != song.fingerprint:
        matched = times_by_form(project.song, song, old, new)
        if matched:
            return moved_by(project, changed, matched)
    place = dict(zip(bar_frames(old, project.rate), bar_frames(new, project.rate), strict=False))
    n_frames = changed.n_frames
    changed = with_items(
        changed, lambda items: move_cuts(items, lambda frame: place.get(frame, frame), n_frames)
    )
    return with_cuts_followed(project, repinned(changed, move=lambda hit: _placed(hit, old, new)))


def _with_form_of(song: Song, before: Song, place: Callable[[float], float]) -> Song:
    """Return a song with the parts and drops that the user set of the one before, where `place` says."""
    is_same = song.fingerprint == before.fingerprint
    move = (lambda time: time + before.start - song.start) if is_same else place

    def moved(time: float) -> float:
        return round(min(max(move(time), 0.0), song.duration), 6)

    own = [one for one in before.sections if one.is_own]
    own = [replace(one, start=moved(one.start), end=moved(one.end)) for one in own]
    kept = [one for one in own if one.end - one.start > _SAME_BEAT_SECONDS]
    if kept:
        song = replace(song, sections=with_own_parts(song.sections, kept))
    if before.has_own_drops:
        drops = sorted({moved(drop) for drop in before.drops} - {song.duration})
        song = replace(song, drops=tuple(drops), has_own_drops=True)
    return song


def lock_song(project: Project, *, is_locked: bool) -> Project:
    """Return `project` with its song and beats locked against change, or free again."""
    if project.song is None:
        raise EditError(tr("there is no song yet."))
    return replace(project, song=replace(project.song, is_locked=is_locked))


def _placed(hit: float, old: tuple[Bar, ...], new: tuple[Bar, ...]) -> float:
    """Return where a hit of the old song is in the new one: the same beat of the bar in its bar's place.

    Between beats, and where that bar has fewer, it keeps its share of the bar.
    """
    index = min(bar_at(old, hit), len(new) - 1)
    was, now = old[index], new[index]
    for time, instead in zip(was.beats, now.beats, strict=False):
        if abs(time - hit) < _SAME_BEAT_SECONDS:
            return instead
    return now.start + (hit - was.start) / was.duration * now.duration


def _with_standard_pulses(project: Project) -> Project:
    pulses, next_id = list(project.pulses), project.next_id
    for name, unit in STANDARD_PULSES:
        if not any((p.unit, p.every, p.first, p.keep) == (unit, 1, 0, 1.0) for p in pulses):
            pulses.append(Pulse(PulseId(next_id), name, HeardSource(unit)))
            next_id += 1
    return replace(project, pulses=tuple(pulses), next_id=next_id)
