"""The bench page of an item on a track over the shots: how it is laid over, where it lies, its sound."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.bench.fields import button, in_a_row, label, number_field, row, rule
from epiphane.desk.bench.rows import StructFields
from epiphane.desk.bench.shot import FITS, position_fields, turned_fields
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.tracks import TrackDesk
from epiphane.desk.shell import theme
from epiphane.document.footage import FootageKind
from epiphane.document.timeline import BlendMode, Item, ItemSound, Transform
from epiphane.edits.tracks import change_item, move_item
from epiphane.timing import frame_at

_BLENDS = tuple((mode, mode.value) for mode in BlendMode)


class ItemBench(QWidget):
    """The selected item of a track."""

    def __init__(self, editor: Editor, tracks: TrackDesk) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        self._what = label("")
        self._what.setFont(theme.numbers(9.5))
        self._what.setWordWrap(True)
        remove = button("Delete", "Delete the item (Delete)", tracks.remove)
        land = button("Snap to hit", "Bring its moment on the hit nearest to the playhead (G)", tracks.land)
        self._begins = number_field("First frame of the item", low=0, high=10_000_000, unit="")
        self._begins.edited.connect(self._move)
        self._looks = StructFields(Item, self._change)
        self._transform = StructFields(Transform, self._frame)
        self._sound = StructFields(ItemSound, self._shape_sound)
        self._picture_rows = [
            rule(),
            row("Blend mode", self._looks.choice("blend", "Blend mode", _BLENDS)),
            row("Opacity", self._looks.number("opacity", "Opacity", "%", factor=100)),
            row("Fit", self._transform.choice("fit", "How the item fills the frame", FITS)),
            row(
                "Scale",
                self._transform.number("scale", "Scale of the item", "%", factor=100),
                *turned_fields(self._transform),
            ),
            row("Position", *position_fields(self._transform)),
        ]
        self._sound_rows = [
            rule(),
            row("Gain", self._sound.number("gain", "Gain of the item", "dB", decimals=1)),
            row(
                "Fade in, out",
                self._sound.number("fade_in", "Fade in of the item"),
                self._sound.number("fade_out", "Fade out of the item"),
                label("frames"),
            ),
        ]
        box.addWidget(self._what)
        box.addWidget(in_a_row(land, remove, spacing=6))
        box.addWidget(row("Begins", self._begins, label("frame")))
        for widget in (*self._picture_rows, *self._sound_rows):
            box.addWidget(widget)
        box.addStretch(1)

    def refresh(self) -> None:
        """Show the item as it is now."""
        item = self._editor.selected_item()
        if item is None:
            return
        project = self._editor.project
        footage = next((one for one in project.footage if one.id == item.footage), None)
        is_sound = footage is not None and footage.kind is FootageKind.SOUND
        landing = (
            "" if item.pin is None else f"; its moment is on frame {frame_at(item.pin.hit, project.rate)}"
        )
        self._what.setText(f"frames {item.start} to {item.end - 1}, over the shots{landing}")
        self._begins.show_value(item.start)
        self._looks.show(item)
        self._transform.show(item.transform)
        for widget in self._picture_rows:
            widget.setVisible(not is_sound)
        for widget in self._sound_rows:
            widget.setVisible(item.sound is not None)
        if item.sound is not None:
            self._sound.show(item.sound)

    def _change(self, **changes: Any) -> None:
        item = self._editor.selected_item()
        if item is not None:
            self._editor.apply(lambda p: change_item(p, item.id, **changes), "change of an item")

    def _frame(self, **changes: Any) -> None:
        item = self._editor.selected_item()
        if item is not None:
            self._change(transform=replace(item.transform, **changes))

    def _shape_sound(self, **changes: Any) -> None:
        item = self._editor.selected_item()
        if item is not None and item.sound is not None:
            self._change(sound=replace(item.sound, **changes))

    def _move(self, frame: float) -> None:
        item = self._editor.selected_item()
        if item is not None:
            self._editor.apply(lambda p: move_item(p, item.id, round(frame)), "move of an item")
