"""The bench page of a split screen: how its panels share the frame, and what each of them shows."""

from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.bench.fields import (
    ColourButton,
    button,
    choice_field,
    in_a_row,
    label,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.desk.bench.rows import StructFields
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.shots import ShotDesk
from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, PulseId
from epiphane.document.timeline import Framing, Item, Panel, PanelLayout, Panels
from epiphane.edits.panels import add_panel, change_panel, change_panels, remove_panel, set_panel_clip
from epiphane.edits.shots import footage_name

_LAYOUTS = tuple((layout, layout.value) for layout in PanelLayout)
_TOGETHER = ""


class PanelBench(QWidget):
    """The selected split screen; one of its panels at a time is looked at closely."""

    def __init__(self, editor: Editor, shots: ShotDesk) -> None:
        super().__init__()
        self._editor = editor
        self._place = 0
        self._what = label("")
        self._panels = StructFields(Panels, self._change)
        self._panel = StructFields(Panel, self._change_panel)
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
            row(
                "Gap",
                self._panels.number("gap", "Gap between panels", "%", factor=100, decimals=1),
                self._colour,
            ),
            row(
                "Border",
                self._panels.number("border", "Line round each panel", "%", factor=100, decimals=1),
                self._line,
            ),
            row("Come in", self._pulse),
            rule(),
            row("Panel", self._chosen, add, remove),
            row("Clip", self._clip),
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
        shot, panels = self._found()
        if shot is None or panels is None:
            return
        project = self._editor.project
        number = len(panels.panels)
        self._place = min(self._place, number - 1)
        panel = panels.panels[self._place]
        self._what.setText(f"frames {shot.start} to {shot.end - 1}, {number} panels")
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
        show_choice(self._chosen, str(self._place))
        seen = [one for one in project.footage if one.kind is not FootageKind.SOUND]
        show_options(self._clip, [(str(one.id), footage_name(one)) for one in seen])
        show_choice(self._clip, str(panel.cut.footage))

    def _found(self) -> tuple[Item | None, Panels | None]:
        shot = self._editor.selected_shot()
        return shot, shot.content if shot is not None and isinstance(shot.content, Panels) else None

    def _choose(self, key: str) -> None:
        self._place = int(key)
        self.refresh()

    def _come_in(self, key: str) -> None:
        self._change(pulse=PulseId(int(key)) if key else None)

    def _exchange(self, key: str) -> None:
        place, clip = self._place, FootageId(int(key))
        self._apply(lambda p, shot: set_panel_clip(p, shot, place, clip), "clip of a panel")

    def _add(self) -> None:
        self._apply(add_panel, "panel of a split screen")

    def _remove(self) -> None:
        self._apply(partial(remove_panel, place=self._place), "deletion of a panel")

    def _change(self, **changes: Any) -> None:
        self._apply(partial(change_panels, **changes), "change of a split screen")

    def _change_panel(self, **changes: Any) -> None:
        self._apply(partial(change_panel, place=self._place, **changes), "change of a panel")

    def _frame(self, **changes: Any) -> None:
        _, panels = self._found()
        if panels is not None:
            self._change_panel(framing=replace(panels.panels[self._place].framing, **changes))

    def _apply(self, edit: Any, text: str) -> None:
        shot, panels = self._found()
        if shot is not None and panels is not None:
            self._editor.apply(lambda p: edit(p, shot.id), text)
            self.refresh()
