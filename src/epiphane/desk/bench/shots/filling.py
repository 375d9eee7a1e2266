"""The bench of filling: every change fills the song again at once."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.look.fields import button, label
from epiphane.document.filling import Filling, Order, Pace
from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, PulseId
from epiphane.document.project import Project
from epiphane.document.timeline import Extend, Move, cut_of
from epiphane.edits.shots.filling import fill_song
from epiphane.wording import tr

_BEATS = "beats"
_ORDERS = (
    (Order.GATHERED, tr("As imported")),
    (Order.SHUFFLED, tr("Shuffled")),
    (Order.MOMENTS, tr("Best moments on best hits")),
)
_EXTENDS = (
    (Extend.SLOW, tr("Slow it down")),
    (Extend.REPEAT, tr("Play it again")),
    (Extend.MIRROR, tr("There and back")),
)
MOVES = ((Move.PUSH, tr("Slow push")), (Move.DRIFT, tr("Drift")), (Move.NONE, tr("None")))
_SECTIONS = (("calm", tr("in calm sections")), ("build", tr("in builds")), ("full", tr("in full ones")))
_FIELD_WIDTH = 236


class FillingBench(BenchPage[Project]):
    """How the song is filled with footage."""

    def __init__(self, editor: Editor) -> None:
        super().__init__(editor, spacing=8)
        self._on_shelf: tuple[FootageId, ...] = ()
        tip = tr("Fill the song again, with what is known of the clips by now")
        told = self.told(_told, is_in_numbers=True)
        self.column.addLayout(beside(told, button(tr("Fill again"), tip, self.fill)))
        self.add(self.told(_waiting, hides=True))
        self._add_clips_row()
        self.rule()
        self._add_pace_rows()
        self.rule()
        self._add_order_rows()
        self.end()

    def thing(self) -> Project:
        """Return the project."""
        return self.editor.project

    def use_chosen(self, ids: tuple[FootageId, ...]) -> None:
        """Know what is chosen on the shelf."""
        self._on_shelf = ids
        self._chosen.setEnabled(bool(ids))

    def fill(self, **changes: Any) -> None:
        """Fill the song again, with some of it changed."""
        self.editor.apply(lambda p: fill_song(p, **changes), tr("filling of the song"))

    def _add_clips_row(self) -> None:
        clips = label("", is_quiet=False)
        self.shows(lambda project: clips.setText(_clips_text(project)))
        tip = tr("Fill with the clips that are selected on the shelf")
        self._chosen = button(tr("Selected"), tip, lambda: self.fill(footage=self._on_shelf))
        self._chosen.setEnabled(False)
        every = button(tr("All"), tr("Fill with all clips and stills"), lambda: self.fill(footage=()))
        self.enabled(lambda project: bool(project.filling.footage), every)
        made = QWidget()
        made.setLayout(beside(clips, self._chosen, every))
        self.row(tr("Clips"), made)

    def _add_pace_rows(self) -> None:
        pulse = self.choice(
            tr("Cuts are counted on"),
            _pulse_options,
            lambda project: _BEATS if project.filling.pulse is None else str(project.filling.pulse),
            lambda key: self.fill(pulse=None if key == _BEATS else PulseId(int(key))),
        )
        fields = self.fields(Pace, self._set_pace, lambda project: project.filling.pace)
        tip = tr("Another pace in calm sections, builds and full ones")
        by_section = fields.check("is_by_section", tr("Slower or faster by section"), tip)
        self.row(tr("Count on"), pulse)
        self.row(
            tr("A cut every"),
            fields.number("every", tr("A cut every")),
            label(tr("of them")),
            when=lambda project: not project.filling.pace.is_by_section,
        )
        self.row("", by_section)
        for word, words in _SECTIONS:
            every = fields.number(word, tr("A cut every, {words}", words=words))
            self.row(
                tr("A cut every"),
                every,
                label(words),
                when=lambda project: project.filling.pace.is_by_section,
            )

    def _add_order_rows(self) -> None:
        fields = self.fields(Filling, self.fill, lambda project: project.filling)
        order = fields.choice("order", tr("Order of clips"), _ORDERS)
        order.setMaximumWidth(_FIELD_WIDTH)
        shuffle = button(tr("Shuffle again"), tr("Shuffle them another way"), self._reshuffle)
        self.seen(lambda project: project.filling.order is Order.SHUFFLED, shuffle)
        tip = tr("Every clip that has a moment shows it exactly on a hit")
        extend = fields.choice("extend", tr("What becomes of a clip that is too short"), _EXTENDS)
        self.row(tr("Order"), order, shuffle)
        self.row("", fields.check("lands", tr("Moments land on hits"), tip))
        self.row(tr("Short clips"), extend)
        self.row(tr("Stills"), fields.choice("stills", tr("How stills move"), MOVES))

    def _reshuffle(self) -> None:
        self.fill(seed=(self.editor.project.filling.seed + 1) % 1_000_000)

    def _set_pace(self, **changes: Any) -> None:
        self.fill(pace=replace(self.editor.project.filling.pace, **changes))


def beside(words: QWidget, *buttons: QWidget) -> QHBoxLayout:
    """Return words that take what room the buttons after them leave."""
    line = QHBoxLayout()
    line.setContentsMargins(0, 0, 0, 0)
    line.addWidget(words, 1)
    for one in buttons:
        line.addWidget(one)
    return line


def _pulse_options(project: Project) -> list[tuple[str, str]]:
    others = [(str(pulse.id), pulse.name) for pulse in project.pulses if pulse.name != "beats"]
    return [(_BEATS, tr("beats")), *others]


def _clips_text(project: Project) -> str:
    if project.filling.footage:
        return tr("{count} chosen clips", count=len(project.filling.footage))
    n_clips = sum(footage.kind is not FootageKind.SOUND for footage in project.footage)
    return tr("All {n_clips}", n_clips=n_clips) if n_clips else tr("None yet")


def _told(project: Project) -> str:
    n_locked = sum(shot.is_locked for shot in project.shots)
    n_landed = sum(shot.pin is not None for shot in project.shots)
    speeds = [cut_of(shot).speed for shot in project.shots if shot.footage is not None]
    n_slow = sum(not isinstance(speed, tuple) and abs(speed) < 1 for speed in speeds)
    parts = [tr("{count} shots", count=len(project.shots))]
    parts += [tr("{n_landed} moments on hits", n_landed=n_landed)] if n_landed else []
    parts += [tr("{n_slow} slowed", n_slow=n_slow)] if n_slow else []
    parts += [tr("{n_locked} locked", n_locked=n_locked)] if n_locked else []
    return ", ".join(parts)


def _waiting(project: Project) -> str:
    """Return what is said while moments are still looked for that are to land."""
    n_waiting = sum(one.kind is FootageKind.VIDEO and not one.is_searched for one in project.footage)
    if n_waiting == 0 or not project.filling.lands:
        return ""
    return tr(
        "Moments are still looked for in {n_waiting} of the clips; then fill again to land them.",
        n_waiting=n_waiting,
    )
