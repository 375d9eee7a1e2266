"""Edits of what has been gathered."""

from collections.abc import Iterable, Sequence
from fractions import Fraction
from pathlib import Path

from msgspec.structs import replace

from epiphane.document.model import Footage, FootageId, Project
from epiphane.edits.picture import even_size, set_rate, set_size
from epiphane.media.probe import FootageFacts

_SMALLEST_PICTURE = 16
_SLOWEST, _FASTEST = Fraction(10), Fraction(120)


def add_footage(project: Project, found: Sequence[FootageFacts]) -> Project:
    """Return `project` with footage added; files that are there already are not added again.

    The first footage of a project sets its size and rate, unless it is too small or odd to.
    """
    is_first = not project.footage
    known = {footage.path for footage in project.footage}
    footage, next_id = list(project.footage), project.next_id
    for facts in found:
        if facts.path in known:
            continue
        known.add(facts.path)
        footage.append(
            Footage(
                id=FootageId(next_id),
                path=facts.path,
                fingerprint=facts.fingerprint,
                duration=facts.duration,
                width=facts.width,
                height=facts.height,
                rate=facts.rate,
            )
        )
        next_id += 1
    project = replace(project, footage=tuple(footage), next_id=next_id)
    return _shaped_by(project, footage[0]) if is_first and footage else project


def remove_footage(project: Project, ids: Iterable[FootageId]) -> Project:
    """Return `project` without some footage and without the shots made of it."""
    gone = set(ids)
    return replace(
        project,
        footage=tuple(one for one in project.footage if one.id not in gone),
        shots=tuple(shot for shot in project.shots if shot.footage not in gone),
    )


def footage_name(footage: Footage) -> str:
    """Return the file's name without its suffix."""
    return Path(footage.path).stem


def _shaped_by(project: Project, footage: Footage) -> Project:
    if min(footage.width, footage.height) >= _SMALLEST_PICTURE:
        width, height = even_size(footage.width, footage.height)
        project = set_size(project, width=width, height=height)
    if _SLOWEST <= footage.rate <= _FASTEST:
        project = set_rate(project, footage.rate)
    return project
