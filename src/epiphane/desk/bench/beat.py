"""The bench page of one beat: accept, move, make it a downbeat, delete."""

from PyQt6.QtWidgets import QVBoxLayout

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import limited_field
from epiphane.desk.control.attacks import attack_distance, attack_words
from epiphane.desk.control.beats import STEP_SECONDS, BeatDesk
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, in_a_row, label, row
from epiphane.document.song import Beat


class BeatBench(BenchPage):
    """Everything about one beat."""

    def __init__(self, editor: Editor, beats: BeatDesk) -> None:
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
            "Accept", "Take this beat as right; Y also goes to the next doubtful one", beats.accept
        )
        self._to_attack = button(
            "Snap to attack", "Move it onto the nearest attack of the sound (G)", beats.to_attack
        )
        self._remove = button("Delete", "Delete this beat (Delete)", beats.remove)
        box.addWidget(in_a_row(self._accept, self._to_attack, self._remove))
        self._time = limited_field(Beat, "time", "Time", "s", decimals=3, step=STEP_SECONDS)
        self._time.setFixedWidth(92)
        self._time.edited.connect(beats.move_to)
        box.addWidget(row("Time", self._time, label("Ctrl + drag on the ruler")))
        self._per_bar = limited_field(Beat, "place", "Beats to the bar from here on")
        self._per_bar.setFixedWidth(48)
        self._per_bar.edited.connect(lambda number: beats.set_beats_per_bar(round(number)))
        self._one = button(
            "Downbeat here", "Begin a bar with this beat, and move all other bar lines along", beats.begin_bar
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
