"""Diffs of projects as JSON paths and values, for the journal.

A change is plain JSON: ``[path, value]`` puts a value in a place, ``[path, start, n_removed, values]``
exchanges some elements of a list. A path is a list of names of fields and numbers of elements.
"""

from collections.abc import Sequence
from typing import Any

from msgspec import Struct

from epiphane.document.project import Project

Change = list[Any]
Path = tuple[str | int, ...]
# Elements of a list that are changed one by one; where more are, they are exchanged whole.
_MOST_SINGLE = 8


def changes_between(old: Project, new: Project) -> list[Change]:
    """Return what makes `new` of `old`. What both share, as edits do, costs nothing."""
    found: list[Change] = []
    _collect(old, new, (), found)
    return found


def with_changes_done(project: dict[str, Any], changes: Sequence[Any]) -> dict[str, Any]:
    """Return the JSON of a project after changes to it; whether it is a project is for its reader to tell.

    It is the JSON that is changed, so that changes to a project of an earlier format can be made before it is
    brought to this one.

    Raises
    ------
    ValueError
        If one of them does not fit.
    """
    for change in changes:
        try:
            path, *what = change
            project = _changed(project, list(path), what)
        except (TypeError, KeyError, IndexError, AttributeError, RecursionError) as error:
            raise ValueError(f"a change does not fit: {error!r}") from None
    return project


def _collect(old: Any, new: Any, path: Path, found: list[Change]) -> None:
    if old is new:
        return
    # What is written as an array has no names to find a place by: it is exchanged whole.
    if isinstance(old, Struct) and type(old) is type(new) and not old.__struct_config__.array_like:
        for name, written in zip(old.__struct_fields__, old.__struct_encode_fields__, strict=True):
            _collect(getattr(old, name), getattr(new, name), (*path, written), found)
    elif isinstance(old, tuple) and isinstance(new, tuple):
        _collect_elements(old, new, path, found)
    elif old != new:
        found.append([path, new])


def _collect_elements(old: tuple[Any, ...], new: tuple[Any, ...], path: Path, found: list[Change]) -> None:
    least = min(len(old), len(new))
    first = next((n for n in range(least) if old[n] is not new[n] and old[n] != new[n]), least)
    n_last = next(
        (n for n in range(least - first) if old[-1 - n] is not new[-1 - n] and old[-1 - n] != new[-1 - n]),
        least - first,
    )
    before, after = old[first : len(old) - n_last], new[first : len(new) - n_last]
    if len(before) == len(after) <= _MOST_SINGLE and all(isinstance(one, Struct) for one in before):
        for number, (one, other) in enumerate(zip(before, after, strict=True), start=first):
            _collect(one, other, (*path, number), found)
    elif before or after:
        found.append([path, first, len(before), after])


def _changed(part: Any, path: list[str | int], what: list[Any]) -> Any:
    """Return a part of the JSON with what is at the end of a path changed; None is what was left out."""
    if not path:
        return _exchanged(part, what)
    step, rest = path[0], path[1:]
    if isinstance(step, str):
        named = {} if part is None else part
        return named | {step: _changed(named.get(step), rest, what)}
    elements = list(part)
    elements[step] = _changed(elements[step], rest, what)
    return elements


def _exchanged(part: Any, what: list[Any]) -> Any:
    if len(what) == 1:
        return what[0]
    elements = [] if part is None else part
    start, n_removed, values = what
    if not 0 <= start <= start + n_removed <= len(elements):
        raise ValueError("elements are changed that are not there")
    return [*elements[:start], *values, *elements[start + n_removed :]]
