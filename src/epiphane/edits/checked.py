"""Range checks of structures that an edit has just made."""

from typing import TypeVar

import msgspec
from msgspec.structs import replace

from epiphane.errors import EditError

T = TypeVar("T", bound=msgspec.Struct)


def checked(made: T, kind: type[T]) -> T:
    """Return what was made if every field is in its range: structures check this only when read.

    Raises
    ------
    EditError
        If one is not.
    """
    try:
        return msgspec.convert(msgspec.to_builtins(made), kind)
    except msgspec.ValidationError as error:
        raise EditError(f"{kind.__name__.lower()}: {error}") from None


def with_changes(old: T, **changes: object) -> T:
    """Return a structure with fields changed.

    Raises
    ------
    EditError
        If one is not in its range.
    """
    try:
        made = replace(old, **changes)
    except ValueError as error:  # what one field says of another
        raise EditError(f"{type(old).__name__.lower()}: {error}") from None
    return checked(made, type(old))
