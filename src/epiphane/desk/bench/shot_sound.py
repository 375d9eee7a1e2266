"""The rows of a shot's sound: on or off, gain, fades, and an accent round its moment."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from epiphane.desk.bench.rows import StructFields
from epiphane.desk.control.editor import Editor
from epiphane.desk.look.fields import label, number_field, row
from epiphane.document.timeline import ItemSound
from epiphane.edits.shots import change_shots

_USUAL_ACCENT = 8


class ShotSoundRows(QWidget):
    """The sound of the selected shots, under the song."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        self._is_on = QCheckBox("heard under the song")
        self._is_on.setAccessibleName("Sound of the shot")
        self._is_on.setToolTip("Hear the sound of the clip under the song, here and in the export")
        self._is_on.clicked.connect(lambda is_on: self._set(ItemSound() if is_on else None))
        fields = self._fields = StructFields(ItemSound, self._change)
        self._gain_row = row("Gain", fields.number("gain", "Gain of the shot", "dB", decimals=1))
        self._fade_row = row(
            "Fade in, out",
            fields.number("fade_in", "Fade in of its sound"),
            fields.number("fade_out", "Fade out of its sound"),
            label("frames"),
        )
        self._is_accent = QCheckBox("Accent")
        self._is_accent.setToolTip("Hear only the frames from the hit on which its moment falls")
        self._is_accent.clicked.connect(lambda is_on: self._change(accent=_USUAL_ACCENT if is_on else None))
        self._accent = number_field("Frames of the accent", low=1, high=10_000, unit="")
        self._accent.edited.connect(lambda value: self._change(accent=round(value)))
        self._accent_row = row("", self._is_accent, self._accent, label("frames"))
        for widget in (row("Sound", self._is_on), self._gain_row, self._fade_row, self._accent_row):
            box.addWidget(widget)

    def refresh(self) -> None:
        """Show the sound as it is now."""
        shot = self._editor.selected_shot()
        sound = None if shot is None else shot.sound
        self._is_on.setChecked(sound is not None)
        for widget in (self._gain_row, self._fade_row, self._accent_row):
            widget.setVisible(sound is not None)
        if shot is None or sound is None:
            return
        self._fields.show(sound)
        self._is_accent.setEnabled(shot.pin is not None)
        self._is_accent.setChecked(sound.accent is not None)
        self._accent.setEnabled(sound.accent is not None)
        self._accent.show_value(sound.accent or _USUAL_ACCENT)

    def _change(self, **changes: Any) -> None:
        shot = self._editor.selected_shot()
        if shot is not None and shot.sound is not None:
            self._set(replace(shot.sound, **changes))

    def _set(self, sound: ItemSound | None) -> None:
        ids = self._editor.selection.shots
        self._editor.apply(lambda p: change_shots(p, ids, sound=sound), "sound of a shot")
