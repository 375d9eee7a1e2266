"""Trims of shots: roll, ripple, slip, slide, split, join, delete, and how long a shot lasts."""

from collections.abc import Collection, Iterable, Iterator, Sequence
from enum import Enum

from msgspec.structs import replace

from epiphane.document.ids import ItemId
from epiphane.document.project import Project, find
from epiphane.document.timeline import Item, cut_of, with_cut
from epiphane.edits.shots.main_track import MainTrack, on_main_track, shot_name
from epiphane.edits.shots.pins import pinned
from epiphane.edits.shots.shots import beat_frames
from epiphane.errors import EditError
from epiphane.timing import frame_start
from epiphane.wording import tr


class TrimMode(Enum):
    """What becomes of others when a shot ends elsewhere.

    ROLL: the next one gives or takes; RIPPLE: all that follows moves along; OVERWRITE: it covers what is
    there, or leaves a gap.
    """

    ROLL = "roll"
    RIPPLE = "ripple"
    OVERWRITE = "overwrite"


def roll_cut(project: Project, left: ItemId, frame: int) -> Project:
    """Return `project` with the cut after a shot on another frame; what its neighbours show stays.

    It goes as far as each of them keeps a frame.

    Raises
    ------
    EditError
        If no shot begins where it ends, or one of both is locked.
    """

    def edit(track: MainTrack) -> None:
        index = track.index(left)
        before, after = track.items[index], _abutting(project, track, index)
        at = min(max(frame, before.start + 1), after.end - 1)
        track.items[index : index + 2] = [
            track.part(before, before.start, at),
            track.part(after, at, after.end),
        ]

    return on_main_track(project, edit)


def trim_end(project: Project, shot_id: ItemId, frame: int, *, ripple: bool) -> Project:
    """Return `project` with a shot ending before another frame.

    With `ripple`, what follows moves along; without, it leaves a gap, or takes of one as far as there is
    one.
    """

    def edit(track: MainTrack) -> None:
        index = track.index(shot_id)
        item = track.items[index]
        end = max(frame, item.start + 1)
        if ripple:
            track.shift(item.end, end - item.end)
        else:
            end = min(end, _room_after(project, track, index))
        track.items[index] = track.part(item, item.start, end)

    return on_main_track(project, edit)


def trim_shots(
    project: Project, shots: Collection[ItemId], by: int, *, is_end: bool, ripple: bool
) -> Project:
    """Return `project` with the same end of several shots moved by so many frames.

    Raises
    ------
    EditError
        If one of them cannot be trimmed so.
    """
    chosen = [item.id for item in project.shots if item.id in shots]
    for number in reversed(chosen):  # what follows moves along, and was trimmed already
        shot = find(project.shots, number, "shot")
        trim, edge = (trim_end, shot.end) if is_end else (trim_start, shot.start)
        project = trim(project, number, edge + by, ripple=ripple)
    return project


def trim_start(project: Project, shot_id: ItemId, frame: int, *, ripple: bool) -> Project:
    """Return `project` with a shot beginning with what it shows, or would show, on another frame.

    With `ripple` it stays where it begins, and what follows moves along; without, it leaves a gap or takes
    of one.
    """

    def edit(track: MainTrack) -> None:
        index = track.index(shot_id)
        item = track.items[index]
        start = min(frame, item.end - 1)
        if ripple:
            made = track.moved(track.part(item, start, item.end), item.start - start)
            track.items[index] = made
            track.items[index + 1 :] = [
                track.moved(one, item.start - start) for one in track.items[index + 1 :]
            ]
        else:
            first = track.items[index - 1].end if index else 0
            track.items[index] = track.part(item, max(start, first), item.end)

    return on_main_track(project, edit)


def slide_shots(project: Project, ids: Iterable[ItemId], by: int) -> Project:
    """Return `project` with shots some frames later, earlier below 0; their neighbours give and take.

    They show what they did. They go as far as every neighbour keeps a frame.

    Raises
    ------
    EditError
        If a locked shot would change.
    """
    chosen = set(ids)

    def edit(track: MainTrack) -> None:
        for first, last in list(_blocks(track.items, chosen)):
            _slide_block(project, track, first, last, by)

    return on_main_track(project, edit)


def _slide_block(project: Project, track: MainTrack, first: int, last: int, by: int) -> None:
    items = track.items
    start, end = items[first].start, items[last].end
    before = items[first - 1] if first else None
    after = items[last + 1] if last + 1 < len(items) else None
    is_joined = before is not None and before.end == start
    earliest = before.start + 1 if before is not None and is_joined else before.end if before else 0
    is_followed = after is not None and after.start == end
    latest = _room_after(project, track, last) if after is None or not is_followed else after.end - 1
    by = min(max(by, min(earliest - start, 0)), max(latest - end, 0))
    items[first : last + 1] = [track.moved(item, by) for item in items[first : last + 1]]
    if before is not None and is_joined:
        items[first - 1] = track.part(before, before.start, start + by)
    if after is not None and is_followed:
        items[last + 1] = track.part(after, end + by, after.end)


def slip_shots(project: Project, ids: Iterable[ItemId], by: int) -> Project:
    """Return `project` with shots that show what they showed some frames later; below 0, earlier.

    Their places stay, and their moments are free.
    """
    chosen = set(ids)
    shots = []
    for shot in project.shots:
        if shot.id not in chosen or shot.footage is None:
            shots.append(shot)
            continue
        free = pinned(shot, None, project.rate)
        cut = cut_of(free)
        seconds = frame_start(by, project.rate) * (1.0 if isinstance(cut.speed, tuple) else cut.speed or 1.0)
        shots.append(with_cut(free, source_start=round(cut.source_start + seconds, 9), bounds=None))
    return replace(project, shots=tuple(shots))


def split_at(project: Project, frames: Iterable[int], ids: Iterable[ItemId] | None = None) -> Project:
    """Return `project` with shots cut in two on some frames; of `ids` alone, where they are given.

    Raises
    ------
    EditError
        If no shot goes across any of them.
    """
    chosen = None if ids is None else set(ids)

    def edit(track: MainTrack) -> None:
        places = [
            frame
            for frame in sorted(set(frames))
            if any(
                item.start < frame < item.end and (chosen is None or item.id in chosen)
                for item in project.shots
            )
        ]
        if not [frame for frame in places if track.split(frame)]:
            raise EditError(tr("there is no shot to be split there"))

    return on_main_track(project, edit)


def join_shots(project: Project, ids: Iterable[ItemId]) -> Project:
    """Return `project` with neighbouring shots of `ids` as one each: the first goes on over the others.

    Raises
    ------
    EditError
        If no two of them are neighbours.
    """
    chosen = set(ids)

    def edit(track: MainTrack) -> None:
        blocks = [(first, last) for first, last in _blocks(track.items, chosen) if last > first]
        if not blocks:
            raise EditError(tr("select shots beside one another to join them (Shift + click)"))
        for first, last in reversed(blocks):
            whole = track.part(track.items[first], track.items[first].start, track.items[last].end)
            track.items[first : last + 1] = [whole]

    return on_main_track(project, edit)


def delete_shots(project: Project, ids: Iterable[ItemId], *, ripple: bool) -> Project:
    """Return `project` without shots: what follows moves up with `ripple`, else a gap is left."""
    chosen = set(ids)

    def edit(track: MainTrack) -> None:
        for item in reversed(list(track.items)):
            if item.id in chosen:
                track.items.remove(item)
                if ripple:
                    track.close(item.start, item.end)

    return on_main_track(project, edit)


def close_gap(project: Project, frame: int) -> Project:
    """Return `project` without the gap on a frame: what follows moves up.

    Raises
    ------
    EditError
        If there is a shot on that frame, or none after it.
    """

    def edit(track: MainTrack) -> None:
        gap = gap_at(project, frame)
        if gap is None or gap[1] >= max(track.end, 1):
            raise EditError(tr("there is no gap between shots here"))
        track.close(*gap)

    return on_main_track(project, edit)


def gap_at(project: Project, frame: int) -> tuple[int, int] | None:
    """Return the frames (first, end) around a frame on which no shot is, or None where one is."""
    first, end = 0, max(project.n_frames, frame + 1)
    for item in project.shots:
        if item.start <= frame < item.end:
            return None
        if item.end <= frame:
            first = item.end
        elif item.start > frame:
            return first, item.start
    return first, end


def end_shot(project: Project, shot_id: ItemId, frame: int, mode: TrimMode = TrimMode.ROLL) -> Project:
    """Return `project` with a shot ending before another frame; `mode` says what becomes of the others.

    Raises
    ------
    EditError
        If the shot would have no frame or end after the song, if the next one has not enough to give, or a
        locked one would change.
    """
    shot = find(project.shots, shot_id, "shot")
    most = project.n_frames if project.song is not None else frame
    if not shot.start < frame <= most:
        raise EditError(
            tr(
                "{shot} must end on frame {start}..{most}, got {frame}",
                shot=shot_name(project, shot),
                start=shot.start + 1,
                most=most,
                frame=frame,
            )
        )
    if mode is TrimMode.RIPPLE:
        return trim_end(project, shot_id, frame, ripple=True)

    def edit(track: MainTrack) -> None:
        index = track.index(shot_id)
        after = track.items[index + 1] if index + 1 < len(track.items) else None
        if mode is TrimMode.OVERWRITE:
            track.clear(shot.end, frame)
        elif after is not None and frame >= after.end:
            raise EditError(
                tr(
                    "{shot} after it has {n_frames} frames and cannot give {frame}: push the rest"
                    " along, or cover it",
                    shot=shot_name(project, after),
                    n_frames=after.n_frames,
                    frame=frame - after.start,
                )
            )
        elif after is not None and (after.start == shot.end or after.start < frame):
            track.items[index + 1] = track.part(after, frame, after.end)
        index = track.index(shot_id)
        track.items[index] = track.part(track.items[index], shot.start, frame)

    return on_main_track(project, edit)


def stretch_shot(
    project: Project, shot_id: ItemId, *, n_beats: int, mode: TrimMode = TrimMode.ROLL
) -> Project:
    """Return `project` with one shot lasting another number of beats, or to the end of the song.

    Raises
    ------
    EditError
        If there is no such shot, `n_beats` is under 1, or as `end_shot` says.
    """
    shot = find(project.shots, shot_id, "shot")
    if n_beats < 1:
        raise EditError(tr("a shot lasts 1 beat or more, got {n_beats}", n_beats=n_beats))
    later = [frame for frame in beat_frames(project) if frame > shot.start]
    end = later[n_beats - 1] if n_beats <= len(later) else project.n_frames
    return end_shot(project, shot_id, max(end, shot.start + 1), mode)


def _blocks(items: Sequence[Item], chosen: set[ItemId]) -> Iterator[tuple[int, int]]:
    """Yield (first, last) of the chosen items that follow one another without a gap."""
    first = None
    for index, item in enumerate(items):
        if item.id not in chosen:
            continue
        if first is None or items[index - 1].id not in chosen or items[index - 1].end != item.start:
            first = index
        is_last = index + 1 == len(items) or items[index + 1].id not in chosen
        if is_last or items[index + 1].start != item.end:
            yield first, index


def _abutting(project: Project, track: MainTrack, index: int) -> Item:
    item = track.items[index]
    if index + 1 == len(track.items) or track.items[index + 1].start != item.end:
        raise EditError(
            tr(
                "no shot begins where {shot} ends: drag its end instead",
                shot=shot_name(project, item),
            )
        )
    return track.items[index + 1]


def _room_after(project: Project, track: MainTrack, index: int) -> int:
    """Return the frame up to which there is nothing after an item: the next one, or the song's end."""
    if index + 1 < len(track.items):
        return track.items[index + 1].start
    return project.n_frames if project.song is not None else 1 << 30
