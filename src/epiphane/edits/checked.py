"""Parts of a project that were just made, with every field in its range."""

from typing import TypeVar

import msgspec

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
