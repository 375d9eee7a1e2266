"""The rows of a shot's sound: on or off, gain, fades, and an accent round its moment."""

from typing import Any

from msgspec.structs import replace

from epiphane.desk.bench.page import Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.look.fields import label
from epiphane.document.timeline import Item, ItemSound
from epiphane.edits.shots.shots import change_shots
from epiphane.wording import tr

_USUAL_ACCENT = 8


class ShotSoundRows(Rows[Item]):
    """The sound of the selected shots, under the song."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        is_on = self.check(
            tr("heard under the song"),
            tr("Hear the sound of the clip under the song, here and in the export"),
            _has_sound,
            lambda is_on: self._set(ItemSound() if is_on else None),
        )
        is_on.setAccessibleName(tr("Sound of the shot"))
        is_accent = self.check(
            tr("Accent"),
            tr("Hear only the frames from the hit on which its moment falls"),
            lambda shot: _accent_of(shot) is not None,
            lambda is_on: self._change(accent=_USUAL_ACCENT if is_on else None),
        )
        accent = self.number(
            tr("Frames of the accent"),
            lambda shot: _accent_of(shot) or _USUAL_ACCENT,
            lambda value: self._change(accent=round(value)),
            limits=(1, 10_000),
        )
        self.enabled(lambda shot: shot.pin is not None, is_accent)
        self.enabled(lambda shot: _accent_of(shot) is not None, accent)
        self.row(tr("Sound"), is_on)
        fields = self.fields(ItemSound, self._change, lambda shot: shot.sound)
        self.row(tr("Gain"), fields.number("gain", tr("Gain of the shot"), "dB", decimals=1), when=_has_sound)
        self.row(
            tr("Fade in, out"),
            fields.number("fade_in", tr("Fade in of its sound")),
            fields.number("fade_out", tr("Fade out of its sound")),
            label(tr("frames")),
            when=_has_sound,
        )
        self.row("", is_accent, accent, label(tr("frames")), when=_has_sound)

    def _change(self, **changes: Any) -> None:
        shot = self._editor.chosen.shot
        if shot is not None and shot.sound is not None:
            self._set(replace(shot.sound, **changes))

    def _set(self, sound: ItemSound | None) -> None:
        ids = self._editor.selection.shots
        self._editor.apply(lambda p: change_shots(p, ids, sound=sound), tr("sound of a shot"))


def _has_sound(shot: Item) -> bool:
    return shot.sound is not None


def _accent_of(shot: Item) -> int | None:
    return None if shot.sound is None else shot.sound.accent
