"""Edits of imported footage: groups, the used part of a clip, its moments."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction
from typing import Any

from msgspec.structs import replace

from epiphane.document.footage import (
    MOST_MOMENTS_OF_A_CLIP,
    Footage,
    FootageKind,
    Moment,
    MomentCause,
    Take,
    take_at,
)
from epiphane.document.ids import FootageId
from epiphane.document.lane import Accent, Lane
from epiphane.document.project import Project, find, with_items, with_lanes
from epiphane.document.timeline import Item, Items
from epiphane.edits.items.tracks import delete_items
from epiphane.edits.picture import even_size, set_rate, set_size
from epiphane.edits.shots.panels import without_footage
from epiphane.edits.shots.pins import repinned
from epiphane.edits.shots.shots import footage_name, take_out
from epiphane.errors import EditError
from epiphane.media.probe import FootageFacts
from epiphane.media.search import FoundInClip
from epiphane.timing import usual_rate
from epiphane.wording import tr

_SMALLEST_PICTURE = 16
_LEAST_CLIP_SECONDS = 0.5
_MOVING_DRAWINGS = (".gif", ".webp", ".apng", ".avif")
# Two moments nearer than this are the same one, in seconds: less than a frame at 120 a second.
_SAME_SECONDS = 0.004


def add_footage(project: Project, found: Sequence[FootageFacts]) -> Project:
    """Return `project` with footage added; what is there already, by place or content, is not added again.

    A project without shots and items takes the size and rate that most of its clips have, unless the user has
    chosen them; clips that are too short, small or odd have no say.
    """
    is_used = bool(project.shots) or any(track.items for track in project.tracks)
    had_clip = any(_may_shape(footage) for footage in project.footage)
    known = {footage.path for footage in project.footage} | {f.fingerprint for f in project.footage}
    footage, next_id = list(project.footage), project.next_id
    for facts in found:
        if facts.path in known or facts.fingerprint in known:
            continue
        known |= {facts.path, facts.fingerprint}
        footage.append(_as_gathered(FootageId(next_id), facts))
        next_id += 1
    project = replace(project, footage=tuple(footage), next_id=next_id)
    may_shape = not (had_clip and is_used) and not project.is_shape_chosen
    return shape_by_footage(project) if may_shape else project


def shape_by_footage(project: Project) -> Project:
    """Return `project` with the size and the rate that most of its clips have, if any is fit for it.

    Of two that as many have it is that of the longer clips together, and then of the first.
    """
    clips = [one for one in project.footage if _may_shape(one)]
    sizes, rates = Counter[tuple[int, int]](), Counter[Fraction]()
    seconds: defaultdict[tuple[int, int] | Fraction, float] = defaultdict(float)
    for one in clips:
        size, rate = even_size(one.width, one.height), usual_rate(one.rate)
        rates[rate] += 1
        seconds[rate] += one.duration
        if min(one.width, one.height) >= _SMALLEST_PICTURE:
            sizes[size] += 1
            seconds[size] += one.duration
    if sizes:
        width, height = max(sizes, key=lambda size: (sizes[size], seconds[size]))
        project = set_size(project, width=width, height=height)
    if rates:
        project = set_rate(project, max(rates, key=lambda rate: (rates[rate], seconds[rate])))
    return replace(project, is_shape_chosen=False)


def known_already(project: Project, found: Iterable[FootageFacts]) -> list[str]:
    """Return the paths among what was found whose content is on the shelf already."""
    known = {footage.path for footage in project.footage} | {f.fingerprint for f in project.footage}
    return [facts.path for facts in found if facts.path in known or facts.fingerprint in known]


def remove_footage(project: Project, ids: Iterable[FootageId]) -> Project:
    """Return `project` without some footage and without the shots made of it; others take their places."""
    gone = set(ids)
    project = _without_panels(project, gone)
    without = take_out(project, [shot.id for shot in project.shots if shot.footage in gone])
    items = [item.id for track in project.tracks for item in track.items if item.footage in gone]
    without = delete_items(without, items) if items else without
    filling = replace(
        project.filling, footage=tuple(one for one in project.filling.footage if one not in gone)
    )
    kept = tuple(one for one in project.footage if one.id not in gone)
    without = with_lanes(without, (_without_clips(lane, gone) for lane in without.lanes))
    return replace(without, footage=kept, filling=filling)


def _without_panels(project: Project, gone: set[FootageId]) -> Project:
    """Return `project` with split screens without the panels of some footage; empty ones go."""
    empty = [shot.id for shot in project.shots if without_footage(shot, gone) is None]
    project = take_out(project, empty) if empty else project

    def edit(items: Items) -> Items:
        left = (without_footage(item, gone) for item in items)
        return tuple(item for item in left if item is not None)

    return with_items(project, edit)


def _without_clips(lane: Lane, gone: set[FootageId]) -> Lane:
    """Return a lane that shows and plays no footage that is gone."""
    if not lane.used_footage & gone:
        return lane
    if lane.words is not None and lane.words.footage in gone:
        lane = replace(lane, words=replace(lane.words, footage=None))

    def left(accent: Accent | None) -> Accent | None:
        return None if accent is not None and accent.sound in gone else accent

    overrides = (
        replace(one, clip=None if one.clip in gone else one.clip, accent=left(one.accent))
        for one in lane.overrides
    )
    kept = tuple(one for one in overrides if not one.says_nothing)
    clips = tuple(one for one in lane.clips if one not in gone)
    return replace(lane, clips=clips, accent=left(lane.accent), overrides=kept)


def change_footage(project: Project, footage_id: FootageId, **changes: Any) -> Project:
    """Return `project` with plain fields of some footage changed: ``name``, ``used_from``, ``used_to``.

    Raises
    ------
    EditError
        If nothing of the footage would be used.
    """
    footage = find(project.footage, footage_id, "footage")
    made = replace(footage, **changes)
    least = 0.0 if footage.kind is FootageKind.STILL else 0.5 / float(footage.rate)
    if not 0 <= made.used_from <= max(made.duration - least, 0) or made.end - made.used_from < least:
        raise EditError(tr("at least a frame of {footage} must be used", footage=footage_name(footage)))
    return _with_footage(project, made)


def put_in_group(project: Project, ids: Iterable[FootageId], group: str) -> Project:
    """Return `project` with footage in a group of the user's own; an empty name is none."""
    group, chosen = group.strip(), set(ids)
    footage = tuple(replace(one, group=group) if one.id in chosen else one for one in project.footage)
    groups = project.groups if not group or group in project.groups else (*project.groups, group)
    return replace(project, footage=footage, groups=groups)


def rename_group(project: Project, old: str, new: str) -> Project:
    """Return `project` with a group called otherwise; an empty name dissolves it."""
    new = new.strip()
    footage = tuple(replace(one, group=new) if one.group == old else one for one in project.footage)
    names = [new if name == old else name for name in project.groups]
    return replace(project, footage=footage, groups=tuple(dict.fromkeys(name for name in names if name)))


def relink(project: Project, places: Mapping[str, FootageFacts]) -> Project:
    """Return `project` with missing footage where it is now.

    Parameters
    ----------
    places
        By the path that is missing: the facts of the file that takes its place. Another version of it may
        be longer or shorter; what the user said of it stays as far as it fits.
    """
    footage = []
    for one in project.footage:
        facts = places.get(one.path)
        if facts is not None and facts.kind is one.kind:
            is_same = facts.fingerprint == one.fingerprint
            one = replace(  # noqa: PLW2901  # the loop goes over what it was
                _as_gathered(one.id, facts),
                name=one.name,
                group=one.group,
                used_from=one.used_from if one.used_from < facts.duration else 0.0,
                used_to=one.used_to,
                moments=tuple(moment for moment in one.moments if moment.time < facts.duration or is_same),
                takes=one.takes if is_same else (),
                passages=one.passages if is_same else (),
                damaged=one.damaged if is_same else 0.0,
                is_searched=one.is_searched and is_same,
            )
        footage.append(one)
    return replace(project, footage=tuple(footage))


def use_take(project: Project, footage_id: FootageId, seconds: float, *, is_used: bool) -> Project:
    """Return `project` with the take at an instant of some footage used when the song is filled, or not.

    Raises
    ------
    EditError
        If no take would be used.
    """
    footage = find(project.footage, footage_id, "footage")
    chosen = take_at(footage, seconds)
    takes = tuple(replace(take, is_used=is_used) if take is chosen else take for take in footage.takes)
    if takes and not any(take.is_used for take in takes):
        raise EditError(tr("at least one take of {footage} must be used", footage=footage_name(footage)))
    return _with_footage(project, replace(footage, takes=takes))


# Moments


def learn_of_footage(project: Project, fingerprint: str, found: FoundInClip) -> Project:
    """Return `project` with what was found in footage, by its fingerprint, beside what was accepted."""
    footage = []
    for one in project.footage:
        if one.fingerprint == fingerprint:
            kept = [moment for moment in one.moments if moment.is_accepted]
            fresh = [
                new for new in found.moments if all(abs(new.time - old.time) > _SAME_SECONDS for old in kept)
            ]
            one = replace(  # noqa: PLW2901
                one,
                moments=_in_order([*kept, *fresh]),
                takes=_with_choices(found.takes, one.takes),
                passages=found.passages,
                damaged=found.damaged,
                is_searched=True,
            )
        footage.append(one)
    return replace(project, footage=tuple(footage))


def add_moment(project: Project, footage_id: FootageId, seconds: float) -> Project:
    """Return `project` with a moment that the user sets; where there is one already it is accepted."""
    footage = find(project.footage, footage_id, "footage")
    if footage.kind is not FootageKind.VIDEO:
        raise EditError(tr("{footage} does not move: it has no moments", footage=footage_name(footage)))
    seconds = _in_footage(footage, seconds)
    others = [moment for moment in footage.moments if abs(moment.time - seconds) > _SAME_SECONDS]
    if len(others) >= MOST_MOMENTS_OF_A_CLIP:
        raise EditError(
            tr(
                "{footage} has {count} moments; no clip can have more.",
                footage=footage_name(footage),
                count=len(others),
            )
        )
    made = Moment(seconds, 1.0, MomentCause.HAND, is_accepted=True)
    return _with_footage(project, replace(footage, moments=_in_order([*others, made])))


def accept_moment(project: Project, footage_id: FootageId, seconds: float, *, is_accepted: bool) -> Project:
    """Return `project` with a moment accepted, or a proposal again."""
    footage, moment = _moment(project, footage_id, seconds)
    return _with_moment(project, footage, moment, replace(moment, is_accepted=is_accepted))


def move_moment(project: Project, footage_id: FootageId, seconds: float, *, to: float) -> Project:
    """Return `project` with a moment at another instant of its footage; that accepts it.

    Shots whose moment it is show the new one on their hit.
    """
    footage, moment = _moment(project, footage_id, seconds)
    to = _in_footage(footage, to)
    changed = _with_moment(project, footage, moment, replace(moment, time=to, is_accepted=True))

    def shown(item: Item) -> Item:
        pin = item.pin if item.footage == footage_id else None
        is_it = pin is not None and abs(pin.moment - moment.time) <= _SAME_SECONDS
        return replace(item, pin=replace(pin, moment=to)) if is_it and pin is not None else item

    return repinned(with_items(changed, lambda items: tuple(map(shown, items))))


def remove_moment(project: Project, footage_id: FootageId, seconds: float) -> Project:
    """Return `project` without a moment; shots that have it on a hit keep it there."""
    footage, moment = _moment(project, footage_id, seconds)
    left = tuple(other for other in footage.moments if other is not moment)
    return _with_footage(project, replace(footage, moments=left))


def _as_gathered(footage_id: FootageId, facts: FootageFacts) -> Footage:
    return Footage(
        id=footage_id,
        path=facts.path,
        fingerprint=facts.fingerprint,
        duration=facts.duration,
        width=facts.width,
        height=facts.height,
        rate=facts.rate,
        kind=facts.kind,
        has_sound=facts.has_sound,
        is_searched=facts.kind is not FootageKind.VIDEO,
        treatments=facts.treatments,
        has_alpha=facts.has_alpha,
    )


def _with_choices(takes: tuple[Take, ...], before: tuple[Take, ...]) -> tuple[Take, ...]:
    """Return takes with what the user had said of those that begin at the same instants."""
    unused = {take.start for take in before if not take.is_used}
    return tuple(replace(take, is_used=take.start not in unused) for take in takes)


def _moment(project: Project, footage_id: FootageId, seconds: float) -> tuple[Footage, Moment]:
    footage = find(project.footage, footage_id, "footage")
    for moment in footage.moments:
        if abs(moment.time - seconds) <= _SAME_SECONDS:
            return footage, moment
    raise EditError(
        tr(
            "{footage} has no moment at {seconds:.2f} s",
            footage=footage_name(footage),
            seconds=seconds,
        )
    )


def _with_moment(project: Project, footage: Footage, old: Moment, new: Moment) -> Project:
    others = [m for m in footage.moments if m is not old and abs(m.time - new.time) > _SAME_SECONDS]
    return _with_footage(project, replace(footage, moments=_in_order([*others, new])))


def _in_order(moments: Iterable[Moment]) -> tuple[Moment, ...]:
    return tuple(sorted(moments, key=lambda moment: moment.time))


def _in_footage(footage: Footage, seconds: float) -> float:
    last = max(0.0, footage.duration - 1 / float(footage.rate))
    return round(min(max(0.0, seconds), last), 6)


def _with_footage(project: Project, footage: Footage) -> Project:
    return replace(project, footage=tuple(footage if f.id == footage.id else f for f in project.footage))


def _may_shape(footage: Footage) -> bool:
    """Whether a film may be shaped after footage: a clip, no moving drawing and no fragment."""
    is_drawing = footage.path.lower().endswith(_MOVING_DRAWINGS) or footage.has_alpha
    return footage.kind is FootageKind.VIDEO and footage.duration >= _LEAST_CLIP_SECONDS and not is_drawing
