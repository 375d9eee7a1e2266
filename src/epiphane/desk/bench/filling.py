"""The bench of filling: every change fills the song again at once."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import StructFields
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import (
    button,
    choice_field,
    label,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.document.filling import Filling, Order, Pace
from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, PulseId
from epiphane.document.project import Project
from epiphane.document.timeline import Extend, Move, cut_of
from epiphane.edits.filling import fill_song

_BEATS = "beats"
_ORDERS = (
    (Order.GATHERED, "As imported"),
    (Order.SHUFFLED, "Shuffled"),
    (Order.MOMENTS, "Best moments on best hits"),
)
_EXTENDS = (
    (Extend.SLOW, "Slow it down"),
    (Extend.REPEAT, "Play it again"),
    (Extend.MIRROR, "There and back"),
)
MOVES = ((Move.PUSH, "Slow push"), (Move.DRIFT, "Drift"), (Move.NONE, "None"))
_SECTIONS = (("calm", "in calm sections"), ("build", "in builds"), ("full", "in full ones"))
_FIELD_WIDTH = 236


class FillingBench(BenchPage):
    """How the song is filled with footage."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._on_shelf: tuple[FootageId, ...] = ()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        self._told = label("")
        self._told.setFont(theme.numbers(9.5))
        self._told.setWordWrap(True)
        first = QHBoxLayout()
        first.addWidget(self._told, 1)
        first.addWidget(
            button("Fill again", "Fill the song again, with what is known of the clips by now", self.fill)
        )
        box.addLayout(first)
        self._waiting = label("")
        self._waiting.setWordWrap(True)
        box.addWidget(self._waiting)
        box.addWidget(self._clips_row())
        box.addWidget(rule())
        for widget in self._pace_rows():
            box.addWidget(widget)
        box.addWidget(rule())
        for widget in self._order_rows():
            box.addWidget(widget)
        box.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        """Show how it is filled now."""
        project = self._editor.project
        filling, pace = project.filling, project.filling.pace
        pulses = [(_BEATS, "beats")]
        pulses += [(str(pulse.id), pulse.name) for pulse in project.pulses if pulse.name != "beats"]
        show_options(self._pulse, pulses)
        show_choice(self._pulse, _BEATS if filling.pulse is None else str(filling.pulse))
        self._pace.show(pace)
        self._filling.show(filling)
        self._every_row.setVisible(not pace.is_by_section)
        for made in self._section_rows:
            made.setVisible(pace.is_by_section)
        self._shuffle.setVisible(filling.order is Order.SHUFFLED)
        n_wanted = len(filling.footage)
        self._clips.setText(f"{n_wanted} chosen clips" if n_wanted else _all_clips(project))
        self._all.setEnabled(n_wanted > 0)
        self._told.setText(_told(project))
        waiting = [f for f in project.footage if f.kind is FootageKind.VIDEO and not f.is_searched]
        self._waiting.setVisible(bool(waiting) and filling.lands)
        self._waiting.setText(
            f"Moments are still looked for in {len(waiting)} of the clips; then fill again to land them."
        )

    def use_chosen(self, ids: tuple[FootageId, ...]) -> None:
        """Know what is chosen on the shelf."""
        self._on_shelf = ids
        self._chosen.setEnabled(bool(ids))

    def fill(self, **changes: Any) -> None:
        """Fill the song again, with some of it changed."""
        self._editor.apply(lambda p: fill_song(p, **changes), "filling of the song")

    def _clips_row(self) -> QWidget:
        self._clips = label("", is_quiet=False)
        self._chosen = button(
            "Selected", "Fill with the clips that are selected on the shelf", self._take_chosen
        )
        self._all = button("All", "Fill with all clips and stills", lambda: self.fill(footage=()))
        self._chosen.setEnabled(False)
        made = QWidget()
        line = QHBoxLayout(made)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self._clips, 1)
        line.addWidget(self._chosen)
        line.addWidget(self._all)
        return row("Clips", made)

    def _pace_rows(self) -> list[QWidget]:
        self._pulse = choice_field("Cuts are counted on", [], self._set_pulse)
        fields = self._pace = StructFields(Pace, self._set_pace)
        self._every_row = row("A cut every", fields.number("every", "A cut every"), label("of them"))
        tip = "Another pace in calm sections, builds and full ones"
        by_section = fields.check("is_by_section", "Slower or faster by section", tip)
        self._section_rows = [
            row("A cut every", fields.number(word, f"A cut every, {words}"), label(words))
            for word, words in _SECTIONS
        ]
        return [row("Count on", self._pulse), self._every_row, row("", by_section), *self._section_rows]

    def _order_rows(self) -> list[QWidget]:
        fields = self._filling = StructFields(Filling, self.fill)
        order = fields.choice("order", "Order of clips", _ORDERS)
        order.setMaximumWidth(_FIELD_WIDTH)
        self._shuffle = button("Shuffle again", "Shuffle them another way", self._reshuffle)
        tip = "Every clip that has a moment shows it exactly on a hit"
        return [
            row("Order", order, self._shuffle),
            row("", fields.check("lands", "Moments land on hits", tip)),
            row("Short clips", fields.choice("extend", "What becomes of a clip that is too short", _EXTENDS)),
            row("Stills", fields.choice("stills", "How stills move", MOVES)),
        ]

    def _take_chosen(self) -> None:
        self.fill(footage=self._on_shelf)

    def _reshuffle(self) -> None:
        self.fill(seed=(self._editor.project.filling.seed + 1) % 1_000_000)

    def _set_pulse(self, key: str) -> None:
        self.fill(pulse=None if key == _BEATS else PulseId(int(key)))

    def _set_pace(self, **changes: Any) -> None:
        self.fill(pace=replace(self._editor.project.filling.pace, **changes))


def _all_clips(project: Project) -> str:
    n_clips = sum(footage.kind is not FootageKind.SOUND for footage in project.footage)
    return f"All {n_clips}" if n_clips else "None yet"


def _told(project: Project) -> str:
    n_locked = sum(shot.is_locked for shot in project.shots)
    n_landed = sum(shot.pin is not None for shot in project.shots)
    speeds = [cut_of(shot).speed for shot in project.shots if shot.footage is not None]
    n_slow = sum(not isinstance(speed, tuple) and abs(speed) < 1 for speed in speeds)
    parts = [f"{len(project.shots)} shots"]
    parts += [f"{n_landed} moments on hits"] if n_landed else []
    parts += [f"{n_slow} slowed"] if n_slow else []
    parts += [f"{n_locked} locked"] if n_locked else []
    return ", ".join(parts)
