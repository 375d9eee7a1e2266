"""The rows of the bench that text and logos share: what lies around them, how they land, stand and leave."""

from collections.abc import Callable
from typing import Any

from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtWidgets import QWidget

from epiphane.desk.bench.page import Rows
from epiphane.desk.control.titles import TextDesk
from epiphane.desk.look.fields import button, label
from epiphane.document.ids import PulseId
from epiphane.document.titles import (
    Impact,
    Shadow,
    Standing,
    TextMotion,
    TextOrder,
    TextUnit,
    TitleLook,
)
from epiphane.titles.motions.declare import MOTIONS
from epiphane.wording import tr

FRESH_FOOT = "#c8553d"
"""To what letters and logos fade at their foot, until another colour is chosen."""
_NONE = ""
_FRESH_GLOW = Shadow("#ffd9a0", 0.9, 0.2, 0.0, 0.0)
_FRESH_PLATE = "#16131a"
_FRESH_STANDING = Standing(grow=0.03, tremble=0.02)


class LookRows(Rows[TitleLook]):
    """What lies around a title, and how it arrives, lands, stands and leaves."""

    def __init__(self, desk: TextDesk) -> None:
        super().__init__()
        self._desk = desk
        self._add_lines()
        self.row(
            tr("Below"),
            *self._shadow("shadow", tr("shadow"), tr("Let it have a shadow"), Shadow()),
            *self._shadow("glow", tr("glow"), tr("Let it glow"), _FRESH_GLOW),
        )
        plate = self.optional_colour(
            tr("plate"),
            tr("Lay a plate behind it"),
            tr("Colour of the plate"),
            lambda look: look.plate,
            lambda text: desk.change(plate=text),
            fresh=_FRESH_PLATE,
        )
        self.row(tr("Behind"), *plate)
        self.rule()
        self.arrival = _MotionRows(tr("Arrives"), desk.arrive, lambda look: look.arrive, desk.pulses)
        self.leaving = _MotionRows(tr("Leaves"), desk.leave, lambda look: look.leave)
        self.impact, self.stand = _impact_rows(desk), _stand_rows(desk)
        for rows in (self.arrival, self.impact, self.stand, self.leaving):
            self.part(rows, lambda look: look)

    def _add_lines(self) -> None:
        """Add the lines that go round the letters."""
        change = self._desk.change
        fields = self.fields(TitleLook, change, lambda look: look)
        outline, inline = (
            fields.number(name, words, "%", factor=100, decimals=1)
            for name, words in (
                ("outline", tr("Width of the outline")),
                ("inline", tr("Width of the inner line")),
            )
        )
        outline_colour = self.colour(
            tr("Colour of the outline"),
            lambda look: look.outline_colour,
            lambda text: change(outline_colour=text),
        )
        inline_colour = self.colour(
            tr("Colour of the inner line"),
            lambda look: look.inline_colour,
            lambda text: change(inline_colour=text),
        )
        self.row(tr("Outline"), outline, outline_colour)
        self.row(tr("Inner line"), inline, inline_colour)

    def _shadow(self, name: str, words: str, tip: str, fresh: Shadow) -> tuple[QWidget, ...]:
        """Return the fields for a shadow, or the glow, which is one too."""
        shown = fresh

        def colour_of(look: TitleLook) -> str | None:
            nonlocal shown
            found: Shadow | None = getattr(look, name)
            shown = found or fresh
            return None if found is None else found.colour

        def changed(colour: str | None) -> None:
            self._desk.change(**{name: None if colour is None else replace(shown, colour=colour)})

        return self.optional_colour(
            words, tip, tr("Colour of the {name}", name=words), colour_of, changed, fresh=fresh.colour
        )


class _PartRows(Rows[TitleLook]):
    """A part of a look that may be there or not: a box, and rows that are seen where it is."""

    def __init__(self, desk: TextDesk, name: str, fresh: Struct, words: tuple[str, str, str]) -> None:
        super().__init__(spacing=5)
        self._desk, self._name, self._fresh = desk, name, fresh
        self._part: Struct = fresh
        self.shows(self._keep)
        self.values = self.fields(type(fresh), self._change, self._part_of)
        heading, box, tip = words
        has_it = self.check(
            box, tip, self.has_it, lambda is_on: desk.change(**{name: fresh if is_on else None})
        )
        self.row(heading, has_it)

    def has_it(self, look: TitleLook) -> bool:
        """Return whether the look has this part."""
        return self._part_of(look) is not None

    def _part_of(self, look: TitleLook) -> Struct | None:
        found: Struct | None = getattr(look, self._name)
        return found

    def _keep(self, look: TitleLook) -> None:
        self._part = self._part_of(look) or self._fresh

    def _change(self, **changes: Any) -> None:
        self._desk.change(**{self._name: replace(self._part, **changes)})


def _impact_rows(desk: TextDesk) -> _PartRows:
    """Return the rows of the weight with which a title lands."""
    tip = tr("Squash and shake it when it lands, and throw particles and dust")
    rows = _PartRows(desk, "impact", Impact(), (tr("Lands"), tr("with weight"), tip))
    number, when = rows.values.number, rows.has_it
    rows.row(
        tr("Squash"),
        number("squash", tr("How far it is squashed"), "%", factor=100),
        label(tr("still after")),
        number("frames", tr("Frames until it is still"), "f"),
        when=when,
    )
    rows.row(tr("Shake"), number("shake", tr("How far it shakes"), "%", factor=100, decimals=1), when=when)
    rows.row(
        tr("Particles"),
        number("particles", tr("Particles that are thrown")),
        label(tr("lines")),
        number("lines", tr("Lines that shoot out")),
        when=when,
    )
    rows.row(
        tr("Dust"),
        number("dust", tr("How thick dust is"), "%", factor=100),
        rows.values.check("filmed", tr("as filmed"), tr("Sparks glow and cool, dust lies in clouds")),
        when=when,
    )
    rows.row(
        tr("Light"),
        number("light", tr("How much the letters shine from behind as it lands"), "%", factor=100),
        label(tr("shock")),
        number("shock", tr("How much the picture below is bent as it lands"), "%", factor=100),
        when=when,
    )
    tip = tr("Put lanes of shake and flash on the landings of titles, below its track")
    behind = button(tr("Shake and flash behind"), tip, desk.strike)
    rows.row("", behind, when=when)
    behind.setVisible(desk.may_strike)
    return rows


def _stand_rows(desk: TextDesk) -> _PartRows:
    """Return the rows of how a title moves while it stands."""
    tip = tr("Let it drift, tremble or breathe while it stands")
    rows = _PartRows(desk, "stand", _FRESH_STANDING, (tr("Stands"), tr("moving"), tip))
    number, when = rows.values.number, rows.has_it
    rows.row(
        tr("Drift"),
        number("x", tr("How far it drifts to the right in a second"), "%", factor=100),
        number("y", tr("How far it drifts down in a second"), "%", factor=100),
        label(tr("a second")),
        when=when,
    )
    rows.row(
        tr("Growth"),
        number("grow", tr("How much it grows in a second"), "%", factor=100, decimals=1),
        label(tr("a second")),
        when=when,
    )
    rows.row(
        tr("Tremble"),
        number("tremble", tr("How far it trembles"), "%", factor=100, decimals=1),
        number("rate", tr("How often it trembles in a second"), "Hz", decimals=1, step=0.5),
        when=when,
    )
    rows.row(
        tr("Breathing"),
        number("breathe", tr("How much it grows when it breathes"), "%", factor=100, decimals=1),
        label("in"),
        number("breath", tr("Seconds of a breath"), "s", decimals=1, step=0.5),
        when=when,
    )
    return rows


class _MotionRows(Rows[TitleLook]):
    """How a title arrives, or how it leaves; what arrives may do so on the hits of a pulse, part by part."""

    def __init__(
        self,
        words: str,
        change: Callable[[TextMotion | None], object],
        motion_of: Callable[[TitleLook], TextMotion | None],
        pulses: Callable[[], list[tuple[str, str]]] = list,
    ) -> None:
        super().__init__(spacing=5)
        self._change, self._motion_of = change, motion_of
        self._motion = TextMotion("fade")
        self.shows(self._keep)
        does = words.lower()
        fields = self.fields(TextMotion, self._edit, motion_of)
        number, choice = fields.number, fields.choice
        options = [(_NONE, tr("at once")), *((one.key, one.label) for one in MOTIONS.all())]
        self.kind = self.choice(
            tr("{words} by", words=words),
            options,
            lambda look: _NONE if (motion := motion_of(look)) is None else motion.key,
            self._choose,
        )
        fired_by = self.choice(
            tr("On what it {does} part by part", does=does),
            lambda _: [(_NONE, tr("its own time")), *pulses()],
            self._pulse_of,
            self._choose_pulse,
        )
        self.row(words, self.kind)
        self.row(
            "",
            number("frames", tr("Frames in which it {does}", does=does)),
            label(tr("frames, by")),
            choice("unit", tr("What {does} as one", does=does), [(one, tr(one.value)) for one in TextUnit]),
            when=self._moves,
        )
        self.row(
            "",
            choice(
                "order", tr("Which part {does} first", does=does), [(one, tr(one.value)) for one in TextOrder]
            ),
            label(tr("stagger")),
            number("stagger", tr("Stagger of what {does}", does=does), "%", factor=100),
            when=self._moves,
        )
        self.row("", label("on"), fired_by, when=lambda look: self._moves(look) and bool(pulses()))

    def _moves(self, look: TitleLook) -> bool:
        return self._motion_of(look) is not None

    def _keep(self, look: TitleLook) -> None:
        self._motion = self._motion_of(look) or self._motion

    def _pulse_of(self, look: TitleLook) -> str:
        motion = self._motion_of(look)
        return _NONE if motion is None or motion.pulse is None else str(motion.pulse)

    def _choose(self, key: str) -> None:
        if key == _NONE:
            self._change(None)
            return
        kind = MOTIONS.named(key)
        self._change(TextMotion(key, kind.frames, kind.unit, kind.stagger))

    def _choose_pulse(self, key: str) -> None:
        self._edit(pulse=None if key == _NONE else PulseId(int(key)))

    def _edit(self, **changes: Any) -> None:
        self._change(replace(self._motion, **changes))
