"""Which rows of the stack do something."""

from epiphane.document.project import Project


def silent_rows(project: Project) -> frozenset[int]:
    """Return the numbers of the rows that do nothing: they are muted, or others are solo and they are not."""
    has_solo = any(row.is_solo for row in project.stack)
    return frozenset(row.id for row in project.stack if row.is_muted or (has_solo and not row.is_solo))
