"""Which accent sounds lanes play, and when."""

from epiphane.audio.accents import AccentHit
from epiphane.document.project import Project
from epiphane.keying.schedule import Schedule
from epiphane.timing import frame_start


def accent_hits(project: Project, cues: Schedule) -> tuple[AccentHit, ...]:
    """Return the accents of all lanes that fire, ascending: their attacks are on the frames of their cues."""
    found = []
    for lane in cues.lanes:
        usual = lane.lane.accent
        if lane.is_silent or (usual is None and not any(one.accent for one in lane.lane.overrides)):
            continue
        for cue in lane.timing.firing:
            own = lane.own_accent(cue)
            accent = own or usual
            if accent is not None and cue.frame >= 0:
                time = frame_start(cue.frame, project.rate)
                found.append(AccentHit(round(time, 6), accent.sound, accent.gain))
    return tuple(sorted(found, key=lambda hit: hit.time))
