"""The rows of the bench that text and logos share: what lies around them, how they land, stand and leave."""

from collections.abc import Callable
from typing import Any

from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from epiphane.desk.bench.rows import StructFields
from epiphane.desk.control.titles import TextDesk
from epiphane.desk.look.fields import (
    ColourButton,
    button,
    choice_field,
    label,
    row,
    rule,
    show_choice,
    show_options,
)
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

_NONE = ""
_GLOW = Shadow("#ffd9a0", 0.9, 0.2, 0.0, 0.0)


class LookRows(QWidget):
    """What lies around a title, and how it arrives, lands, stands and leaves."""

    def __init__(self, desk: TextDesk) -> None:
        super().__init__()
        self._desk = desk
        self._look = TitleLook()
        fields = self._fields = StructFields(TitleLook, desk.change)
        self._outline, self._plate = (
            ColourButton("Colour of the outline"),
            ColourButton("Colour of the plate"),
        )
        self._inline = ColourButton("Colour of the inner line")
        self._shadow, self._glow = ColourButton("Colour of the shadow"), ColourButton("Colour of the glow")
        self._outline.picked.connect(lambda text: desk.change(outline_colour=text))
        self._inline.picked.connect(lambda text: desk.change(inline_colour=text))
        self._plate.picked.connect(lambda text: desk.change(plate=text))
        self._shadow.picked.connect(
            lambda text: desk.change(shadow=replace(self._look.shadow or Shadow(), colour=text))
        )
        self._glow.picked.connect(
            lambda text: desk.change(glow=replace(self._look.glow or _GLOW, colour=text))
        )
        self._has_plate = check(
            "plate", "Lay a plate behind it", lambda on: desk.change(plate="#16131a" if on else None)
        )
        self._has_shadow = check(
            "shadow", "Let it have a shadow", lambda on: desk.change(shadow=Shadow() if on else None)
        )
        self._has_glow = check("glow", "Let it glow", lambda on: desk.change(glow=_GLOW if on else None))
        self.arrival = _MotionRows("Arrives", desk.arrive, pulses=desk.pulses)
        self.impact = _ImpactRows(desk)
        self.stand = _StandRows(desk)
        self.leaving = _MotionRows("Leaves", desk.leave)
        inner = row(
            "Inner line",
            fields.number("inline", "Width of the inner line", "%", factor=100, decimals=1),
            self._inline,
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        for widget in (
            row(
                "Outline",
                fields.number("outline", "Width of the outline", "%", factor=100, decimals=1),
                self._outline,
            ),
            inner,
            row("Below", self._has_shadow, self._shadow, self._has_glow, self._glow),
            row("Behind", self._has_plate, self._plate),
            rule(),
            self.arrival,
            self.impact,
            self.stand,
            self.leaving,
        ):
            box.addWidget(widget)

    def show_look(self, look: TitleLook) -> None:
        """Show a title as it is now."""
        self._look = look
        self._fields.show(look)
        self._outline.set_colour(look.outline_colour)
        self._inline.set_colour(look.inline_colour)
        for has, picker, colour in (
            (self._has_plate, self._plate, look.plate),
            (self._has_shadow, self._shadow, None if look.shadow is None else look.shadow.colour),
            (self._has_glow, self._glow, None if look.glow is None else look.glow.colour),
        ):
            show_colour(has, picker, colour)
        self.arrival.show_motion(look.arrive)
        self.impact.show_part(look.impact)
        self.stand.show_part(look.stand)
        self.leaving.show_motion(look.leave)


class _PartRows(QWidget):
    """A part of a look that may be there or not: a box, and rows that are seen where it is."""

    def __init__(self, box: QCheckBox, head: QWidget, rows: list[QWidget], fields: StructFields) -> None:
        super().__init__()
        self._box, self._rows, self._fields = box, rows, fields
        self.part: Struct | None = None
        lines = QVBoxLayout(self)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(5)
        for widget in (head, *rows):
            lines.addWidget(widget)

    def show_part(self, part: Struct | None) -> None:
        """Show the part, or that there is none."""
        self.part = part
        self._box.setChecked(part is not None)
        for widget in self._rows:
            widget.setVisible(part is not None)
        if part is not None:
            self._fields.show(part)


class _ImpactRows(_PartRows):
    """The weight with which a title lands."""

    def __init__(self, desk: TextDesk) -> None:
        fields = StructFields(Impact, lambda **changes: desk.change(impact=replace(self._now(), **changes)))
        number = fields.number
        box = check(
            "with weight",
            "Squash and shake it when it lands, and throw particles and dust",
            lambda on: desk.change(impact=Impact() if on else None),
        )
        behind = button(
            "Shake and flash behind",
            "Put lanes of shake and flash on the landings of titles, below its track",
            desk.strike,
        )
        rows = [
            row(
                "Squash",
                number("squash", "How far it is squashed", "%", factor=100),
                label("still after"),
                number("frames", "Frames until it is still", "f"),
            ),
            row("Shake", number("shake", "How far it shakes", "%", factor=100, decimals=1)),
            row(
                "Particles",
                number("particles", "Particles that are thrown"),
                label("lines"),
                number("lines", "Lines that shoot out"),
            ),
            row("Dust", number("dust", "How thick dust is", "%", factor=100)),
            row("", behind),
        ]
        behind.setVisible(desk.may_strike)
        super().__init__(box, row("Lands", box), rows, fields)

    def _now(self) -> Impact:
        return self.part if isinstance(self.part, Impact) else Impact()


class _StandRows(_PartRows):
    """How a title moves while it stands."""

    def __init__(self, desk: TextDesk) -> None:
        fields = StructFields(Standing, lambda **changes: desk.change(stand=replace(self._now(), **changes)))
        number = fields.number
        box = check(
            "moving",
            "Let it drift, tremble or breathe while it stands",
            lambda on: desk.change(stand=_FRESH_STANDING if on else None),
        )
        rows = [
            row(
                "Drift",
                number("x", "How far it drifts to the right in a second", "%", factor=100),
                number("y", "How far it drifts down in a second", "%", factor=100),
                label("a second"),
            ),
            row(
                "Growth",
                number("grow", "How much it grows in a second", "%", factor=100, decimals=1),
                label("a second"),
            ),
            row(
                "Tremble",
                number("tremble", "How far it trembles", "%", factor=100, decimals=1),
                number("rate", "How often it trembles in a second", "Hz", decimals=1, step=0.5),
            ),
            row(
                "Breathing",
                number("breathe", "How much it grows when it breathes", "%", factor=100, decimals=1),
                label("in"),
                number("breath", "Seconds of a breath", "s", decimals=1, step=0.5),
            ),
        ]
        super().__init__(box, row("Stands", box), rows, fields)

    def _now(self) -> Standing:
        return self.part if isinstance(self.part, Standing) else _FRESH_STANDING


_FRESH_STANDING = Standing(grow=0.03, tremble=0.02)


class _MotionRows(QWidget):
    """How a title arrives, or how it leaves; what arrives may do so on the hits of a pulse, part by part."""

    def __init__(
        self,
        words: str,
        change: Callable[[TextMotion | None], object],
        *,
        pulses: Callable[[], list[tuple[str, str]]] | None = None,
    ) -> None:
        super().__init__()
        self._change, self._motion = change, TextMotion("fade")
        self._pulses = pulses
        self._on = choice_field(f"On what it {words.lower()} part by part", (), self._choose_pulse)
        options = [(_NONE, "at once"), *((one.key, one.label) for one in MOTIONS.all())]
        self.kind = choice_field(f"{words} by", options, self._choose)
        self._fields = StructFields(TextMotion, self._edit)
        number, choice = self._fields.number, self._fields.choice
        self._more = [
            row(
                "",
                number("frames", f"Frames in which it {words.lower()}"),
                label("frames, by"),
                choice("unit", f"What {words.lower()} as one", [(one, one.value) for one in TextUnit]),
            ),
            row(
                "",
                choice("order", f"Which part {words.lower()} first", [(one, one.value) for one in TextOrder]),
                label("stagger"),
                number("stagger", f"Stagger of what {words.lower()}", "%", factor=100),
            ),
            row("", label("on"), self._on),
        ]
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        for widget in (row(words, self.kind), *self._more):
            box.addWidget(widget)

    def show_motion(self, motion: TextMotion | None) -> None:
        """Show a motion, or that there is none."""
        show_choice(self.kind, _NONE if motion is None else motion.key)
        for widget in self._more:
            widget.setVisible(motion is not None)
        pulses = [] if self._pulses is None else self._pulses()
        show_options(self._on, [(_NONE, "its own time"), *pulses])
        show_choice(self._on, _NONE if motion is None or motion.pulse is None else str(motion.pulse))
        if not pulses:
            self._more[-1].hide()
        if motion is not None:
            self._motion = motion
            self._fields.show(motion)

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


def check(words: str, tip: str, changed: Callable[[bool], object]) -> QCheckBox:
    """Return a box that says what it does, and calls with whether it is on."""
    made = QCheckBox(words)
    made.setToolTip(tip)
    made.clicked.connect(changed)
    return made


def show_colour(box: QCheckBox, picker: ColourButton, colour: str | None) -> None:
    """Show a colour that may be none: whether the box is on, and the button where it is."""
    box.setChecked(colour is not None)
    picker.setVisible(colour is not None)
    picker.set_colour(colour or "#000000")
