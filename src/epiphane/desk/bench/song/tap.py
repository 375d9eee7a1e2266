"""The bench page of one tap: move, strength, delete."""

from functools import partial

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.attacks import attack_distance, attack_words
from epiphane.desk.control.beats import STEP_SECONDS
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.pulses import PulseDesk
from epiphane.desk.control.selection import PulseSelection
from epiphane.desk.control.steps import move_chosen_tap
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, in_a_row, label, wrapped
from epiphane.document.song import Hit
from epiphane.wording import tr


class TapBench(BenchPage[Hit]):
    """Everything about one tap of a tapped pulse."""

    def __init__(self, editor: Editor, pulses: PulseDesk) -> None:
        super().__init__(editor, spacing=8)
        what = label("")
        what.setFont(theme.numbers(9.5))
        self.shows(lambda tap: what.setText(self._told(tap)))
        self.add(what)
        time = self.number(
            tr("Time"),
            lambda tap: tap.time,
            partial(move_chosen_tap, editor),
            limits=(Hit, "time"),
            unit="s",
            decimals=3,
            step=STEP_SECONDS,
            width=92,
        )
        self.row(tr("Time"), time)
        strength = self.number(
            tr("Strength"),
            lambda tap: tap.strength,
            pulses.set_tap_strength,
            limits=(Hit, "strength"),
            unit="%",
            factor=100,
        )
        self.row(tr("Strength"), strength)
        tip = tr("Move it onto the nearest attack of the sound (G)")
        to_attack = button(tr("Snap to attack"), tip, pulses.tap_to_attack)
        self.enabled(lambda tap: abs(self._attack(tap) or 0.0) > 0.0005, to_attack)
        remove = button(tr("Delete"), tr("Delete this tap; the others stay (Delete)"), pulses.remove_tap)
        whole = button(tr("Show the pulse"), tr("Show the pulse that it is a hit of"), self._show_pulse)
        self.add(in_a_row(to_attack, remove, whole))
        self.add(wrapped(tr("Drag it sideways in the score; Alt with an arrow key moves it by 5 ms.")))
        self.end()

    def thing(self) -> Hit | None:
        """Return the selected tap."""
        return self.editor.chosen.tap

    def _attack(self, tap: Hit) -> float | None:
        return attack_distance(self.editor.heard, tap.time)

    def _told(self, tap: Hit) -> str:
        off = self._attack(tap)
        return tr("no attack beside it") if off is None else attack_words(off)

    def _show_pulse(self) -> None:
        pulse = self.editor.selection.pulse
        if pulse is not None:
            self.editor.select(PulseSelection(pulse))
