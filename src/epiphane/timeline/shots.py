"""What is on screen at a frame of the project."""

import bisect

from epiphane.document.model import Project, Shot


def shot_at(project: Project, frame: int) -> Shot | None:
    """Return the shot on screen on a frame, or None where there is none."""
    index = bisect.bisect_right(project.shots, frame, key=lambda shot: shot.start) - 1
    if index < 0:
        return None
    shot = project.shots[index]
    return shot if frame < shot.start + shot.n_frames else None
