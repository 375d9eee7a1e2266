"""Edits of the form of a song: where its parts begin, what they are like and called, where it drops."""

import string
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.project import Project, with_lanes
from epiphane.document.song import PART_KINDS, PartKind, Section, Song
from epiphane.edits.song.regrid import song_of
from epiphane.errors import EditError
from epiphane.facts.form import parts_of
from epiphane.wording import tr

_ENERGIES: dict[PartKind, float] = {"calm": 0.25, "build": 0.55, "full": 0.9, "break": 0.15}
_USUAL_BEAT = 0.5
_SAME_SECONDS = 0.05
MOST_NAME = 40


class SaidPart(Struct, frozen=True):
    """A part of a song as somebody says it: from where to where, in seconds, and one of `PART_KINDS`."""

    start: float
    end: float
    kind: PartKind


def shortest_part(song: Song) -> float:
    """Return the seconds that a part lasts at least: a beat."""
    return 60 / song.tempo if song.tempo else _USUAL_BEAT


def move_part(project: Project, number: int, start: float) -> Project:
    """Return `project` with a part of its song, by its number, beginning at other seconds than before.

    The part before it ends there.

    Raises
    ------
    EditError
        If it is the first one, or one of both would be shorter than a beat.
    """
    song, parts = song_of(project), _parts(project)
    if not 0 < number < len(parts):
        raise EditError(tr("the first part begins with the song: drag the start of another one"))
    before, part = parts[number - 1], parts[number]
    least = shortest_part(song) - 1e-3
    if start - before.start < least or part.end - start < least:
        raise EditError(tr("a part of the song lasts a beat at least"))
    at = round(start, 6)
    moved = _own(before, end=at), _own(part, start=at)
    return _with_parts(project, (*parts[: number - 1], *moved, *parts[number + 1 :]))


def split_part(project: Project, seconds: float) -> Project:
    """Return `project` with the part of its song at an instant split there; the second half has a new letter.

    A song without parts has two then.

    Raises
    ------
    EditError
        If one of both would be shorter than a beat.
    """
    song = song_of(project)
    parts = _parts(project) or (Section(0.0, song.duration, "A", "full", _ENERGIES["full"], True),)
    number = next((n for n, one in enumerate(parts) if one.start <= seconds < one.end), None)
    if number is None:
        raise EditError(tr("there is no part of the song here"))
    part, least = parts[number], shortest_part(song) - 1e-3
    if seconds - part.start < least or part.end - seconds < least:
        raise EditError(tr("a part of the song lasts a beat at least: split it farther from its ends"))
    at = round(seconds, 6)
    second = _own(part, start=at, name=_new_name(parts))
    return _with_parts(project, (*parts[:number], _own(part, end=at), second, *parts[number + 1 :]))


def join_part(project: Project, number: int) -> Project:
    """Return `project` with a part of its song joined to the one before it, which it becomes.

    Raises
    ------
    EditError
        If there is none before it.
    """
    parts = _parts(project)
    if not 0 < number < len(parts):
        raise EditError(tr("there is no part before this one to join it to"))
    joined = _own(parts[number - 1], end=parts[number].end)
    return _with_parts(project, (*parts[: number - 1], joined, *parts[number + 1 :]))


def rename_part(project: Project, number: int, name: str) -> Project:
    """Return `project` with a part of its song called otherwise; lanes that were in it by its name still are.

    Raises
    ------
    EditError
        If the name is empty or too long.
    """
    _part(project, number)
    words = " ".join(name.split())
    if not 0 < len(words) <= MOST_NAME:
        raise EditError(tr("a part's name has 1 to {most} letters", most=MOST_NAME))
    return _relabelled(project, number, name=words)


def set_part_kind(project: Project, number: int, kind: PartKind) -> Project:
    """Return `project` with a part of its song calm, a build, full or a break.

    Raises
    ------
    EditError
        If it is none of these.
    """
    if kind not in PART_KINDS:
        raise EditError(tr("a part is one of {names}, got {kind}", names=", ".join(PART_KINDS), kind=kind))
    _part(project, number)
    return _relabelled(project, number, kind=kind, energy=_ENERGIES[kind])


def put_drop(project: Project, seconds: float) -> Project:
    """Return `project` with a drop of its song at an instant.

    Raises
    ------
    EditError
        If that is outside the song.
    """
    song = song_of(project)
    if not 0 <= seconds < song.duration:
        raise EditError(
            tr(
                "a drop lies in the song, which lasts {duration:.2f} s, got {seconds:.2f} s",
                duration=song.duration,
                seconds=seconds,
            )
        )
    others = [one for one in song.drops if abs(one - seconds) > _SAME_SECONDS]
    return _with_drops(project, (*others, round(seconds, 6)))


def move_drop(project: Project, number: int, seconds: float) -> Project:
    """Return `project` with a drop, by its number, at another instant of the song."""
    song = song_of(project)
    others = (*song.drops[:number], *song.drops[number + 1 :])
    return put_drop(_with_drops(project, others), min(max(seconds, 0.0), song.duration - _SAME_SECONDS))


def remove_drop(project: Project, number: int) -> Project:
    """Return `project` without a drop of its song."""
    drops = song_of(project).drops
    return _with_drops(project, (*drops[:number], *drops[number + 1 :]))


def say_form(project: Project, parts: Sequence[SaidPart], drops: Sequence[float]) -> Project:
    """Return `project` with parts and drops of its song as somebody says them; what was heard fills the rest.

    Raises
    ------
    EditError
        If parts overlap, are shorter than a beat or reach beyond the song, or a drop lies outside it.
    """
    song = song_of(project)
    ordered = sorted(parts, key=lambda one: one.start)
    end = 0.0
    for part in ordered:
        words = f"the part from {part.start:g} to {part.end:g} s"
        if part.kind not in PART_KINDS:
            raise EditError(
                tr(
                    "{words} must be one of {names}, got {kind}",
                    words=words,
                    names=", ".join(PART_KINDS),
                    kind=part.kind,
                )
            )
        if part.end - part.start < shortest_part(song) - 1e-3:
            raise EditError(
                tr(
                    "{words} is shorter than a beat, {shortest_part:.2f} s",
                    words=words,
                    shortest_part=shortest_part(song),
                )
            )
        if part.start < 0 or part.end > song.duration + _SAME_SECONDS:
            raise EditError(
                tr(
                    "{words} reaches beyond the song, which lasts {duration:.2f} s",
                    words=words,
                    duration=song.duration,
                )
            )
        if part.start < end - 1e-6:
            raise EditError(tr("{words} overlaps the one before it", words=words))
        end = part.end
    made: list[Section] = []
    for part in ordered:
        name = _new_name((*song.sections, *made))
        at = round(part.start, 6), round(min(part.end, song.duration), 6)
        made.append(Section(*at, name, part.kind, _ENERGIES[part.kind], True))
    if made:
        project = replace(project, song=replace(song, sections=with_own_parts(song.sections, made)))
    for drop in drops:
        project = put_drop(project, drop)
    said = tuple(round(drop, 6) for drop in sorted(drops))
    return _with_drops(project, said) if drops else project


def as_heard(project: Project, sections: Sequence[Section], drops: Sequence[float]) -> Project:
    """Return `project` with the form of its song as it was heard; what was said of it is forgotten."""
    song = song_of(project)
    return replace(
        project, song=replace(song, sections=tuple(sections), drops=tuple(drops), has_own_drops=False)
    )


def with_own_parts(heard: Sequence[Section], own: Sequence[Section]) -> tuple[Section, ...]:
    """Return the parts of somebody's own among those that were heard, which are cut off where they begin.

    What is left of a heard part and shorter than a third of a second belongs to its neighbour.
    """
    pieces = list(own)
    for part in heard:
        free = [(part.start, part.end)]
        for one in own:
            free = [
                piece
                for start, end in free
                for piece in ((start, min(end, one.start)), (max(start, one.end), end))
                if piece[1] - piece[0] > 1e-6
            ]
        pieces += [replace(part, start=start, end=end) for start, end in dict.fromkeys(free)]
    pieces.sort(key=lambda one: one.start)
    made: list[Section] = []
    for piece in pieces:
        if made and piece.end - piece.start < _LEAST_PIECE and not piece.is_own:
            made[-1] = replace(made[-1], end=piece.end)
        else:
            made.append(piece)
    return tuple(made)


_LEAST_PIECE = 1 / 3


def _parts(project: Project) -> tuple[Section, ...]:
    return parts_of(song_of(project))


def _part(project: Project, number: int) -> Section:
    parts = _parts(project)
    if not 0 <= number < len(parts):
        raise EditError(tr("there is no such part of the song"))
    return parts[number]


def _own(part: Section, **changes: object) -> Section:
    return replace(part, is_own=True, **changes)


def _new_name(parts: Sequence[Section]) -> str:
    taken = {part.name for part in parts}
    letters = (*string.ascii_uppercase, *(f"{a}{b}" for a in "AB" for b in string.ascii_uppercase))
    return next((one for one in letters if one not in taken), "Z")


def _relabelled(project: Project, number: int, **changes: object) -> Project:
    """Return `project` with another name or kind of a part; lanes that are picked in it still are."""
    parts = _parts(project)
    changed = _own(parts[number], **changes)
    old, label = parts[number].label, changed.label
    project = _with_parts(project, (*parts[:number], changed, *parts[number + 1 :]))
    is_shared = any(one.label == old for n, one in enumerate(parts) if n != number)
    lanes = []
    for lane in project.lanes:
        names = lane.pick.sections
        if old in names and label not in names:
            names = (*names, label) if is_shared else tuple(label if one == old else one for one in names)
            lane = replace(lane, pick=replace(lane.pick, sections=names))  # noqa: PLW2901
        lanes.append(lane)
    return with_lanes(project, lanes=tuple(lanes))


def _with_parts(project: Project, parts: Sequence[Section]) -> Project:
    return replace(project, song=replace(song_of(project), sections=tuple(parts)))


def _with_drops(project: Project, drops: Sequence[float]) -> Project:
    return replace(project, song=replace(song_of(project), drops=tuple(sorted(drops)), has_own_drops=True))
