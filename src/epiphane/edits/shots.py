"""Edits of the row of shots, each of which is cut on a bar."""

from collections.abc import Iterable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.grid import BLANK_BAR_SECONDS, bar_frames, bars_of
from epiphane.document.model import Footage, FootageId, Project, Shot, ShotId, find
from epiphane.errors import EditError
from epiphane.timing import frame_at


class _Stretch(Struct, frozen=True):
    """A shot counted in bars rather than frames."""

    shot: Shot
    n_bars: int


def lay_in_row(project: Project, ids: Sequence[FootageId], *, bar: int | None = None) -> Project:
    """Return `project` with one shot of each footage laid in a row, each one bar long.

    Parameters
    ----------
    bar : int or None
        Index of the bar where the first goes; shots from there on move back. None: after the last.

    Raises
    ------
    EditError
        If there is no such footage, or the song has no room left.
    """
    if not ids:
        return project
    row = _row(project)
    n_free = len(bars_of(project)) - sum(stretch.n_bars for stretch in row)
    if project.song is not None and bar is None and n_free <= 0:
        raise EditError("the song is full: drop the clip on a shot to put it before it, or take one out")
    at, counted = 0, 0
    while at < len(row) and (bar is None or counted < bar):
        counted += row[at].n_bars
        at += 1
    next_id = project.next_id
    fresh: list[_Stretch] = []
    for footage_id in ids:
        footage = find(project.footage, footage_id, "footage")
        start = _next_part(footage, [*row, *fresh], project)
        fresh.append(_Stretch(Shot(ShotId(next_id), footage.id, 0, 1, start), 1))
        next_id += 1
    project = replace(project, next_id=next_id)
    return _laid(project, [*row[:at], *fresh, *row[at:]])


def fill_song(project: Project, ids: Sequence[FootageId]) -> Project:
    """Return `project` with shots of the footage in turn, a bar each, to the end of the song."""
    n_free = len(bars_of(project)) - sum(stretch.n_bars for stretch in _row(project))
    if not ids or n_free <= 0:
        return project
    return lay_in_row(project, [ids[index % len(ids)] for index in range(n_free)])


def remove_shots(project: Project, ids: Iterable[ShotId]) -> Project:
    """Return `project` without some shots; what comes after moves up."""
    gone = set(ids)
    return _laid(project, [stretch for stretch in _row(project) if stretch.shot.id not in gone])


def stretch_shot(project: Project, shot_id: ShotId, *, n_bars: int) -> Project:
    """Return `project` with one shot lasting another number of bars; what comes after moves.

    Raises
    ------
    EditError
        If there is no such shot, or `n_bars` is under 1.
    """
    find(project.shots, shot_id, "shot")
    if n_bars < 1:
        raise EditError(f"a shot lasts 1 bar or more, got {n_bars}")
    row = [_Stretch(s.shot, n_bars) if s.shot.id == shot_id else s for s in _row(project)]
    return _laid(project, row)


def bars_of_shot(project: Project, shot_id: ShotId) -> int:
    """Return how many bars a shot lasts."""
    return next((s.n_bars for s in _row(project) if s.shot.id == shot_id), 1)


def slip_shot(project: Project, shot_id: ShotId, *, source_start: float) -> Project:
    """Return `project` with a shot showing another part of its footage; its cuts stay.

    Raises
    ------
    EditError
        If there is no such shot.
    """
    shot = find(project.shots, shot_id, "shot")
    footage = find(project.footage, shot.footage, "footage")
    latest = max(0.0, footage.duration - 1 / float(footage.rate))
    slipped = replace(shot, source_start=min(max(0.0, source_start), latest))
    return replace(project, shots=tuple(slipped if s is shot else s for s in project.shots))


def _next_part(footage: Footage, row: Sequence[_Stretch], project: Project) -> float:
    """Return where in the footage a further shot starts: after the part used last, or anew."""
    bar = bars_of(project)[0].duration
    used = [s.shot.source_start + s.n_bars * bar for s in row if s.shot.footage == footage.id]
    if not used:
        return 0.0
    return used[-1] if used[-1] + bar <= footage.duration else 0.0


def _row(project: Project) -> list[_Stretch]:
    lines = bar_frames(bars_of(project), project.rate)

    def nearest(frame: int) -> int:
        return min(range(len(lines)), key=lambda index: abs(lines[index] - frame))

    return [
        _Stretch(shot, max(1, nearest(shot.start + shot.n_frames) - nearest(shot.start)))
        for shot in project.shots
    ]


def _laid(project: Project, row: Sequence[_Stretch]) -> Project:
    """Return `project` with the row on its bars; where there is no song, bars go on."""
    lines = bar_frames(bars_of(project), project.rate)
    if project.song is None:
        n_bars = sum(stretch.n_bars for stretch in row)
        lines = [frame_at(BLANK_BAR_SECONDS * n, project.rate) for n in range(n_bars + 1)]
    shots, at = [], 0
    for stretch in row:
        end = min(at + stretch.n_bars, len(lines) - 1)
        if end > at and lines[end] > lines[at]:
            shots.append(replace(stretch.shot, start=lines[at], n_frames=lines[end] - lines[at]))
        at = end
    return replace(project, shots=tuple(shots))
