"""Edits of shots on the main track, where neighbours give and take frames."""

from collections.abc import Iterable, Sequence
from fractions import Fraction
from typing import Any

from msgspec.structs import replace

from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId, ItemId
from epiphane.document.project import Project, find
from epiphane.document.song import Hit
from epiphane.document.timeline import (
    FootageCut,
    Framing,
    Item,
    Move,
    Panel,
    Panels,
    Pin,
    Transform,
    cut_of,
    footage_item,
    with_cut,
)
from epiphane.edits.checked import checked
from epiphane.edits.shots.followed_cuts import with_cuts_followed
from epiphane.edits.shots.pins import pinned
from epiphane.errors import EditError
from epiphane.facts.grid import BLANK_BAR_SECONDS, bar_frames, bars_of
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.facts.source_time import anchor_frame, running_seconds
from epiphane.facts.speed import shifted
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr


def lay_in_row(project: Project, ids: Sequence[FootageId]) -> Project:
    """Return `project` with one shot of each footage laid after the last one, each to the next bar line.

    Raises
    ------
    EditError
        If there is no such footage, it is a sound, or the song has no room left for any of them.
    """
    lines = _lines(project, n_more=len(ids))
    at = _row_end(project)
    shots, next_id = list(project.shots), project.next_id
    for number, footage_id in enumerate(ids):
        footage = picture_footage(project, footage_id)
        end = next((line for line in lines if line > at), None)
        if end is None:
            if number == 0:
                raise EditError(
                    tr("the song is full: drop the clip on a shot to exchange it, or take one out")
                )
            break
        shots.append(a_shot(ItemId(next_id), footage, at, end, project.rate, before=shots))
        at, next_id = end, next_id + 1
    return replace(project, shots=tuple(shots), next_id=next_id)


def a_shot(
    shot_id: ItemId, footage: Footage, start: int, end: int, rate: Fraction, *, before: Sequence[Item] = ()
) -> Item:
    """Return a new shot between two frames: a still is slowly pushed in on, a clip goes on where it stopped.

    `before` are the shots that were made earlier.
    """
    if footage.kind is FootageKind.STILL:
        return footage_item(shot_id, footage.id, start, end - start, transform=Transform(move=Move.PUSH))
    seconds = frame_start(end - start, rate)
    used = [item for item in before if item.footage == footage.id]
    source = footage.used_from
    if used:
        after = running_seconds(used[-1], used[-1].end, rate)
        source = after if footage.used_from <= after <= footage.end - seconds else source
    return footage_item(shot_id, footage.id, start, end - start, source_start=round(source, 9))


def exchange_shots(project: Project, shot_id: ItemId, ids: Sequence[FootageId]) -> Project:
    """Return `project` with a shot made of other footage, and those after it of the rest of `ids` in turn.

    Their places stay; a moment on a hit gives its hit to the best moment of the new footage. What is left
    when the row ends is laid after it, as far as there is room.
    """
    first = project.shots.index(find(project.shots, shot_id, "shot"))
    shots = list(project.shots)
    for at, footage_id in zip(range(first, len(shots)), ids, strict=False):
        footage, old = picture_footage(project, footage_id), shots[at]
        end = old.start + old.n_frames
        made = a_shot(old.id, footage, old.start, end, project.rate, before=shots[:at])
        moment = footage.best_moment
        if old.pin is not None and moment is not None:
            made = pinned(made, Pin(moment.time, old.pin.hit), project.rate)
        shots[at] = replace(made, is_locked=old.is_locked)
    project, left = replace(project, shots=tuple(shots)), ids[len(shots) - first :]
    has_room = project.song is None or _row_end(project) < project.n_frames
    return lay_in_row(project, left) if left and has_room else project


def take_out(project: Project, ids: Iterable[ItemId]) -> Project:
    """Return `project` without some shots: the one before each runs on, or the one after begins earlier.

    At the end of a row that does not reach the end of the song nothing takes their place.
    """
    gone = set(ids)
    last = _row_end(project)
    runs_on = last >= project.n_frames > 0 and project.song is not None
    kept: list[Item] = []
    waiting: int | None = None  # where a gap began that nothing before it could take
    for index, shot in enumerate(project.shots):
        if shot.id not in gone:
            kept.append(shot if waiting is None else started_at(shot, waiting, project.rate))
            waiting = None
            continue
        end = shot.start + shot.n_frames
        has_later = any(later.id not in gone for later in project.shots[index + 1 :])
        if not has_later and not runs_on:
            continue
        if kept and kept[-1].start + kept[-1].n_frames == shot.start:
            kept[-1] = replace(kept[-1], n_frames=end - kept[-1].start)
        elif waiting is None:
            waiting = shot.start
    return with_cuts_followed(project, replace(project, shots=tuple(kept)))


def started_at(shot: Item, start: int, rate: Fraction) -> Item:
    """Return a shot that begins on another frame and shows on every other one what it did."""
    made = replace(shot, start=start, n_frames=shot.end - start)
    if shot.keys:
        later = shot.start - start
        made = replace(made, keys=tuple(replace(key, frame=key.frame + later) for key in shot.keys))
    if isinstance(shot.content, FootageCut):
        seconds = round(running_seconds(shot, start, rate), 9)
        later = anchor_frame(shot, rate) - anchor_frame(made, rate)
        made = with_cut(made, source_start=seconds, speed=shifted(shot.content.speed, later))
    if isinstance(shot.content, Panels):
        made = replace(made, content=_panels_later(shot.content, start - shot.start, rate))
    return pinned(made, made.pin, rate)


def _panels_later(panels: Panels, n_frames: int, rate: Fraction) -> Panels:
    """Return panels of a shot that begins so many frames later and shows what it did."""
    seconds = frame_start(n_frames, rate)

    def later(panel: Panel) -> Panel:
        speed = panel.cut.speed if isinstance(panel.cut.speed, float | int) else 1.0
        start = round(panel.cut.source_start + speed * seconds, 9)
        return replace(panel, cut=replace(panel.cut, source_start=start))

    return replace(panels, panels=tuple(map(later, panels.panels)))


def beats_of_shot(project: Project, shot_id: ItemId) -> int:
    """Return how many beats a shot lasts, the last one begun included."""
    shot = find(project.shots, shot_id, "shot")
    end = shot.start + shot.n_frames
    return max(1, sum(shot.start < frame <= end for frame in beat_frames(project)))


def move_shot(project: Project, shot_id: ItemId, direction: int) -> Project:
    """Return `project` with a shot a hit later (1) or earlier (-1): its neighbours give and take.

    Hits are those that cuts are counted on; a moment goes along to the hit after or before its own.

    Raises
    ------
    EditError
        If there is no hit to go to, or a neighbour would have nothing left.
    """
    shot = find(project.shots, shot_id, "shot")
    index, end = project.shots.index(shot), shot.start + shot.n_frames
    frames = sorted({frame_at(hit.time, project.rate) for hit in cutting_hits(project)} | {project.n_frames})
    start_to, end_to = (_next_among(frames, frame, direction) for frame in (shot.start, end))
    if start_to is None or end_to is None or end_to <= start_to:
        raise EditError(tr("there is no hit to move the shot to"))
    shots = list(project.shots)
    if index and shots[index - 1].start + shots[index - 1].n_frames in (shot.start, start_to):
        before = shots[index - 1]
        if start_to <= before.start:
            raise EditError(tr("the shot before would have nothing left; take it out first"))
        shots[index - 1] = pinned(replace(before, n_frames=start_to - before.start), before.pin, project.rate)
    if index + 1 < len(shots) and (shots[index + 1].start == end or shots[index + 1].start < end_to):
        after = shots[index + 1]
        if end_to >= after.start + after.n_frames:
            raise EditError(tr("the shot after would have nothing left; take it out first"))
        shots[index + 1] = started_at(after, end_to, project.rate)
    moved = replace(shot, start=start_to, n_frames=end_to - start_to)
    pin = shot.pin
    if pin is not None:
        hit = _next_hit(cutting_hits(project), pin.hit, direction)
        pin = replace(pin, hit=hit) if hit is not None else None
    shots[index] = pinned(moved, pin, project.rate)
    return with_cuts_followed(project, replace(project, shots=tuple(shots)))


def slip_shot(project: Project, shot_id: ItemId, *, source_start: float) -> Project:
    """Return `project` with a shot showing another part of its footage; its cuts stay, its moment is free.

    Raises
    ------
    EditError
        If there is no such shot.
    """
    shot = find(project.shots, shot_id, "shot")
    cut = cut_of(shot)
    footage = find(project.footage, cut.footage, "footage")
    latest = max(footage.used_from, footage.end - 1 / float(footage.rate))
    start = round(min(max(footage.used_from, source_start), latest), 9)
    return with_shot(project, replace(with_cut(shot, source_start=start, bounds=None), pin=None))


def pin_shot(project: Project, shot_id: ItemId, pin: Pin) -> Project:
    """Return `project` with a shot slipped so that its moment falls on a hit.

    Raises
    ------
    EditError
        If the hit is not within the shot, or the moment not within its footage.
    """
    shot = find(project.shots, shot_id, "shot")
    cut = cut_of(shot)
    footage = find(project.footage, cut.footage, "footage")
    if footage.kind is FootageKind.STILL:
        raise EditError(tr("a still has no moment: every frame of it is the same"))
    if not footage.used_from <= pin.moment < footage.end:
        raise EditError(
            tr(
                "the moment at {moment:.2f} s is not in the used part of {footage}",
                moment=pin.moment,
                footage=footage_name(footage),
            )
        )
    is_inside = cut.bounds is None or cut.bounds[0] <= pin.moment < cut.bounds[1]
    made = pinned(shot if is_inside else with_cut(shot, bounds=None), pin, project.rate)
    if made.pin is None:
        raise EditError(tr("the hit is not within the shot"))
    return with_shot(project, made)


def change_shot(project: Project, shot_id: ItemId, **changes: Any) -> Project:
    """Return `project` with plain fields of a shot, or of its footage, changed, e.g. ``is_locked=True``.

    Raises
    ------
    EditError
        If there is no such shot, or a value is out of range.
    """
    shot = find(project.shots, shot_id, "shot")
    of_cut = {name: changes.pop(name) for name in FootageCut.__struct_fields__ if name in changes}
    made = with_cut(shot, **of_cut) if of_cut else shot
    return with_shot(project, checked(replace(made, **changes), Item))


def change_shots(project: Project, ids: Iterable[ItemId], **changes: Any) -> Project:
    """Return `project` with plain fields of some shots, or of their footage, changed."""
    for shot_id in ids:
        project = change_shot(project, shot_id, **changes)
    return project


def frame_shots(project: Project, ids: Iterable[ItemId], **changes: Any) -> Project:
    """Return `project` with the framing of some shots changed, e.g. ``scale=1.2``.

    Raises
    ------
    EditError
        If there is no such shot, or a value is out of range.
    """
    for shot_id in ids:
        shot = find(project.shots, shot_id, "shot")
        made = replace(shot, transform=checked(replace(shot.transform, **changes), Transform))
        project = with_shot(project, made)
    return project


def frame_end(project: Project, ids: Iterable[ItemId], framing: Framing) -> Project:
    """Return `project` with the framing that some shots move to.

    Raises
    ------
    EditError
        If there is no such shot, or a value is out of range.
    """
    return frame_shots(project, ids, end=checked(framing, Framing))


def with_shot(project: Project, shot: Item) -> Project:
    """Return `project` with a shot in the place of that of the same id."""
    return replace(project, shots=tuple(shot if s.id == shot.id else s for s in project.shots))


def cutting_hits(project: Project) -> tuple[Hit, ...]:
    """Return the hits that cuts are counted on: of the pulse that fills the song, or the beats."""
    pulse = next((one for one in project.pulses if one.id == project.filling.pulse), None)
    if pulse is not None:
        return hits_of(pulse, hit_context_of(project))
    song = project.song
    if song is not None and song.beats:
        return tuple(Hit(beat.time, beat.strength) for beat in song.beats)
    return tuple(Hit(bar.start) for bar in bars_of(project))


def beat_frames(project: Project) -> list[int]:
    """Return the frames of all beats, ascending; of bars where nothing has a beat."""
    times = [beat.time for beat in project.song.beats] if project.song is not None else []
    return [frame_at(time, project.rate) for time in times] or _lines(project, n_more=8)


def picture_footage(project: Project, footage_id: FootageId) -> Footage:
    """Return footage that has a picture.

    Raises
    ------
    EditError
        If there is no such footage, or it is a sound.
    """
    footage = find(project.footage, footage_id, "footage")
    if footage.kind is FootageKind.SOUND:
        raise EditError(
            tr(
                "{footage} is a sound: it has no picture to lay in the row",
                footage=footage_name(footage),
            )
        )
    return footage


def footage_name(footage: Footage) -> str:
    """Return what footage is called: by the editor, else by its file's name without the suffix."""
    return footage.name or footage.path.rsplit("/", 1)[-1].rsplit(".", 1)[0]


def _lines(project: Project, *, n_more: int) -> list[int]:
    """Return the frames of the bar lines and of the end; where there is no song, bars go on."""
    if project.song is not None:
        return bar_frames(bars_of(project), project.rate)
    step = frame_at(BLANK_BAR_SECONDS, project.rate)
    n_bars = -(-_row_end(project) // step) + n_more
    return [frame_at(BLANK_BAR_SECONDS * n, project.rate) for n in range(n_bars + 1)]


def _row_end(project: Project) -> int:
    return max((shot.start + shot.n_frames for shot in project.shots), default=0)


def _next_among(frames: Sequence[int], frame: int, direction: int) -> int | None:
    found = [other for other in frames if (other - frame) * direction > 0]
    return None if not found else found[0] if direction > 0 else found[-1]


def _next_hit(hits: Sequence[Hit], time: float, direction: int) -> float | None:
    found = [hit.time for hit in hits if (hit.time - time) * direction > 1e-4]
    return None if not found else found[0] if direction > 0 else found[-1]
