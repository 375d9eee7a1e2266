"""Which accent sounds lanes play, and when."""

from epiphane.audio.accents import AccentHit
from epiphane.document.lane import AccentSound
from epiphane.document.project import Project
from epiphane.facts.heard import can_be_heard
from epiphane.keying.schedule import Schedule
from epiphane.timing import frame_start


def accent_hits(project: Project, cues: Schedule) -> tuple[AccentHit, ...]:
    """Return the accents of all lanes that fire, ascending: what of each is on the frame of its cue."""
    found = []
    footage = {one.id: one.fingerprint for one in project.footage if can_be_heard(one)}
    for lane in cues.lanes:
        usual = lane.lane.accent
        if lane.is_silent or (usual is None and not any(one.accent for one in lane.lane.overrides)):
            continue
        for cue in lane.timing.firing:
            own = lane.own_accent(cue)
            accent = own or usual
            if accent is None or cue.frame < 0:
                continue
            time = round(float(frame_start(cue.frame, project.rate)), 6)
            if isinstance(accent.sound, AccentSound):
                found.append(AccentHit(time, accent.sound, accent.gain, accent.point))
            elif accent.sound in footage:
                found.append(AccentHit(time, footage[accent.sound], accent.gain, accent.point))
    return tuple(sorted(found, key=lambda hit: hit.time))
