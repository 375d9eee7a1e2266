"""The bench pages of a part of the song and of a drop."""

from functools import partial

from PyQt6.QtWidgets import QPushButton, QVBoxLayout

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.form import FormDesk
from epiphane.desk.look.fields import TextField, button, in_a_row, label, number_field, row
from epiphane.document.song import PART_KINDS
from epiphane.edits.form import MOST_NAME
from epiphane.facts.form import kind_of, name_of, parts_of
from epiphane.timing import clock_text

_LONGEST_SECONDS = 86_400.0


class PartBench(BenchPage):
    """A part of the song: its name, what it is like, where it begins."""

    def __init__(self, editor: Editor, desk: FormDesk) -> None:
        super().__init__()
        self._editor = editor
        self._name = TextField("Name of the part", "What this part is called", longest=MOST_NAME)
        self._name.editingFinished.connect(self._rename)
        self._desk = desk
        self._kinds: dict[str, QPushButton] = {}
        for kind in PART_KINDS:
            made = button(kind.capitalize(), _MEANINGS[kind], partial(desk.choose_kind, kind))
            made.setCheckable(True)
            self._kinds[kind] = made
        self._start = number_field(
            "Start of the part", low=0, high=_LONGEST_SECONDS, unit="s", decimals=3, step=0.1
        )
        self._start.setFixedWidth(96)
        self._start.edited.connect(desk.begin_at)
        self._earlier = button("Bar earlier", "Begin a bar earlier (Alt + Left)", lambda: desk.nudge_part(-1))
        self._later = button("Bar later", "Begin a bar later (Alt + Right)", lambda: desk.nudge_part(1))
        tip = "Make it a part of the one before it (Ctrl + Shift + J)"
        self._join = button("Join to the one before", tip, desk.join)
        split = button("Split at the playhead", "Split it at the nearest bar line (Ctrl + U)", desk.split)
        self._facts = label("")
        self._facts.setWordWrap(True)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        for widget in (
            self._facts,
            row("Name", self._name),
            row("It is", *self._kinds.values()),
            row("Begins at", self._start, self._earlier, self._later),
            in_a_row(split, self._join),
        ):
            box.addWidget(widget)
        hint = label("Filling, dressing, holding a shot and lanes that fire in a part go by it.")
        hint.setWordWrap(True)
        box.addWidget(hint)
        box.addStretch(1)

    def refresh(self) -> None:
        """Show the part as it is now."""
        number, parts = self._editor.selection.part, parts_of(self._editor.project.song)
        if number is None or number >= len(parts):
            return
        part = parts[number]
        whose = "set by you" if part.is_own else "as it was heard"
        self._facts.setText(f"{clock_text(part.start)} to {clock_text(part.end)}, {whose}")
        self._name.show_text(name_of(part))
        for kind, made in self._kinds.items():
            made.setChecked(kind == kind_of(part))
        self._start.show_value(round(part.start, 3))
        for widget in (self._start, self._earlier, self._later, self._join):
            widget.setEnabled(number > 0)

    def _rename(self) -> None:
        if self._name.isModified():
            self._name.setModified(False)
            self._desk.rename(self._name.text())


_MEANINGS = {
    "calm": "Little goes on: long shots, few effects",
    "build": "It rises to what comes next",
    "full": "Everything plays: short shots, many effects",
    "break": "The beat is left out: as calm as calm parts are",
}


class DropBench(BenchPage):
    """A drop of the song: where it is."""

    def __init__(self, editor: Editor, desk: FormDesk) -> None:
        super().__init__()
        self._editor = editor
        self._time = number_field(
            "Time of the drop", low=0, high=_LONGEST_SECONDS, unit="s", decimals=3, step=0.1
        )
        self._time.setFixedWidth(96)
        self._time.edited.connect(desk.put_selected_drop)
        earlier = button("Earlier", "To the beat before (Alt + Left)", lambda: desk.nudge_drop(-1))
        later = button("Later", "To the next beat (Alt + Right)", lambda: desk.nudge_drop(1))
        remove = button("Delete", "There is no drop here (Delete)", desk.remove_drop)
        self._facts = label("")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        for widget in (self._facts, row("At", self._time, earlier, later), in_a_row(remove)):
            box.addWidget(widget)
        hint = label("The best moment of the footage, the dressing and titles land on drops.")
        hint.setWordWrap(True)
        box.addWidget(hint)
        box.addStretch(1)

    def refresh(self) -> None:
        """Show the drop as it is now."""
        song, number = self._editor.project.song, self._editor.selection.drop
        if song is None or number is None or number >= len(song.drops):
            return
        whose = "set by you" if song.has_own_drops else "as it was heard"
        self._facts.setText(f"{clock_text(song.drops[number])}, {whose}")
        self._time.show_value(round(song.drops[number], 3))
