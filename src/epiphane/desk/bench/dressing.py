"""The bench page of dressing: how dense, by which chance, and from which recipes each part of the song."""

from functools import partial

from PyQt6.QtWidgets import QCheckBox, QVBoxLayout

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import StructFields
from epiphane.desk.control.dressing import DressingDesk
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import ChecksButton, button, in_a_row, label, row, rule
from epiphane.document.dressing import Dressing, Mood

_WORDS = {
    Mood.CALM: "Calm parts",
    Mood.BUILD: "Builds",
    Mood.FULL: "Full parts",
    Mood.DROP: "After a drop",
}


class DressingBench(BenchPage):
    """How the song is dressed with effects and transitions."""

    def __init__(self, editor: Editor, dressing: DressingDesk) -> None:
        super().__init__()
        self._editor, self._dressing = editor, dressing
        self._told = label("")
        self._told.setWordWrap(True)
        self._fields = StructFields(Dressing, dressing.change, released=editor.end_gesture)
        again = button("Dress again", "Dress the song with another seed (Ctrl + D)", dressing.again)
        undress = button("Undress", "Take the lanes of the dressing away", dressing.undress)
        self._recipes: dict[Mood, ChecksButton] = {}
        for mood, words in _WORDS.items():
            made = ChecksButton(f"Recipes for {words.lower()}", "nothing", width=280)
            made.chosen.connect(partial(self._choose, mood))
            self._recipes[mood] = made
        self._cuts: QCheckBox = self._fields.check(
            "has_transitions", "transitions at the cuts", "Let the cuts have transitions"
        )
        bar = self._fields.bar("density", "From sparse to dense", theme.TEXT)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(self._told)
        box.addWidget(in_a_row(again, undress, spacing=6))
        box.addWidget(row("Density", bar, self._fields.number("density", "Density", "%", factor=100)))
        box.addWidget(row("Seed", self._fields.number("seed", "Seed of the dressing"), self._cuts))
        box.addWidget(rule())
        for mood, words in _WORDS.items():
            box.addWidget(row(words, self._recipes[mood]))
        box.addStretch(1)

    def refresh(self) -> None:
        """Show how it is dressed now."""
        project = self._editor.project
        dressed = [lane for lane in project.lanes if lane.is_dressed]
        self._told.setText(
            f"{len(dressed)} lanes dress the song. Each is a lane as any other; one that is locked stays."
            if dressed
            else "The song is not dressed."
        )
        self._fields.show(project.dressing)
        names = [(name, name) for name in self._dressing.recipe_names]
        for mood, made in self._recipes.items():
            made.show_checks(lambda names=names: names, project.dressing.of(mood))  # type: ignore[misc]

    def _choose(self, mood: Mood, names: tuple[str, ...]) -> None:
        self._dressing.choose(mood, names)
