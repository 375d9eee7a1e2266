"""The bench page of one beat: accept, move, make it a downbeat, delete."""

from collections.abc import Callable

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.bench.fields import button, in_a_row, label, row
from epiphane.desk.bench.rows import limited_field
from epiphane.desk.control.attacks import attack_distance, attack_near, attack_words
from epiphane.desk.control.editor import Editor
from epiphane.desk.shell import theme
from epiphane.document.project import Project
from epiphane.document.song import Beat
from epiphane.edits.beats import accept_beat, move_beat, remove_beat, set_beats_per_bar, shift_one


class BeatBench(QWidget):
    """Everything about one beat."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        self._what = label("")
        self._what.setFont(theme.numbers(9.5))
        self._what.setWordWrap(True)
        box.addWidget(self._what)
        self._accept = button(
            "Accept", "Take this beat as right; Y also goes to the next doubtful one", self.accept
        )
        self._to_attack = button(
            "Snap to attack", "Move it onto the nearest attack of the sound (G)", self.to_attack
        )
        self._remove = button("Delete", "Delete this beat (Delete)", self.remove)
        box.addWidget(in_a_row(self._accept, self._to_attack, self._remove))
        self._time = limited_field(Beat, "time", "Time", "s", decimals=3, step=0.005)
        self._time.setFixedWidth(92)
        self._time.edited.connect(self.move_to)
        box.addWidget(row("Time", self._time, label("Ctrl + drag on the ruler")))
        self._per_bar = limited_field(Beat, "place", "Beats to the bar from here on")
        self._per_bar.setFixedWidth(48)
        self._per_bar.edited.connect(self._set_per_bar)
        self._one = button(
            "Downbeat here", "Begin a bar with this beat, and move all other bar lines along", self._put_one
        )
        box.addWidget(row("Bars from here", self._per_bar, self._one))
        hint = label(
            "Ctrl and a click on the ruler adds a beat. A dragged beat takes four neighbours softly along,"
            " with Shift none."
        )
        hint.setWordWrap(True)
        box.addWidget(hint)
        box.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        """Show the beat as it is now."""
        beat, song = self._editor.selected_beat(), self._editor.project.song
        if beat is None or song is None:
            return
        off = attack_distance(self._editor.heard, beat.time)
        where = "no attack beside it" if off is None else attack_words(off)
        self._what.setText(f"beat {beat.place} of its bar, {beat.confidence:.0%} sure\n{where}")
        self._to_attack.setEnabled(off is not None and abs(off) > 0.0005 and not song.is_locked)
        for widget in (self._remove, self._one, self._time, self._per_bar):
            widget.setEnabled(not song.is_locked)
        self._time.show_value(round(beat.time, 3))
        following = song.beats[self._editor.selection.beat or 0 :]
        self._per_bar.show_value(max(one.place for one in following))

    def accept(self) -> None:
        """Take the beat as right."""
        self._change(accept_beat, "accepting of a beat")

    def to_attack(self) -> None:
        """Move the beat onto the attack beside it."""
        beat = self._editor.selected_beat()
        near = None if beat is None else attack_near(self._editor.heard, beat.time)
        if near is not None:
            self.move_to(near)

    def move_to(self, seconds: float) -> None:
        """Move the beat alone to an instant."""
        self._change(lambda p, number: move_beat(p, number, seconds), "move of a beat")

    def remove(self) -> None:
        """Take the beat away."""
        self._change(remove_beat, "removal of a beat")

    def _set_per_bar(self, number: float) -> None:
        beat = self._editor.selected_beat()
        if beat is not None:
            self._editor.apply(
                lambda p: set_beats_per_bar(p, round(number), start=beat.time), "beats to the bar"
            )

    def _put_one(self) -> None:
        beat = self._editor.selected_beat()
        if beat is not None:
            self._editor.apply(lambda p: shift_one(p, beat.place - 1), "shift of the downbeat")

    def _change(self, edit: Callable[[Project, int], Project], text: str) -> None:
        number = self._editor.selection.beat
        if number is not None:
            self._editor.apply(lambda p: edit(p, number), text)
            self.refresh()
