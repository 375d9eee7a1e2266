"""Where shots stand: putting them in, moving, swapping and copying them, and shots of equal length."""

from collections.abc import Iterable, Sequence
from itertools import pairwise

from msgspec.structs import replace

from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, ItemId
from epiphane.document.project import Project, find, footage_of
from epiphane.document.timeline import FootageCut, Item, Pin
from epiphane.edits.shots.filling import fitting_footage
from epiphane.edits.shots.main_track import MainTrack, on_main_track
from epiphane.edits.shots.pins import pinned
from epiphane.edits.shots.shots import a_shot, beat_frames, picture_footage
from epiphane.errors import EditError
from epiphane.facts.grid import bar_frames, bars_of
from epiphane.wording import tr


def put_footage(project: Project, ids: Sequence[FootageId], frame: int, *, covers: bool) -> Project:
    """Return `project` with a shot of each footage from a frame on, each as long as the bar there.

    With `covers` they take the place of what lies there; without, that moves along.

    Raises
    ------
    EditError
        If there is no such footage, it is a sound, or the song ends there.
    """
    n_frames = length_there(project, frame)
    if project.song is not None and frame >= project.n_frames:
        raise EditError(tr("the song ends here: put the clip earlier"))

    def edit(track: MainTrack) -> None:
        for number, footage_id in enumerate(ids):
            footage = picture_footage(project, footage_id)
            start = frame + number * n_frames
            track.make_room(start, start + n_frames, covers=covers)
            before = [item for item in track.items if item.start < start]
            made = a_shot(track.new_id(), footage, start, start + n_frames, project.rate, before=before)
            track.put(made)

    return on_main_track(project, edit)


def length_there(project: Project, frame: int) -> int:
    """Return how many frames a clip takes that is put on a frame: as many as the bar there has."""
    lines = bar_frames(bars_of(project), project.rate)
    after = next((index for index, line in enumerate(lines) if line > frame), len(lines) - 1)
    return max(1, lines[after] - lines[after - 1]) if after > 0 else max(1, round(2 * project.rate))


def move_shots(project: Project, ids: Iterable[ItemId], frame: int) -> Project:
    """Return `project` with shots before the one that begins on a frame; others close up and make room.

    Raises
    ------
    EditError
        If `frame` is neither the beginning nor the end of a shot, or a locked one would move.
    """
    chosen = set(ids)
    edges = {edge for item in project.shots for edge in (item.start, item.end)}
    if frame not in edges:
        raise EditError(tr("shots are moved to the beginning or the end of another one"))
    taken = [item for item in project.shots if item.id in chosen]
    target = frame - sum(item.n_frames for item in taken if item.start < frame)

    def edit(track: MainTrack) -> None:
        for item in reversed(taken):
            track.items.remove(find(track.items, item.id, "shot"))
            track.close(item.start, item.end)
        track.open(target, sum(item.n_frames for item in taken))
        start = target
        for item in taken:
            track.put(track.moved(item, start - item.start))
            start += item.n_frames

    return on_main_track(project, edit)


def paste_shots(project: Project, copied: Sequence[Item], frame: int, *, covers: bool) -> Project:
    """Return `project` with copies of shots from a frame on, as far from one another as they are.

    With `covers` they take the place of what lies there; without, that moves along.

    Raises
    ------
    EditError
        If there is nothing to paste, its footage is gone, or the song ends there.
    """
    if not copied:
        raise EditError(tr("nothing is copied: select shots and copy them first (Ctrl+C)"))
    there = {one.id for one in project.footage}
    if any(item.footage is not None and item.footage not in there for item in copied):
        raise EditError(tr("the footage of what was copied is not in this project"))
    if project.song is not None and frame >= project.n_frames:
        raise EditError(tr("the song ends here: go to where the copies should begin"))
    frame = max(frame, 0)
    by = frame - copied[0].start
    n_frames = copied[-1].end - copied[0].start

    def edit(track: MainTrack) -> None:
        track.make_room(frame, frame + n_frames, covers=covers)
        track.put(*(replace(track.moved(item, by), id=track.new_id(), is_locked=False) for item in copied))

    return on_main_track(project, edit)


def swap_shots(project: Project, one_id: ItemId, other_id: ItemId) -> Project:
    """Return `project` with what two shots show exchanged; their places and their hits stay.

    Each is as long as the place it comes to, and shows its moment on the hit there.
    """
    one, other = (find(project.shots, number, "shot") for number in (one_id, other_id))
    made = {one.id: _at_place(project, other, one), other.id: _at_place(project, one, other)}
    return replace(project, shots=tuple(made.get(shot.id, shot) for shot in project.shots))


def _at_place(project: Project, content: Item, place: Item) -> Item:
    """Return what one shot shows at the place of another: what it begins with, or its moment on the hit."""
    rate = project.rate
    free = pinned(content, None, rate)
    made = replace(free, id=place.id, start=place.start, n_frames=place.n_frames, is_locked=place.is_locked)
    if content.pin is None or place.pin is None:
        return made
    return pinned(made, Pin(content.pin.moment, place.pin.hit), rate)


def shots_every(project: Project, shot_id: ItemId, *, n_beats: int) -> Project:
    """Return `project` with shots of `n_beats` each from a shot on to the end of the song.

    What the shots show is taken in turn; when it is used up, footage that is not shown yet comes, and then
    they come again: a clip goes on where it stopped. A moment goes to the hit nearest to where it was in its
    shot.

    Raises
    ------
    EditError
        If `n_beats` is under 1, or a locked shot would change.
    """
    first = find(project.shots, shot_id, "shot")
    if n_beats < 1:
        raise EditError(tr("a shot lasts 1 beat or more, got {n_beats}", n_beats=n_beats))
    lines = [frame for frame in beat_frames(project) if frame > first.start][n_beats - 1 :: n_beats]
    last = project.n_frames if project.song is not None else project.shots[-1].end
    edges = [first.start, *(frame for frame in lines if frame < last), last]
    shown = [item for item in project.shots if item.start >= first.start]
    used = {item.footage for item in project.shots}
    unused = [one for one in fitting_footage(project) if one.id not in used]

    def edit(track: MainTrack) -> None:
        track.items = [item for item in track.items if item.start < first.start]
        for number, (start, end) in enumerate(pairwise(edges)):
            source = shown[number % len(shown)]
            if number < len(shown):
                made = track.part(track.moved(source, start - source.start), start, end)
            elif number - len(shown) < len(unused):
                footage = unused[number - len(shown)]
                made = a_shot(track.new_id(), footage, start, end, project.rate, before=track.items)
            else:
                source = shown[(number - len(unused)) % len(shown)]
                made = replace(_going_on(project, track, source, start, end), id=track.new_id())
            track.put(made)

    return on_main_track(project, edit)


def _going_on(project: Project, track: MainTrack, source: Item, start: int, end: int) -> Item:
    """Return a shot that shows more of what another one shows."""
    footage = footage_of(project, source.footage)
    if footage is None or footage.kind is FootageKind.STILL or not isinstance(source.content, FootageCut):
        free = pinned(source, None, project.rate)
        return replace(free, start=start, n_frames=end - start, is_locked=False)
    made = a_shot(source.id, footage, start, end, project.rate, before=track.items)
    return replace(made, transform=source.transform)
