"""Which mattes a project needs: of shots in front of which a track stands."""

from epiphane.document.footage import Footage
from epiphane.document.matte import Matte
from epiphane.document.project import Project


def needed_mattes(project: Project) -> list[tuple[Footage, Matte]]:
    """Return the mattes behind which something stands, with the footage that each is of."""
    behind = [
        item for track in project.tracks if track.is_behind and not track.is_muted for item in track.items
    ]
    footage = {one.id: one for one in project.footage}
    return [
        (footage[shot.footage], shot.matte)
        for shot in project.shots
        if shot.matte is not None and shot.footage in footage
        if any(item.start < shot.end and item.end > shot.start for item in behind)
    ]
