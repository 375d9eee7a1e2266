"""The bench page of an item on a track over the shots: how it is laid over, where it lies, its sound."""

from functools import cached_property
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.bench.item_keys import ItemKeyRows
from epiphane.desk.bench.logo import LogoRows
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import StructFields
from epiphane.desk.bench.shot import FITS, position_fields, turned_fields
from epiphane.desk.bench.text import TextRows
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.titles import TitleDesk
from epiphane.desk.control.tracks import TrackDesk
from epiphane.desk.look import theme
from epiphane.desk.look.fields import ColourButton, button, in_a_row, label, number_field, row, rule
from epiphane.document.footage import FootageKind
from epiphane.document.project import footage_of
from epiphane.document.timeline import (
    BlendMode,
    Item,
    ItemSound,
    ShapeFill,
    ShapeKind,
    SolidFill,
    Transform,
)
from epiphane.document.titles import LogoFill, TextFill, TitleLook
from epiphane.edits.item_keys import frame_item
from epiphane.edits.tracks import change_item, move_item
from epiphane.facts.framing import item_framing
from epiphane.timing import frame_at

_BLENDS = tuple((mode, mode.value) for mode in BlendMode)


class ItemBench(BenchPage):
    """The selected item of a track."""

    def __init__(self, editor: Editor, tracks: TrackDesk, titles: TitleDesk) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        self._what = label("")
        self._what.setFont(theme.numbers(9.5))
        self._what.setWordWrap(True)
        remove = button("Delete", "Delete the item (Delete)", tracks.remove)
        land = button("Snap to hit", "Bring its moment on the hit that is nearest to it (G)", tracks.land)
        self._begins = number_field("First frame of the item", low=0, high=10_000_000, unit="")
        self._begins.edited.connect(self._move)
        self._looks = StructFields(Item, self._change)
        self._transform = StructFields(Transform, self._frame)
        self._sound = StructFields(ItemSound, self._shape_sound)
        self._shape = StructFields(ShapeFill, self._change_fill)
        self._colour, self._to = ColourButton("Colour of the item"), ColourButton("Colour of the other end")
        self._colour.picked.connect(lambda text: self._change_fill(colour=text))
        self._to.picked.connect(lambda text: self._change_fill(to=text))
        self._clear = button(
            "to nothing", "Let the gradient end in nothing", lambda: self._change_fill(to=None)
        )
        self._colour_row = row("Colour", self._colour, self._to, self._clear)
        self._shape_rows = [
            row(
                "Width, height",
                self._shape.number("width", "Width of the shape", "%", factor=100),
                self._shape.number("height", "Height of the shape", "%", factor=100),
            ),
            row("Feather", self._shape.number("feather", "Soft edge of the shape", "%", factor=100)),
        ]
        self._titles, self._box = titles, box
        self.keys, self.text = ItemKeyRows(editor), TextRows(titles)
        self._as_logo = button(
            "Set as a logo",
            "Let it be coloured, outlined and animated as titles are, and land on a hit",
            titles.set_as_logo,
        )
        self._picture_rows, self._sound_rows = self._rows_of_picture(), self._rows_of_sound()
        box.addWidget(self._what)
        box.addWidget(in_a_row(land, remove, spacing=6))
        box.addWidget(row("Begins", self._begins, label("frame")))
        for widget in (*self._picture_rows, *self._sound_rows):
            box.addWidget(widget)
        box.addStretch(1)
        editor.playhead_changed.connect(self._on_playhead)

    @cached_property
    def logo(self) -> LogoRows:
        """The rows of a logo, made when the first one is shown."""
        made = LogoRows(self._titles)
        self._box.insertWidget(self._box.indexOf(self.text) + 1, made)
        return made

    def _rows_of_picture(self) -> list[QWidget]:
        """Return the rows of what is seen."""
        return [
            rule(),
            self._colour_row,
            *self._shape_rows,
            self._as_logo,
            self.text,
            row("Blend mode", self._looks.choice("blend", "Blend mode", _BLENDS)),
            row("Opacity", self._looks.number("opacity", "Opacity", "%", factor=100)),
            row("Fit", self._transform.choice("fit", "How the item fills the frame", FITS)),
            row(
                "Scale",
                self._transform.number("scale", "Scale of the item", "%", factor=100),
                *turned_fields(self._transform),
            ),
            row("Position", *position_fields(self._transform)),
            rule(),
            self.keys,
        ]

    def _rows_of_sound(self) -> list[QWidget]:
        """Return the rows of what is heard."""
        return [
            rule(),
            row("Gain", self._sound.number("gain", "Gain of the item", "dB", decimals=1)),
            row(
                "Fade in, out",
                self._sound.number("fade_in", "Fade in of the item"),
                self._sound.number("fade_out", "Fade out of the item"),
                label("frames"),
            ),
        ]

    def _on_playhead(self) -> None:
        item = self._editor.selected_item()
        if item is not None and item.keys and self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the item as it is now."""
        item = self._editor.selected_item()
        if item is None:
            return
        project = self._editor.project
        footage = footage_of(project, item.footage)
        is_sound = footage is not None and footage.kind is FootageKind.SOUND
        what = "it lands" if isinstance(item.content, TitleLook) else "its moment is"
        landing = "" if item.pin is None else f"; {what} on frame {frame_at(item.pin.hit, project.rate)}"
        self._what.setText(f"frames {item.start} to {item.end - 1}{landing}")
        self._begins.show_value(item.start)
        self._looks.show(item)
        for widget in self._picture_rows:
            widget.setVisible(not is_sound)
        is_still = footage is not None and footage.kind is FootageKind.STILL
        is_logo = isinstance(item.content, LogoFill)
        self._as_logo.setVisible(is_still or is_logo)
        self._as_logo.setText("Show it as a picture" if is_logo else "Set as a logo")
        self._show_fill(item)
        self.keys.refresh(item)
        here = item_framing(item, self._editor.playhead)
        place = {"scale": here.scale, "x": here.x, "y": here.y, "rotation": here.rotation}
        self._transform.show(replace(item.transform, **place) if item.keys else item.transform)
        for widget in self._sound_rows:
            widget.setVisible(item.sound is not None)
        if item.sound is not None:
            self._sound.show(item.sound)

    def _change(self, **changes: Any) -> None:
        item = self._editor.selected_item()
        if item is not None:
            self._editor.apply(lambda p: change_item(p, item.id, **changes), "change of an item")

    def _show_fill(self, item: Item) -> None:
        """Show the colours and sides of a solid or a shape."""
        fill = item.content
        self._colour_row.setVisible(isinstance(fill, SolidFill | ShapeFill))
        is_gradient = isinstance(fill, ShapeFill) and fill.kind is ShapeKind.GRADIENT
        for widget in (self._to, self._clear):
            widget.setVisible(is_gradient)
        for line in self._shape_rows:
            line.setVisible(isinstance(fill, ShapeFill))
        if isinstance(fill, SolidFill | ShapeFill):
            self._colour.set_colour(fill.colour)
        self.text.setVisible(isinstance(fill, TextFill))
        if isinstance(fill, TextFill):
            self.text.show_text(fill)
        if isinstance(fill, LogoFill):
            self.logo.show_logo(fill)
        if "logo" in vars(self):
            self.logo.setVisible(isinstance(fill, LogoFill))
        if isinstance(fill, ShapeFill):
            self._to.set_colour(fill.to or fill.colour)
            self._shape.show(fill)

    def _change_fill(self, **changes: Any) -> None:
        item = self._editor.selected_item()
        if item is not None and isinstance(item.content, SolidFill | ShapeFill):
            self._change(content=replace(item.content, **changes))

    def _frame(self, **changes: Any) -> None:
        item = self._editor.selected_item()
        if item is None:
            return
        if item.keys and "fit" not in changes:
            frame = self._editor.playhead
            self._editor.apply(lambda p: frame_item(p, item.id, frame, **changes), "framing of an item")
        else:
            self._change(transform=replace(item.transform, **changes))

    def _shape_sound(self, **changes: Any) -> None:
        item = self._editor.selected_item()
        if item is not None and item.sound is not None:
            self._change(sound=replace(item.sound, **changes))

    def _move(self, frame: float) -> None:
        item = self._editor.selected_item()
        if item is not None:
            self._editor.apply(lambda p: move_item(p, item.id, round(frame)), "move of an item")
