"""What an export needs that may be missing: faces of letters, looks, mattes that are still to be made."""

from collections.abc import Callable
from pathlib import Path

from epiphane.document.named_file import named_file
from epiphane.document.project import Project
from epiphane.document.titles import TextFill
from epiphane.errors import DiskError, MediaError
from epiphane.facts.mattes import needed_mattes
from epiphane.media.look_files import look_fault
from epiphane.media.mattes import make_matte
from epiphane.titles.faces import face_fault
from epiphane.wording import tr


def face_faults(project: Project) -> list[str]:
    """Return which faces of letters are missing or damaged, a sentence each."""
    fills = [item.content for track in project.tracks if not track.is_muted for item in track.items]
    texts = [one for one in fills if isinstance(one, TextFill)]
    texts += [lane.words for lane in project.lanes if lane.words is not None and not lane.is_muted]
    faults = dict.fromkeys(fault for text in texts if (fault := face_fault(text)))
    return [f"{fault.rstrip('.')}: other faces show its letters." for fault in faults]


def look_faults(project: Project) -> list[str]:
    """Return which looks are missing or damaged, a sentence each."""
    settings = (setting for lane in project.lanes if not lane.is_muted for setting in lane.settings)
    files = dict.fromkeys(file for setting in settings if (file := named_file(setting.peak)) is not None)
    return [tr("{fault}: it is left out.", fault=fault) for file in files if (fault := look_fault(file))]


def make_mattes(project: Project, go_on: Callable[[], None]) -> list[str]:
    """Make the mattes that a project needs and that are not there; return what went wrong."""
    faults = []
    for footage, matte in needed_mattes(project):
        try:
            make_matte(
                Path(footage.path), footage.fingerprint, matte, footage.rate, progress=lambda _: go_on()
            )
        except (MediaError, DiskError) as error:
            faults.append(f"Nothing stands behind the subject of {Path(footage.path).name}: {error}")
    return faults
