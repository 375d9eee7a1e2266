"""Edits of lanes that lay footage over the picture."""

from collections.abc import Collection, Sequence

from msgspec.structs import replace

from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, LaneId, PulseId
from epiphane.document.lane import Setting
from epiphane.document.project import Project, find, with_lanes
from epiphane.edits.keying.cues import CueKey, lay_overrides, override_of
from epiphane.edits.keying.lanes import add_lane, set_setting
from epiphane.edits.shots.shots import footage_name
from epiphane.errors import EditError
from epiphane.facts.overlays import overlay_envelope
from epiphane.wording import tr

OVERLAY_KEY = "overlay"


def add_overlay_lane(
    project: Project, clips: Sequence[FootageId], pulse: PulseId, *, blend: str | None = None
) -> Project:
    """Return `project` with a further lane that plays footage over the picture at each hit of a pulse.

    It is on for as long as the first of the clips is, whose moment is on the hit.

    Raises
    ------
    EditError
        If there is no such pulse, or something of it has no picture.
    """
    _check_pictures(project, clips)
    first = find(project.footage, clips[0], "footage")
    project = add_lane(project, OVERLAY_KEY, pulse, envelope=overlay_envelope(first, project.rate))
    lane = replace(project.lanes[-1], clips=tuple(clips), name=footage_name(first)[:100])
    project = with_lanes(project, (*project.lanes[:-1], lane))
    return project if blend is None else set_setting(project, lane.id, Setting("blend", blend))


def set_clips(project: Project, lane_id: LaneId, clips: Sequence[FootageId]) -> Project:
    """Return `project` with other footage for the cues of an overlay lane, one after the other.

    Raises
    ------
    EditError
        If there is no such lane, or something of it has no picture.
    """
    _check_pictures(project, clips)
    find(project.lanes, lane_id, "lane")
    lanes = (replace(one, clips=tuple(clips)) if one.id == lane_id else one for one in project.lanes)
    return with_lanes(project, lanes)


def set_cue_clip(project: Project, cues: Collection[CueKey], clip: FootageId | None) -> Project:
    """Return `project` with other footage for single cues of overlay lanes; None is what their lane plays."""
    if clip is not None:
        _check_pictures(project, [clip])
    for key in cues:
        made = replace(override_of(project, key), clip=clip)
        project = lay_overrides(project, {key[0]: [made]})
    return project


def _check_pictures(project: Project, clips: Sequence[FootageId]) -> None:
    for clip in clips:
        footage = find(project.footage, clip, "footage")
        if footage.kind is FootageKind.SOUND:
            raise EditError(
                tr(
                    "{footage} has no picture: lay clips or stills over the picture",
                    footage=footage_name(footage),
                )
            )
