"""The bench page of one tap: move, strength, delete."""

from collections.abc import Callable

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.bench.fields import button, in_a_row, label, row
from epiphane.desk.bench.rows import limited_field
from epiphane.desk.control.attacks import attack_distance, attack_near, attack_words
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import PulseSelection
from epiphane.desk.shell import theme
from epiphane.document.ids import PulseId
from epiphane.document.project import Project
from epiphane.document.song import Hit
from epiphane.edits.taps import remove_tap, set_tap_strength

_STEP_SECONDS = 0.005


class TapBench(QWidget):
    """Everything about one tap of a tapped pulse."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        self._what = label("")
        self._what.setFont(theme.numbers(9.5))
        box.addWidget(self._what)
        self._time = limited_field(Hit, "time", "Time", "s", decimals=3, step=_STEP_SECONDS)
        self._time.setFixedWidth(92)
        self._time.edited.connect(self.move_to)
        box.addWidget(row("Time", self._time))
        self._strength = limited_field(Hit, "strength", "Strength", "%", factor=100)
        self._strength.edited.connect(self._set_strength)
        box.addWidget(row("Strength", self._strength))
        self._to_attack = button(
            "Snap to attack", "Move it onto the nearest attack of the sound (G)", self.to_attack
        )
        remove = button("Delete", "Delete this tap; the others stay (Delete)", self.remove)
        whole = button("Show the pulse", "Show the pulse that it is a hit of", self._show_pulse)
        box.addWidget(in_a_row(self._to_attack, remove, whole))
        hint = label("Drag it sideways in the score; Alt with an arrow key moves it by 5 ms.")
        hint.setWordWrap(True)
        box.addWidget(hint)
        box.addStretch(1)

    def refresh(self) -> None:
        """Show the tap as it is now."""
        tap = self._editor.selected_tap()
        if tap is None:
            return
        off = attack_distance(self._editor.heard, tap.time)
        self._what.setText("no attack beside it" if off is None else attack_words(off))
        self._to_attack.setEnabled(off is not None and abs(off) > 0.0005)
        self._time.show_value(round(tap.time, 3))
        self._strength.show_value(round(100 * tap.strength))

    def nudge(self, direction: int) -> None:
        """Move the tap by 5 ms."""
        tap = self._editor.selected_tap()
        if tap is not None:
            self.move_to(max(0.0, tap.time + direction * _STEP_SECONDS))

    def to_attack(self) -> None:
        """Move the tap onto the attack beside it."""
        tap = self._editor.selected_tap()
        near = None if tap is None else attack_near(self._editor.heard, tap.time)
        if near is not None:
            self.move_to(near)

    def move_to(self, seconds: float) -> None:
        """Move the tap to an instant; it stays selected."""
        self._editor.move_tap(seconds)

    def remove(self) -> None:
        """Remove the tap alone; the one after it, else the one before, is selected."""
        pulse, gone = self._editor.selection.pulse, self._editor.selected_tap()
        if pulse is None or gone is None:
            return
        self._change(remove_tap, "removal of a tap")
        self._editor.select_tap_near(pulse, gone.time)

    def _set_strength(self, percent: float) -> None:
        self._change(
            lambda p, pulse, time: set_tap_strength(p, pulse, time, percent / 100), "strength of a tap"
        )

    def _show_pulse(self) -> None:
        pulse = self._editor.selection.pulse
        if pulse is not None:
            self._editor.select(PulseSelection(pulse))

    def _change(self, edit: Callable[[Project, PulseId, float], Project], text: str) -> None:
        pulse, time = self._editor.selection.pulse, self._editor.selection.tap
        if pulse is not None and time is not None:
            self._editor.apply(lambda p: edit(p, pulse, time), text)
