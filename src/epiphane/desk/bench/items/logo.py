"""The rows of the bench for a logo: how high it is, its colours, and what it shares with text."""

from epiphane.desk.bench.items.title_look import FRESH_FOOT, LookRows
from epiphane.desk.bench.page import Rows
from epiphane.desk.control.titles import TitleDesk
from epiphane.document.titles import LogoFill
from epiphane.wording import tr

_FRESH_COLOUR = "#ece4d4"


class LogoRows(Rows[LogoFill]):
    """The logo of the selected item."""

    def __init__(self, desk: TitleDesk) -> None:
        super().__init__()
        fields = self.fields(LogoFill, desk.change, lambda fill: fill)
        has_colour, colour = self.optional_colour(
            tr("one colour"),
            tr("Lay one colour over all of the logo, in place of its own"),
            tr("Colour of the logo"),
            lambda fill: fill.colour,
            lambda text: desk.change(colour=text) if text else desk.change(colour=None, to=None),
            fresh=_FRESH_COLOUR,
        )
        has_to, to = self.optional_colour(
            tr("fades to"),
            tr("Let it fade to another colour at its foot"),
            tr("Colour at its foot"),
            lambda fill: fill.to,
            lambda text: desk.change(to=text),
            fresh=FRESH_FOOT,
        )
        self.look = LookRows(desk)
        self.row(tr("Height"), fields.number("height", tr("Height of the logo"), "%", factor=100, decimals=1))
        self.row(tr("Colour"), has_colour, colour)
        self.row("", has_to, to, when=lambda fill: fill.colour is not None)
        self.part(self.look, lambda fill: fill)
