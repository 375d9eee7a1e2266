"""Edits of the song."""

from msgspec.structs import replace

from epiphane.document.grid import bar_frames, bars_of
from epiphane.document.model import HeardSource, Project, Pulse, PulseId, PulseUnit, Shot, Song

STANDARD_PULSES = (("beats", PulseUnit.BEAT), ("bars", PulseUnit.BAR))


def set_song(project: Project, song: Song) -> Project:
    """Return `project` with another song; cuts that were on a bar stay on the bar of that count."""
    project = _with_standard_pulses(project)
    old_lines = bar_frames(bars_of(project), project.rate)
    changed = replace(project, song=song)
    new_lines = bar_frames(bars_of(changed), project.rate)
    return replace(changed, shots=_moved_lines(project.shots, old_lines, new_lines, changed.n_frames))


def _moved_lines(shots: tuple[Shot, ...], old: list[int], new: list[int], n_frames: int) -> tuple[Shot, ...]:
    """Return shots whose ends on an old line are on the new one; what lies past the end goes."""
    place = dict(zip(old, new, strict=False))
    moved: list[Shot] = []
    for shot in shots:
        start = place.get(shot.start, shot.start)
        end = min(place.get(shot.start + shot.n_frames, start + shot.n_frames), n_frames)
        if moved and start < moved[-1].start + moved[-1].n_frames:
            start = moved[-1].start + moved[-1].n_frames
        if end > start:
            moved.append(replace(shot, start=start, n_frames=end - start))
    return tuple(moved)


def _with_standard_pulses(project: Project) -> Project:
    pulses, next_id = list(project.pulses), project.next_id
    for name, unit in STANDARD_PULSES:
        if not any((p.unit, p.every, p.first, p.keep) == (unit, 1, 0, 1.0) for p in pulses):
            pulses.append(Pulse(PulseId(next_id), name, HeardSource(unit)))
            next_id += 1
    return replace(project, pulses=tuple(pulses), next_id=next_id)
