"""Fields of the bench that show fields of the document: their limits are the document's own."""

from collections.abc import Callable, Sequence
from enum import Enum
from functools import cache
from typing import Any

import msgspec.inspect
from msgspec import Struct
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QCheckBox, QComboBox

from epiphane.desk.look.fields import (
    NumberField,
    RangeBar,
    choice_field,
    number_field,
    show_choice,
)


class StructFields:
    """Fields that show those of one structure of the document, and ask for changes of them.

    Parameters
    ----------
    kind : the type of the structure
    change : called with the new value by the field's name, and with ``gesture`` while something is dragged
    released : called when a drag has ended
    """

    def __init__(
        self,
        kind: type[Struct],
        change: Callable[..., object],
        *,
        released: Callable[[], object] = lambda: None,
    ) -> None:
        self._kind, self._change, self._released = kind, change, released
        self._shown: list[tuple[str, Callable[[Any], None]]] = []

    def number(
        self, name: str, words: str, unit: str = "", *, factor: float = 1, decimals: int = 0, step: float = 1
    ) -> NumberField:
        """Return a field for a number, shown `factor` times as large; `words` are what is told of it."""
        made = limited_field(self._kind, name, words, unit, factor=factor, decimals=decimals, step=step)
        is_whole = is_whole_number(self._kind, name)

        def edited(value: float) -> None:
            self._change(**{name: round(value) if is_whole else value / factor})

        made.edited.connect(edited)
        self._shown.append((name, lambda value: made.show_value(round(value * factor, decimals))))
        return made

    def bar(self, name: str, words: str, colour: QColor, *, factor: float = 100) -> RangeBar:
        """Return a bar for a number from its least to its greatest value."""
        low, high = (limit * factor for limit in limits_of(self._kind, name))
        made = RangeBar(words, low=low, high=high, colour=colour, has_rest=False)
        made.changed.connect(lambda _, value: self._change(gesture=name, **{name: round(value / factor, 4)}))
        made.released.connect(self._released)
        self._shown.append((name, lambda value: made.set_values(low, value * factor)))
        return made

    def choice(self, name: str, words: str, options: Sequence[tuple[Enum, str]]) -> QComboBox:
        """Return a field for one of the members of an enumeration; options are (member, what is read)."""
        members = {str(member.value): member for member, _ in options}
        texts = [(str(member.value), text) for member, text in options]

        def chosen(key: str) -> None:
            self._change(**{name: members[key]})

        made = choice_field(words, texts, chosen)
        self._shown.append((name, lambda member: show_choice(made, str(member.value))))
        return made

    def check(self, name: str, words: str, tip: str) -> QCheckBox:
        """Return a box for whether something is so."""
        made = QCheckBox(words)
        made.setToolTip(tip)
        made.clicked.connect(lambda is_on: self._change(**{name: is_on}))
        self._shown.append((name, made.setChecked))
        return made

    def show(self, of: Struct) -> None:
        """Show the fields of a structure."""
        for name, show in self._shown:
            show(getattr(of, name))


def limited_field(
    kind: type[Struct],
    name: str,
    words: str,
    unit: str = "",
    *,
    factor: float = 1,
    decimals: int = 0,
    step: float = 1,
) -> NumberField:
    """Return a field for a number within the limits of a field of a structure."""
    low, high = (limit * factor for limit in limits_of(kind, name))
    return number_field(words, low=low, high=high, unit=unit, decimals=decimals, step=step)


@cache
def limits_of(kind: type[Struct], name: str) -> tuple[float, float]:
    """Return the least and the greatest value that a field of a structure may have."""
    found = _number_type(kind, name)
    assert found.ge is not None, f"{kind.__name__}.{name} has no least value"
    assert found.le is not None, f"{kind.__name__}.{name} has no greatest value"
    return float(found.ge), float(found.le)


@cache
def is_whole_number(kind: type[Struct], name: str) -> bool:
    """Return whether a field of a structure is a whole number."""
    return isinstance(_number_type(kind, name), msgspec.inspect.IntType)


def _number_type(kind: type[Struct], name: str) -> msgspec.inspect.IntType | msgspec.inspect.FloatType:
    """Return what is known of a number that is a field; it may also be None."""
    field = next(field for field in _described(kind).fields if field.name == name)
    types = field.type.types if isinstance(field.type, msgspec.inspect.UnionType) else (field.type,)
    numbers = (one for one in types if isinstance(one, msgspec.inspect.IntType | msgspec.inspect.FloatType))
    return next(numbers)


@cache
def _described(kind: type[Struct]) -> msgspec.inspect.StructType:
    """Return what msgspec knows of a structure: some milliseconds of work each time."""
    described = msgspec.inspect.type_info(kind)
    assert isinstance(described, msgspec.inspect.StructType)
    return described
