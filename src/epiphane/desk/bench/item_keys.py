"""The rows of an item's bench that let it move and fade: keys on single frames, and fades at its ends."""

from collections.abc import Callable

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.look.fields import button, choice_field, in_a_row, label, number_field, row, show_choice
from epiphane.document.project import Project
from epiphane.document.timeline import Item, Ramp
from epiphane.edits.item_keys import put_key, remove_key, set_key_ramp
from epiphane.edits.tracks import change_item
from epiphane.facts.framing import item_key_at

_RAMPS = (
    (Ramp.HOLD.value, "hold"),
    (Ramp.LINEAR.value, "linear"),
    (Ramp.IN.value, "ease in"),
    (Ramp.OUT.value, "ease out"),
    (Ramp.BOTH.value, "ease in and out"),
)


class ItemKeyRows(QWidget):
    """Keys of the selected item's place, size and opacity, and its fades."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._told = label("")
        put = button(
            "Key here", "Let it lie as it does now on this frame, and move from key to key", self._put
        )
        remove = button("Delete key", "Delete the key on this frame", self._remove)
        before = button("‹", "Go to the key before", lambda: self._step(-1))
        after = button("›", "Go to the next key", lambda: self._step(1))
        self._ramp = choice_field("How it comes to the next key", _RAMPS, self._set_ramp)
        self._opacity = number_field("Opacity on this frame", low=0, high=100, unit="%")
        self._opacity.edited.connect(self._set_opacity)
        self._ramp_row = row("To the next", self._ramp, label("opacity here"), self._opacity)
        self._fade_in = number_field("Fade in of the picture", low=0, high=10_000, unit="")
        self._fade_out = number_field("Fade out of the picture", low=0, high=10_000, unit="")
        self._fade_in.edited.connect(lambda value: self._change(fade_in=round(value)))
        self._fade_out.edited.connect(lambda value: self._change(fade_out=round(value)))
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        box.addWidget(row("Fade in, out", self._fade_in, self._fade_out, label("frames")))
        box.addWidget(in_a_row(put, remove, before, after, self._told, spacing=6))
        box.addWidget(self._ramp_row)

    def refresh(self, item: Item) -> None:
        """Show the keys of an item."""
        self._fade_in.show_value(item.fade_in)
        self._fade_out.show_value(item.fade_out)
        number = len(item.keys)
        self._told.setText("no keys" if number == 0 else f"{number} key{'s' * (number != 1)}")
        self._ramp_row.setVisible(bool(item.keys))
        if item.keys:
            here = item_key_at(item, self._editor.playhead)
            passed = [key for key in item.keys if key.frame <= here.frame]
            show_choice(self._ramp, (passed or item.keys)[-1 if passed else 0].ramp.value)
            self._opacity.show_value(round(100 * here.opacity))

    def _put(self) -> None:
        frame = self._editor.playhead
        self._apply(lambda p, item: put_key(p, item.id, frame), "key of an item")

    def _remove(self) -> None:
        frame = self._editor.playhead
        self._apply(lambda p, item: remove_key(p, item.id, frame), "deletion of a key")

    def _step(self, direction: int) -> None:
        item = self._editor.selected_item()
        frames = [] if item is None else [item.start + key.frame for key in item.keys]
        beyond = [one for one in frames if (one - self._editor.playhead) * direction > 0]
        if beyond:
            self._editor.go_to(min(beyond) if direction > 0 else max(beyond))

    def _set_ramp(self, key: str) -> None:
        frame = self._editor.playhead
        self._apply(lambda p, item: set_key_ramp(p, item.id, frame, Ramp(key)), "way to the next key")

    def _set_opacity(self, percent: float) -> None:
        frame = self._editor.playhead
        self._apply(lambda p, item: put_key(p, item.id, frame, opacity=percent / 100), "opacity of a key")

    def _change(self, **changes: int) -> None:
        self._apply(lambda p, item: change_item(p, item.id, **changes), "fade of an item")

    def _apply(self, edit: Callable[[Project, Item], Project], text: str) -> None:
        item = self._editor.selected_item()
        if item is not None:
            self._editor.apply(lambda p: edit(p, item), text)
