"""Rows of the stack that are locked: edits that would change them are refused."""

from msgspec.structs import replace

from epiphane.document.lane import Lane
from epiphane.document.project import Project
from epiphane.document.timeline import Track
from epiphane.errors import EditError
from epiphane.wording import tr


def refuse_locked_rows(old: Project, new: Project) -> None:
    """Refuse an edit that changes a locked row; where it may go along with the song or the shots, it does.

    What is always allowed: to unlock, mute, solo and fold it, and to put it elsewhere in the stack.

    Raises
    ------
    EditError
        If a locked row would be changed or gone.
    """
    there = {row.id: row for row in new.stack}
    goes_along = (old.song, old.rate) != (new.song, new.rate) or old.shots is not new.shots
    for row in old.stack:
        made = there.get(row.id)
        if not row.is_locked or made is row or (made is not None and goes_along):
            continue
        if made is None or _bare(made) != _bare(row):
            raise EditError(tr("{name} is locked: unlock it first, on its bench", name=_name(row)))


def _bare(row: Lane | Track) -> Lane | Track:
    """Return a row without what may be changed of a locked one."""
    return replace(row, is_locked=False, is_solo=False, is_folded=False, is_muted=False)


def _name(row: Lane | Track) -> str:
    if row.name:
        return f"“{row.name}”"
    return f"the lane of {row.effect}" if isinstance(row, Lane) else "the track"
