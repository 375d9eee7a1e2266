"""The rows of an item's bench that let it move and fade: keys on single frames, and fades at its ends."""

from collections.abc import Callable

from epiphane.desk.bench.page import Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.look.fields import button, in_a_row, label
from epiphane.document.project import Project
from epiphane.document.timeline import Item, Ramp
from epiphane.edits.items.keys import put_key, remove_key, set_key_ramp
from epiphane.edits.items.tracks import change_item
from epiphane.facts.framing import item_key_at
from epiphane.wording import plural, tr

_RAMPS = (
    (Ramp.HOLD.value, tr("hold")),
    (Ramp.LINEAR.value, tr("linear")),
    (Ramp.IN.value, tr("ease in")),
    (Ramp.OUT.value, tr("ease out")),
    (Ramp.BOTH.value, tr("ease in and out")),
)


class ItemKeyRows(Rows[Item]):
    """Keys of the selected item's place, size and opacity, and its fades."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        told = label("")
        self.shows(lambda item: told.setText(_told(item)))
        tip = tr("Let it lie as it does now on this frame, and move from key to key")
        put = button(tr("Key here"), tip, self._put)
        remove = button(tr("Delete key"), tr("Delete the key on this frame"), self._remove)
        before = button("‹", tr("Go to the key before"), lambda: self._step(-1))
        after = button("›", tr("Go to the next key"), lambda: self._step(1))
        ramp = self.choice(tr("How it comes to the next key"), _RAMPS, self._ramp_here, self._set_ramp)
        opacity = self.number(
            tr("Opacity on this frame"),
            lambda item: item_key_at(item, editor.playhead).opacity if item.keys else 1.0,
            self._set_opacity,
            limits=(0, 100),
            unit="%",
            factor=100,
        )
        most = 10_000
        fade_in = self.number(
            tr("Fade in of the picture"),
            lambda item: item.fade_in,
            lambda value: self._change(fade_in=round(value)),
            limits=(0, most),
        )
        fade_out = self.number(
            tr("Fade out of the picture"),
            lambda item: item.fade_out,
            lambda value: self._change(fade_out=round(value)),
            limits=(0, most),
        )
        self.row(tr("Fade in, out"), fade_in, fade_out, label(tr("frames")))
        self.add(in_a_row(put, remove, before, after, told, spacing=6))
        self.row(
            tr("To the next"), ramp, label(tr("opacity here")), opacity, when=lambda item: bool(item.keys)
        )

    def _ramp_here(self, item: Item) -> str:
        """Return how the key that was passed last goes on."""
        if not item.keys:
            return _RAMPS[0][0]
        frame = self._editor.playhead - item.start
        passed = [key for key in item.keys if key.frame <= frame]
        return (passed[-1] if passed else item.keys[0]).ramp.value

    def _put(self) -> None:
        frame = self._editor.playhead
        self._apply(lambda p, item: put_key(p, item.id, frame), tr("key of an item"))

    def _remove(self) -> None:
        frame = self._editor.playhead
        self._apply(lambda p, item: remove_key(p, item.id, frame), tr("deletion of a key"))

    def _step(self, direction: int) -> None:
        item = self._editor.chosen.item
        frames = [] if item is None else [item.start + key.frame for key in item.keys]
        beyond = [one for one in frames if (one - self._editor.playhead) * direction > 0]
        if beyond:
            self._editor.go_to(min(beyond) if direction > 0 else max(beyond))

    def _set_ramp(self, key: str) -> None:
        frame = self._editor.playhead
        self._apply(lambda p, item: set_key_ramp(p, item.id, frame, Ramp(key)), tr("way to the next key"))

    def _set_opacity(self, opacity: float) -> None:
        frame = self._editor.playhead
        self._apply(lambda p, item: put_key(p, item.id, frame, opacity=opacity), tr("opacity of a key"))

    def _change(self, **changes: int) -> None:
        self._apply(lambda p, item: change_item(p, item.id, **changes), tr("fade of an item"))

    def _apply(self, edit: Callable[[Project, Item], Project], text: str) -> None:
        item = self._editor.chosen.item
        if item is not None:
            self._editor.apply(lambda p: edit(p, item), text)


def _told(item: Item) -> str:
    number = len(item.keys)
    return tr("no keys") if number == 0 else plural(number, "1 key", "{} keys")
