"""The bench page of a split screen: how its panels share the frame, and what each of them shows."""

from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QVBoxLayout

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import StructFields, limited_field
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.panels import PanelDesk
from epiphane.desk.control.shots import ShotDesk
from epiphane.desk.look.fields import (
    ColourButton,
    button,
    choice_field,
    in_a_row,
    label,
    number_field,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, PulseId
from epiphane.document.timeline import Framing, Panel, PanelLayout, Panels, Pin
from epiphane.edits.panels import add_panel, change_panels, remove_panel, set_panel_clip
from epiphane.edits.shots import footage_name
from epiphane.facts.panels import panel_arrivals, panel_places
from epiphane.timing import frame_at

_LAYOUTS = tuple((layout, layout.value) for layout in PanelLayout)
_TOGETHER = ""


class SplitScreenBench(BenchPage):
    """The selected split screen; one of its panels at a time is looked at closely."""

    def __init__(self, editor: Editor, shots: ShotDesk, desk: PanelDesk) -> None:
        super().__init__()
        self._editor, self._desk = editor, desk
        self._what = label("")
        self._what.setWordWrap(True)
        self._panels = StructFields(Panels, self._change)
        self._panel = StructFields(Panel, desk.change_panel)
        self._framing = StructFields(Framing, self._frame)
        self._colour, self._line = (
            ColourButton("Colour between panels"),
            ColourButton("Colour of the borders"),
        )
        self._colour.picked.connect(lambda text: self._change(colour=text))
        self._line.picked.connect(lambda text: self._change(border_colour=text))
        self._pulse = choice_field("What lets the panels come in", (), self._come_in)
        self._chosen = choice_field("Panel", (), self._choose)
        self._clip = choice_field("Clip of the panel", (), self._exchange)
        self._moment = limited_field(Pin, "moment", "Moment of the clip", "s", decimals=2, step=0.1)
        self._moment.edited.connect(desk.set_moment)
        self._moment_place = label("")
        land = button(
            "On the hit here", "Put the panel's moment on the hit that is nearest to the playhead", desk.land
        )
        self._sides = [
            number_field(words, low=low, high=100, unit="%", decimals=1)
            for words, low in (("From the left", 0), ("From the top", 0), ("Width", 1), ("Height", 1))
        ]
        for field in self._sides:
            field.edited.connect(lambda _: self._change_box())
        self._box_rows = (
            row("From left", self._sides[0], label("from top"), self._sides[1]),
            row("Width, height", *self._sides[2:]),
        )
        self._gap = self._panels.number("gap", "Gap between panels", "%", factor=100, decimals=1)
        desk.chosen.connect(self.refresh)
        add = button("Add", "Add a panel of the clip that is used least", self._add)
        remove = button("Remove", "Delete the panel that is looked at", self._remove)
        delete = button("Delete", "Delete the shot, and its neighbour fills the gap (Delete)", shots.remove)
        split = button("Split", "Cut the shot in two at the playhead (/)", shots.split)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        for widget in (
            self._what,
            in_a_row(split, delete, spacing=6),
            row("Layout", self._panels.choice("layout", "How panels share the frame", _LAYOUTS)),
            row("Gap", self._gap, self._colour),
            row(
                "Border",
                self._panels.number("border", "Line round each panel", "%", factor=100, decimals=1),
                self._line,
            ),
            row("Come in", self._pulse),
            rule(),
            row("Panel", self._chosen, add, remove),
            row("Clip", self._clip),
            row("Moment", self._moment, self._moment_place, land),
            *self._box_rows,
            row("Delay", self._panel.number("delay", "How many frames later it shows"), label("frames")),
            row(
                "Scale",
                self._framing.number("scale", "Scale in the panel", "%", factor=100),
                label("turned"),
                self._framing.number("rotation", "Turned in the panel", "°", decimals=1),
            ),
            row(
                "Position",
                self._framing.number("x", "To the right in the panel", "%", factor=100),
                label("right"),
                self._framing.number("y", "Down in the panel", "%", factor=100),
                label("down"),
            ),
        ):
            box.addWidget(widget)
        box.addStretch(1)

    def refresh(self) -> None:
        """Show the split screen as it is now."""
        found = self._desk.selected()
        if found is None:
            return
        project, (shot, panels), place = self._editor.project, found, self._desk.place
        number, panel = len(panels.panels), panels.panels[place]
        late = sum(frame >= shot.end for frame in panel_arrivals(project, shot, panels))
        told = f"frames {shot.start} to {shot.end - 1}, {number} panels"
        if late:
            told += f". The shot ends before {late} of them come: make it longer, or choose another pulse"
        self._what.setText(told)
        self._panels.show(panels)
        self._panel.show(panel)
        self._framing.show(panel.framing)
        self._colour.set_colour(panels.colour)
        self._line.set_colour(panels.border_colour)
        pulses = [(str(pulse.id), f"one on each of {pulse.name}") for pulse in project.pulses]
        show_options(self._pulse, [(_TOGETHER, "all at once"), *pulses])
        show_choice(self._pulse, _TOGETHER if panels.pulse is None else str(panels.pulse))
        names = {one.id: footage_name(one) for one in project.footage}
        places = [
            (str(n), f"{n + 1}: {names.get(one.cut.footage, '?')}") for n, one in enumerate(panels.panels)
        ]
        show_options(self._chosen, places)
        show_choice(self._chosen, str(place))
        seen = [one for one in project.footage if one.kind is not FootageKind.SOUND]
        show_options(self._clip, [(str(one.id), footage_name(one)) for one in seen])
        show_choice(self._clip, str(panel.cut.footage))
        self._show_moment(panel)
        self._show_box(panels)

    def _show_moment(self, panel: Panel) -> None:
        pin = panel.pin
        self._moment.show_value(round(panel.cut.source_start if pin is None else pin.moment, 2))
        where = "at its start" if pin is None else f"on frame {frame_at(pin.hit, self._editor.project.rate)}"
        self._moment_place.setText(where)

    def _show_box(self, panels: Panels) -> None:
        is_free = panels.layout is PanelLayout.FREE
        self._gap.setEnabled(not is_free)
        for shown in self._box_rows:
            shown.setVisible(is_free)
        project = self._editor.project
        box = panel_places(panels, project.width / project.height)[self._desk.place].box
        for field, side in zip(self._sides, box, strict=True):
            field.show_value(round(100 * side, 1))

    def _change_box(self) -> None:
        left, top, width, height = (field.value() / 100 for field in self._sides)
        self._desk.change_panel(box=(left, top, min(width, 1 - left), min(height, 1 - top)))

    def _choose(self, key: str) -> None:
        self._desk.choose(int(key))

    def _come_in(self, key: str) -> None:
        self._change(pulse=PulseId(int(key)) if key else None)

    def _exchange(self, key: str) -> None:
        place, clip = self._desk.place, FootageId(int(key))
        self._desk.apply(lambda p, shot: set_panel_clip(p, shot, place, clip), "clip of a panel")

    def _add(self) -> None:
        self._desk.apply(add_panel, "panel of a split screen")

    def _remove(self) -> None:
        self._desk.apply(partial(remove_panel, place=self._desk.place), "deletion of a panel")

    def _change(self, **changes: Any) -> None:
        self._desk.apply(partial(change_panels, **changes), "change of a split screen")

    def _frame(self, **changes: Any) -> None:
        panel = self._desk.panel
        if panel is not None:
            self._desk.change_panel(framing=replace(panel.framing, **changes))
