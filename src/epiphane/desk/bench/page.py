"""What every page of the bench is made of: rows that are declared once and then show what is selected."""

from abc import abstractmethod
from collections.abc import Callable, Sequence
from typing import Any, Generic, TypeAlias, TypeVar

from msgspec import Struct
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QCheckBox, QComboBox, QPushButton, QVBoxLayout, QWidget

from epiphane.desk.bench.struct_fields import StructFields, limited_field, limits_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import (
    ChecksButton,
    ColourButton,
    NumberField,
    RangeBar,
    TextField,
    choice_field,
    number_field,
    row,
    rule,
    show_choice,
    show_options,
    switch,
    wrapped,
)
from epiphane.document.project import Project
from epiphane.wording import tr

Thing = TypeVar("Thing")
_Part = TypeVar("_Part")
Options: TypeAlias = Sequence[tuple[str, str]]
"""What a field offers: keys, and what is read."""


class Rows(QWidget, Generic[Thing]):
    """Rows below each other that show one thing of the document: a shot, a text, a sound.

    Each method that makes a field is told what the field shows of a thing, and what is done when the user
    changes it; `show` then brings all of them up to date, in the order in which they were declared.
    """

    def __init__(self, *, spacing: int = 7) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(spacing)
        self._shows: list[Callable[[Thing], object]] = []

    def show_thing(self, thing: Thing) -> None:
        """Show a thing as it is now."""
        for show in self._shows:
            show(thing)
        self.column.invalidate()  # it does not notice what changes in it while it is hidden
        self.column.activate()
        self.updateGeometry()

    # Where widgets stand, and of which things they are seen.

    def add(self, *widgets: QWidget, when: Callable[[Thing], bool] | None = None) -> None:
        """Put widgets below the others; they are seen of things for which `when` is so."""
        for widget in widgets:
            self.column.addWidget(widget)
        if when is not None:
            self.seen(when, *widgets)

    def row(self, name: str, *widgets: QWidget, when: Callable[[Thing], bool] | None = None) -> None:
        """Put widgets beside each other below the others, after a name."""
        self.add(row(name, *widgets), when=when)

    def rule(self) -> None:
        """Put a thin line below the others."""
        self.add(rule())

    def part(
        self, rows: "Rows[_Part] | Callable[[], Rows[_Part]]", of: Callable[[Thing], _Part | None]
    ) -> None:
        """Put rows below the others that show a part of a thing; they are seen where it has that part.

        Rows that take long to make may be a function, which is called when there is such a part.
        """
        made = rows if isinstance(rows, Rows) else None
        place = made or QWidget()
        self.column.addWidget(place)

        def show(thing: Thing) -> None:
            nonlocal made
            part = of(thing)
            if made is None and part is not None:
                assert not isinstance(rows, Rows)
                made = rows()
                self.column.replaceWidget(place, made)
                place.deleteLater()
            (made or place).setVisible(part is not None)
            if made is not None and part is not None:
                made.show_thing(part)

        self.shows(show)

    def shows(self, show: Callable[[Thing], object]) -> None:
        """Have something called with each thing that is shown."""
        self._shows.append(show)

    def seen(self, when: Callable[[Thing], bool], *widgets: QWidget) -> None:
        """Have widgets seen where something is so of the thing."""
        self._shows.append(lambda thing: _each(widgets, QWidget.setVisible, when(thing)))

    def enabled(self, when: Callable[[Thing], bool], *widgets: QWidget) -> None:
        """Have widgets usable where something is so of the thing."""
        self._shows.append(lambda thing: _each(widgets, QWidget.setEnabled, when(thing)))

    # Fields.

    def fields(
        self,
        kind: type[Struct],
        change: Callable[..., object],
        of: Callable[[Thing], Struct | None],
        *,
        released: Callable[[], object] = lambda: None,
    ) -> StructFields:
        """Return what makes fields of a structure that is, or is in, the thing."""
        made = StructFields(kind, change, released=released)

        def show(thing: Thing) -> None:
            found = of(thing)
            if found is not None:
                made.show(found)

        self.shows(show)
        return made

    def told(
        self, text: Callable[[Thing], str], *, is_in_numbers: bool = False, hides: bool = False
    ) -> QWidget:
        """Return words about a thing, over as many lines as they need; `hides` where there are none."""
        made = wrapped("")
        if is_in_numbers:
            made.setFont(theme.numbers(9.5))

        def show(thing: Thing) -> None:
            made.setText(text(thing))
            if hides:
                made.setVisible(bool(made.text()))

        self.shows(show)
        return made

    def choice(
        self,
        name: str,
        options: Options | Callable[[Thing], Options],
        chosen_of: Callable[[Thing], str],
        chosen: Callable[[str], object],
    ) -> QComboBox:
        """Return a field for one of some options, which may hang on the thing."""
        made = choice_field(name, () if callable(options) else options, chosen)

        def show(thing: Thing) -> None:
            if callable(options):
                show_options(made, options(thing))
            show_choice(made, chosen_of(thing))

        self.shows(show)
        return made

    def number(
        self,
        name: str,
        value_of: Callable[[Thing], float],
        edited: Callable[[float], object],
        *,
        limits: tuple[float, float] | tuple[type[Struct], str],
        unit: str = "",
        factor: float = 1,
        decimals: int = 0,
        step: float = 1,
        width: int | None = None,
    ) -> NumberField:
        """Return a field for a number within limits: as they are read, or those of a structure's field."""
        low, high = limits
        if isinstance(low, type):
            assert isinstance(high, str)
            made = limited_field(low, high, name, unit, factor=factor, decimals=decimals, step=step)
        else:
            assert not isinstance(high, str)
            made = number_field(name, low=low, high=high, unit=unit, decimals=decimals, step=step)
        if width is not None:
            made.setFixedWidth(width)
        made.edited.connect(lambda value: edited(value / factor))
        self.shows(lambda thing: made.show_value(value_of(thing) * factor))
        return made

    def amount(
        self,
        name: str,
        value_of: Callable[[Thing], float],
        change: Callable[..., object],
        *,
        of: tuple[type[Struct], str],
        colour: QColor,
        released: Callable[[], object],
    ) -> tuple[RangeBar, NumberField]:
        """Return a bar and a field for a share, both in per cent of a field of a structure.

        `change` is called with the share, and with ``gesture`` while the bar is dragged.
        """
        low, high = (100 * limit for limit in limits_of(*of))
        bar = RangeBar(name, low=low, high=high, colour=colour, has_rest=False)
        bar.changed.connect(lambda _rest, value: change(round(value / 100, 4), gesture=name))
        bar.released.connect(released)
        self.shows(lambda thing: bar.set_values(low, value_of(thing) * 100))
        return bar, self.number(name, value_of, change, limits=of, unit="%", factor=100)

    def checks_button(
        self,
        name: str,
        nothing: str,
        options: Callable[[Thing], Options],
        chosen_of: Callable[[Thing], Sequence[str]],
        chosen: Callable[[tuple[str, ...]], object],
        *,
        width: int = 150,
    ) -> ChecksButton:
        """Return a button with a list to choose any number from; `nothing` is read where none is."""
        made = ChecksButton(name, nothing, width=width)
        made.chosen.connect(chosen)
        self.shows(lambda thing: made.show_checks(lambda: options(thing), chosen_of(thing)))
        return made

    def text_field(
        self,
        name: str,
        tip: str,
        text_of: Callable[[Thing], str],
        written: Callable[[str], object],
        *,
        longest: int = 200,
    ) -> TextField:
        """Return a field for words; `written` is called with other words, without blanks around them."""
        made = TextField(name, tip, longest=longest)
        shown = [""]

        def show(thing: Thing) -> None:
            shown[0] = text_of(thing)
            made.show_text(shown[0])

        def tell() -> None:
            if made.text().strip() != shown[0]:
                written(made.text().strip())

        made.editingFinished.connect(tell)
        self.shows(show)
        return made

    def colour(
        self, name: str, colour_of: Callable[[Thing], str | None], picked: Callable[[str], object]
    ) -> ColourButton:
        """Return a field for a colour, seen where the thing has one."""
        made = ColourButton(name)
        made.picked.connect(picked)

        def show(thing: Thing) -> None:
            colour = colour_of(thing)
            made.setVisible(colour is not None)
            made.set_colour(colour or "#000000")

        self.shows(show)
        return made

    def optional_colour(
        self,
        words: str,
        tip: str,
        name: str,
        colour_of: Callable[[Thing], str | None],
        changed: Callable[[str | None], object],
        *,
        fresh: str,
    ) -> tuple[QCheckBox, ColourButton]:
        """Return a box for whether a thing has a colour, and the field for it; at first it is `fresh`."""
        has_one = self.check(
            words,
            tip,
            lambda thing: colour_of(thing) is not None,
            lambda is_on: changed(fresh if is_on else None),
        )
        return has_one, self.colour(name, colour_of, changed)

    def check(
        self, words: str, tip: str, is_on: Callable[[Thing], bool], changed: Callable[[bool], object]
    ) -> QCheckBox:
        """Return a box for whether something is so."""
        made = QCheckBox(words)
        made.setToolTip(tip)
        made.clicked.connect(changed)
        self.shows(lambda thing: made.setChecked(is_on(thing)))
        return made

    def switch(
        self,
        text: str,
        tip: str,
        is_on: Callable[[Thing], bool],
        changed: Callable[[bool], object],
        *,
        is_quiet: bool = True,
    ) -> QPushButton:
        """Return a button that stays down while something is so."""
        made = switch(text, tip, changed, is_quiet=is_quiet)
        self.shows(lambda thing: made.setChecked(is_on(thing)))
        return made


class BenchPage(Rows[Thing]):
    """A page that shows one kind of selection."""

    def __init__(self, editor: Editor, *, spacing: int = 7) -> None:
        super().__init__(spacing=spacing)
        self.editor = editor

    @abstractmethod
    def thing(self) -> Thing | None:
        """Return what is selected, None where it is not there."""

    def refresh(self) -> None:
        """Show what is selected as it is now; where nothing is, that is nothing to do."""
        thing = self.thing()
        if thing is not None:
            self.show_thing(thing)

    def apply(
        self, edit: Callable[[Project, Any], Project], text: str, *, gesture: str | None = None
    ) -> None:
        """Change what is selected, as one step that is told by `text`; `edit` is called with it."""
        thing = self.thing()
        if thing is not None:
            self.editor.apply(lambda project: edit(project, thing), text, gesture=gesture)

    def end(self) -> None:
        """Leave what room there is below the rows that were declared."""
        self.column.addStretch(1)


AnyPage: TypeAlias = BenchPage[Any]


class NothingBench(BenchPage[None]):
    """What the bench is for, while there is nothing yet that it could show."""

    def __init__(self, editor: Editor) -> None:
        super().__init__(editor)
        self.add(wrapped(tr("What you select in the score is shown here, to be changed.")))
        self.end()

    def thing(self) -> None:
        """Return nothing."""
        return


def _each(widgets: Sequence[QWidget], change: Callable[[QWidget, bool], None], is_so: bool) -> None:
    for widget in widgets:
        change(widget, is_so)
