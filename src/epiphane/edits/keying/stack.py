"""Edits of the stack: the order in which its rows, lanes and tracks, act."""

from collections.abc import Collection

from msgspec.structs import replace

from epiphane.document.project import Project, find


def move_row(project: Project, row_id: int, *, to: int) -> Project:
    """Return `project` with a row of the stack at another place in it.

    Raises
    ------
    EditError
        If there is no such row.
    """
    moved = find(project.stack, row_id, "row of the stack")
    others = [row for row in project.stack if row is not moved]
    others.insert(min(max(to, 0), len(others)), moved)
    return replace(project, stack=tuple(others))


def step_rows(project: Project, ids: Collection[int], direction: int) -> Project:
    """Return `project` with some rows of the stack a place up (-1) or down (1); those at its end stay."""
    rows = list(project.stack)
    order = range(len(rows)) if direction < 0 else range(len(rows) - 1, -1, -1)
    for at in order:
        to = at + direction
        if rows[at].id in ids and 0 <= to < len(rows) and rows[to].id not in ids:
            rows[at], rows[to] = rows[to], rows[at]
    return replace(project, stack=tuple(rows))
