"""Edits of the song."""

from msgspec.structs import replace

from epiphane.document.grid import bar_frames, bars_of
from epiphane.document.model import HeardSource, Project, Pulse, PulseId, PulseUnit, Song
from epiphane.edits.regrid import move_cuts
from epiphane.errors import EditError

STANDARD_PULSES = (("beats", PulseUnit.BEAT), ("bars", PulseUnit.BAR))


def set_song(project: Project, song: Song) -> Project:
    """Return `project` with another song; cuts that were on a bar stay on the bar of that count.

    Raises
    ------
    EditError
        If the song is locked.
    """
    if project.song is not None and project.song.is_locked:
        raise EditError("the song is locked; unlock it on its bench to open another.")
    project = _with_standard_pulses(project)
    old_lines = bar_frames(bars_of(project), project.rate)
    changed = replace(project, song=song)
    new_lines = bar_frames(bars_of(changed), project.rate)
    place = dict(zip(old_lines, new_lines, strict=False))
    shots = move_cuts(project.shots, lambda frame: place.get(frame, frame), changed.n_frames)
    return replace(changed, shots=shots)


def lock_song(project: Project, *, is_locked: bool) -> Project:
    """Return `project` with its song and beats locked against change, or free again."""
    if project.song is None:
        raise EditError("there is no song yet.")
    return replace(project, song=replace(project.song, is_locked=is_locked))


def _with_standard_pulses(project: Project) -> Project:
    pulses, next_id = list(project.pulses), project.next_id
    for name, unit in STANDARD_PULSES:
        if not any((p.unit, p.every, p.first, p.keep) == (unit, 1, 0, 1.0) for p in pulses):
            pulses.append(Pulse(PulseId(next_id), name, HeardSource(unit)))
            next_id += 1
    return replace(project, pulses=tuple(pulses), next_id=next_id)
