"""The bench page of one tap: move, strength, delete."""

from PyQt6.QtWidgets import QVBoxLayout

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import limited_field
from epiphane.desk.control.attacks import attack_distance, attack_words
from epiphane.desk.control.beats import STEP_SECONDS
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.pulses import PulseDesk
from epiphane.desk.control.selection import PulseSelection
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, in_a_row, label, row
from epiphane.document.song import Hit


class TapBench(BenchPage):
    """Everything about one tap of a tapped pulse."""

    def __init__(self, editor: Editor, pulses: PulseDesk) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        self._what = label("")
        self._what.setFont(theme.numbers(9.5))
        box.addWidget(self._what)
        self._time = limited_field(Hit, "time", "Time", "s", decimals=3, step=STEP_SECONDS)
        self._time.setFixedWidth(92)
        self._time.edited.connect(editor.move_tap)
        box.addWidget(row("Time", self._time))
        self._strength = limited_field(Hit, "strength", "Strength", "%", factor=100)
        self._strength.edited.connect(lambda percent: pulses.set_tap_strength(percent / 100))
        box.addWidget(row("Strength", self._strength))
        self._to_attack = button(
            "Snap to attack", "Move it onto the nearest attack of the sound (G)", pulses.tap_to_attack
        )
        remove = button("Delete", "Delete this tap; the others stay (Delete)", pulses.remove_tap)
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

    def _show_pulse(self) -> None:
        pulse = self._editor.selection.pulse
        if pulse is not None:
            self._editor.select(PulseSelection(pulse))
