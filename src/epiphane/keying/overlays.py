"""What overlay lanes show: which footage, at which instant, and how it lies over the picture."""

from msgspec import Struct

from epiphane.declare.parameters import Values
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.lane import Lane
from epiphane.document.project import Project, footage_of
from epiphane.document.timeline import BlendMode, Fit, Transform
from epiphane.facts.overlays import moment_of
from epiphane.keying.schedule import Cue, Schedule
from epiphane.lane_kinds import HOLDS, OVERLAY, REPEATS


class OverlayFrame(Struct, frozen=True):
    """A picture of footage, `seconds` after its first, as an overlay lane lays it over."""

    footage: Footage
    seconds: float
    transform: Transform
    opacity: float
    blend: BlendMode


def overlay_at(project: Project, cues: Schedule, lane: Lane, frame: int) -> OverlayFrame | None:
    """Return what an overlay lane shows on a frame, or None where it shows nothing.

    On the frame of a cue's hit it is the moment of the footage.
    """
    scheduled = cues.lane(lane.id)
    at_work = None if scheduled is None else scheduled.cue_at(frame)
    if scheduled is None or at_work is None or scheduled.levels[frame] == 0:
        return None
    cue, turn = at_work
    footage = clip_of(project, lane, cue, turn)
    settings = scheduled.instance_of(cue, turn).settings
    values = Values(dict(OVERLAY.values_at(settings, float(scheduled.levels[frame]))))
    seconds = None if footage is None else _instant(project, footage, frame - cue.frame, values)
    if footage is None or seconds is None:
        return None
    place = values.scale / 100, values.across / 100, values.down / 100
    transform = Transform(Fit(values.fit), *place, rotation=values.rotation)
    return OverlayFrame(footage, seconds, transform, round(values.opacity / 100, 6), BlendMode(values.blend))


def clip_of(project: Project, lane: Lane, cue: Cue, turn: int) -> Footage | None:
    """Return which footage a cue of an overlay lane plays: its own, or the next of the lane's."""
    wanted = None if cue.override is None else cue.override.clip
    if wanted is None and lane.clips:
        wanted = lane.clips[turn % len(lane.clips)]
    found = footage_of(project, wanted)
    return None if found is None or found.kind is FootageKind.SOUND else found


def _instant(project: Project, footage: Footage, n_frames: int, values: Values) -> float | None:
    """Return the instant of footage so many frames after its moment, or None where nothing is shown."""
    if footage.kind is FootageKind.STILL:
        return 0.0
    seconds = moment_of(footage) + n_frames / float(project.rate) * values.speed / 100
    picture, length = 1 / float(footage.rate), footage.end - footage.used_from
    if values.after == REPEATS and length > picture:
        seconds = footage.used_from + (seconds - footage.used_from) % length
    elif values.after == HOLDS:
        seconds = min(max(seconds, footage.used_from), max(footage.end - picture, footage.used_from))
    is_there = footage.used_from - 1e-6 <= seconds < footage.end - 1e-6
    return round(max(seconds, 0.0), 9) if is_there else None
