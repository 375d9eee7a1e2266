"""The bench page of an item on a track over the shots: how it is laid over, where it lies, its sound."""

from functools import cached_property
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QPushButton, QWidget

from epiphane.desk.bench.items.keys import ItemKeyRows
from epiphane.desk.bench.items.logo import LogoRows
from epiphane.desk.bench.items.text import TextRows
from epiphane.desk.bench.page import BenchPage, Rows
from epiphane.desk.bench.shots.shot import FITS, position_fields, turned_fields
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.titles import TitleDesk
from epiphane.desk.control.tracks import TrackDesk
from epiphane.desk.look.fields import button, in_a_row, label
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
from epiphane.edits.items.keys import frame_item
from epiphane.edits.items.tracks import change_item, move_item
from epiphane.facts.framing import item_framing
from epiphane.timing import frame_at
from epiphane.wording import tr

_BLENDS = tuple((mode, tr(mode.value)) for mode in BlendMode)


class ItemBench(BenchPage[Item]):
    """The selected item of a track."""

    def __init__(self, editor: Editor, tracks: TrackDesk, titles: TitleDesk) -> None:
        super().__init__(editor)
        self._titles = titles
        self.text_rows, self.keys = TextRows(titles), ItemKeyRows(editor)
        land = button(
            tr("Snap to hit"), tr("Bring its moment on the hit that is nearest to it (G)"), tracks.land
        )
        remove = button(tr("Delete"), tr("Delete the item (Delete)"), tracks.remove)
        begins = self.number(
            tr("First frame of the item"), lambda item: item.start, self._move, limits=(0, 10_000_000)
        )
        self.add(self.told(self._told, is_in_numbers=True), in_a_row(land, remove, spacing=6))
        self.row(tr("Begins"), begins, label(tr("frame")))
        self.part(_PictureRows(self), lambda item: None if self._is_sound(item) else item)
        self.part(_SoundRows(self), lambda item: item if item.sound is not None else None)
        self.end()
        editor.playhead_changed.connect(self._on_playhead)

    @cached_property
    def logo(self) -> LogoRows:
        """The rows of a logo, made when the first one is shown."""
        return LogoRows(self._titles)

    def thing(self) -> Item | None:
        """Return the selected item."""
        return self.editor.chosen.item

    def change(self, **changes: Any) -> None:
        """Give the item other values."""
        self.apply(lambda p, item: change_item(p, item.id, **changes), tr("change of an item"))

    def change_content(self, **changes: Any) -> None:
        """Give what the item shows other values, where it is a solid or a shape."""
        item = self.thing()
        if item is not None and isinstance(item.content, SolidFill | ShapeFill):
            self.change(content=replace(item.content, **changes))

    def change_sound(self, **changes: Any) -> None:
        """Give the sound of the item other values."""
        item = self.thing()
        if item is not None and item.sound is not None:
            self.change(sound=replace(item.sound, **changes))

    def frame(self, **changes: Any) -> None:
        """Let the item lie elsewhere: on this frame, where it moves from key to key."""
        item, here = self.thing(), self.editor.playhead
        if item is not None and item.keys and "fit" not in changes:
            self.apply(lambda p, one: frame_item(p, one.id, here, **changes), tr("framing of an item"))
        elif item is not None:
            self.change(transform=replace(item.transform, **changes))

    def transform_here(self, item: Item) -> Transform:
        """Return how the item lies on the frame of the playhead."""
        if not item.keys:
            return item.transform
        here = item_framing(item, self.editor.playhead)
        return replace(item.transform, scale=here.scale, x=here.x, y=here.y, rotation=here.rotation)

    def logo_button(self, rows: Rows[Item]) -> QPushButton:
        """Return the button that makes a still a logo, or a logo a picture again."""
        tip = tr("Let it be coloured, outlined and animated as titles are, and land on a hit")
        made = button("", tip, self._titles.set_as_logo)

        def show(item: Item) -> None:
            footage, is_logo = footage_of(self.editor.project, item.footage), _logo_of(item) is not None
            is_still = footage is not None and footage.kind is FootageKind.STILL
            made.setVisible(is_still or is_logo)
            made.setText(tr("Show it as a picture") if is_logo else tr("Set as a logo"))

        rows.shows(show)
        return made

    def _is_sound(self, item: Item) -> bool:
        footage = footage_of(self.editor.project, item.footage)
        return footage is not None and footage.kind is FootageKind.SOUND

    def _told(self, item: Item) -> str:
        what = tr("it lands") if isinstance(item.content, TitleLook) else tr("its moment is")
        rate = self.editor.project.rate
        landing = (
            ""
            if item.pin is None
            else tr("; {what} on frame {frame}", what=what, frame=frame_at(item.pin.hit, rate))
        )
        return tr("frames {start} to {end}{landing}", start=item.start, end=item.end - 1, landing=landing)

    def _on_playhead(self) -> None:
        item = self.thing()
        if item is not None and item.keys and self.isVisible():
            self.refresh()

    def _move(self, frame: float) -> None:
        self.apply(lambda p, item: move_item(p, item.id, round(frame)), tr("move of an item"))


class _PictureRows(Rows[Item]):
    """What is seen of an item."""

    def __init__(self, page: ItemBench) -> None:
        super().__init__()
        self._add_fill_rows(page)
        self.add(page.logo_button(self))
        self.part(page.text_rows, _text_of)
        self.part(lambda: page.logo, _logo_of)
        looks = self.fields(Item, page.change, lambda item: item)
        lies = self.fields(Transform, page.frame, page.transform_here)
        self.row(tr("Blend mode"), looks.choice("blend", tr("Blend mode"), _BLENDS))
        self.row(tr("Opacity"), looks.number("opacity", tr("Opacity"), "%", factor=100))
        self.row(tr("Fit"), lies.choice("fit", tr("How the item fills the frame"), FITS))
        scale = lies.number("scale", tr("Scale of the item"), "%", factor=100)
        self.row(tr("Scale"), scale, *turned_fields(lies))
        self.row(tr("Position"), *position_fields(lies))
        self.rule()
        self.part(page.keys, lambda item: item)

    def _add_fill_rows(self, page: ItemBench) -> None:
        """Add what solids and shapes have: colours, sides, a soft edge."""
        colour = self.colour(
            tr("Colour of the item"),
            lambda item: item.content.colour if isinstance(item.content, SolidFill | ShapeFill) else None,
            lambda text: page.change_content(colour=text),
        )
        to = self.colour(
            tr("Colour of the other end"),
            lambda item: None if (shape := _gradient_of(item)) is None else shape.to or shape.colour,
            lambda text: page.change_content(to=text),
        )
        tip = tr("Let the gradient end in nothing")
        clear = button(tr("to nothing"), tip, lambda: page.change_content(to=None))
        self.seen(lambda item: _gradient_of(item) is not None, clear)
        shape = self.fields(ShapeFill, page.change_content, _shape_of)
        sides: tuple[QWidget, ...] = (
            shape.number("width", tr("Width of the shape"), "%", factor=100),
            shape.number("height", tr("Height of the shape"), "%", factor=100),
        )
        feather = shape.number("feather", tr("Soft edge of the shape"), "%", factor=100)
        self.rule()
        self.row(tr("Colour"), colour, to, clear, when=_has_colour)
        self.row(tr("Width, height"), *sides, when=lambda item: _shape_of(item) is not None)
        self.row(tr("Feather"), feather, when=lambda item: _shape_of(item) is not None)


class _SoundRows(Rows[Item]):
    """What is heard of an item."""

    def __init__(self, page: ItemBench) -> None:
        super().__init__()
        fields = self.fields(ItemSound, page.change_sound, lambda item: item.sound)
        self.rule()
        self.row(tr("Gain"), fields.number("gain", tr("Gain of the item"), "dB", decimals=1))
        self.row(
            tr("Fade in, out"),
            fields.number("fade_in", tr("Fade in of the item")),
            fields.number("fade_out", tr("Fade out of the item")),
            label(tr("frames")),
        )


def _has_colour(item: Item) -> bool:
    return isinstance(item.content, SolidFill | ShapeFill)


def _text_of(item: Item) -> TextFill | None:
    return item.content if isinstance(item.content, TextFill) else None


def _logo_of(item: Item) -> LogoFill | None:
    return item.content if isinstance(item.content, LogoFill) else None


def _shape_of(item: Item) -> ShapeFill | None:
    return item.content if isinstance(item.content, ShapeFill) else None


def _gradient_of(item: Item) -> ShapeFill | None:
    shape = _shape_of(item)
    return shape if shape is not None and shape.kind is ShapeKind.GRADIENT else None
