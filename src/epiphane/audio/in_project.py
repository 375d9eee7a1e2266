"""Band hits and envelope followers of a project, worked out from the song that was heard."""

import numpy as np
from msgspec.structs import replace

from epiphane.audio.band_levels import SongLevels
from epiphane.document.lane import Follow, Lane, Trigger
from epiphane.document.project import Project, with_lanes
from epiphane.document.pulse import BandSource, Pulse
from epiphane.document.song import Hit

_SOUNDING = 0.3


def hits_in_band(levels: SongLevels, band: BandSource) -> BandSource:
    """Return a band with the hits that are found in it."""
    from epiphane.audio.bands import band_hits  # late: it loads much of SciPy

    found = band_hits(levels, band.low, band.high, band.threshold, band.gap)
    hits = tuple(Hit(round(float(time), 6), float(strength)) for time, strength in found)
    return replace(band, hits=hits)


def heard_in_band(levels: SongLevels, follow: Follow) -> Follow:
    """Return what a lane follows with the level of its band; `levels` are those of the whole file."""
    heard = np.rint(levels.level(follow.low, follow.high) * 255).astype(np.uint8)
    return replace(follow, heard=heard.tobytes())


def with_usual_range(follow: Follow) -> Follow:
    """Return what a lane follows with the levels it is mapped from as that band of the song moves.

    It is at rest at what the level has four tenths of the time while it sounds, at its peak near its loudest.
    """
    levels = np.frombuffer(follow.heard, np.uint8) / 255
    sounding = levels[levels > _SOUNDING]
    if len(sounding) == 0:
        return follow
    quiet, loud = np.percentile(sounding, (40, 98))
    return replace(follow, quiet=round(float(quiet), 3), loud=round(float(max(loud, quiet + 0.02)), 3))


def with_heard_bands(
    project: Project, used: SongLevels | None, whole: SongLevels | None, *, only_new: bool = False
) -> Project:
    """Return `project` with the hits of all its bands, and the levels its lanes follow, found in a song.

    Parameters
    ----------
    used, whole : SongLevels or None
        Of the part of the song that is used, and of its whole file; None where nothing sounds.
    only_new : bool
        Leave alone what was found before.
    """
    if used is None or whole is None:
        return project

    def pulse_with_hits(pulse: Pulse) -> Pulse:
        source = pulse.source
        if not isinstance(source, BandSource) or (only_new and source.hits):
            return pulse
        return replace(pulse, source=hits_in_band(used, source))

    def lane_with_levels(lane: Lane) -> Lane:
        if lane.trigger is not Trigger.FOLLOW or (only_new and lane.follow.heard):
            return lane
        return replace(lane, follow=heard_in_band(whole, lane.follow))

    pulses = tuple(pulse_with_hits(pulse) for pulse in project.pulses)
    return with_lanes(project, pulses=pulses, lanes=tuple(lane_with_levels(lane) for lane in project.lanes))
