"""What fields of the bench offer of a project: clips, pulses, sounds that go with cues."""

from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId
from epiphane.document.lane import Accent, AccentSound
from epiphane.document.project import Project
from epiphane.edits.shots.shots import footage_name
from epiphane.facts.heard import can_be_heard
from epiphane.wording import tr


def clip_options(project: Project) -> list[tuple[str, str]]:
    """Return (key, what is read) of all footage that is seen."""
    return [(str(one.id), footage_name(one)) for one in project.footage if one.kind is not FootageKind.SOUND]


def pulse_options(project: Project) -> list[tuple[str, str]]:
    """Return (key, what is read) of all pulses."""
    return [(str(pulse.id), pulse.name) for pulse in project.pulses]


def accent_options(project: Project, none: str) -> list[tuple[str, str]]:
    """Return (key, what is read) of every sound that may go with cues; `none` is read where there is none."""
    own = [(str(one.id), footage_name(one)) for one in project.footage if can_be_heard(one)]
    return [("", none), *((one.value, tr(one.value)) for one in AccentSound), *own]


def accent_key(accent: Accent | None) -> str:
    """Return the key of an accent among the options."""
    if accent is None:
        return ""
    return accent.sound.value if isinstance(accent.sound, AccentSound) else str(accent.sound)


def accent_of(key: str) -> Accent | None:
    """Return the accent of a key, at its usual gain."""
    if not key:
        return None
    return Accent(FootageId(int(key)) if key.isdigit() else AccentSound(key))
