"""Which footage is heard under the song."""

from collections.abc import Iterator

from epiphane.document.footage import Footage, FootageKind
from epiphane.document.lane import AccentSound
from epiphane.document.project import Project
from epiphane.document.timeline import Item
from epiphane.facts.silent_rows import silent_rows


def can_be_heard(footage: Footage) -> bool:
    """Whether footage has sound."""
    return footage.has_sound or footage.kind is FootageKind.SOUND


def heard_items(project: Project) -> Iterator[tuple[Item, Footage]]:
    """Yield the items whose footage is heard under the song, each with that footage."""
    footage = {one.id: one for one in project.footage}
    silent = silent_rows(project)
    tracks = (track.items for track in project.tracks if track.id not in silent)
    for items in (project.shots, *tracks):
        for item in items:
            source = footage.get(item.footage) if item.footage is not None else None
            if item.sound is not None and source is not None and can_be_heard(source):
                yield item, source


def heard_footage(project: Project) -> tuple[Footage, ...]:
    """Return the footage that is heard with items, or with the cues of lanes."""
    used = {footage.id for _, footage in heard_items(project)}
    for lane in project.lanes:
        accents = (lane.accent, *(one.accent for one in lane.overrides))
        sounds = (one.sound for one in accents if one is not None)
        used |= {one for one in sounds if not isinstance(one, AccentSound)}
    return tuple(one for one in project.footage if one.id in used and can_be_heard(one))
