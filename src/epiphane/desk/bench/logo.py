"""The rows of the bench for a logo: how high it is, its colours, and what it shares with text."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.bench.rows import StructFields
from epiphane.desk.bench.title_look import LookRows, check, show_colour
from epiphane.desk.control.titles import TitleDesk
from epiphane.desk.look.fields import ColourButton, row
from epiphane.document.titles import LogoFill

_FRESH_COLOUR = "#ece4d4"


class LogoRows(QWidget):
    """The logo of the selected item."""

    def __init__(self, desk: TitleDesk) -> None:
        super().__init__()
        self._fields = StructFields(LogoFill, desk.change)
        self._colour, self._to = ColourButton("Colour of the logo"), ColourButton("Colour at its foot")
        self._colour.picked.connect(lambda text: desk.change(colour=text))
        self._to.picked.connect(lambda text: desk.change(to=text))
        self._has_colour = check(
            "one colour",
            "Lay one colour over all of the logo, in place of its own",
            lambda on: desk.change(colour=_FRESH_COLOUR if on else None, to=None),
        )
        self._has_to = check(
            "fades to",
            "Let it fade to another colour at its foot",
            lambda on: desk.change(to="#c8553d" if on else None),
        )
        self.look = LookRows(desk)
        self._fading = row("", self._has_to, self._to)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        height = self._fields.number("height", "Height of the logo", "%", factor=100, decimals=1)
        for widget in (
            row("Height", height),
            row("Colour", self._has_colour, self._colour),
            self._fading,
            self.look,
        ):
            box.addWidget(widget)

    def show_logo(self, fill: LogoFill) -> None:
        """Show a logo as it is now."""
        self._fields.show(fill)
        show_colour(self._has_colour, self._colour, fill.colour)
        show_colour(self._has_to, self._to, fill.to)
        self._fading.setVisible(fill.colour is not None)
        self.look.show_look(fill)
