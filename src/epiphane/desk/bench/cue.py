"""The bench of cues."""

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from epiphane.desk import theme
from epiphane.desk.bench.fields import RangeBar, label, number_field, row, show_number
from epiphane.desk.editor import Editor
from epiphane.document.model import Project
from epiphane.edits.cues import CueKey, nudge_cues, reset_cues, set_cue_strength, toggle_cues


class CueBench(QWidget):
    """The selected cues: switched off or on, weaker or stronger, nudged."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(10)
        self._what = label("")
        self._what.setFont(theme.numbers(9.5))
        self._what.setWordWrap(True)
        box.addWidget(self._what)
        box.addWidget(self._buttons())
        self._bar = RangeBar("Strength", low=0, high=200, colour=theme.TEXT, has_rest=False)
        self._strength = number_field("Strength", low=0, high=200, unit="%")
        self._bar.changed.connect(lambda _rest, value: self._set_strength(value, gesture="strength"))
        self._bar.released.connect(editor.end_gesture)
        self._strength.valueChanged.connect(self._set_strength)
        box.addWidget(row("Strength", self._bar, self._strength))
        self._nudge = number_field("Nudge", low=-240, high=240, unit="f")
        self._nudge.valueChanged.connect(self._set_nudge)
        box.addWidget(row("Nudge", self._nudge, label("Alt ← →")))
        box.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        """Show the cues as they are now."""
        cues = self._editor.selected_cues()
        if not cues:
            self._what.setText("The hits of these cues are not there at the moment.")
            return
        first = cues[0]
        if len(cues) == 1:
            self._what.setText(f"hit at {first.hit.time:.3f} s, peak on frame {first.frame}")
        else:
            self._what.setText(f"{len(cues)} cues, frames {first.frame} to {cues[-1].frame}")
        self._toggle.setText("Switch on" if all(cue.is_off for cue in cues) else "Switch off")
        override = first.override
        strength = 1.0 if override is None or override.strength is None else override.strength
        self._bar.set_values(0, strength * 100)
        show_number(self._strength, strength * 100)
        show_number(self._nudge, 0 if override is None else override.nudge)
        self._reset.setEnabled(any(cue.override is not None for cue in cues))

    def _buttons(self) -> QWidget:
        self._toggle = QPushButton("Switch off")
        self._toggle.setToolTip("Switch the cues off, or on again (X)")
        self._toggle.clicked.connect(lambda: self._apply(toggle_cues, "switch of cues"))
        self._reset = QPushButton("As the lane has it")
        self._reset.setToolTip("Take back every change to these cues (R)")
        self._reset.clicked.connect(lambda: self._apply(reset_cues, "reset of cues"))
        made = QWidget()
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self._toggle)
        box.addWidget(self._reset)
        box.addStretch(1)
        return made

    def _apply(self, edit: Callable[[Project, frozenset[CueKey]], Project], text: str) -> None:
        keys = self._editor.selection.cues
        self._editor.apply(lambda p: edit(p, keys), text)

    def _set_strength(self, percent: float, *, gesture: str | None = None) -> None:
        keys = self._editor.selection.cues
        self._editor.apply(
            lambda p: set_cue_strength(p, keys, percent / 100), "change of strength", gesture=gesture
        )

    def _set_nudge(self, value: float) -> None:
        cues = self._editor.selected_cues()
        if cues:
            now = cues[0].override.nudge if cues[0].override is not None else 0
            keys = self._editor.selection.cues
            self._editor.apply(lambda p: nudge_cues(p, keys, round(value) - now), "nudge")
